"""Errands on parts: worked out beside the window, then taken as one step, unless the part has changed meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats import Body
from lean_trellis.core.job.edits import Edit, copy_part, level, origin_of, replace_mesh, stand_on
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.mend import Mended
from lean_trellis.core.mesh.patch import Plane
from lean_trellis.core.parts.part import Part
from lean_trellis.core.planning import FoundPoses
from lean_trellis.core.proposals import Arrangement, ArrangeWishes
from lean_trellis.core.revision import RevisedFile
from lean_trellis.studio.part_requests import (
    Arrange,
    FitPlane,
    MeasureRoom,
    MendMesh,
    ReadBody,
    Revise,
    SearchPoses,
    Shaped,
    take_shape,
)
from lean_trellis.studio.requests import MakeChange, MakeEdit
from lean_trellis.studio.session import Session


def copy_in_hand(session: Session, *, in_place: bool) -> None:
    """Copy the current part, beside or exactly in place; the copy is the current part then."""
    part_id = session.selection.part
    if part_id and session.do(lambda job: copy_part(job, part_id, in_place=in_place)):
        session.select(parts=(session.job.parts[-1].id,))


def mend_part(session: Session, part: Part, step: str, show: Callable[[Part, Mended], None]) -> None:
    """Mend a part; what would change the volume by more than a percent is shown for somebody to agree first."""

    def mended(result: Mended) -> None:
        if result.mesh is part.nominal_mesh or result.mesh.key == part.nominal_mesh.key:
            session.said.emit("note", f"{part.name}: nothing to mend that way")
        elif result.asks:
            session.said.emit("note", f"{part.name}: its volume would change by {100 * result.volume_change:.1f} %")
            show(part, result)
        else:
            take_mend(session, part, result)

    session.ask(f"Mending {part.name}", MendMesh(part.nominal_mesh, step), mended)


def take_mend(session: Session, part: Part, result: Mended) -> None:
    """Take a mended mesh."""
    if _is_as_it_was(session, part):
        title = f"{result.title}: {part.name}"
        words = f"{part.name}: {result.before.in_words} → {result.after.in_words}"
        make = partial(replace_mesh, part_id=part.id, nominal=result.mesh, title=title)
        do_beside(session, title, make, words)


def do_beside(session: Session, title: str, make: Callable[[Job], Edit], words: str = "") -> None:
    """Have an edit made beside the window and do it, if the job is still the same; then say `words`."""
    edit_beside(session, title, MakeEdit(session.job, make), words)


def edit_beside(session: Session, title: str, request: MakeEdit | MakeChange, words: str = "") -> None:
    """The same for a request whose answer is the edit."""

    def take(edit: Edit) -> None:
        if session.job is not request.job:
            session.said.emit("note", "The job has moved on: nothing was done")
        elif session.do(lambda _: edit) and words:
            session.said.emit("fine", words)

    session.ask(title, request, take)


def shape_part(session: Session, part: Part, request: Any, title: str, *, with_plug: bool = False) -> None:
    """Work on a part's shape; a plug comes in beside it, named after it."""

    def done(result: Shaped) -> None:
        if _is_as_it_was(session, part):
            make = partial(take_shape, part_id=part.id, shaped=result, title=title, with_plug=with_plug)
            do_beside(session, title, make, f"{title}: {result.change_mm3 / 1000:+,.2f} cm³")

    session.ask(title, request, done)


def compare_revision(session: Session, part: Part, path: Path, show: Callable[[Revise, RevisedFile], None]) -> None:
    """Work out what a revised file in a part's place comes to, to be shown before it is taken."""
    request = Revise(session.job, part.id, path, dict(session.recipes.every()), dict(session.sets.every()))
    session.ask(f"Comparing {path.name} with {part.name}", request, lambda revision: show(request, revision))


def _replacing(part: Part, path: Path, body: Body, title: str) -> Callable[[Job], Edit]:
    """The edit that puts a file's body in a part's place."""
    origin = origin_of(str(path), body)
    return partial(replace_mesh, part_id=part.id, nominal=body.mesh, title=title, origin=origin)


def tessellate_again(session: Session, part: Part, tolerance_mm: float) -> None:
    """Read a part's STEP file again with another tolerance."""
    path = Path(part.origin.file)

    def read(body: Body) -> None:
        if _is_as_it_was(session, part):
            title = f"Tessellate {part.name} to {tolerance_mm:g} mm"
            do_beside(session, title, _replacing(part, path, body, title))

    session.ask(f"Reading {path.name}", ReadBody(path, part.origin, tolerance_mm), read)


def level_patch(session: Session, part: Part, face: int) -> None:
    """Level a part by the plane that fits the patch round a face best."""

    def fitted(plane: Plane) -> None:
        if _is_as_it_was(session, part) and session.do(lambda job: level(job, part.id, plane)):
            session.said.emit("fine", f"Level; the patch lies within {plane.worst_mm:.2f} mm of its plane")

    session.ask(f"Levelling {part.name}", FitPlane(part.mesh, face), fitted)


def stand_part_on(session: Session, part: Part, on_part: str, clearance: float) -> None:
    """Lift or lower a part until it stands a clearance above another one's surface; say what that came to."""
    job = session.job
    below = job.part(on_part).name

    def measured(room: float) -> None:
        if session.job is not job:
            session.said.emit("note", "The job has moved on: nothing was done")
        elif session.do(lambda job: stand_on(job, part.id, on_part, room, clearance)):
            if clearance > 0:
                session.said.emit("note", f"{part.name} floats {clearance:g} mm above {below}")
            elif clearance < 0:
                session.said.emit("note", f"{part.name} goes {-clearance:g} mm into {below}")
            else:
                session.said.emit("fine", f"{part.name} touches {below}; it stood {room:.2f} mm above it")

    session.ask(f"Standing {part.name} on {below}", MeasureRoom(job, part.id, on_part), measured)


def search_for_poses(
    session: Session, part: Part, show: Callable[[FoundPoses], None], *, keeps_range: bool, height_limit: float | None
) -> None:
    """Find poses and show them; nothing is turned."""
    session.ask(f"Looking for poses of {part.name}", SearchPoses(session.job, part.id, keeps_range, height_limit), show)


def arrange_build(session: Session, wishes: ArrangeWishes, show: Callable[[Arrangement], None]) -> None:
    """Arrange parts by their footprints."""
    job = session.job

    def take(result: Arrangement) -> None:
        if session.job is not job:
            session.said.emit("note", "The job has moved on: nothing was arranged")
            return
        if session.do(lambda _: result.edit):
            names = ", ".join(job.part(part_id).name for part_id in result.left_over[:3])
            placed = f"Arranged; {100 * result.density:.0f} % of the rectangle round them is covered"
            if result.left_over:
                session.said.emit("stop", f"No room for {len(result.left_over)}: {names}; use further plates")
            else:
                session.said.emit("fine", placed)
            show(result)

    session.ask("Arranging parts", Arrange(job, wishes), take)


def _is_as_it_was(session: Session, part: Part) -> bool:
    """Whether the part's mesh is still the one that was worked upon; says so where it is not."""
    try:
        same = session.job.part(part.id).nominal_mesh is part.nominal_mesh
    except TrellisError:
        same = False
    if not same:
        session.said.emit("note", f"{part.name} has changed meanwhile: nothing was done")
    return same
