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
    found, tops, at = FileContent.nothing(), [0.0], 0
    every = {number: body.every for number, body in enumerate(manifest.bodies, start=1)}
    while at < len(rest):
        (command,) = struct.unpack_from("<H", rest, at)
        at += 2
        if command == _LAYER:
            (top,) = struct.unpack_from("<f", rest, at)
            if not math.isfinite(top):
                raise ValueError("height")
            tops.append(float(top))
            at += 4
        elif command == _POLYLINE:
            body, direction, count = struct.unpack_from("<iii", rest, at)
            way = _places(rest, at + 12, count, 2)
            thickness = _thickness(tops, every.get(body, 1), manifest)
            found.volume_mm3 += _size(way, manifest.line_width, is_open=direction == _OPEN) * thickness
            found.reach(way)
            at += 12 + 8 * count
        elif command == _HATCHES:
            _, count = struct.unpack_from("<ii", rest, at)
            found.reach(_places(rest, at + 8, count, 4).reshape(-1, 2))
            at += 8 + 16 * count
        else:
            raise ValueError("command")
    found.layers, found.top_mm = len(tops) - 1, max(tops)
    return found


def _places(rest: bytes, at: int, count: int, width: int) -> Floats:
    if count < 0 or at + 4 * width * count > len(rest):
        raise ValueError("more places than the file holds")
    places = np.frombuffer(rest, "<f4", width * count, at).reshape(-1, width).astype(np.float64)
    if not np.isfinite(places).all():
        raise ValueError("a place that is none")
    return places


def _thickness(tops: list[float], every: int, manifest: Manifest) -> float:
    """From the top of the layer so many below; the lowest layers reach down to the plate."""
    below = tops[max(len(tops) - 1 - every, 0)] if len(tops) > every else None
    if below is not None:
        return tops[-1] - below
    return (manifest.first_layer or manifest.layer_height) + manifest.layer_height * (every - 1)


def _size(way: Floats, line_width: float, *, is_open: bool) -> float:
    if is_open:
        return float(np.hypot(*np.diff(way, axis=0).T).sum()) * line_width
    x, y = way.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) / 2


def _masks(file: IO[bytes]) -> FileContent:
    """Lit pixels by their grey."""
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = _MOST_PIXELS
    found = FileContent.nothing()
    with zipfile.ZipFile(file) as archive:
        said = json.loads(archive.read("manifest.json"))
        pixel, depth = float(said["pixel_mm"]), int(said["depth"])
        for layer in said["layers"]:
            with Image.open(io.BytesIO(archive.read(str(layer["file"])))) as image:
                mask = np.asarray(image.convert("L"))
            across, down = np.flatnonzero(mask.any(axis=0)), np.flatnonzero(mask.any(axis=1))
            found.volume_mm3 += float(mask.sum(dtype=np.float64)) / 255 * pixel**2 * float(layer["height_mm"])
            if len(across):
                columns, rows = across[[0, -1]] + [0, 1], depth - down[[-1, 0]] - [1, 0]
                found.reach(pixel * np.column_stack([columns, rows]))
            found.layers += 1
            found.top_mm = max(found.top_mm, float(layer["z_mm"]))
    return found


def _gcode(file: IO[bytes]) -> FileContent:
    """What is pushed through the nozzle while it moves; lengths of filament are relative."""
    found = FileContent.nothing()
    area = math.pi * 1.75**2 / 4
    pushed, places = 0.0, []
    for line in file:
        if line.startswith(b"; filament"):
            area = math.pi * float(line.split()[2]) ** 2 / 4
        elif line.startswith(b"; layer ") and line.split()[2].isdigit():
            found.layers += 1
        elif line.startswith((b"G0", b"G1")):
            values = {key: float(number) for key, number in _WORDS.findall(line.partition(b";")[0])}
            if b"Z" in values:
                found.top_mm = max(found.top_mm, values[b"Z"])
            if b"X" in values and b"Y" in values:
                places.append((values[b"X"], values[b"Y"]))
                pushed += values.get(b"E", 0.0)
    if not found.layers:
        raise ValueError("no layers")
    found.reach(np.array(places, np.float64).reshape(-1, 2))
    found.volume_mm3 = pushed * area
    return found
