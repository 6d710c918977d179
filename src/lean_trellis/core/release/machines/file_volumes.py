"""What a machine file holds, as the machine reads it: volumes, extents and layers, from the bytes alone.

Nothing is shared with what writes these files.
"""

from __future__ import annotations

import io
import json
import math
import re
import struct
import zipfile
from dataclasses import dataclass
from typing import IO

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.archives import DAMAGED_ZIP
from lean_trellis.core.release.machines.protocol import Manifest

_MOST_PIXELS = 200_000_000
_LAYER, _POLYLINE, _HATCHES = 127, 130, 132
_OPEN = 2
_WORDS = re.compile(rb"([XYZEST])(-?\d*\.?\d+)")


@dataclass
class FileContent:
    """What a file builds: mm³, how many layers, and between which corners (2, 2) in plan, mm."""

    volume_mm3: float
    layers: int
    low: Floats
    high: Floats
    top_mm: float

    @classmethod
    def nothing(cls) -> FileContent:
        """Nothing yet."""
        return cls(0.0, 0, np.full(2, np.inf), np.full(2, -np.inf), 0.0)

    def reach(self, places: Floats) -> None:
        """Take places (n, 2) into its extent."""
        if len(places):
            self.low, self.high = np.minimum(self.low, places.min(axis=0)), np.maximum(self.high, places.max(axis=0))


def read_content(file: IO[bytes], manifest: Manifest) -> FileContent:
    """What a machine file of the manifest's process holds. Raises `FormatError` where it is none."""
    try:
        match manifest.process:
            case "powder_bed":
                return _common_layers(file.read(), manifest)
            case "vat":
                return _masks(file)
            case _:
                return _gcode(file)
    except (struct.error, ValueError, KeyError, IndexError, OverflowError, TypeError, OSError, *DAMAGED_ZIP) as problem:
        words = f"cannot be read as a file of layers ({type(problem).__name__})"
        raise FormatError(manifest.file, words, "export it again") from None


def _common_layers(content: bytes, manifest: Manifest) -> FileContent:
    """Closed outlines by area, open lines by length and line width, each as high as its body's layers."""
    head, _, rest = content.partition(b"$$HEADEREND")
    if b"$$HEADERSTART" not in head or b"$$BINARY" not in head:
        raise ValueError("no binary common layer file")
    total, tops, at = FileContent.nothing(), [0.0], 0
    every = {number: body.every for number, body in enumerate(manifest.bodies, start=1)}
    lines = _Lines()
    size, short, height = len(rest), _SHORT.unpack_from, _FLOAT.unpack_from
    three, two = _THREE.unpack_from, _TWO.unpack_from
    while at < size:
        (command,) = short(rest, at)
        if command == _POLYLINE:
            body, direction, count = three(rest, at + 2)
            lines.take(at + 14, 2 * count, direction, _thickness(tops, every.get(body, 1), manifest))
            at += 14 + 8 * count
        elif command == _HATCHES:
            _, count = two(rest, at + 2)
            lines.take(at + 10, 4 * count, _HATCH, 0.0)
            at += 10 + 16 * count
        elif command == _LAYER:
            lines.sum_up(rest, total, manifest.line_width)
            tops.append(float(height(rest, at + 2)[0]))
            at += 6
        else:
            raise ValueError("command")
    lines.sum_up(rest, total, manifest.line_width)
    if not np.isfinite(tops).all():
        raise ValueError("height")
    total.layers, total.top_mm = len(tops) - 1, max(tops)
    return total


_SHORT, _FLOAT, _THREE, _TWO = (struct.Struct(form) for form in ("<H", "<f", "<iii", "<ii"))
_HATCH = -1


class _Lines:
    """The lines of one layer, where they stand in the file; all are summed up at once."""

    def __init__(self) -> None:
        self._entries: list[tuple[int, int, int, float]] = []

    def take(self, at: int, numbers: int, direction: int, thickness: float) -> None:
        """A line of so many numbers at a place of the file."""
        if numbers < 0:
            raise ValueError("a line of less than nothing")
        if numbers:
            self._entries.append((at, numbers, direction, thickness))

    def sum_up(self, rest: bytes, content: FileContent, line_width: float) -> None:
        """Add what they build to what was found, and begin anew."""
        if not self._entries:
            return
        pieces = [rest[at : at + 4 * numbers] for at, numbers, _, _ in self._entries]
        places = np.frombuffer(b"".join(pieces), "<f4").astype(np.float64).reshape(-1, 2)
        if not np.isfinite(places).all():
            raise ValueError("a place that is none")
        counts = np.array([numbers // 2 for _, numbers, _, _ in self._entries])
        if counts.sum() != len(places):
            raise ValueError("more places than the file holds")
        directions = np.array([direction for _, _, direction, _ in self._entries])
        thickness = np.array([high for _, _, _, high in self._entries])
        starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
        following = np.arange(1, len(places) + 1)
        following[starts + counts - 1] = starts
        x, y = places.T
        areas = np.add.reduceat(x * y[following] - x[following] * y, starts) / 2
        lengths = np.hypot(x[following] - x, y[following] - y)
        lengths[starts + counts - 1] = 0.0
        open_sizes = np.add.reduceat(lengths, starts) * line_width
        sizes = np.where(directions == _OPEN, open_sizes, np.where(directions == _HATCH, 0.0, areas))
        content.volume_mm3 += float(sizes @ thickness)
        content.reach(places)
        self._entries.clear()


def _thickness(tops: list[float], every: int, manifest: Manifest) -> float:
    """From the top of the layer so many below; the lowest layers reach down to the plate."""
    if len(tops) > every + 1:
        return tops[-1] - tops[-1 - every]
    return (manifest.first_layer or manifest.layer_height) + manifest.layer_height * (every - 1)


def _masks(file: IO[bytes]) -> FileContent:
    """Lit pixels by their grey."""
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = _MOST_PIXELS
    content = FileContent.nothing()
    with zipfile.ZipFile(file) as archive:
        said = json.loads(archive.read("manifest.json"))
        pixel, depth = float(said["pixel_mm"]), int(said["depth"])
        for layer in said["layers"]:
            with Image.open(io.BytesIO(archive.read(str(layer["file"])))) as image:
                mask = np.asarray(image.convert("L"))
            across, down = np.flatnonzero(mask.any(axis=0)), np.flatnonzero(mask.any(axis=1))
            content.volume_mm3 += float(mask.sum(dtype=np.float64)) / 255 * pixel**2 * float(layer["height_mm"])
            if len(across):
                columns, rows = across[[0, -1]] + [0, 1], depth - down[[-1, 0]] - [1, 0]
                content.reach(pixel * np.column_stack([columns, rows]))
            content.layers += 1
            content.top_mm = max(content.top_mm, float(layer["z_mm"]))
    return content


def _gcode(file: IO[bytes]) -> FileContent:
    """What is pushed through the nozzle while it moves; lengths of filament are relative."""
    content = FileContent.nothing()
    area = math.pi * 1.75**2 / 4
    pushed, places = 0.0, []
    for line in file:
        if line.startswith(b"; filament"):
            area = math.pi * float(line.split()[2]) ** 2 / 4
        elif line.startswith(b"; layer ") and line.split()[2].isdigit():
            content.layers += 1
        elif line.startswith((b"G0", b"G1")):
            values = {key: float(number) for key, number in _WORDS.findall(line.partition(b";")[0])}
            if b"Z" in values:
                content.top_mm = max(content.top_mm, values[b"Z"])
            if b"X" in values and b"Y" in values:
                places.append((values[b"X"], values[b"Y"]))
                pushed += values.get(b"E", 0.0)
    if not content.layers:
        raise ValueError("no layers")
    content.reach(np.array(places, np.float64).reshape(-1, 2))
    content.volume_mm3 = pushed * area
    return content
