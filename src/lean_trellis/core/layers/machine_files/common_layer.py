"""The common layer interface (CLI, version 2): outlines and hatch of powder beds, binary or as text.

Each body is a model with a number of its own; `$$LABEL` names it. Heights are those of the layers' upper sides.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import IO

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.progress import UNWATCHED, Watch

_LAYER, _POLYLINE, _HATCHES = 127, 130, 132
_INNER, _OUTER, _OPEN = 0, 1, 2


def write_binary(file: IO[bytes], build: LayeredBuild, watch: Watch = UNWATCHED) -> None:
    """Commands in the long form: 32 bit numbers, millimetres."""
    file.write(_header(build, "BINARY"))
    for number in _layers(build, watch):
        file.write(struct.pack("<Hf", _LAYER, build.top(number)))
        for body in build.turns(number):
            for direction, way in _ways(paths := build.paths(body, number)):
                file.write(struct.pack("<Hiii", _POLYLINE, body + 1, direction, len(way)) + _raw(way))
            hatches = _hatches(paths)
            if len(hatches):
                file.write(struct.pack("<Hii", _HATCHES, body + 1, len(hatches)) + _raw(hatches))


def write_text(file: IO[bytes], build: LayeredBuild, watch: Watch = UNWATCHED) -> None:
    """The same as text."""
    file.write(_header(build, "ASCII") + b"$$GEOMETRYSTART\n")
    for number in _layers(build, watch):
        file.write(f"$$LAYER/{build.top(number):.5f}\n".encode())
        for body in build.turns(number):
            for direction, way in _ways(paths := build.paths(body, number)):
                file.write(f"$$POLYLINE/{body + 1},{direction},{len(way)},{_text(way)}\n".encode())
            hatches = _hatches(paths)
            if len(hatches):
                file.write(f"$$HATCHES/{body + 1},{len(hatches)},{_text(hatches)}\n".encode())
    file.write(b"$$GEOMETRYEND\n")


def _layers(build: LayeredBuild, watch: Watch) -> Iterator[int]:
    numbers = build.assembly.numbers
    for place, number in enumerate(numbers.tolist()):
        if place % 16 == 0:
            watch.at(place / len(numbers), f"writing layer {place + 1} of {len(numbers)}")
        yield number


def _header(build: LayeredBuild, form: str) -> bytes:
    labels = "".join(f"$$LABEL/{number},{_plain(body.name)}\n" for number, body in enumerate(build.bodies, start=1))
    return (
        f"$$HEADERSTART\n$${form}\n$$UNITS/1.0\n$$VERSION/200\n{labels}"
        f"$$LAYERS/{len(build.assembly.numbers)}\n$$HEADEREND{'' if form == 'BINARY' else chr(10)}"
    ).encode("ascii", "replace")


def _plain(name: str) -> str:
    return "".join(letter if letter.isprintable() and letter not in "$/," else "_" for letter in name)


def _ways(paths: Paths) -> Iterator[tuple[int, Floats]]:
    """Outlines and open lines with their directions: inner ones clockwise, outer ones anticlockwise."""
    areas = paths.ways.areas_mm2
    for number in np.flatnonzero(paths.kinds != Kind.FILL).tolist():
        is_open = paths.kinds[number] == Kind.LINE
        yield _OPEN if is_open else _OUTER if areas[number] > 0 else _INNER, paths.ways.way(number)


def _hatches(paths: Paths) -> Floats:
    """(n, 4): x and y of both ends of the hatch lines."""
    fill = paths.only(np.flatnonzero(paths.kinds == Kind.FILL))
    return np.column_stack([fill.firsts, fill.lasts])


def _raw(numbers: Floats) -> bytes:
    return numbers.astype("<f4").tobytes()


def _text(numbers: Floats) -> str:
    return ",".join(f"{value:.4f}" for value in numbers.ravel().tolist())
