"""Trees, shared feet and braces: measured by trimesh and by closed forms, not by the code that made them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from bar_requests import MIDDLE, bars_for, distances_from, hill, random_part, request_for, shelf_over, wedge
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.distance import pdist

from lean_trellis.core.demo import metal_build, vat_build
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh import Mesh, build_topology, examine
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.ends.feet import foot_groups
from lean_trellis.core.supports.bars.facts.figures import free_lengths
from lean_trellis.core.supports.bars.struts import LOWER_END, ON_PART, ON_PLATE, ON_TRUNK, TIP_END, Bars
from lean_trellis.core.supports.common.obstacle import Ground
from lean_trellis.core.supports.common.solids import polygon_share

PLATE = box((24, 18, 3))
TALL = {"lift": 40.0, "spacing": 3.5}


def leans(low, top):
    step = top - low
    return np.degrees(np.arctan2(np.hypot(step[:, 0], step[:, 1]), step[:, 2]))


def test_joined_bars_take_hold_at_the_same_places_with_far_less_material():
    alone, joined = bars_for(PLATE, **TALL), bars_for(PLATE, join="on", **TALL)
    np.testing.assert_array_equal(np.sort(alone.holds, axis=0), np.sort(joined.holds, axis=0))
    assert joined.volume_mm3 < 0.75 * alone.volume_mm3
    assert (joined.landings == ON_TRUNK).sum() > 0.8 * len(joined)
    assert joined.contact_area_mm2 == pytest.approx(alone.contact_area_mm2)


@pytest.mark.parametrize("most", [2, 3, 6, 20])
def test_a_trunk_carries_no_more_contacts_than_it_may_and_all_are_carried(most):
    bars = bars_for(PLATE, join="on", contacts_per_trunk=most, **TALL)
    trunks = bars.trunks
    assert trunks.contacts.max() <= most
    own = np.bincount(bars.trunk[bars.trunk >= 0], minlength=len(trunks)).astype(int)
    for number, below in enumerate(trunks.below.tolist()):
        assert own[number] == trunks.contacts[number], "what it carries itself and through those above"
        if below >= 0:
            own[below] += own[number]
    standing = trunks.contacts[trunks.below < 0].sum() + (bars.landings != ON_TRUNK).sum()
    assert standing == len(bars)


def test_branches_meet_below_the_first_join_and_lean_no_more_than_the_limit():
    bars = bars_for(PLATE, join="on", first_join_below=7.0, lean_limit=30.0, **TALL)
    joined = bars.trunk >= 0
    nodes = bars.trunks.centres[bars.trunk[joined], -1]
    assert (bars.holds[joined, 2] - nodes[:, 2]).min() >= 7.0 - 1e-6
    np.testing.assert_allclose(bars.centres[joined, 1], nodes, atol=1e-9)
    low, top, _ = bars.shafts()
    assert leans(low, top).max() <= 30 + 1e-6
    starts, stops, _ = bars.members()
    assert leans(starts, stops).max() <= 30 + 1e-6


def test_trunks_grow_with_what_they_carry():
    trunks = bars_for(PLATE, join="on", contacts_per_trunk=12, **TALL).trunks
    above = trunks.below >= 0
    lower = trunks.below[above]
    assert (trunks.contacts[lower] > trunks.contacts[above]).all()
    assert (trunks.radii[lower, 2] >= trunks.radii[above, 2] * 0.75).all()
    heavy = trunks.radii[trunks.contacts >= 8, 2]
    assert heavy.min() > trunks.radii[trunks.contacts == 2, 2].min()


@given(st.integers(0, 2**31))
@settings(max_examples=12)
def test_no_trunk_or_brace_is_nearer_to_a_part_than_the_clearance(seed):
    mesh = random_part(np.random.default_rng(seed))
    request = request_for(mesh, lift=6.0, spacing=4.0, join="on", brace="zigzag", free_length=8.0)
    bars = generate_bars(request)
    starts, stops, radii = bars.members()
    if len(starts):
        away = distances_from(request.overhangs.mesh, starts, stops)
        assert (away >= radii + 0.4 - 2e-3).all()
    assert examine(build_topology(bars.mesh)).is_sound
    assert bars.mesh.volume == pytest.approx(bars.volume_mm3, rel=1e-9)


def bars_on(mesh: Mesh, **values: object) -> Bars:
    return bars_for(mesh, **{"lift": 0.0, "lean_limit": 30.0, "landing": "plate_first", **values})


FLOOR = box((60, 60, 3), corner=(-15, -15, 0))


@pytest.mark.parametrize(("contact", "ends"), [("bite", 3.0 - 0.15), ("gap", 3.0 + 0.05)])
def test_trees_land_on_a_level_floor_of_the_part(contact, ends):
    mesh = shelf_over(FLOOR)
    alone, joined = (bars_on(mesh, join=join, contact=contact) for join in ("off", "on"))
    assert len(joined) == len(alone) == alone.on_part > 20
    low = joined.trunks.below < 0
    assert (joined.trunk >= 0).sum() > 0.8 * len(joined)
    assert (joined.trunks.landings[low] == ON_PART).all()
    assert (joined.trunks.landings[~low] == ON_TRUNK).all()
    assert joined.volume_mm3 < 0.8 * alone.volume_mm3
    np.testing.assert_allclose(joined.trunks.centres[low, LOWER_END, 2], ends, atol=1e-5)
    areas = polygon_share(joined.sides) * joined.trunks.radii[low, LOWER_END] ** 2
    held = polygon_share(joined.sides) * joined.trunks.contacts[low] * joined.radii[0, TIP_END] ** 2
    np.testing.assert_allclose(areas, held)
    footings = joined.footings()
    np.testing.assert_allclose(footings.places[:, 2], ends, atol=1e-5)
    starts, stops, radii = joined.members()
    placed = request_for(mesh, lift=0.0).overhangs.mesh
    assert (distances_from(placed, starts, stops) >= radii - 2e-3).all(), "no trunk runs into the floor it stands on"
    assert examine(build_topology(joined.mesh)).is_sound
    assert joined.mesh.volume == pytest.approx(joined.volume_mm3, rel=1e-9)


def test_trees_do_not_land_where_bars_may_not_nor_on_what_is_protected_or_too_steep():
    floor = shelf_over(FLOOR)
    assert not (bars_on(floor, join="on", landing="plate_only").trunks.landings == ON_PART).any()
    steep = bars_on(shelf_over(wedge(65.0)), join="on", lean_limit=10.0)
    assert not (steep.trunks.landings == ON_PART).any()
    assert (bars_on(shelf_over(wedge(50.0)), join="on", lean_limit=10.0).trunks.landings == ON_PART).any()
    request = request_for(floor, lift=0.0, lean_limit=30.0, landing="plate_first", join="on")
    assert (generate_bars(request).trunks.landings == ON_PART).any()
    guarded = replace(request.obstacles[0], protected=(floor.normals[:, 2] > 0.99).astype(np.uint8))
    assert not (generate_bars(replace(request, obstacles=(guarded,))).trunks.landings == ON_PART).any()


@pytest.mark.parametrize("contact", ["bite", "gap"])
@pytest.mark.parametrize("floor", [wedge(20.0), wedge(35.0), hill()], ids=["20°", "35°", "hill"])
def test_trees_land_on_slopes_as_deep_or_as_far_off_as_asked_all_over_their_lower_ends(floor, contact):
    mesh = shelf_over(floor)
    alone, joined = (bars_on(mesh, join=join, contact=contact, spacing=3.4) for join in ("off", "on"))
    trunks, lands = joined.trunks, joined.trunks.landings == ON_PART
    assert len(joined) == len(alone) > 50
    assert lands.sum() >= alone.on_part // 5
    assert joined.volume_mm3 < 0.75 * alone.volume_mm3
    corners = trunks.mesh(joined.sides).vertices.reshape(len(trunks), -1, 3)[lands].reshape(-1, 3)
    placed = request_for(mesh, lift=0.0).overhangs.mesh
    away = distances_from(placed, corners, corners, steps=1)
    inside = trimesh.Trimesh(placed.vertices, placed.faces, process=False).contains(corners)
    if contact == "bite":
        assert away[inside].max() == pytest.approx(0.15, abs=0.012)
    else:
        assert not inside.any()
        assert away.min() == pytest.approx(0.05, abs=0.012)
    starts, stops, radii = joined.members()
    assert (distances_from(placed, starts, stops) >= radii + 0.4 - 2e-3).all(), "shafts keep clear of the slope"
    assert examine(build_topology(joined.mesh)).is_sound
    assert joined.mesh.volume == pytest.approx(joined.volume_mm3, rel=1e-9)


def test_a_bar_that_lands_joins_a_tree_that_reaches_the_plate():
    """Half the ceiling is above a floor that lies to one side: its bars lean over to trunks beside it."""
    bars = bars_on(shelf_over(box((8, 60, 3), corner=(0, -15, 0)), 30.0), join="on")
    low = bars.trunks.below < 0
    assert (bars.trunks.landings[low] == ON_PLATE).any()
    assert set(np.unique(bars.trunks.landings)) <= {ON_PLATE, ON_PART, ON_TRUNK}
    on_plate = bars.trunks.centres[bars.trunks.landings == ON_PLATE, LOWER_END, 2]
    np.testing.assert_array_equal(on_plate, 0.0)


@pytest.mark.parametrize(
    ("build", "set_name", "parts"),
    [(metal_build, "bars-metal", slice(0, 1)), (vat_build, "bars-resin-regular", slice(None))],
    ids=["metal", "vat"],
)
def test_trees_save_a_quarter_on_the_demos_and_are_used_no_more(library, build, set_name, parts):
    job, pipeline = replace(build(library), supports=()), Pipeline()
    volumes, used = {}, {}
    for way in ("off", "on"):
        volumes[way], used[way] = 0.0, 0.0
        for part in job.parts[parts]:
            held = edits.add_support(job, part.id, shipped_sets()[set_name]).job
            held = edits.change_support(held, "support-1", "join", way).job
            volumes[way] += pipeline.bars(held.supports[0], held).volume_mm3
            figures = pipeline.figures(part.id, held)["support-1"]
            used[way] = max(used[way], float(figures.used.max(initial=0)))
    assert volumes["on"] < 0.75 * volumes["off"]
    assert used["on"] <= used["off"] * (1 + 1e-9)


# --- feet ---


@given(st.integers(0, 2**31), st.floats(0.5, 12))
def test_no_two_feet_of_a_group_are_farther_apart_than_the_span(seed, span):
    places = np.random.default_rng(seed).uniform(0, 30, (80, 2))
    groups = foot_groups(places, span)
    for group in np.unique(groups):
        mine = places[groups == group]
        assert len(mine) == 1 or pdist(mine).max() <= span + 1e-9
    assert len(np.unique(groups)) < len(places) or span < 2


def test_shared_feet_cover_their_bars_with_a_gap_for_a_lever_under_the_edge():
    bars = bars_for(PLATE, lift=12.0, spacing=3.0, group_span=8.0, foot_height=1.5, lever_gap=0.5)
    assert 0 < len(bars.feet) < len(bars) / 2
    rings = bars.feet.rings
    reach = [np.ptp(rings[:, ring, :, 0], axis=1) for ring in range(4)]
    assert (reach[1] > reach[0] + 0.9).all(), "under the edge there is room, at the critical angle"
    np.testing.assert_allclose(rings[:, 1, :, 2], 0.5)
    np.testing.assert_allclose(rings[:, 3, :, 2], 1.5)
    lower = bars.centres[:, 0]
    assert (lower[:, 2] > 0).sum() > len(bars) / 2, "they begin within the foot"
    assert examine(build_topology(bars.mesh)).is_sound
    assert bars.mesh.volume == pytest.approx(bars.volume_mm3, rel=1e-9)


def test_feet_are_not_shared_across_a_zone_or_a_part(library):
    machine = library.machine("metal-260")
    zone = {"name": "screw", "x": MIDDLE - 1, "y": MIDDLE - 30, "width": 2, "depth": 60}
    clamped = type(machine).model_validate(machine.model_dump() | {"keep_out": [zone]})
    bars = bars_for(PLATE, lift=12.0, spacing=3.0, group_span=20.0, ground=Ground(clamped))
    x = bars.feet.rings[..., 0]
    assert len(bars.feet)
    assert ((x < MIDDLE - 1).all(axis=(1, 2)) | (x > MIDDLE + 1).all(axis=(1, 2))).all()


@pytest.mark.parametrize(("slope", "wider"), [(25.0, False), (0.0, True), (-20.0, True)])
def test_the_side_of_a_foot_leans_as_asked(slope, wider):
    bars = bars_for(PLATE, lift=12.0, foot_slope=slope, foot_diameter=4.0, foot_height=1.0, shaft_diameter=1.0)
    own = bars.landings == ON_PLATE
    rise = bars.centres[own, 1, 2] - bars.centres[own, 0, 2]
    inward = bars.radii[own, 0] - bars.radii[own, 1]
    np.testing.assert_allclose(np.degrees(np.arctan2(inward, rise)), slope, atol=1e-6)
    assert (bars.radii[own, 1] > bars.radii[own, 2] + 0.1).all() == wider or slope > 0
    assert bars.mesh.volume == pytest.approx(bars.volume_mm3, rel=1e-9)
    assert examine(build_topology(bars.mesh)).is_sound


@pytest.mark.parametrize(
    ("values", "key"),
    [
        ({"foot_slope": -50.0}, "foot_slope"),
        ({"tip_diameter": 3.0, "tip_length": 0.4, "bite_depth": 0.1}, "tip_length"),
        ({"shaft_diameter": 2.4, "tip_diameter": 0.2, "tip_length": 0.5, "landing": "anywhere"}, "tip_length"),
    ],
)
def test_what_would_not_hold_itself_is_refused_with_the_value_that_makes_it_so(values, key):
    with pytest.raises(ParameterError, match="below the critical angle") as caught:
        bars_for(PLATE, **values)
    assert caught.value.subject == key


def test_values_that_contradict_each_other_are_refused_in_words():
    with pytest.raises(ValueError, match="as high as the foot"):
        bars_for(PLATE, group_span=5.0, lever_gap=1.5, foot_height=1.0)


def test_a_foot_without_height_is_no_foot():
    bars = bars_for(PLATE, lift=12.0, foot_height=0.0)
    np.testing.assert_allclose(bars.radii[:, 0], bars.radii[:, 2])
    assert examine(build_topology(bars.mesh)).is_sound
    assert bars.mesh.volume == pytest.approx(bars.volume_mm3, rel=1e-9)


# --- braces ---


@pytest.mark.parametrize("kind", ["zigzag", "x", "k"])
def test_nothing_stands_longer_than_the_free_length_and_braces_hold_themselves(kind):
    bars = bars_for(PLATE, lift=60.0, spacing=4.0, brace=kind, free_length=18.0, lean_limit=40.0)
    assert len(bars.braces)
    free, _ = free_lengths(bars)
    assert free.max() <= 18.0 + 1.0 + 1e-6, "the foot below the first brace counts as well"
    assert leans(bars.braces.starts, bars.braces.stops).max() <= 40 + 1e-6
    assert free_lengths(bars_for(PLATE, lift=60.0, spacing=4.0))[0].max() > 55


def test_braces_end_on_the_middle_lines_of_what_they_join():
    bars = bars_for(PLATE, lift=60.0, spacing=4.0, brace="x", free_length=18.0, lean_limit=40.0)
    for side, ends in ((0, bars.braces.starts), (1, bars.braces.stops)):
        column = bars.braces.columns[:, side]
        np.testing.assert_allclose(ends[:, :2], bars.centres[column, 3, :2], atol=1e-9)


def test_short_bars_and_far_neighbours_get_no_braces_and_that_is_told(metal):
    assert not len(bars_for(PLATE, lift=8.0, brace="x", free_length=18.0).braces)
    lone = bars_for(box((1, 1, 2)), lift=40.0, spacing=20.0, brace="x", free_length=10.0)
    assert not len(lone.braces)


def test_bars_that_lean_are_braced_where_they_are():
    bars = bars_for(
        box((24, 18, 3)), lift=40.0, turn=rotation_about("y", 12), brace="zigzag", free_length=15.0, spacing=4.0
    )
    assert len(bars.braces)
    assert not (bars.landings == ON_PART).any()
    assert examine(build_topology(bars.mesh)).is_sound


def test_the_same_request_gives_the_same_trees():
    options = {**TALL, "join": "on", "brace": "k", "free_length": 9.0, "group_span": 6.0}
    one, other = bars_for(PLATE, **options), bars_for(PLATE, **options)
    np.testing.assert_array_equal(one.mesh.vertices, other.mesh.vertices)


@pytest.mark.parametrize("most", [4, 8])
def test_with_one_level_all_of_a_group_meet_in_one_place(most):
    bars = bars_for(PLATE, join="on", join_levels=1, contacts_per_trunk=most, bar_clearance=0.4, **TALL)
    assert (bars.trunks.below == -1).all()
    assert len(bars.trunks) <= len(bars) / 2
    counts = np.bincount(bars.trunk[bars.trunk >= 0], minlength=len(bars.trunks))
    np.testing.assert_array_equal(counts, bars.trunks.contacts)
    assert 2 <= counts.min() <= counts.max() <= most
    assert counts.max() > 2


@pytest.mark.parametrize("levels", [1, 2, 3])
def test_levels_of_joins_are_no_more_than_asked_and_save_material(levels):
    bars = bars_for(PLATE, join="on", join_levels=levels, contacts_per_trunk=9, **TALL)
    deep = np.zeros(len(bars.trunks), int)
    for number in np.argsort(-bars.trunks.centres[:, -1, 2]).tolist():
        above = np.flatnonzero(bars.trunks.below == number)
        deep[number] = 1 + (deep[above].max() if len(above) else 0)
    assert deep.max() <= levels
    alone = bars_for(PLATE, **TALL)
    assert bars.trunks.saved_mm3 > 0.2 * alone.volume_mm3
    feet = np.pi * (TALL["spacing"] ** 2)
    assert alone.volume_mm3 - bars.volume_mm3 == pytest.approx(bars.trunks.saved_mm3, abs=len(bars) * feet)


@pytest.mark.parametrize("within", [3.0, 6.0])
@pytest.mark.parametrize("levels", [None, 1, 2])
def test_no_support_point_lies_farther_from_its_trunk_than_it_may(within, levels):
    bars = bars_for(PLATE, join="on", join_levels=levels, gather_within=within, **TALL)
    joined = np.flatnonzero(bars.trunk >= 0)
    assert len(joined) > len(bars) / 2
    stands = bars.trunk.copy()
    for _ in range(len(bars.trunks)):
        below = np.where(stands >= 0, bars.trunks.below[stands], -1)
        stands = np.where(below >= 0, below, stands)
    away = bars.holds[joined, :2] - bars.trunks.centres[stands[joined], -1, :2]
    assert np.hypot(*away.T).max() <= within + 1e-6
