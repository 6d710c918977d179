"""Edits of what is marked on a part: regions by hand, protected surfaces, regions taken back.

Faces are numbers of the part's mesh; all of these are edits of the part alone, its mesh stays.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.refining import Refined
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF, NO_REGION, Marks, face_marks
from lean_trellis.core.parts.part import with_finer

PROTECTION_WORDS = {0: "no protection", KEEP_OFF: "keep off", AVOID: "avoid"}
_MOST_REGIONS = 30_000


def region_by_hand(job: Job, part_id: str, faces: Longs, title: str = "") -> Edit:
    """Make selected faces a region of their own, whatever their angle; where they look up they count as none."""

    def change(hand: np.ndarray) -> None:
        hand[_some(job, part_id, faces)] = _fresh(hand)

    return _with_hand(job, part_id, change, title or f"New region on {job.part(part_id).name}")


def add_to_region(job: Job, part_id: str, region_faces: Longs, faces: Longs) -> Edit:
    """Add selected faces to a region: all of it counts as made by hand from then on."""
    whole = np.union1d(region_faces, _some(job, part_id, faces))
    return region_by_hand(job, part_id, whole, f"Add to a region of {job.part(part_id).name}")


def take_from_regions(job: Job, part_id: str, faces: Longs) -> Edit:
    """Take selected faces out of whatever region they belong to."""

    def change(hand: np.ndarray) -> None:
        hand[_some(job, part_id, faces)] = NO_REGION

    return _with_hand(job, part_id, change, f"Take faces from the regions of {job.part(part_id).name}")


def merge_regions(job: Job, part_id: str, regions: Sequence[Longs]) -> Edit:
    """Make several regions, given by their faces, one."""
    if len(regions) < 2:
        raise EditError("merge", "takes two regions or more", "select more of them")
    merged = np.unique(np.concatenate(list(regions)))
    return region_by_hand(job, part_id, merged, f"Merge {len(regions)} regions of {job.part(part_id).name}")


def split_region(job: Job, part_id: str, region_faces: Longs, is_left: Bools) -> Edit:
    """Part a region in two: the faces on the left of a line (one flag for each of its faces), and the others."""
    if is_left.all() or not is_left.any():
        raise EditError("split", "the line does not cross the region", "draw it from edge to edge over the region")

    def change(hand: np.ndarray) -> None:
        for half in (region_faces[is_left], region_faces[~is_left]):
            hand[half] = _fresh(hand)

    return _with_hand(job, part_id, change, f"Split a region of {job.part(part_id).name}")


def regions_by_angle(job: Job, part_id: str) -> Edit:
    """Forget all regions made by hand: what is below the critical angle is a region again, nothing else."""
    part = job.part(part_id)
    return Edit(
        f"Regions of {part.name} reset to the critical angle", _marked(job, part_id, replace(part.marks, hand=None))
    )


def protect_faces(job: Job, part_id: str, faces: Longs, level: int) -> Edit:
    """Mark faces as keep off (1) or avoid (2), or take the mark away (0)."""
    part = job.part(part_id)
    values = part.marks.protected_values(len(part.mesh.faces))
    values[_some(job, part_id, faces)] = level
    title = f"Protect a surface of {part.name}: {PROTECTION_WORDS[level]}"
    return Edit(title, _marked(job, part_id, replace(part.marks, protected=face_marks(values))))


def protect_finer(job: Job, part_id: str, refined: Refined, faces: Longs, level: int) -> Edit:
    """As `protect_faces` on a part whose faces were parted for it; the shape stays, and what was marked."""
    part = with_finer(job.part(part_id), refined.mesh, refined.parent)
    return protect_faces(job.with_part(part), part_id, faces, level)


def take_back(job: Job, part_id: str, place: Floats) -> Edit:
    """Hold a region that would support itself: `place` (3,) lies on it as the part stands."""
    part = job.part(part_id)
    x, y, z = (part.pose.to_part(part.mesh, place[None])[0] / part.size.factors).tolist()
    marks = replace(part.marks, taken_back=(*part.marks.taken_back, (x, y, z)))
    return Edit(f"Take a region of {part.name} back", _marked(job, part_id, marks))


def leave_out(job: Job, part_id: str, place: Floats) -> Edit:
    """Undo a taking back: what was taken back nearest to `place` (3,) is left out again."""
    part = job.part(part_id)
    known = part.marks.taken_back
    if not known:
        raise EditError(part.name, "has no region that was taken back", "nothing to do")
    x = part.pose.to_part(part.mesh, place[None])[0] / part.size.factors
    away = np.linalg.norm(np.array(known) - x, axis=1)
    kept = tuple(other for number, other in enumerate(known) if number != int(away.argmin()))
    return Edit(f"Leave a region of {part.name} out", _marked(job, part_id, replace(part.marks, taken_back=kept)))


def _some(job: Job, part_id: str, faces: Longs) -> Longs:
    part = job.part(part_id)
    if not len(faces):
        raise EditError(part.name, "no faces are selected", "select some first")
    if faces.min() < 0 or faces.max() >= len(part.mesh.faces):
        raise EditError(part.name, "its mesh has changed since the faces were selected", "select them again")
    return faces


def _fresh(hand: np.ndarray) -> int:
    """The least number above 0 that no face bears."""
    used = set(np.unique(hand[hand > 0]).tolist())
    return next(n for n in range(1, _MOST_REGIONS + 1) if n not in used)


def _with_hand(job: Job, part_id: str, change: Callable[[np.ndarray], None], title: str) -> Edit:
    part = job.part(part_id)
    hand = part.marks.hand_values(len(part.mesh.faces))
    change(hand)
    return Edit(title, _marked(job, part_id, replace(part.marks, hand=face_marks(hand))))


def _marked(job: Job, part_id: str, marks: Marks) -> Job:
    return job.with_part(replace(job.part(part_id), marks=marks))
