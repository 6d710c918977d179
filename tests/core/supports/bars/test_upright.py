"""How far struts may lean from the normal of the layers, which a belt tilts."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.bars.struts import BEND, SHAFT_END, SHAFT_START
from lean_trellis.core.supports.bars.upright import LEVEL, LayerLean

TILTED = LayerLean((0.0, -(0.5**0.5), 0.5**0.5), 50.0)


@pytest.mark.parametrize(
    ("lean", "is_allowed"), [(-60, False), (-6, False), (-4, True), (0, True), (60, True), (89, True)]
)
def test_on_a_belt_a_strut_may_lean_far_to_the_one_side_and_hardly_to_the_other(lean, is_allowed):
    way = np.array([0.0, -np.sin(np.radians(lean)), np.cos(np.radians(lean))])
    assert bool(TILTED.allows(way)) is is_allowed
    assert bool(TILTED.allows(-way)) is is_allowed, "up or down"
    assert not TILTED.is_level


def test_level_layers_leave_it_to_the_lean_limit():
    assert LEVEL.is_level
    assert LEVEL.allows(np.array([(0.0, 0.6, 0.8), (0.0, 0.0, -1.0)])).all()


def table_over_floor():
    """A shelf over a floor: bars have to lean to get past it."""
    solid = (
        to_manifold(box((30, 30, 3)))
        + to_manifold(box((3, 30, 22)))
        + to_manifold(box((34, 34, 2), corner=(0, -2, 20)))
    )
    return from_manifold(solid)


def test_every_stretch_of_bars_on_a_belt_supports_itself_in_its_layers(library):
    shop = library.machine("belt-260"), library.material("pla")
    job = job_of(shop, table_over_floor(), offset=0.0)
    job = edits.add_support(job, "part-1", shipped_sets()["bars-extrusion"]).job
    bars = Pipeline().bars(job.supports[0], job)
    assert len(bars) > 5
    most = 90 - job.material.detection.critical_angle
    normal = np.array(job.machine.layer_normal)
    rings = bars.centres[:, [SHAFT_START, BEND, SHAFT_END]]
    ways = np.diff(rings, axis=1).reshape(-1, 3)
    ways = ways[np.linalg.norm(ways, axis=1) > 1e-6]
    leans = np.degrees(np.arccos(ways @ normal / np.linalg.norm(ways, axis=1)))
    assert leans.max() <= most + 1e-6


@pytest.mark.parametrize(("critical", "is_refused"), [(44.0, False), (46.0, True)])
def test_where_an_upright_bar_does_not_hold_itself_on_a_belt_bars_are_refused(library, critical, is_refused):
    shop = library.machine("belt-260"), library.material("pla")
    job = job_of(shop, box((20, 20, 3)), offset=6.0)
    job = job.with_part(replace(job.parts[0], critical_angle=critical, watch_angle=60.0))
    parameters = shipped_sets()["bars-extrusion"].parameters.with_value("lean_limit", 10.0)
    job = edits.add_support(job, "part-1", replace(shipped_sets()["bars-extrusion"], parameters=parameters)).job
    if is_refused:
        with pytest.raises(ParameterError, match="to the tilted layers, below the critical angle of 46"):
            Pipeline().bars(job.supports[0], job)
    else:
        assert Pipeline().bars(job.supports[0], job) is not None
