"""Parts arranged on the plate."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from boxes import packed_boxes
from lean_trellis.core.demo import metal_parts
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.planning import (
    ArrangeRequest,
    Piece,
    arrange,
)
from lean_trellis.core.planning.footprint import covered_places, footprint_of
from lean_trellis.core.shop.machine import Plate


def test_small_parts_are_kept_out_of_the_lee_of_tall_ones():
    plate = Plate(shape="rectangle", width=200, depth=200)
    tall = Piece("tall", covered_places(box((60, 60, 90)), 0.4), (30.0, 30.0), 90.0)
    small = Piece("small", covered_places(box((12, 12, 5)), 0.4), (6.0, 6.0), 5.0)
    request = ArrangeRequest(plate, step_deg=0, flow_deg=0.0, preference=1.0)
    found = arrange([tall, small], request).places
    away = np.array(found["small"][:2]) - found["tall"][:2]
    assert not (30 < away[0] < 90 and abs(away[1]) < 30)
    careless = arrange([tall, small], replace(request, preference=0.0)).places
    away = np.array(careless["small"][:2]) - careless["tall"][:2]
    assert 30 < away[0] < 90
    assert abs(away[1]) < 30


def pieces_of(meshes, **changes):
    return [
        Piece(str(n), covered_places(mesh, 0.35), tuple(mesh.middle[:2].tolist()), float(mesh.bounds[1, 2]), **changes)
        for n, mesh in enumerate(meshes)
    ]


def placed(piece, place):
    """(n, 2): the piece's points where it was put, turned by hand; independent of the rasters."""
    x, y, degrees = place
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return (piece.points - piece.middle) @ np.array([[c, s], [-s, c]]) + [x, y]


@given(st.lists(st.tuples(st.floats(5, 40), st.floats(5, 30)), min_size=2, max_size=7), st.sampled_from([0, 45]))
@settings(max_examples=8)
def test_nothing_overlaps_and_all_lies_on_the_plate(sizes, step):
    pieces = pieces_of([box((w, d, 5)) for w, d in sizes])
    plate = Plate(shape="rectangle", width=160, depth=140)
    found = arrange(pieces, ArrangeRequest(plate, clearance=3.0, step_deg=step))
    shapes = [placed(piece, found.places[piece.key]) for piece in pieces if piece.key in found.places]
    assert len(shapes) + len(found.left_over) == len(pieces)
    for n, one in enumerate(shapes):
        assert one.min() > 1.0
        assert (one.max(axis=0) < np.array([160, 140]) - 1.0).all()
        for other in shapes[:n]:
            assert cKDTree(one).query(other)[0].min() > 3.0 - 0.6  # a cell of 0.4 and half the points' grid


def test_what_does_not_fit_is_left_over_and_what_is_fixed_stays():
    plate = Plate(shape="rectangle", width=100, depth=100)
    pieces = pieces_of([box((45, 45, 5))] * 6)
    assert len(arrange(pieces, ArrangeRequest(plate)).left_over) == 2
    middle = Piece("fixed", pieces[0].points + 27.5, (50.0, 50.0), 5.0, is_fixed=True)
    found = arrange([middle, *pieces], ArrangeRequest(plate))
    assert found.places == {}
    assert len(found.left_over) == 6


def test_a_round_plate_and_zones_are_kept():
    plate = Plate(shape="round", width=120, depth=120)
    pieces = pieces_of([box((30, 20, 5))] * 5)
    zone = (50.0, 50.0, 20.0, 20.0)
    found = arrange(pieces, ArrangeRequest(plate, zones=(zone,)))
    assert not found.left_over
    for piece in pieces:
        shape = placed(piece, found.places[piece.key])
        assert not ((shape > 49) & (shape < 71)).all(axis=1).any()
        assert np.linalg.norm(shape - 60, axis=1).max() < 60


def test_long_edges_are_turned_off_the_blade():
    pieces = [replace(piece, long_edge_deg=0.0) for piece in pieces_of([box((60, 6, 5))])]
    plate = Plate(shape="rectangle", width=200, depth=200)
    for blade in (90.0, 0.0):
        request = ArrangeRequest(plate, step_deg=15, blade_deg=blade, preference=1.0)
        off = (arrange(pieces, request).places["0"][2] - blade - 90) % 180
        assert min(off, 180 - off) >= 8


def test_curved_parts_are_packed_a_fifth_tighter_than_their_boxes_could_be():
    lying = metal_parts.exhaust_elbow().moved(rotation_about("x", 90), np.zeros(3))
    plate = Plate(shape="rectangle", width=260, depth=220)
    pieces = pieces_of([lying] * 10)
    found = arrange(pieces, ArrangeRequest(plate, clearance=2.0, step_deg=30))
    assert not found.left_over
    covered = footprint_of(pieces[0].points, np.array(pieces[0].middle), 0.0, 0.4, 0.0).area
    assert found.density > 1.2 * 10 * covered / packed_boxes([np.ptp(lying.bounds[:, :2], axis=0) + 2.0] * 10)
