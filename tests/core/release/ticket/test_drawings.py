"""What the drawings of a ticket show."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from checked_parts import job_of

from lean_trellis.core.derive.layers import PART_LAYERS
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.ticket.drawings import DrawnPart, danger_layer, elevation, plan, silhouette


@pytest.fixture
def machine(library):
    return library.machine("metal-260")


def drawn(number, x, y):
    square = shapely.box(x, y, x + 20, y + 10)
    outline = (((x, 0.0), (x + 20.0, 0.0), (x + 20.0, 30.0), (x, 30.0)),)
    return DrawnPart(number, "#A9BFB2", square, (), np.array([[x + 1.0, y + 1.0, 5.0]]), outline, outline)


def test_the_plan_from_below_is_the_one_from_above_mirrored(machine):
    parts = [drawn(1, 30.0, 40.0), drawn(2, 100.0, 80.0)]
    above = plan(machine, parts, 220.0, from_below=False)
    below = plan(machine, parts, 220.0, from_below=True)
    assert (above.high, below.high) == ((260.0, 220.0), (260.0, 220.0))
    xs = sorted(x for x, _ in above.areas[-1].rings[0])
    mirrored = sorted(x for x, _ in below.areas[-1].rings[0])
    assert (xs[0], xs[-1]) == (100.0, 120.0)
    assert (mirrored[0], mirrored[-1]) == (140.0, 160.0)
    assert [dot.at for dot in below.dots] == [(229.0, 41.0), (159.0, 81.0)]
    assert above.dots == ()
    assert [one.text for one in above.words] == ["1", "2", "front"]


def test_clamps_and_a_round_plate_are_there(library, machine):
    assert sum(area.fill == "#D8D2C2" for area in plan(machine, [], 220.0, from_below=False).areas) == 2
    plate = plan(library.machine("metal-120"), [], 120.0, from_below=False).areas[0].rings[0]
    assert len(plate) > 60


def test_an_elevation_names_parts_above_their_tops(machine):
    made = elevation(machine, [drawn(1, 30.0, 40.0)], 220.0, 30.0, from_side=False)
    assert made.words[0].at[1] > 30.0
    assert made.high[1] > made.words[0].at[1]
    assert elevation(machine, [drawn(1, 30.0, 40.0)], 220.0, 30.0, from_side=True).high[0] == 220.0


def test_a_silhouette_is_as_wide_and_high_as_the_part(metal, pipeline):
    job = job_of(metal, box((20, 10, 6)), offset=2.0)
    layers = pipeline.graph.get(PART_LAYERS, job.parts[0], job)
    (outline,) = silhouette(layers, 0)
    xs, zs = np.array(outline).T
    assert np.ptp(xs) == pytest.approx(20.0, abs=0.02)
    assert np.ptp(zs) == pytest.approx(6.0, abs=0.1)
    (outline,) = silhouette(layers, 1)
    assert np.ptp(np.array(outline)[:, 0]) == pytest.approx(10.0, abs=0.02)


def test_a_layer_of_danger_has_its_outlines_and_the_number_of_the_part(machine):
    ring = np.array([[1.0, 1.0], [5.0, 1.0], [5.0, 5.0]])
    made = danger_layer(machine, 220.0, "Layer 7", [((ring,), "#A9BFB2"), ((), "#D9B08C")], (3, (2.0, 2.0)))
    assert len(made.areas) == 2
    assert (made.words[0].text, made.words[0].at, made.title) == ("3", (2.0, 2.0), "Layer 7")
