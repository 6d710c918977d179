"""The eye: orbit about a focus with z always up, pan, zoom at the pointer, standard directions."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from vtkmodules.vtkRenderingCore import vtkCamera

from lean_trellis.core.arrays import Floats

VIEW_ANGLE_DEG = 26.0
_NEAR_MM, _RISE_DEG = 110.0, 18.0
_BESIDE_MM, _SEEN_DEG, _ASLANT_DEG = 2.0, 45.0, 30.0
"""From the middle on; so far round a side is still seen; so much aslant one looks at it."""


@dataclass(frozen=True)
class Eye:
    """Where we look at and from where: azimuth and height in degrees, distance in mm."""

    focus: tuple[float, float, float] = (130.0, 110.0, 20.0)
    azimuth: float = -62.0
    height: float = 24.0
    distance: float = 420.0

    @property
    def back(self) -> Floats:
        """(3,): unit vector from the focus to the eye."""
        a, h = np.radians(self.azimuth), np.radians(self.height)
        return np.array([np.cos(h) * np.cos(a), np.cos(h) * np.sin(a), np.sin(h)])

    @property
    def right(self) -> Floats:
        """(3,): unit vector to the right of the picture."""
        a = np.radians(self.azimuth)
        return np.array([-np.sin(a), np.cos(a), 0.0])

    @property
    def up(self) -> Floats:
        """(3,): unit vector upwards in the picture."""
        return np.cross(self.back, self.right)

    def orbited(self, dx: float, dy: float) -> Eye:
        """Turned by pointer steps in pixels."""
        return replace(self, azimuth=self.azimuth - 0.4 * dx, height=float(np.clip(self.height + 0.4 * dy, -90, 90)))

    def panned(self, dx: float, dy: float, pixels_high: int) -> Eye:
        """Moved along the picture by pointer steps in pixels."""
        size = 2 * self.distance * np.tan(np.radians(VIEW_ANGLE_DEG / 2)) / max(pixels_high, 1)
        moved = np.array(self.focus) - self.right * dx * size + self.up * dy * size
        return replace(self, focus=tuple(moved.tolist()))

    def zoomed(self, factor: float, at: Floats | None = None) -> Eye:
        """Nearer by `factor`, keeping the place `at` (3,) under the pointer."""
        distance = float(np.clip(self.distance / factor, 2, 5000))
        focus = np.array(self.focus)
        if at is not None:
            focus = at + (focus - at) * (distance / self.distance)
        return replace(self, distance=distance, focus=tuple(focus.tolist()))

    def flown_to(
        self, place: tuple[float, float, float], middle: Floats | None, *, is_underside: bool
    ) -> Eye:  # fmt: skip
        """Near a place: from below an underside, else from above; from the side of the part's middle that it is on.

        Where the place is on this side already, the eye stays on it.
        """
        azimuth = self.azimuth
        if middle is not None:
            out = np.array(place[:2]) - middle[:2]
            outward = float(np.degrees(np.arctan2(out[1], out[0])))
            turn = (outward - azimuth + 180) % 360 - 180
            if np.hypot(*out) > _BESIDE_MM and abs(turn) > _SEEN_DEG:
                azimuth = outward - np.sign(turn) * _ASLANT_DEG
        height = min(self.height, -_RISE_DEG) if is_underside else max(self.height, _RISE_DEG)
        return Eye(place, float(azimuth), height, min(self.distance, _NEAR_MM))

    def fitted(self, low: Floats, high: Floats, aspect: float) -> Eye:
        """Far enough to see a box whole."""
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        middle = (np.asarray(low) + np.asarray(high)) / 2
        half = np.tan(np.radians(VIEW_ANGLE_DEG / 2))

        def far_enough(relative: Floats) -> float:
            depth = relative @ self.back
            tall = np.abs(relative @ self.up) / half + depth
            wide = np.abs(relative @ self.right) / (half * max(aspect, 0.1)) + depth
            return float(max(tall.max(), wide.max(), 5) * 1.08)

        for _ in range(4):  # near corners look larger: the middle of the picture is found in a few steps
            relative = corners - middle
            distance = far_enough(relative)
            across, upward = (relative @ side / (distance - relative @ self.back) for side in (self.right, self.up))
            middle = middle + distance / 2 * (
                self.right * (across.min() + across.max()) + self.up * (upward.min() + upward.max())
            )
        distance = far_enough(corners - middle)
        return replace(self, focus=tuple(middle.tolist()), distance=distance)

    def apply(self, camera: vtkCamera) -> None:
        """Set a VTK camera."""
        place = np.array(self.focus) + self.back * self.distance
        camera.SetFocalPoint(*self.focus)
        camera.SetPosition(*place.tolist())
        camera.SetViewUp(*self.up.tolist())
        camera.SetViewAngle(VIEW_ANGLE_DEG)


DIRECTIONS = {
    "front": (-90.0, 12.0),
    "right": (0.0, 12.0),
    "top": (-90.0, 90.0),
    "below": (-90.0, -90.0),
    "corner": (-62.0, 24.0),
    "low": (-62.0, -32.0),
}
"""Azimuth and height of the standard directions, degrees."""
