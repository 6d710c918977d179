"""`layer_height`, `mode_not_validated`: are the values that the build is made with known to work?"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.changes import ChooseMode, SetLayerHeight
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.shop.material import USUAL_MODE

_FLATTEST = 0.8
"""A bead is laid no higher than this share of its width: else it is not pressed on to the layer below. Assumed."""
_ALIKE_MM = 1e-9


def check_settings(state: BuildState) -> Iterator[Finding]:
    """Once for the build: its layer height, and the mode of the material in which it is built."""
    if state.parts:
        yield from _layer_height(state)
        yield from _mode(state)


def _layer_height(state: BuildState) -> Iterator[Finding]:
    """A caution where the material has no values for the height, a stop where beads would not be pressed on."""
    job, part = state.job, state.parts[0].part
    offered = sorted(layer.height for layer in job.material.layers)
    width = job.constants.get("path_width") if job.machine.process == "extrusion" else None
    most = None if width is None else _FLATTEST * width.value
    if most is not None and job.layer_height > most + _ALIKE_MM:
        lower = [height for height in offered if height <= most]
        yield Finding(
            "layer_height", "stop", part.name,
            f"layers of {job.layer_height:g} mm are too high for beads of {width.value if width else 0:g} mm: "
            f"limit {most:.2f} mm",
            cause="a bead that is nearly as high as wide is not pressed on to the layer below", value=job.layer_height,
            limit=most, unit="mm", source=f"assumed: {_FLATTEST:g} of the bead's width", part_id=part.id,
            cures=tuple(_height_cure(height) for height in lower[-1:]),
        )  # fmt: skip
    elif not any(abs(height - job.layer_height) <= _ALIKE_MM for height in offered):
        nearest = min(offered, key=lambda height: abs(height - job.layer_height))
        words = ", ".join(f"{height:g}" for height in offered)
        yield Finding(
            "layer_height", "caution", part.name,
            f"{job.material.name} has no values for layers of {job.layer_height:g} mm: it is proven at {words} mm",
            cause="speeds, exposures and strength are those of another layer height", value=job.layer_height,
            limit=nearest, unit="mm", part_id=part.id, cures=(_height_cure(nearest),),
        )  # fmt: skip


def _height_cure(height: float) -> Cure:
    return Cure(f"Set layer height to {height:g} mm", SetLayerHeight(height))


def _mode(state: BuildState) -> Iterator[Finding]:
    job, part = state.job, state.parts[0].part
    if job.material.is_proven(job.mode, job.machine.id):
        return
    is_other = job.mode != USUAL_MODE and job.material.is_proven(USUAL_MODE, job.machine.id)
    yield Finding(
        "mode_not_validated", "caution", part.name,
        f"the {job.mode} mode is not proven for {job.material.name} on {job.machine.name}",
        cause="nobody has built and measured a part with these values on this machine", part_id=part.id,
        cures=(Cure(f"Build in the {USUAL_MODE} mode", ChooseMode(USUAL_MODE)),) if is_other else (),
    )  # fmt: skip
