"""Bars by hand: what is added, moved, led, taken out, locked; what survives changes; what is told when it does not."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.checks.changes import MoveMissed
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, FormatError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import Pose
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.supports.bars.struts import BLOCKED, ON_PART, ON_PLATE, ON_TRUNK
from lean_trellis.core.supports.bars.ways.by_hand import _regions_at
from lean_trellis.core.supports.common.targets import pick_region

ME = "support-1"


@pytest.fixture
def pipeline():
    return Pipeline()


@pytest.fixture
def slab(metal):
    """A slab of 30 x 20 high above the plate, supported all over."""
    return supported(metal, box((30, 20, 4)), 18.0)


def supported(shop, mesh, offset, **values):
    job = edits.add_bodies(new_job(*shop, "By hand"), [Body("slab", mesh, len(mesh.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], offset).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    for key, value in values.items():
        job = edits.change_support(job, ME, key, value).job
    return job


def bars_of(pipeline, job, support=ME):
    return pipeline.bars(job.support(support), job)


def middle_of(job):
    return np.append(np.array(job.machine.plate.middle), 18.0)


def nearest(bars, place):
    away = np.linalg.norm(bars.holds - place, axis=1)
    return int(away.argmin()), float(away.min())


def test_a_bar_added_takes_hold_where_it_was_put_and_others_keep_away(slab, pipeline):
    place = middle_of(slab) + [0.7, 0.4, 0]
    bars = bars_of(pipeline, edits.add_bars(slab, ME, place[None]).job)
    bar, away = nearest(bars, place)
    assert away < 1e-9
    assert bars.by_hand[bar] == 0
    others = np.delete(bars.holds, bar, axis=0)
    assert np.linalg.norm(others - place, axis=1).min() > 0.44 * 2.6


def test_bars_taken_out_stay_out_when_values_change(slab, pipeline):
    before = bars_of(pipeline, slab)
    gone, _ = nearest(before, middle_of(slab))
    place = before.holds[gone]
    job = edits.delete_bars(slab, ME, before, [gone]).job
    assert nearest(bars_of(pipeline, job), place)[1] > 1.2
    for key, value in (("spacing", 2.9), ("pattern", "square"), ("tip_diameter", 0.4)):
        job = edits.change_support(job, ME, key, value).job
        assert nearest(bars_of(pipeline, job), place)[1] > 1.2, key
    again = bars_of(pipeline, edits.drop_hand_work(job, ME).job)
    assert nearest(again, place)[1] < 1.5


def test_every_second_takes_one_of_each_two_neighbours(slab, pipeline):
    bars = bars_of(pipeline, slab)
    gone = edits.every_second(bars, range(len(bars)))
    assert 0.35 * len(bars) < len(gone) <= 0.5 * len(bars)
    left = np.setdiff1d(np.arange(len(bars)), gone)
    for bar in gone:
        assert np.linalg.norm(bars.holds[left] - bars.holds[bar], axis=1).min() < 2 * 2.6
    assert edits.every_second(bars, [3]) == ()


def test_a_hold_point_is_moved_and_its_old_place_is_not_filled_again(slab, pipeline):
    before = bars_of(pipeline, slab)
    bar, _ = nearest(before, middle_of(slab))
    old, new = before.holds[bar], before.holds[bar] + [1.1, 0.6, 0]
    bars = bars_of(pipeline, edits.move_hold(slab, ME, before, bar, tuple(new.tolist())).job)
    assert nearest(bars, new)[1] < 1e-9
    assert nearest(bars, old)[1] > 1.0


def test_a_foot_is_led_aside_as_far_as_the_bar_may_lean(slab, pipeline):
    before = bars_of(pipeline, slab)
    bar, _ = nearest(before, middle_of(slab))
    hold = before.holds[bar]
    led = edits.lead_bar(slab, ME, before, bar, foot=(hold[0] + 5, hold[1])).job
    bars = bars_of(pipeline, led)
    moved = int(np.flatnonzero(bars.by_hand >= 0)[0])
    np.testing.assert_allclose(bars.centres[moved, 0, :2], hold[:2] + [5, 0])
    assert bars.landings[moved] == ON_PLATE
    assert 0 < bars.leans_deg[moved] <= 35 + 1e-6
    assert not bars.unkept.reasons
    far = bars_of(pipeline, edits.lead_bar(slab, ME, before, bar, foot=(hold[0] + 40, hold[1])).job)
    assert "too little height" in far.unkept.reasons[0]
    assert len(far) == len(before), "it keeps the way that was found for it"
    assert len(bars) + len(bars.missed.holds) == len(before), "those in the way of the one led aside have none"


def test_a_bend_is_led_and_the_foot_goes_with_it(slab, pipeline):
    before = bars_of(pipeline, slab)
    bar, _ = nearest(before, middle_of(slab))
    hold = before.holds[bar]
    bend = (float(hold[0]), float(hold[1] + 3), 9.0)
    bars = bars_of(pipeline, edits.lead_bar(slab, ME, before, bar, bend=bend).job)
    moved = int(np.flatnonzero(bars.by_hand >= 0)[0])
    np.testing.assert_allclose(bars.centres[moved, 3], bend)
    np.testing.assert_allclose(bars.centres[moved, 0, :2], bend[:2])
    steep = edits.lead_bar(slab, ME, before, bar, bend=(float(hold[0]), float(hold[1] + 3), 15.0)).job
    assert "lean more than 35°" in bars_of(pipeline, steep).unkept.reasons[0]


def test_a_thicker_bar_is_thicker_alone(slab, pipeline):
    before = bars_of(pipeline, slab)
    bar, _ = nearest(before, middle_of(slab))
    bars = bars_of(pipeline, edits.make_thicker(slab, ME, before, [bar], 1.5).job)
    mine = bars.by_hand >= 0
    assert mine.sum() == 1
    shaft, tip = before.radii[bar, 2], before.radii[bar, -1]
    np.testing.assert_allclose(bars.radii[mine, 2], 1.5 * shaft)
    np.testing.assert_allclose(bars.radii[mine, -1], 1.5 * tip)
    np.testing.assert_allclose(bars.radii[~mine, 2], shaft)


def test_a_locked_bar_stays_as_it_is_whatever_the_values_become(slab, pipeline):
    before = bars_of(pipeline, slab)
    bar, _ = nearest(before, middle_of(slab))
    job = edits.lock_bars(slab, ME, before, [bar]).job
    for key, value in (("shaft_diameter", 1.2), ("spacing", 4.0), ("tip_length", 1.0), ("join", "on")):
        job = edits.change_support(job, ME, key, value).job
    bars = bars_of(pipeline, job)
    mine = int(np.flatnonzero(bars.by_hand == 0)[0])
    np.testing.assert_allclose(bars.holds[mine], before.holds[bar])
    np.testing.assert_allclose(bars.centres[mine, [4, 5, 6]], before.centres[bar, [4, 5, 6]], atol=1e-6)
    assert bars.radii[mine, 2] == pytest.approx(before.radii[bar, 2])
    assert bars.trunk[mine] == -1
    with pytest.raises(EditError, match="locked"):
        edits.move_hold(job, ME, bars, mine, (0.0, 0.0, 0.0))
    with pytest.raises(EditError, match="locked"):
        edits.delete_bars(job, ME, bars, [mine])
    free = edits.lock_bars(job, ME, bars, [mine], locked=False).job
    assert not free.support(ME).hand.bars[0].is_locked


@given(st.floats(-38, 38), st.sampled_from("xy"))
@settings(max_examples=15)
def test_work_by_hand_goes_with_the_part_through_turns(angle, axis):
    pipeline, library = Pipeline(), shipped_library()
    slab = supported((library.machine("metal-260"), library.material("steel-316l")), box((30, 20, 4)), 18.0)
    place = middle_of(slab) + [2.2, 1.3, 0]
    job = edits.add_bars(slab, ME, place[None]).job
    own = np.array(job.support(ME).hand.bars[0].place)
    turned = edits.turn_part(job, "part-1", axis, angle).job
    part = turned.part("part-1")
    bars = bars_of(pipeline, turned)
    where = part.pose.to_plate(part.mesh, own[None])[0]
    assert nearest(bars, where)[1] < 1e-6
    assert not bars.unkept.reasons


def test_what_cannot_be_kept_is_told_and_comes_back(slab, pipeline):
    job = edits.add_bars(slab, ME, middle_of(slab)[None]).job
    steep = edits.turn_part(job, "part-1", "x", 60).job
    bars = bars_of(pipeline, steep)
    assert bars.unkept.reasons == ("the surface there is no longer below the critical angle",)
    assert "hand_work_lost" in {finding.code for finding in pipeline.findings(steep)}
    back = edits.turn_part(steep, "part-1", "x", -60).job
    assert not bars_of(pipeline, back).unkept.reasons
    wilful = edits.add_bars(slab, ME, middle_of(slab)[None], on_any_slope=True).job
    kept = edits.turn_part(wilful, "part-1", "x", 60).job
    assert not bars_of(pipeline, kept).unkept.reasons


def test_a_bar_by_hand_alone_needs_no_region(slab, pipeline):
    chosen = shipped_sets()["bars-metal"]
    job = edits.add_support(slab, "part-1", chosen, ()).job
    assert bars_of(pipeline, job, "support-2").is_empty
    job = edits.add_bars(job, "support-2", middle_of(job)[None]).job
    assert len(bars_of(pipeline, job, "support-2")) == 1
    with pytest.raises(EditError, match="no place"):
        edits.add_bars(job, "support-2", np.zeros((0, 3)))


def test_a_tie_is_told_apart_from_bars_and_sinks_into_the_part(metal, table, pipeline):
    job = supported(metal, table, 0.0)
    low, high = job.part("part-1").bounds()
    start, stop = (low[0] + 4, low[1] + 2, 8.0), (high[0] - 4, low[1] + 2, 8.0)
    bars = bars_of(pipeline, edits.add_tie(job, ME, start, stop, 2.0).job)
    assert len(bars.ties) == 1
    assert bars.ties.lengths_mm[0] == pytest.approx(32 + 2 * 0.3)
    assert bars.contact_area_mm2 == bars_of(pipeline, job).contact_area_mm2
    off = edits.add_tie(job, ME, start, (start[0] + 9, start[1], 8.0), 2.0).job
    assert bars_of(pipeline, off).unkept.reasons == ("an end of the tie is not on the part any more",)
    with pytest.raises(EditError, match="one place"):
        edits.add_tie(job, ME, start, start, 2.0)


def test_the_same_again_on_another_region_and_on_copies(metal, table, pipeline):
    job = supported(metal, table, 6.0)
    job = edits.copy_part(job, "part-1").job
    job = edits.remove_supports(job, ["support-2"]).job
    part = job.part("part-1")
    regions = pipeline.overhangs(part, job).regions
    job = edits.again_on(job, ME, (pick_region(regions[0], part),)).job
    assert len(job.supports) == 2
    again = bars_of(pipeline, job, "support-2")
    assert not len(again), "where bars stand already, no others fit"
    assert set(again.missed.regions.tolist()) == {regions[0].id}
    job = edits.add_bars(job, ME, bars_of(pipeline, job).holds[:1] + [0.3, 0, 0]).job
    assert edits.copies_of(job, "part-1") == ("part-2",)
    job = edits.copy_support(job, ME, ["part-2"]).job
    one, other = bars_of(pipeline, job), bars_of(pipeline, job, "support-3")
    assert len(one) == len(other)
    step = np.array([job.part("part-2").pose.x - part.pose.x, job.part("part-2").pose.y - part.pose.y, 0])
    np.testing.assert_allclose(other.holds, one.holds + step, atol=1e-6)
    with pytest.raises(EditError, match="no copy"):
        edits.copy_support(job, ME, ["part-1"])


def test_hold_points_without_a_way_are_moved_to_where_there_is_one(metal, shelf, pipeline):
    job = supported(metal, shelf, 0.0, landing="plate_only", lean_limit=30.0)
    before = bars_of(pipeline, job)
    missed = int((before.missed.reasons == BLOCKED).sum())
    edit = MoveMissed(ME, BLOCKED).edit(job, pipeline)
    after = bars_of(pipeline, edit.job)
    assert len(after.missed.holds) < missed
    assert len(after) > len(before)
    assert not (after.landings == ON_PART).any()
    with pytest.raises(EditError, match="no place near by"):
        MoveMissed(ME, BLOCKED).edit(edits.change_support(job, ME, "lean_limit", 0.0).job, pipeline)


def test_work_by_hand_is_saved_and_read_again(slab, pipeline, tmp_path, library):
    bars = bars_of(pipeline, slab)
    job = edits.add_bars(slab, ME, middle_of(slab)[None] + [0.5, 0, 0]).job
    job = edits.delete_bars(job, ME, bars, [0]).job
    job = edits.lock_bars(job, ME, bars_of(pipeline, job), [2]).job
    job = edits.add_tie(job, ME, (1.0, 2.0, 3.0), (4.0, 5.0, 6.0), 1.5).job
    path = tmp_path / "hand.trellis"
    save_job(job, path)
    again = open_job(path, library)
    assert again.support(ME).hand == job.support(ME).hand
    np.testing.assert_array_equal(bars_of(Pipeline(), again).centres, bars_of(pipeline, job).centres)


def test_a_wrong_value_in_work_by_hand_is_one_line(slab, tmp_path, library):
    import json
    import zipfile

    job = edits.add_bars(slab, ME, middle_of(slab)[None]).job
    path, bad = tmp_path / "good.trellis", tmp_path / "bad.trellis"
    save_job(job, path)
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(bad, "w") as target:
        for name in source.namelist():
            content = source.read(name)
            if name == "job.json":
                told = json.loads(content)
                told["supports"][0]["hand"]["bars"][0]["tip_diameter"] = -1
                content = json.dumps(told).encode()
            target.writestr(name, content)
    with pytest.raises(FormatError, match=r"tip_diameter"):
        open_job(bad, library)


def test_size_and_mirror_take_work_by_hand_along(slab, pipeline):
    place = middle_of(slab) + [4.0, 1.0, 0]
    job = edits.add_bars(slab, ME, place[None]).job
    mirrored = edits.mirror_part(job, "part-1", "x").job
    expected = middle_of(slab) + [-4.0, 1.0, 0]
    assert nearest(bars_of(pipeline, mirrored), expected)[1] < 1e-6
    assert not (bars_of(pipeline, mirrored).landings == ON_TRUNK).any()


def test_the_region_of_a_place_is_that_of_its_face_the_first_face_too():
    whole = box((10, 10, 4))
    order = np.argsort(whole.normals[:, 2], kind="stable")
    mesh = Pose(build_offset=5.0).applied(Mesh(whole.vertices, whole.faces[order]))
    topology = build_topology(mesh)
    found = detect(topology, mesh, critical_angle=45.0)
    assert found.region_of_face[0] == 0
    places = mesh.centroids[[0, 1, 11]]
    regions, on_low = _regions_at(places, np.array([0, 1, 11]), topology, found)
    assert regions.tolist() == [0, 0, -1]
    assert not on_low.any()
    assert _regions_at(places[:1], np.array([-1]), topology, found)[0].tolist() == [-1]
