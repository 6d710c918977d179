"""Where the pieces of a support begin: what carries them has to be there."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.once import once_a_mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.mesh.shells import shells_of

_SAME_HEIGHT_MM = 1e-3
_APART_MM, _MOST_ACROSS = 1.0, 40
_MOST_A_PIECE = 2000


@dataclass(frozen=True, eq=False)
class Footings:
    """The lowest places of every piece: `places` (k, 3) mm, and the piece of each, `pieces` (k,) from 0 on.

    `is_sure` says that they stand on whatever is below them, which is all that is still to be found.
    """

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    pieces: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    is_sure: bool = False


@once_a_mesh
def lowest_places(mesh: Mesh) -> Footings:
    """Of every shell of a mesh its lowest vertices, and places spread over the faces that lie there. Found once."""
    if not len(mesh.faces):
        return Footings()
    shells = shells_of(mesh)
    lowest = np.full(int(shells.max()) + 1, np.inf)
    np.minimum.at(lowest, shells, mesh.vertices[:, 2])
    of_face = shells[mesh.faces[:, 0]]
    used = np.zeros(len(mesh.vertices), bool)
    used[mesh.faces] = True
    corners = np.flatnonzero(used & (mesh.vertices[:, 2] <= lowest[shells] + _SAME_HEIGHT_MM))
    flats = np.flatnonzero(mesh.face_highs[:, 2] <= lowest[of_face] + _SAME_HEIGHT_MM)
    spread, on = places_on(mesh, flats, _APART_MM, most_across=_MOST_ACROSS)
    places = np.concatenate([spread, mesh.vertices[corners]])
    return _few(places, np.concatenate([of_face[on], shells[corners]]))


def _few(places: Floats, pieces: Longs) -> Footings:
    """At most so many places a piece, evenly taken, so that a fine mesh costs no more than a coarse one."""
    order = np.argsort(pieces, kind="stable")
    counts = np.bincount(pieces)
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    within = np.arange(len(order)) - starts[pieces[order]]
    step = np.maximum(1, -(-counts // _MOST_A_PIECE))[pieces[order]]
    kept = order[within % step == 0]
    return Footings(places[kept], pieces[kept])
