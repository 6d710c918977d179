"""G-code for extrusion: beads of every layer in the order of building, lengths of filament relative.

Coordinates are those of the layers: on a belt z runs along their normal. A bead takes its width times its height times
its length of filament.
"""

from __future__ import annotations

import math
from typing import IO

import numpy as np

from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.laid import DRAW_BACK_BEYOND_MM, DRAW_BACK_MM, DRAW_BACK_SPEED, motion_of
from lean_trellis.core.layers.paths import KIND_WORDS, Paths
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.material import value_or

FILAMENT_MM = 1.75
_FILAMENT_MM2 = math.pi * FILAMENT_MM**2 / 4


def write_gcode(file: IO[bytes], build: LayeredBuild, watch: Watch = UNWATCHED) -> None:
    """The whole build."""
    writer = _Writer(build)
    file.write(writer.header().encode("ascii", "replace"))
    numbers = build.assembly.numbers.tolist()
    for place, number in enumerate(numbers):
        if place % 8 == 0:
            watch.at(place / len(numbers), f"writing layer {place + 1} of {len(numbers)}")
        file.write(writer.layer(place, number).encode("ascii", "replace"))
    file.write(b"; end\nM104 S0\nM140 S0\nM107\nM84\n")


class _Writer:
    def __init__(self, build: LayeredBuild) -> None:
        self._build = build
        self._motions = {is_support: motion_of(build.machine, build.constants, is_support=is_support)
                         for is_support in (False, True)}  # fmt: skip
        self._at: np.ndarray | None = None
        self._tool = 0
        self._draw_back = value_or(build.constants, "draw_back", DRAW_BACK_MM)

    def header(self) -> str:
        build, drive, constants = self._build, self._build.machine.moves, self._build.constants
        return (
            f"; {build.name}\n; machine {build.machine.id}, material {build.material}\n"
            f"; layers {len(build.assembly.numbers)}\n; corner speed {drive.corner_speed:g} mm/s\n"
            f"; filament {FILAMENT_MM:g} mm\nG21\nG90\nM83\n"
            f"M140 S{constants['plate_temperature'].value:g}\nM104 S{constants['nozzle_temperature'].value:g}\n"
            f"M190 S{constants['plate_temperature'].value:g}\nM109 S{constants['nozzle_temperature'].value:g}\n"
            f"M204 S{drive.acceleration:g}\nG28\nT0\nM106 S{255 * value_or(constants, 'fan_share', 1.0):.0f}\n"
        )

    def layer(self, place: int, number: int) -> str:
        build = self._build
        text = [f"; layer {place + 1}\nG1 Z{build.top(number):.4f} F600\n"]
        tool_now = self._tool
        for body in build.turns(number):
            if body < 0:
                text.append(self._change())
                text += self._followed(build.assembly.purge[build.thickness(number)], build.thickness(number), False)
                tool_now = self._tool
                continue
            one = build.bodies[body]
            if int(one.is_other) != tool_now:  # without a tower nothing marks the change
                text.append(self._change())
                tool_now = self._tool
            text.append(f"; {one.kind} {one.name}\n")
            text += self._followed(build.paths(body, number), build.thickness(number, one), one.is_support)
        waits = build.assembly.seconds_by["waits of short layers"][place]
        if waits > 0:
            text.append(f"G4 P{1000 * waits / build.machine.rates.time_factor:.0f}\n")
        return "".join(text)

    def _change(self) -> str:
        self._tool = 1 - self._tool
        return f"; change of material\nT{self._tool}\n"

    def _followed(self, paths: Paths, thickness: float, is_support: bool) -> list[str]:
        motion, text, kind = self._motions[is_support], [], -1
        travel = 60 * motion.travel_speed
        for number in range(len(paths)):
            way = paths.ways.way(number)
            gap = math.inf if self._at is None else math.dist(way[0], self._at)
            if gap > 1e-6:
                draws = DRAW_BACK_BEYOND_MM < gap < math.inf
                if draws:
                    text.append(f"G1 E-{self._draw_back:g} F{60 * DRAW_BACK_SPEED:g}\n")
                text.append(f"G0 X{way[0, 0]:.4f} Y{way[0, 1]:.4f} F{travel:g}\n")
                if draws:
                    text.append(f"G1 E{self._draw_back:g} F{60 * DRAW_BACK_SPEED:g}\n")
            if paths.kinds[number] != kind:
                kind = int(paths.kinds[number])
                text.append(f"; {KIND_WORDS[kind]}\n")
            speed = 60 * motion.speeds[kind]
            lengths = np.hypot(*np.diff(way, axis=0).T)
            pushed = lengths * paths.widths[number] * thickness / _FILAMENT_MM2
            text += [f"G1 X{x:.4f} Y{y:.4f} E{e:.6f} F{speed:g}\n"
                     for (x, y), e in zip(way[1:].tolist(), pushed.tolist(), strict=True)]  # fmt: skip
            self._at = way[-1]
        return text
