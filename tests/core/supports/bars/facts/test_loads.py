"""Figures of bars under load, by process."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.capacity import second_moments
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.supports.bars.facts.loads import brace_loads, feet_used
from lean_trellis.core.supports.bars.struts import Bars
from lean_trellis.core.supports.common.solids import polygon_share


@pytest.mark.parametrize(
    ("machine", "material", "set_name", "key"),
    [
        ("metal-260", "steel-316l", "bars-metal", "thermal lift"),
        ("vat-150", "resin-model", "bars-resin-regular", "peel pressure"),
        ("filament-320", "pla", "bars-extrusion", "nozzle push"),
    ],
)
def test_figures_of_each_process_name_their_sources(library, machine, material, set_name, key):
    job = new_job(library.machine(machine), library.material(material))
    mesh = cylinder(12, 6)
    job = edits.add_bodies(job, [Body("disc", mesh, len(mesh.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], 15.0).job
    job = edits.add_support(job, "part-1", shipped_sets()[set_name]).job
    pipeline = Pipeline()
    figures = pipeline.figures("part-1", job)["support-1"]
    assert key in figures.source
    assert "assumed" in figures.source
    assert len(figures.used) == len(pipeline.bars(job.supports[0], job))
    assert (figures.used > 0).any()
    assert pipeline.figures("part-1", job)["support-1"] is figures, "kept"


HARD = Actions("powder_bed", 100.0, 1e5, 10.0)


def loads_of(bars: Bars, **of_all: float) -> GripLoads:
    values = {key: np.full(len(bars), of_all.get(key, 0.0)) for key in ("pulls", "pushes", "sides", "used", "levels")}
    return GripLoads(**values)


def test_each_foot_is_pulled_by_its_bar_and_a_trunk_s_by_all_on_it():
    single = bars_for(box((12, 12, 4)), spacing=4.0)
    radius = single.radii[0, 0]
    used = feet_used(single, loads_of(single, pulls=3.0), HARD)
    assert used == pytest.approx(3.0 / (polygon_share(single.sides) * radius**2 * 10.0))
    tree = bars_for(box((12, 12, 4)), spacing=4.0, join="on", lift=30.0)
    assert len(tree.trunks)
    low = np.flatnonzero(tree.trunks.below < 0)
    expected = tree.trunks.contacts[low] * 3.0 / (polygon_share(tree.sides) * tree.trunks.radii[low, 0] ** 2 * 10.0)
    assert set(np.round(expected, 9)) <= set(np.round(feet_used(tree, loads_of(tree, pulls=3.0), HARD), 9))


def test_a_shared_foot_carries_all_that_stand_on_it():
    shared = bars_for(box((12, 12, 4)), spacing=3.0, group_span=8.0)
    assert len(shared.feet)
    used = feet_used(shared, loads_of(shared, pulls=3.0), HARD)
    ring = shared.feet.rings[0, 0, :, :2]
    x, y = ring.T
    area = abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2
    counts = used * area * 10.0 / 3.0
    assert np.isclose(counts, np.round(counts), atol=1e-6).any()
    assert np.round(counts.max()) >= 2


def test_a_brace_takes_the_push_and_a_fiftieth_of_what_presses_its_column():
    braced = bars_for(box((12, 12, 4)), spacing=6.0, lift=40.0, brace="zigzag", free_length=12.0)
    assert len(braced.braces)
    pushes = np.full(len(braced), 2.0)
    takes, used = brace_loads(braced, loads_of(braced, pushes=50.0), pushes, HARD)
    ways = braced.braces.stops - braced.braces.starts
    cosines = np.hypot(ways[:, 0], ways[:, 1]) / np.linalg.norm(ways, axis=1)
    assert takes == pytest.approx(3.0 / cosines)
    radii, lengths = braced.braces.radii, braced.braces.lengths_mm
    euler = np.pi**2 * 1e5 * second_moments(radii, braced.sides) / lengths**2
    bears = np.minimum(euler, 100.0 * polygon_share(braced.sides) * radii**2)
    assert used == pytest.approx(takes / bears)
    plain = bars_for(box((12, 12, 4)), spacing=6.0)
    assert len(brace_loads(plain, loads_of(plain), np.zeros(len(plain)), HARD)[0]) == 0
