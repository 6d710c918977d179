"""The smallest part just inside a limit and one just outside, where the limit is one of shape or place."""

from __future__ import annotations

from collections.abc import Callable

import manifold3d
import numpy as np
import pytest
import shapely
from checked_parts import job_of, stack_of, supported
from manifold3d import Manifold

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import Job, edits
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.shop import Library, shipped_library
from lean_trellis.core.supports.common.outlines import plate

SHOP: Library = shipped_library()
METAL = SHOP.machine("metal-260"), SHOP.material("steel-316l")
EXTRUSION = SHOP.machine("filament-320"), SHOP.material("pla")
VAT = SHOP.machine("vat-150"), SHOP.material("resin-model")


def sideways(profile: list[tuple[float, float]], depth: float) -> Mesh:
    """A prism by its profile in x and z, along y."""
    flat = plate(shapely.Polygon(profile), 0.0, depth)
    x, z, y = flat.vertices.T
    return Mesh(np.column_stack([x, -y, z]), flat.faces)


def at_the_edge(beyond: float) -> Job:
    job = job_of(EXTRUSION, box((20, 20, 5)), offset=0)
    return edits.move_part(job, "part-1", EXTRUSION[0].plate.width - 10 + beyond, 100).job


def as_high_as_built(more: float) -> Job:
    return job_of(EXTRUSION, box((60, 60, EXTRUSION[0].height + more)), offset=0)


def in_one_another(deep: float) -> Job:
    job = job_of(EXTRUSION, box((10, 10, 10)), box((10, 10, 10)), offset=0)
    job = edits.move_part(job, "part-1", 100, 100).job
    return edits.move_part(job, "part-2", 110 - deep, 100).job


def overhanging(angle: float) -> Job:
    """A wall whose side leans out, its underside at an angle to the plate."""
    out = 8 / np.tan(np.radians(angle))
    return job_of(METAL, sideways([(0, 0), (10, 0), (10 + out, 8), (0, 8)], 10), offset=0)


def with_an_arm(low: float) -> Job:
    """A block with an arm, from which something hangs down to so much above the plate."""
    solid = to_manifold(box((10, 10, 12))) + to_manifold(box((8, 4, 4), corner=(10, 3, 6)))
    return job_of(METAL, from_manifold(solid + to_manifold(box((4, 4, 7 - low), corner=(14, 3, low)))), offset=0)


def on_a_raft(values: dict[str, float], mesh: Mesh | None = None) -> Job:
    return supported(job_of(EXTRUSION, mesh or box((20, 20, 5)), offset=2.0), "raft-follow", **values)


FRAME = from_manifold(to_manifold(box((20, 20, 5))) - to_manifold(box((6, 6, 5), corner=(7, 7, 0))))


def tagged(thickness: float) -> Job:
    """A tag that goes a little under a part, which stands 3 mm above the plate."""
    return supported(supported(job_of(METAL, box((12, 12, 5)), offset=3.0)), "tag-number", thickness=thickness)


def stacked(gap: float) -> Job:
    return stack_of(SHOP, None, gap, "mm")


def beside_a_zone(gap: float) -> Job:
    """A part so far from the clamp in the corner of the plate, which is 10 x 10."""
    return edits.move_part(job_of(METAL, box((20, 20, 5)), offset=3.0), "part-1", 20 + gap, 10).job


def bars_apart(apart: float) -> Job:
    """Two bars by hand, their middle lines so far apart: 0.8 mm thick each, with a clearance of 0.5 mm."""
    job = job_of(METAL, box((30, 30, 5)), offset=6.0)
    job = supported(job, spacing=12.0, rim_row=False, bar_clearance=0.5)
    x, y, _ = job.parts[0].bounds()[0] + 8.0
    return edits.add_bars(job, "support-1", np.array([[x, y, 6.0], [x + apart, y, 6.0]])).job


PAIRS: list[tuple[str, Callable[[float], Job], float, float]] = [
    ("outside_volume", at_the_edge, -0.001, 0.001),
    ("outside_volume", as_high_as_built, -0.001, 0.001),
    ("keep_out", beside_a_zone, 0.0, -0.001),
    ("bars_too_near", bars_apart, 1.31, 1.29),
    ("parts_overlap", in_one_another, 0.0, 0.001),
    ("region_not_held", overhanging, 45.01, 44.9),
    ("island_not_held", with_an_arm, 0.01, 0.03),
    ("raft_too_thick", lambda value: on_a_raft({"thickness": value}), 2.0, 2.01),
    ("raft_hole_closed", lambda value: on_a_raft({"margin": value}, FRAME), 2.49, 2.51),
    ("support_through_part", tagged, 2.99, 3.02),
    ("bar_slender", lambda value: supported(job_of(METAL, box((8, 8, 4)), offset=value)), 20.4, 20.8),
    ("tips_over", lambda value: job_of(EXTRUSION, box((6, 6, value)), offset=0), 203, 205),
    ("too_flexible", lambda value: job_of(EXTRUSION, cylinder(2, value), offset=0), 28.2, 28.6),
    ("stack_gap", stacked, 0.6, 0.61),
    ("out_of_reach", lambda value: supported(job_of(METAL, box((8, 8, 4)), offset=value)), 1.5, 1.49),
]


@pytest.mark.parametrize(
    ("code", "build", "inside", "outside"), PAIRS, ids=[f"{code}-{n}" for n, (code, *_) in enumerate(PAIRS)]
)
def test_just_inside_nothing_is_found_and_just_outside_it_is(code, build, inside, outside):
    found = {value: [one for one in Pipeline().findings(build(value)) if one.code == code]
             for value in (inside, outside)}  # fmt: skip
    assert found[inside] == []
    assert found[outside]
    assert all(one.message and one.cause for one in found[outside])


def turned(points: list[tuple[float, float]]) -> Mesh:
    """What a profile in radius and height makes when it is turned about z."""
    return from_manifold(Manifold.revolve(manifold3d.CrossSection([points]), 96))


TUBE = turned([(7, 0), (10, 0), (10, 25), (7, 25)])
GABLE = from_manifold(
    to_manifold(box((30, 12, 25)))
    - to_manifold(sideways([(7, -1), (23, -1), (23, 8), (15, 17), (7, 8)], 14)).translate([0, 13, 0])
)
RIGHT: dict[str, Callable[[], Job]] = {
    "cube": lambda: job_of(EXTRUSION, box((20, 20, 20)), offset=0),
    "cone": lambda: job_of(EXTRUSION, turned([(0, 0), (12, 0), (2, 25), (0, 25)]), offset=0),
    "funnel that leans out by less than its angle": lambda: job_of(
        EXTRUSION, turned([(4, 0), (6, 0), (14, 15), (12, 15)]), offset=0
    ),
    "doorway under a gable": lambda: job_of(EXTRUSION, GABLE, offset=0),
    "tube in a vat": lambda: job_of(VAT, TUBE, offset=0),
    "ball in a vat, on bars": lambda: supported(
        job_of(VAT, ball(6, subdivisions=3), offset=5.0), "bars-resin-regular"
    ),
    "block in metal, on bars": lambda: supported(job_of(METAL, box((12, 14, 13)), offset=3.0)),
    "tube in metal, on bars": lambda: supported(job_of(METAL, TUBE, offset=3.0)),
}  # fmt: skip


@pytest.mark.parametrize("name", list(RIGHT))
def test_what_is_right_by_construction_has_no_finding(name):
    assert Pipeline().findings(RIGHT[name]()) == ()
