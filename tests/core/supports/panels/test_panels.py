"""Lattices and walls along lines: areas, solids, pieces, openings, what they stand on, work by hand."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import Manifold, OpType
from panel_requests import LAYER, request_for

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold, wavy_plate
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.overhang.detect import detect
from lean_trellis.core.supports.common.floors import floors_of
from lean_trellis.core.supports.common.parameters import validated
from lean_trellis.core.supports.common.support import Extended, Gone, HandWork, Line
from lean_trellis.core.supports.panels.lattice import cuts_of, generate_lattice, lattice_paths, rim_rings
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.core.supports.panels.parameters import LatticeParameters, WallParameters
from lean_trellis.core.supports.panels.wall import generate_wall


def bridge() -> object:
    """A table on two legs, one of them on a low step: some walls end on the plate, some on the part."""
    whole = Manifold.cube((40, 16, 3)).translate((0, 0, 15))
    whole += Manifold.cube((3, 16, 16)) + Manifold.cube((14, 16, 4)).translate((26, 0, 0))
    return from_manifold(whole + Manifold.cube((3, 16, 16)).translate((37, 0, 0)))


def outlines_of(panels: Panels) -> dict[int, list]:
    """The slabs of each wall as polygons in (along, height), for shapely to look at."""
    slabs, places = panels.slabs, panels.columns.places
    along = np.zeros(len(places))
    along[1:] = np.cumsum(np.hypot(*np.diff(places, axis=0).T))
    lengths = panels.lengths_mm
    found: dict[int, list] = {}
    for number, (left, wall) in enumerate(zip(slabs.left.tolist(), slabs.walls.tolist(), strict=True)):
        x0, x1 = along[left], along[left] + lengths[number]
        low, high = slabs.low[number], slabs.high[number]
        ring = [(x0, low[0]), (x1, low[1]), (x1, high[1]), (x0, high[0])]
        found.setdefault(wall, []).append(shapely.Polygon(ring))
    return found


some_lattice = st.builds(
    LatticeParameters,
    thickness=st.sampled_from([0.0, 0.2, 0.5]),
    cell_along=st.sampled_from([0.0, 1.5, 3.0]),
    cell_across=st.sampled_from([1.0, 2.2]),
    turn=st.floats(-90, 90),
    skew=st.sampled_from([0.0, 20.0]),
    rim_walls=st.integers(0, 3),
    tab_free=st.floats(0, 0.8),
    tab_width=st.floats(0.2, 2),
    tab_height=st.floats(0.1, 1.5),
    open_share=st.sampled_from([0.0, 0.2, 0.5]),
    largest_piece=st.sampled_from([None, 9.0, 20.0]),
    ends_on=st.sampled_from(["plate", "below"]),
)


@settings(max_examples=16, deadline=None)
@given(some_lattice, st.sampled_from(["box", "ball", "wavy", "bridge"]))
def test_area_is_the_outline_less_openings_cuts_and_gaps_and_solids_are_closed(parameters, shape):
    mesh = {"box": lambda: box((18, 12, 4)), "ball": lambda: ball(8, subdivisions=3),
            "wavy": lambda: wavy_plate(20, 24), "bridge": bridge}[shape]()  # fmt: skip
    panels = generate_lattice(request_for(mesh, parameters))
    if panels.is_empty:
        return
    pictures = outlines_of(panels)
    # No two slabs lie over each other, so what they cover together is their sum.
    covered = sum(
        shapely.union_all(shapely.set_precision(shapes, 1e-6), grid_size=1e-6).area for shapes in pictures.values()
    )
    assert panels.area_mm2 == pytest.approx(covered, rel=1e-4)
    witness = trimesh.Trimesh(panels.mesh.vertices, panels.mesh.faces, process=False)
    if parameters.thickness == 0:
        assert witness.area == pytest.approx(panels.area_mm2, rel=1e-6)
        return
    assert witness.is_watertight and witness.is_winding_consistent
    if parameters.rim_walls == 0 or shape == "box":  # straight, but for the mitred corners of a box's rim
        assert witness.volume == pytest.approx(panels.area_mm2 * parameters.thickness, rel=1e-4)


@settings(max_examples=25, deadline=None)
@given(some_lattice)
def test_under_a_flat_ceiling_the_area_follows_from_the_paths_the_tabs_and_the_openings(parameters):
    parameters = parameters.with_value("ends_on", "plate").with_value("bite_depth", 0.1)
    request = request_for(box((18, 12, 4)), parameters, offset=8.0)
    panels = generate_lattice(request)
    (floor,) = floors_of(request.overhangs, request.chosen[0])
    middle = request.overhangs.mesh.bounds.mean(axis=0)[:2]
    inside = floor.inside(parameters.inset)
    rings = rim_rings(inside, parameters)
    bands = cuts_of(inside, rings, parameters, middle)
    paths = lattice_paths(inside, rings, parameters, 0, middle, bands)
    length = sum((shapely.LinearRing if path.is_closed else shapely.LineString)(path.places).length for path in paths)
    tabs = float(panels.tabs.widths.sum())
    openings = 0.0
    for shapes in outlines_of(panels).values():
        walls = shapely.union_all(shapes, grid_size=1e-9)
        openings += sum(shapely.Polygon(ring).area for part in shapely.get_parts(walls) for ring in part.interiors)
    assert panels.open_mm2 == pytest.approx(openings, rel=1e-4, abs=1e-3)
    gaps = parameters.tab_height * (length - tabs) if parameters.tab_free > 0 else 0.0
    assert panels.area_mm2 == pytest.approx(8.0 * length + 0.1 * tabs - gaps - openings, rel=1e-4)


@pytest.mark.parametrize("tab_free", [0.0, 0.5])
def test_a_wall_under_a_flat_ceiling_has_the_area_that_a_hand_would_reckon(tab_free):
    parameters = WallParameters(
        inset=1, tab_free=tab_free, tab_width=1, tab_height=0.5, bite_depth=0.2, ends_on="plate"
    )
    request = request_for(box((20, 10, 4)), parameters, offset=6.0)
    panels = generate_wall(request)
    length = 2 * (17.96 + 7.96)  # the rim less the inset, and the 0.02 mm that every wall keeps from the rim
    assert panels.lengths_mm.sum() == pytest.approx(length, abs=0.2)
    length = float(panels.lengths_mm.sum())
    tabs = float(panels.tabs.widths.sum())
    assert tabs == pytest.approx(length * (1 - tab_free), rel=0.03)
    assert panels.area_mm2 == pytest.approx(
        6.0 * length + 0.2 * tabs - 0.5 * (length - tabs) * (tab_free > 0), rel=1e-6
    )
    assert panels.volume_mm3 == pytest.approx(panels.area_mm2 * request.line_mm)


@pytest.mark.parametrize("make", [lambda: ball(9, subdivisions=4), lambda: wavy_plate(30, 40), bridge])
@pytest.mark.parametrize("ends_on", ["below", "plate"])
def test_no_panel_passes_through_a_part_but_for_its_bite(make, ends_on):
    parameters = LatticeParameters(thickness=0.3, cell_along=1.6, cell_across=1.6, turn=17, bite_depth=0.1,
                                   ends_on=ends_on, open_share=0.3, largest_piece=12)  # fmt: skip
    request = request_for(make(), parameters)
    panels = generate_lattice(request)
    common = to_manifold(panels.mesh) ^ to_manifold(request.overhangs.mesh)
    # Tabs are counted twice where walls cross; a slope makes a tab's bite longer, never deeper.
    assert common.volume() <= 1.3 * panels.contact_area_mm2 * parameters.bite_depth + 1e-3
    assert panels.contact_area_mm2 > 5


@pytest.mark.parametrize("thickness", [0.2, 0.4])
@pytest.mark.parametrize("turn", [0, 33])
@pytest.mark.parametrize(("rims", "cells"), [(1, (1.5, 1.5)), (3, (0, 0)), (0, (2.0, 0)), (2, (0, 1.7))])
def test_no_piece_is_larger_than_asked_when_the_solids_are_united_and_parted(thickness, turn, rims, cells):
    parameters = LatticeParameters(thickness=thickness, rim_walls=rims, cell_along=cells[0], cell_across=cells[1],
                                   turn=turn, largest_piece=9, cut_width=0.3, open_share=0.3)  # fmt: skip
    panels = generate_lattice(request_for(wavy_plate(30, 20), parameters))
    pieces = to_manifold(united([panels.mesh])).decompose()
    sizes = []
    for piece in pieces:
        corners = np.asarray(piece.to_mesh().vert_properties)[:, :2]
        sizes.append(float(np.hypot(*np.ptp(corners, axis=0))) if len(corners) < 4 else _diameter(corners))
    assert max(sizes) <= 9 + 1e-3
    assert panels.piece_count == pytest.approx(len(pieces), abs=0.15 * len(pieces) + 2)
    assert panels.piece_sizes_mm.max() <= 9 + 1e-6


def test_a_cut_does_not_run_along_the_rim_and_swallow_it():
    parameters = LatticeParameters(cell_along=2, cell_across=2, largest_piece=9.2, inset=0.4, thickness=0.2)
    # The rim lies six millimetres from the middle, where every third gap between walls is.
    panels = generate_lattice(request_for(box((12.8, 12.8, 3)), parameters))
    middles = (panels.columns.places[panels.slabs.left] + panels.columns.places[panels.slabs.right]) / 2
    on_rim = np.abs(np.abs(middles - 6.4).max(axis=1) - 6.0) < 1e-6
    pairs = np.unique(np.column_stack([panels.slabs.left, panels.slabs.right])[on_rim], axis=0)
    steps = panels.columns.places[pairs[:, 1]] - panels.columns.places[pairs[:, 0]]
    assert np.hypot(*steps.T).sum() > 0.9 * 48
    assert panels.piece_sizes_mm.max() <= 9.2


def _diameter(places: np.ndarray) -> float:
    hull = shapely.get_coordinates(shapely.convex_hull(shapely.multipoints(places)))
    return float(np.hypot(*(hull[:, None] - hull[None]).reshape(-1, 2).T).max())


@pytest.mark.parametrize("critical", [35, 45, 60])
def test_the_top_of_every_opening_and_every_notch_is_steep_enough_to_hold_itself(critical):
    parameters = LatticeParameters(thickness=0.4, cell_along=3, cell_across=3, open_share=0.5, rib=0.6)
    request = request_for(bridge(), parameters, offset=2.0, critical=critical)
    panels = generate_lattice(request)
    assert panels.open_mm2 > 0.2 * panels.area_mm2
    found = detect(build_topology(panels.mesh), panels.mesh, critical_angle=critical)
    faces = np.flatnonzero(found.critical)
    # What looks down and is not steep lies on the plate, or is a lower tab in the step of 4 mm on its plate at 2 mm.
    middles = panels.mesh.centroids_of(faces)
    bites = np.abs(middles[:, 2] - (6 - parameters.bite_depth)) < 1e-3
    left = ~bites & (middles[:, 2] > 0.05)
    # Beside the step's edge the wall keeps off it by less than two hundredths of a millimetre.
    assert panels.mesh.areas[faces[left]].sum() < 0.02 * 0.4 * 4 * np.ceil(16 / 3)
    assert (np.abs(middles[left][:, 2] - 6) < 1e-3).all()


def test_openings_leave_their_rib_everywhere_and_reach_the_share_where_there_is_room():
    parameters = LatticeParameters(cell_along=4, cell_across=4, rim_walls=0, open_share=0.3, rib=0.5, tab_height=0.6)
    panels = generate_lattice(request_for(box((40, 40, 4)), parameters, offset=12))
    whole = panels.area_mm2 + panels.open_mm2
    assert panels.open_mm2 / whole == pytest.approx(0.3, abs=0.02)
    for shapes in outlines_of(panels).values():
        panel = shapely.union_all(shapes, grid_size=1e-9)
        for opening in (shapely.Polygon(ring) for ring in panel.interiors):
            rest = [shapely.Polygon(ring) for ring in panel.interiors if not shapely.Polygon(ring).equals(opening)]
            assert opening.distance(panel.exterior) >= 0.5 - 1e-6
            assert min((opening.distance(other) for other in rest), default=1) >= 0.5 - 1e-6


def test_walls_of_several_lines_that_cross_are_cut_by_one_grid():
    drawn = tuple(Line(tuple((x, y, 0.0) for x, y in way)) for way in (
        [(2, 1.3), (28, 1.3)], [(2, 18.7), (28, 18.7)], [(2.3, 1), (2.3, 19)], [(27.7, 1), (27.7, 19)],
    ))  # fmt: skip
    parameters = WallParameters(largest_piece=10, thickness=0.4, ends_on="plate")
    request = request_for(box((30, 20, 4)), parameters, chosen=(), hand=HandWork(paths=drawn))
    panels = generate_wall(request)
    assert panels.length_mm == pytest.approx(88, rel=0.05)
    # Each for itself they would be cut into stretches of up to nine millimetres, and two of these meet at a corner.
    assert panels.piece_sizes_mm.max() <= 10 and panels.piece_count > 8


def test_tops_follow_a_curved_surface_to_its_facets():
    request = request_for(wavy_plate(30, 40), LatticeParameters(bite_depth=0, tab_free=0, cell_along=2, cell_across=2))
    panels = generate_lattice(request)
    ends = np.concatenate([panels.columns.places[panels.slabs.left], panels.columns.places[panels.slabs.right]])
    tops = np.concatenate([panels.slabs.high[:, 0], panels.slabs.high[:, 1]])
    starts = np.column_stack([ends, np.full(len(ends), 1.0)])
    distance, _ = request.obstacles[0].first_hits(starts, np.array([0, 0, 1.0]))
    met = np.isfinite(distance)
    assert met.mean() > 0.99
    assert np.abs(tops - 1.0 - distance)[met].max() < 2e-3


def test_walls_end_on_the_plate_on_what_is_below_or_at_a_level():
    on_plate = generate_lattice(request_for(bridge(), LatticeParameters(ends_on="plate", cell_along=3), offset=2))
    assert on_plate.slabs.low.min() == 0 and not len(on_plate.low_tabs)
    assert set(on_plate.left_out.reasons) == {"a part is between the surface and the plate"}
    below = generate_lattice(request_for(bridge(), LatticeParameters(ends_on="below", cell_along=3), offset=2))
    assert len(below.low_tabs) and not below.left_out.reasons
    assert below.low_tabs.places[:, 2] == pytest.approx(6.0, abs=1e-4)
    level = LatticeParameters(ends_on="level", level=3, level_from="top", cell_along=3)
    hanging = generate_lattice(request_for(box((20, 10, 4)), level, offset=9))
    assert hanging.slabs.low.min() == pytest.approx(6.0)


def test_a_helix_gets_walls_under_each_of_its_floors():
    turns = np.linspace(0, 4 * np.pi, 160)
    steps = [Manifold.cube((8, 1.2, 0.8)).translate((4, -0.6, 3 * t)).rotate((0, 0, np.degrees(t))) for t in turns]
    mesh = from_manifold(Manifold.batch_boolean(steps, OpType.Add))
    panels = generate_lattice(request_for(mesh, LatticeParameters(cell_along=2, cell_across=2, inset=0.2), offset=3))
    heights = panels.tabs.places[:, 2]
    assert heights.min() < 8 and heights.max() > 35
    assert len(panels.low_tabs) > 20  # the upper floor stands on the lower one


def test_a_wall_follows_a_low_edge_and_a_drawn_path_and_is_cut_square():
    wedge = from_manifold(Manifold.hull_points(np.array(
        [[0, 0, 6], [30, 0, 6], [0, 8, 14], [30, 8, 14], [0, -8, 14], [30, -8, 14.0]]
    )))  # fmt: skip
    parameters = WallParameters(largest_piece=8, thickness=0.3, cut_width=0.2)
    request = request_for(wedge, parameters, offset=6, critical=30, chosen=())
    edges = [region.id for region in request.overhangs.regions if region.kind == "edge"]
    assert edges
    along = generate_wall(request_for(wedge, parameters, offset=6, critical=30, chosen=tuple(edges)))
    assert along.tabs.places[:, 2] == pytest.approx(6.0, abs=1e-6)
    assert along.lengths_mm.sum() == pytest.approx(30 - 3 * 0.2, abs=0.05)
    assert along.piece_count == 4 and along.piece_sizes_mm.max() <= 8 + 1e-6
    drawn = Line(tuple((x, y, 0.0) for x, y in [(5, -3), (15, 3), (25, -3)]))
    by_hand = generate_wall(request_for(wedge, parameters.with_value("largest_piece", None), offset=6, critical=30,
                                        chosen=(), hand=HandWork(paths=(drawn,))))  # fmt: skip
    assert by_hand.lengths_mm.sum() == pytest.approx(2 * np.hypot(10, 6), abs=0.05)
    assert (by_hand.counted.number, by_hand.piece_count) == (2, 1)  # two straight stretches that meet


def test_work_by_hand_cuts_deletes_and_extends_and_tells_what_it_lost():
    mesh, parameters = box((20, 12, 4)), LatticeParameters(cell_along=4, cell_across=0, rim_walls=0, inset=0.5)
    plain = generate_lattice(request_for(mesh, parameters))
    x = float(plain.tabs.places[0, 0])
    low = -mesh.bounds[1][2] / 2
    place = (x - 10.0, 0.0, low)  # the part's own coordinates are round its middle
    own = request_for(mesh, parameters).obstacles[0]
    assert own.pose.to_plate(own.tree.mesh, np.array([place]))[0, 0] == pytest.approx(x, abs=10.1)

    def made(**hand) -> Panels:
        return generate_lattice(request_for(mesh, parameters, hand=HandWork(**hand)))

    at = own.pose.to_part(own.tree.mesh, np.array([[x, 6.0, 8.0]]))[0]
    there = tuple(at.tolist())
    assert made(gone=(Gone(there, "wall"),)).counted.number == plain.counted.number - 1
    assert made(gone=(Gone(there, "piece"),)).counted.number == plain.counted.number - 1
    lost = made(gone=(Gone((99.0, 0.0, 0.0), "wall"), Gone((99.0, 0.0, 0.0), "piece")))
    assert lost.counted.number == plain.counted.number and len(lost.unkept.reasons) == 2
    ring = own.pose.to_part(own.tree.mesh, np.array([[x - 1, 3.0, 8], [x + 1, 3, 8], [x + 1, 8, 8], [x - 1, 8, 8]]))
    cut = made(cut_out=(Line(tuple(map(tuple, ring.tolist()))),))
    assert cut.lengths_mm.sum() == pytest.approx(plain.lengths_mm.sum() - 5.0, abs=0.01)
    wide = LatticeParameters(cell_along=4, cell_across=0, rim_walls=0, inset=3.0)
    short = generate_lattice(request_for(mesh, wide))
    end = own.pose.to_part(own.tree.mesh, np.array([[float(short.tabs.places[0, 0]), 9.0, 8.0]]))[0]
    longer = generate_lattice(request_for(mesh, wide, hand=HandWork(extended=(Extended(tuple(end.tolist()), 2.0),))))
    assert longer.lengths_mm.sum() == pytest.approx(short.lengths_mm.sum() + 2.0, abs=0.05)
    assert longer.piece_count == short.piece_count


def test_protected_surfaces_get_no_tab():
    mesh = box((20, 12, 4))
    request = request_for(mesh, LatticeParameters(cell_along=2, cell_across=2))
    under = np.flatnonzero(request.overhangs.mesh.normals[:, 2] < -0.9)
    protected = np.zeros(len(mesh.faces), np.uint8)
    protected[under[0]] = 1
    panels = generate_lattice(request_for(mesh, LatticeParameters(cell_along=2, cell_across=2), protected=protected))
    corners = request.overhangs.mesh.vertices[mesh.faces[under[0]]][:, :2]
    kept_off = shapely.Polygon(corners).buffer(-0.01)
    assert len(panels.tabs) > 10
    assert not shapely.contains_xy(kept_off, *panels.holds[:, :2].T).any()


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"rim_walls": 0, "cell_along": 0, "cell_across": 0}, "no rim walls and no cells"),
        ({"thickness": 2.0, "cell_along": 1.5}, "as thick as the cells"),
        ({"largest_piece": 1.5}, "hold no cell"),
        ({"open_share": 0.3, "rib": 6.0}, "no rib"),
        ({"largest_piece": 12, "cut_width": 5}, "a third of the largest piece"),
        ({"rim_walls": 3, "thickness": 0.6, "rim_spacing": 0.5}, "as thick as they lie apart"),
        ({"cell_along": 0.1}, "no cells"),
    ],
)
def test_nonsense_is_refused_in_words(values, words):
    with pytest.raises(ParameterError, match=words):
        validated(LatticeParameters, values)


def test_a_gap_keeps_whole_layers_free():
    parameters = LatticeParameters(contact="gap", gap_layers=2, tab_free=0, cell_along=3)
    panels = generate_lattice(request_for(box((20, 10, 4)), parameters, offset=6))
    assert panels.slabs.high.max() == pytest.approx(6 - 2 * LAYER)


@pytest.mark.parametrize("thickness", [0.0, 0.5])
def test_as_sheets_walls_have_their_area_however_thick_they_are(thickness):
    values = LatticeParameters(thickness=thickness, cell_along=3.0, cell_across=3.0, rim_walls=1)
    panels = generate_lattice(request_for(box((18, 12, 4)), values))
    mesh, slab_of_face = panels.sheets
    assert mesh.area == pytest.approx(panels.area_mm2, rel=1e-6)
    assert len(slab_of_face) == len(mesh.faces)
