"""Whether two places are near each other along the surface of a part, not only through the air."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, counted_out
from lean_trellis.core.checks.state import PartState

_STEP_MM, _MOST_STEPS = 0.25, 12
_OFF_MM = 0.02
"""Rays start this far off the way, so that a surface on it is met."""
_DETOURS = (0.0, 0.1, -0.1, 0.55, -0.55, 1.0, -1.0)
"""How far aside ways are tried, as shares of the widest detour within the limit; a little helps along a rim."""
_AT_ONCE = 100_000


def underside_goes_on(part: PartState, begins: Floats, ends: Floats, limits: Floats) -> Bools:
    """(n,): whether the underside goes on from one place to another by a way no longer than a limit (n,).

    `begins`, `ends` (n, 3) are on it. Ways are straight, or round one corner aside, seen along the layer normal. At
    places along a way, a quarter of a millimetre apart or a twelfth of it, the underside is looked for above and below,
    no farther off than the two places are from each other: it may curve, but a slit or a step into the air ends it.
    """
    result = np.zeros(len(begins), bool)
    for first in range(0, len(begins), _AT_ONCE):
        pending = np.arange(first, min(first + _AT_ONCE, len(begins)))
        for share in _DETOURS:
            result[pending] = _goes_on(part, begins[pending], ends[pending], limits[pending], share)
            pending = pending[~result[pending]]
    return result


def _goes_on(part: PartState, begins: Floats, ends: Floats, limits: Floats, share: float) -> Bools:
    """(n,): whether it goes on along the ways that turn aside by a share of the widest detour."""
    result = np.ones(len(begins), bool)
    if not len(begins):
        return result
    steps = ends - begins
    lengths = np.linalg.norm(steps, axis=1)
    aside = np.cross(part.overhangs.layer_normal, steps / np.maximum(lengths, 1e-12)[:, None])
    widest = np.sqrt(np.maximum(limits**2 - lengths**2, 0)) / 2
    corners = (begins + ends) / 2 + (share * widest)[:, None] * aside
    counts = np.clip(np.ceil(lengths / _STEP_MM).astype(np.int64) - 1, 0, _MOST_STEPS)
    owners, within = counted_out(counts)
    at = ((within + 1) / (counts[owners] + 1))[:, None]
    places = np.where(
        at < 0.5, begins[owners] * (1 - 2 * at) + corners[owners] * 2 * at,
        corners[owners] * (2 - 2 * at) + ends[owners] * (2 * at - 1),
    )  # fmt: skip
    missing = np.flatnonzero(~_has_underside(part, places, lengths[owners], 1.0))
    missing = missing[~_has_underside(part, places[missing], lengths[owners[missing]], -1.0)]
    result[owners[missing]] = False
    return result


def _has_underside(part: PartState, places: Floats, within: Floats, way: float) -> Bools:
    """(n,): whether the first face above (`way` 1) or below (-1) each place looks down and is `within` (n,) mm."""
    if not len(places):
        return np.zeros(0, bool)
    up = np.array(part.overhangs.layer_normal)
    starts = part.part.pose.to_part(part.part.mesh, places - way * _OFF_MM * up)
    hits = part.tree.first_hits(starts, np.broadcast_to(way * up, places.shape) @ part.part.pose.matrix)
    looks_down = part.overhangs.mesh.normals[hits.face] @ up < 0
    result: Bools = (hits.face >= 0) & looks_down & (hits.distance <= within + _OFF_MM)
    return result
