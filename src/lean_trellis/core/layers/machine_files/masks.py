"""Masks for vats: a zip of greyscale PNG files at the pixels of the machine, with a manifest in JSON."""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import dataclass
from typing import IO, Any

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType

from lean_trellis.core.arrays import Bytes, Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats.archives import member
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.scanning import Rings, scanned
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.material import value_or

_SUBROWS = 4
"""Rows that are looked at within a pixel where its edge is smoothed."""
_MITER = 2.0


@heavy
def mask_of(rings: list[Floats], width: int, depth: int, pixel: float, smoothing: float = 0.0) -> Bytes:
    """(depth, width): 255 where the middle of a pixel lies within the rings (k, 2), else 0; row 0 is at the back.

    With `smoothing` pixels on an edge take that share of their grey from how much of them is covered.
    """
    mask = np.zeros((depth, width), np.uint8)
    window, sharp = _coverage(rings, width, depth, pixel, 1)
    mask[window] = np.where(sharp > 0.5, np.uint8(255), np.uint8(0))
    if smoothing:
        window, covered = _coverage(rings, width, depth, pixel, _SUBROWS)
        mask[window] = np.rint(255.0 * smoothing * covered + (1.0 - smoothing) * mask[window]).astype(np.uint8)
    return mask


Window = tuple[slice, slice]
"""Rows and columns of a mask: outside of them all is dark."""


def _as_ways(rings: list[Floats]) -> LayerWays:
    return LayerWays.of_rings(rings, np.zeros(len(rings), np.int64))


def _coverage(rings: list[Floats], width: int, depth: int, pixel: float, subrows: int) -> tuple[Window, Floats]:
    """A window and, in it, the share of each pixel that is filled; with one row a pixel, whether its middle is."""
    lines = scanned(Rings.of_ways(_as_ways(rings)), pixel / subrows, np.zeros(1))
    ends = np.sort(np.column_stack([lines.begins[:, 0], lines.ends[:, 0]]), axis=1) / pixel
    rows = lines.rows // subrows
    if subrows == 1:
        ends = np.ceil(ends - 0.5)
    inside = (rows >= 0) & (rows < depth)
    ends, rows = np.clip(ends[inside], 0, width), rows[inside]
    if not len(rows):
        return (slice(0, 0), slice(0, 0)), np.zeros((0, 0))
    low, high = int(rows.min()), int(rows.max()) + 1
    left, right = int(ends.min()), min(int(ends.max()) + 1, width)
    ends, rows = ends - left, rows - low
    # Running sums along a row: a run adds its share of the pixel where it begins, and takes it away at its end.
    steps = np.zeros((high - low, right - left + 2))
    for place, sign in ((ends[:, 0], 1.0), (ends[:, 1], -1.0)):
        pixel_of = np.floor(place).astype(np.int64)
        part = place - pixel_of
        np.add.at(steps, (rows, pixel_of), sign * (1.0 - part))
        np.add.at(steps, (rows, pixel_of + 1), sign * part)
    window = slice(depth - high, depth - low), slice(left, right)
    return window, np.cumsum(steps, axis=1)[::-1, : right - left] / subrows


@dataclass(frozen=True)
class Overcure:
    """How far resin hardens beyond what is exposed, mm: round an outline, and below an underside."""

    width: float = 0.0
    depth: float = 0.0


class _PartMasks:
    """Masks of the parts of a build, from the bottom up, with what hardens of itself left out.

    Outlines are set in by the width. A pixel with air below, no deeper than the depth, is left dark: light from the
    layers above hardens it. What is thinner than that keeps its top layer; the plate's own layers stay.
    """

    def __init__(
        self, build: LayeredBuild, size: tuple[int, int], pixel: float, smoothing: float, overcure: Overcure
    ) -> None:
        self._build, self._size, self._pixel, self._smoothing = build, size, pixel, smoothing
        self._width, self._below = overcure.width, round(overcure.depth / build.plan.height)
        self._kept: dict[int, Bytes] = {}

    def mask(self, number: int) -> Bytes:
        """(depth, width) of the layer of a number; asked for from the bottom up."""
        here = self._whole(number)
        if not self._below:
            self._kept.clear()
            return here
        white = here
        for lower in range(max(0, number - self._below), number):
            white = np.minimum(white, self._whole(lower))
        for gone in [one for one in self._kept if one < number - self._below]:
            del self._kept[gone]
        return np.where(self._whole(number + 1) > 0, white, here)

    def _whole(self, number: int) -> Bytes:
        if number not in self._kept:
            rings = [ring for body in self._build.bodies if not body.is_support for ring in body.outlines(number)]
            if self._width and rings:
                inner = CrossSection(rings, FillRule.NonZero).offset(-self._width, JoinType.Miter, _MITER)
                rings = [np.asarray(ring) for ring in inner.to_polygons()]
            self._kept[number] = mask_of(rings, *self._size, self._pixel, self._smoothing)
        return self._kept[number]


def write_masks(file: IO[bytes], build: LayeredBuild, watch: Watch = UNWATCHED, *, smooths: bool = False) -> None:
    """The masks of all layers, and what is done at each. Raises `EditError` where the pixels' pitch is not known."""
    machine, constants = build.machine, build.constants
    if machine.pixel is None:
        raise EditError(machine.name, "has no pixel pitch", "give its pixels' pitch at Setup")
    width, depth = round(machine.plate.width / machine.pixel), round(machine.plate.depth / machine.pixel)
    smoothing = value_or(constants, "edge_smoothing", 0.0) if smooths else 0.0
    overcure = Overcure(value_or(constants, "overcure_width", 0.0), value_or(constants, "overcure_depth", 0.0))
    parts = _PartMasks(build, (width, depth), machine.pixel, smoothing, overcure)
    layers: list[dict[str, Any]] = []
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        for place, number in enumerate(build.assembly.numbers.tolist()):
            if place % 4 == 0:
                watch.at(place / len(build.assembly.numbers), f"writing layer {place + 1}")
            supports = [ring for body in build.bodies if body.is_support for ring in body.outlines(number)]
            mask = np.maximum(parts.mask(number), mask_of(supports, width, depth, machine.pixel, smoothing))
            name = f"layers/{place:05d}.png"
            _store(archive, name, _png(mask))
            layers.append({
                "file": name, "z_mm": build.top(number), "height_mm": build.thickness(number),
                **{f"{cause}_s": float(seconds[place]) for cause, seconds in build.assembly.seconds_by.items()},
                "wait_before_s": value_or(constants, "wait_before", 0.0),
                "wait_after_s": value_or(constants, "wait_after", 0.0),
            })  # fmt: skip
        manifest = {
            "format": "lean-trellis-masks", "version": 1, "job": build.name, "machine": machine.id,
            "material": build.material, "pixel_mm": machine.pixel, "width": width, "depth": depth,
            "row_0": "largest y", "base_layers": round(constants["base_layers"].value), "edge_smoothing": smoothing,
            "overcure_width_mm": overcure.width, "overcure_depth_mm": overcure.depth, "layers": layers,
        }  # fmt: skip
        _store(archive, "manifest.json", json.dumps(manifest, indent=1).encode())


def _png(mask: Bytes) -> bytes:
    from PIL import Image

    stream = io.BytesIO()
    Image.fromarray(mask).save(stream, "PNG", compress_level=3)
    return stream.getvalue()


def _store(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    archive.writestr(member(archive, name), content)
