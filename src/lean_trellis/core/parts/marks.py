"""What people have marked on a part's surface: regions made by hand, protected surfaces, regions taken back.

Marks are kept by face of the nominal mesh, so they go with the part through turns, sizes and copies, and are carried
over to a revised mesh by place and direction.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, frozen
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.nearest import place_tree

KEEP_OFF, AVOID = 1, 2
NO_REGION = -1
"""A face that belongs to no region, though it is critical: it was taken from one."""
_SAME_WITHIN = 0.02
_MOST_ACROSS = 60
_SAME_DIRECTION = 0.8


@dataclass(frozen=True, eq=False)
class FaceMarks:
    """One number a face, (m,) int16; 0 for faces without a mark. Equal where all numbers are."""

    values: np.ndarray

    @cached_property
    def key(self) -> str:
        """A hash of the numbers."""
        return hashlib.sha256(np.ascontiguousarray(self.values, np.int16).tobytes()).hexdigest()[:32]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, FaceMarks) and self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)

    def faces(self, value: int) -> Longs:
        """The faces that bear a number."""
        return np.flatnonzero(self.values == value)


def face_marks(values: np.ndarray) -> FaceMarks | None:
    """Marks from one number a face; None where there are none."""
    values = np.ascontiguousarray(values, np.int16)
    return FaceMarks(frozen(values)) if values.any() else None


@dataclass(frozen=True)
class Marks:
    """All marks of a part.

    `hand`: for each face 0 (found by angle), `NO_REGION`, or the number of a region made by hand. `protected`: 0,
    `KEEP_OFF` or `AVOID`. `taken_back`: places (nominal coordinates, mm) on regions that support themselves by the
    material's values and are to be supported all the same.
    """

    hand: FaceMarks | None = None
    protected: FaceMarks | None = None
    taken_back: tuple[tuple[float, float, float], ...] = ()

    @property
    def is_empty(self) -> bool:
        """Whether nothing is marked."""
        return self.hand is None and self.protected is None and not self.taken_back

    def hand_values(self, count: int) -> np.ndarray:
        """(count,) int16: a copy of the hand marks, zeros where there are none."""
        return np.zeros(count, np.int16) if self.hand is None else self.hand.values.copy()

    def protected_values(self, count: int) -> np.ndarray:
        """(count,) int16: a copy of the protection, zeros where there is none."""
        return np.zeros(count, np.int16) if self.protected is None else self.protected.values.copy()

    def scaled(self, factors: Floats) -> Marks:
        """Places multiplied by (3,) factors: for a mirror or another unit."""
        back = tuple(tuple((np.array(place) * factors).tolist()) for place in self.taken_back)
        return replace(self, taken_back=back)


def on_finer(marks: Marks, parent: Longs) -> Marks:
    """The marks on a finer mesh whose faces are parts of the old ones: `parent` (m,) tells of which."""
    return _taken(marks, parent, np.ones(len(parent), bool))


def carried_over(marks: Marks, before: Mesh, after: Mesh) -> Marks:
    """The marks on another nominal mesh.

    A mesh with the same faces (moved, mirrored, scaled) keeps them face by face. Otherwise each new face takes the mark
    of the old face that is nearest to its middle, among those that look the same way, within 2 % of the part's size.
    """
    if marks.is_empty or before is after:
        return marks
    if before.faces.shape == after.faces.shape and (np.sort(before.faces, 1) == np.sort(after.faces, 1)).all():
        return marks
    size = float(np.linalg.norm(before.bounds[1] - before.bounds[0]))
    places, faces = places_on(before, np.arange(len(before.faces)), _SAME_WITHIN * size, most_across=_MOST_ACROSS)
    # Directions count as much as places: faces back to back on a thin wall stay separate.
    reach = _SAME_WITHIN * size
    tree = place_tree(np.column_stack([places, reach * before.normals[faces]]))
    away, nearest = tree.query(np.column_stack([after.centroids, reach * after.normals]), workers=-1)
    source = faces[nearest]
    alike = np.einsum("ij,ij->i", before.normals[source], after.normals) > _SAME_DIRECTION
    same: Bools = (away <= 1.5 * reach) & alike
    return _taken(marks, source, same)


def _taken(marks: Marks, source: Longs, same: Bools) -> Marks:
    """Each face takes the mark of the face `source` (m,) of the old mesh, where it is the `same` (m,)."""

    def taken(old: FaceMarks | None) -> FaceMarks | None:
        return None if old is None else face_marks(np.where(same, old.values[source], 0))

    return replace(marks, hand=taken(marks.hand), protected=taken(marks.protected))
