"""Edits of walls by hand, of what a raft is for, of a block's body, and of places given by several values at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.edits.parts import remove_parts
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.bodies.parameters import BlockParameters
from lean_trellis.core.supports.common.parameters import validated
from lean_trellis.core.supports.common.support import Extended, Gone, HandWork, Line, Place, Support
from lean_trellis.core.supports.panels.parameters import PanelParameters, WallParameters


def draw_path(job: Job, support_id: str, places: Floats) -> Edit:
    """A wall along a path (k, 3) of the plate's frame, besides those there are. Raises `EditError` where it is none."""
    support = job.support(support_id)
    if not isinstance(support.parameters, WallParameters):
        raise EditError(support.set_name, "is no set of walls along a line", "choose such a set")
    if len(places) < 2:
        raise EditError(support.set_name, "a path has two places at least", "draw it longer")
    line = Line(tuple(_own(job, support, places)))
    return Edit("Draw a wall", _with(job, support, paths=(*support.hand.paths, line)))


def move_path_point(job: Job, support_id: str, path: int, point: int, place: Place) -> Edit:
    """Move one place of a path that was drawn."""
    support = job.support(support_id)
    lines = list(support.hand.paths)
    places = list(lines[path].places)
    places[point] = _own(job, support, np.array([place]))[0]
    lines[path] = Line(tuple(places))
    return Edit("Move a point of a wall's path", _with(job, support, paths=tuple(lines)))


def remove_path(job: Job, support_id: str, path: int) -> Edit:
    """Remove a path that was drawn."""
    support = job.support(support_id)
    kept = tuple(line for number, line in enumerate(support.hand.paths) if number != path)
    return Edit("Remove a drawn wall", _with(job, support, paths=kept))


def cut_out(job: Job, support_id: str, outline: Floats) -> Edit:
    """Delete what of the walls lies within an outline (k, 3) of the plate's frame, as seen from above."""
    support = _panels(job, support_id)
    if len(outline) < 3:
        raise EditError(support.set_name, "a lasso goes round something", "draw it wider")
    line = Line(tuple(_own(job, support, outline)))
    return Edit("Cut out part of the walls", _with(job, support, cut_out=(*support.hand.cut_out, line)))


def delete_walls(job: Job, support_id: str, places: Floats) -> Edit:
    """Delete the walls at places (k, 3) of the plate's frame."""
    return _delete(job, support_id, places, "wall")


def delete_pieces(job: Job, support_id: str, places: Floats) -> Edit:
    """Delete the pieces at places (k, 3) of the plate's frame."""
    return _delete(job, support_id, places, "piece")


def _delete(job: Job, support_id: str, places: Floats, what: Any) -> Edit:
    support = _panels(job, support_id)
    if not len(places):
        raise EditError(support.set_name, f"no {what} is selected", "click one")
    gone = tuple(Gone(place, what) for place in _own(job, support, places))
    words = f"a {what}" if len(gone) == 1 else f"{len(gone)} {what}s"
    return Edit(f"Delete {words}", _with(job, support, gone=support.hand.gone + gone))


def extend_wall(job: Job, support_id: str, end: Place, by: float) -> Edit:
    """Lead the wall that ends at a place of the plate's frame on by so many mm."""
    support = _panels(job, support_id)
    if not 0 < by <= 1000:
        raise EditError("extend", f"{by:g} mm is not a length to extend by", "give more than 0, up to 1000 mm")
    place = _own(job, support, np.array([end]))[0]
    return Edit(
        f"Extend a wall by {by:g} mm", _with(job, support, extended=(*support.hand.extended, Extended(place, by)))
    )


def share_raft(job: Job, support_id: str, part_ids: Sequence[str]) -> Edit:
    """Make a raft for its own part and others; for its own alone where there are none."""
    support = job.support(support_id)
    if support.family != "raft":
        raise EditError(support.set_name, "is no raft", "select one")
    others = tuple(job.part(part_id).id for part_id in dict.fromkeys(part_ids) if part_id != support.part_id)
    words = f"Share a raft with {len(others)} more" if others else "A raft of its own"
    return Edit(words, job.with_support(replace(support, others=others)))


def give_body(job: Job, support_id: str, body: Mesh, name: str) -> Edit:
    """Make any body a block's shape, in its own size."""
    support = job.support(support_id)
    if not isinstance(support.parameters, BlockParameters):
        raise EditError(support.set_name, "is no block", "select one")
    size = body.bounds[1] - body.bounds[0]
    values = support.parameters.model_dump() | {
        "shape": "own", "size_x": float(size[0]), "size_y": float(size[1]), "size_z": float(size[2]),
    }  # fmt: skip
    changed = validated(BlockParameters, values)
    return Edit(f"Make {name} a block", job.with_support(replace(support, parameters=changed, body=body)))


def become_block(job: Job, support_id: str, part_id: str) -> Edit:
    """Make a whole part the block of another: it keeps its place, size and turn, and is a part no more.

    Raises `EditError` where it is the block's own part or carries supports of its own.
    """
    support, part = job.support(support_id), job.part(part_id)
    if not isinstance(support.parameters, BlockParameters):
        raise EditError(support.set_name, "is no block", "select one")
    if part_id in support.parts:
        raise EditError(part.name, "is the block's own part", "select another part with it")
    if job.supports_of(part_id):
        raise EditError(part.name, "has supports of its own", "remove them first")
    body = part.placed
    low, high = body.bounds
    middle = (low + high)[:2] / 2 - job.part(support.part_id).bounds().mean(axis=0)[:2]
    size = high - low
    values = {
        "shape": "own", "size_x": float(size[0]), "size_y": float(size[1]), "size_z": float(size[2]), "turn": 0.0,
        "place_x": float(middle[0]), "place_y": float(middle[1]), "place_z": max(float(low[2]), 0.0),
    }  # fmt: skip
    changed = validated(BlockParameters, {**support.parameters.model_dump(), **values})
    job = job.with_support(replace(support, parameters=changed, body=body))
    return Edit(f"Make {part.name} a block", remove_parts(job, [part_id]).job)


def change_values(job: Job, support_id: str, values: Mapping[str, Any], title: str) -> Edit:
    """Change several values of a support together. Raises `ParameterError`."""
    support = job.support(support_id)
    changed = validated(type(support.parameters), {**support.parameters.model_dump(), **values})
    return Edit(title, job.with_support(replace(support, parameters=changed)))


def _panels(job: Job, support_id: str) -> Support:
    support = job.support(support_id)
    if not isinstance(support.parameters, PanelParameters):
        raise EditError(support.set_name, "has no walls", "select a lattice or a wall")
    return support


def _own(job: Job, support: Support, places: Floats) -> list[Place]:
    part = job.part(support.part_id)
    return [(x, y, z) for x, y, z in part.pose.to_part(part.mesh, np.asarray(places, np.float64)).tolist()]


def _with(job: Job, support: Support, **changes: Any) -> Job:
    hand: HandWork = replace(support.hand, **changes)
    return job.with_support(replace(support, hand=hand))
