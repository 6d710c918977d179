"""`in_the_air`: what is connected to the plate and what is not, each case a part just inside and one just outside."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import numpy as np
import pytest
from checked_parts import codes, job_of, stack_of, supported, the_finding

from lean_trellis.core.checks import is_releasable
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


def arch() -> Mesh:
    """Two legs of 4 x 20 x 12 carry a top of 30 x 20 x 3: it stands on the plate and is open below."""
    top, left, right = box((30, 20, 3), corner=(0, 0, 12)), box((4, 20, 12)), box((4, 20, 12), corner=(26, 0, 0))
    return from_manifold(to_manifold(top) + to_manifold(left) + to_manifold(right))


def placed_job(shop, *placed: tuple[Mesh, float, float, float]) -> Job:
    """Parts at x, y and a build offset."""
    bodies = [Body(f"part {n}", mesh, len(mesh.faces)) for n, (mesh, *_) in enumerate(placed, start=1)]
    job = edits.add_bodies(new_job(*shop), bodies).job
    parts = [
        replace(part, pose=Pose(x=x, y=y, build_offset=z)) for part, (_, x, y, z) in zip(job.parts, placed, strict=True)
    ]
    return replace(job, parts=tuple(parts))


def with_support(job: Job, part_id: str, set_name: str, **values) -> Job:
    job = edits.add_support(job, part_id, shipped_sets()[set_name]).job
    return edits.change_values(job, job.supports[-1].id, values, "values").job


def in_the_air(job: Job) -> list:
    return [found for found in Pipeline().findings(job) if found.code == "in_the_air"]


def block_under_arch(shop, lift: float, height: float) -> Job:
    """A block under the arch: its middle stands at the part's, its foot `lift` above the plate."""
    job = placed_job(shop, (arch(), 130, 110, 0))
    size = {"size_x": 10.0, "size_y": 10.0, "size_z": height, "place_x": 0.0, "place_y": 0.0, "place_z": lift}
    return with_support(job, "part-1", "block-plain", **size)


def test_a_block_whose_foot_is_above_the_plate_stops(metal):
    (found,) = in_the_air(block_under_arch(metal, 2.0, 10.0))
    assert (found.severity, found.value, found.limit) == ("stop", pytest.approx(2.0), 0.04)
    assert found.support_id == "support-1"
    assert found.at_mm is not None
    assert found.at_mm[2] == pytest.approx(2.0)


def test_a_block_that_reaches_the_plate_stands(metal):
    assert in_the_air(block_under_arch(metal, 0.0, 12.0)) == []


def test_a_support_may_stand_on_another(metal):
    job = block_under_arch(metal, 2.0, 10.0)
    values = {"size_x": 10.0, "size_y": 10.0, "place_x": 0.0, "place_y": 0.0, "place_z": 0.0}
    assert in_the_air(with_support(job, "part-1", "block-plain", size_z=2.0, **values)) == []
    assert len(in_the_air(with_support(job, "part-1", "block-plain", size_z=1.8, **values))) == 1


def test_bars_that_stand_on_the_part_alone_hold_nothing(metal, shelf):
    """The bars between floor and ceiling stand on the part; with the part off the plate nothing reaches it."""
    chosen = {"landing": "anywhere"}
    assert in_the_air(with_support(placed_job(metal, (shelf, 130, 110, 0)), "part-1", "bars-metal", **chosen)) == []
    job = placed_job(metal, (shelf, 130, 110, 6))
    regions = Pipeline().overhangs(job.parts[0], job).to_support
    ceiling = max(regions, key=lambda region: region.highest_mm)

    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"], (pick_region(ceiling, job.parts[0]),)).job
    job = edits.change_values(job, "support-1", chosen, "values").job
    bars = Pipeline().bars(job.supports[0], job)
    assert len(bars)
    if bars.on_part == len(bars):
        (found,) = in_the_air(job)
        assert "do not reach the plate" in found.message
    else:
        pytest.fail("some bars reach the plate: the case is not what it is meant to be")


def test_a_part_rests_on_the_middle_of_another(metal):
    """Neither a corner nor the middle of a face lies above the post: the place is found between them."""
    post, plate = box((3, 3, 8)), box((40, 30, 2))
    assert in_the_air(placed_job(metal, (post, 134, 113, 0), (plate, 130, 110, 8.0))) == []
    (found,) = in_the_air(placed_job(metal, (post, 134, 113, 0), (plate, 130, 110, 8.2)))
    assert found.part == "part 2"


def test_what_rests_on_something_in_the_air_is_in_the_air_too(metal):
    cube = box((10, 10, 4))
    job = placed_job(metal, (cube, 130, 110, 2.0), (cube, 130, 110, 6.0))
    assert [found.part for found in in_the_air(job)] == ["part 1", "part 2"]
    assert in_the_air(placed_job(metal, (cube, 130, 110, 0.0), (cube, 130, 110, 4.0))) == []


def test_a_spacer_carries_what_stands_on_it(metal):
    cube, spacer = box((10, 10, 4)), box((8, 8, 2))
    job = placed_job(metal, (cube, 130, 110, 0.0), (cube, 130, 110, 6.0))
    assert len(in_the_air(job)) == 1
    stack = Stack("stack-1", ("part-1", "part-2"), 2.0, "mm", Spacer("spacer", spacer))
    assert in_the_air(replace(job, stacks=(stack,))) == []


def test_a_part_in_the_air_with_nothing_under_it_stops(metal):
    job = job_of(metal, box((20, 20, 5)))
    assert codes(job) == ["in_the_air", "island_not_held", "region_not_held"]
    found = the_finding(job, "in_the_air")
    assert (found.severity, found.value, found.limit) == ("stop", pytest.approx(4), 0.04)
    assert not is_releasable((found,), job, date(2026, 1, 1))


def test_a_part_that_rests_on_another_is_not_in_the_air(metal):
    job = job_of(metal, box((20, 20, 5)), box((20, 20, 5)), offset=0)
    low = job.part("part-1").pose
    raised = replace(job.part("part-2"), pose=replace(low, build_offset=5.0))
    assert "in_the_air" not in codes(job.with_part(raised))


def test_a_part_on_a_separator_is_held_and_on_none_is_not(library):
    held = codes(stack_of(library, Separator(library.material("pla"), 0.3, 2), 2))
    assert not {"in_the_air", "region_not_held", "island_not_held"} & set(held)
    assert "in_the_air" in codes(stack_of(library, None, 2))
    far_in = codes(stack_of(library, Separator(library.material("pla"), 9.0, 2), 2))
    assert "region_not_held" in far_in
    assert "in_the_air" not in far_in  # its middle stands on the separator


def two_pieces(apart: float, *, is_inside: bool = False) -> Mesh:
    """A plate that stands, and a cube beside and above it that is no part of it, or begins inside it."""
    cube = box((6, 6, 6), corner=(8, 8, 3 + apart) if not is_inside else (8, 8, 1))
    plate = box((30, 20, 3))
    shift = len(plate.vertices)
    return Mesh(np.concatenate([plate.vertices, cube.vertices]), np.concatenate([plate.faces, cube.faces + shift]))


@pytest.mark.parametrize(("apart", "is_found"), [(8.0, True), (0.01, False)])
def test_a_piece_that_is_connected_to_nothing_stops(metal, apart, is_found):
    found = [f for f in Pipeline().findings(job_of(metal, two_pieces(apart), offset=0.0)) if f.code == "in_the_air"]
    assert bool(found) == is_found
    if found:
        assert found[0].message.startswith("one piece of its 2 is connected to nothing")
        assert found[0].at_mm[2] == pytest.approx(11.0)
        job = supported(job_of(metal, two_pieces(apart), offset=0.0))
        assert "in_the_air" not in codes(job), "bars that stand on the plate's top hold it"


def test_a_piece_that_begins_inside_another_is_one_with_it(metal):
    assert "in_the_air" not in codes(job_of(metal, two_pieces(0.0, is_inside=True), offset=0.0))


def test_a_void_is_no_piece(metal):
    outer, inner = box((20, 20, 10)), box((6, 6, 4), corner=(7, 7, 3))
    hollow = from_manifold(to_manifold(outer) - to_manifold(inner))
    assert "in_the_air" not in codes(job_of(metal, hollow, offset=0.0))


@pytest.mark.parametrize(
    ("machine", "material", "contact", "is_found"),
    [("metal-260", "steel-316l", "gap", True), ("metal-260", "steel-316l", "bite", False),
     ("vat-200", "resin-model", "gap", True), ("filament-320", "petg", "gap", False)],
)  # fmt: skip
def test_a_gap_carries_only_where_the_process_bridges_it(library, machine, material, contact, is_found):
    job = job_of((library.machine(machine), library.material(material)), box((20, 20, 4)), offset=6.0)
    job = supported(job, "bars-extrusion" if machine == "filament-320" else "bars-metal", contact=contact)
    assert ("in_the_air" in codes(job)) == is_found


def slab_and_table(apart: float = 8.0) -> Mesh:
    """A slab, and beside it a shelf: floor, back and ceiling in one, as another shell."""
    slab = box((20, 20, 3))
    shelf = from_manifold(
        to_manifold(box((20, 20, 3), corner=(20 + apart, 0, 0)))
        + to_manifold(box((3, 20, 18), corner=(20 + apart, 0, 0)))
        + to_manifold(box((20, 20, 3), corner=(20 + apart, 0, 15)))
    )
    return Mesh(
        np.concatenate([slab.vertices, shelf.vertices]), np.concatenate([slab.faces, shelf.faces + len(slab.vertices)])
    )


@pytest.mark.parametrize(("floor_too", "count"), [(False, 1), (True, 0)])
def test_a_piece_held_only_by_bars_that_stand_on_it_is_found_though_others_of_the_support_stand(
    metal, floor_too, count
):
    job = placed_job(metal, (slab_and_table(), 130, 110, 6))
    part = job.parts[0]
    regions = sorted(
        Pipeline().overhangs(part, job).to_support, key=lambda region: (region.lowest_mm, region.centroid_mm[0])
    )
    slab, floor, ceiling = (region for region in regions if region.kind == "face")
    chosen = tuple(pick_region(region, part) for region in ((slab, floor, ceiling) if floor_too else (slab, ceiling)))
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"], chosen).job
    job = edits.change_values(job, "support-1", {"landing": "anywhere", "lean_limit": 0.0}, "values").job
    bars = Pipeline().bars(job.supports[0], job)
    assert 0 < bars.on_part < len(bars)
    found = in_the_air(job)
    assert len(found) == count
    for finding in found:
        assert "one piece of its 2" in finding.message
        assert finding.at_mm[2] == pytest.approx(6.0)
