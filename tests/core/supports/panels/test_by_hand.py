"""Work by hand on walls: what is cut, deleted and led on; what is not there any more is said."""

from __future__ import annotations

import numpy as np
import pytest
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.common.support import Extended, Gone, HandWork, Line
from lean_trellis.core.supports.panels.by_hand import on_plate, with_hand_work
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.core.supports.panels.parameters import LatticeParameters
from lean_trellis.core.supports.panels.paths import Path

MESH = box((20, 20, 4))


OWN = request_for(MESH, LatticeParameters()).obstacles[0]


def lines():
    """Two lines across, 4 apart, and a square round the middle."""
    square = np.array([(-3.0, -3), (3, -3), (3, 3), (-3, 3)])
    return [
        Path(np.array([(-8.0, 5), (8, 5)]), 0),
        Path(np.array([(-8.0, 9), (8, 9)]), 0),
        Path(square, 1, is_closed=True),
    ]


def place(x, y):
    """A place of the plate, in the part's own coordinates."""
    x, y, z = OWN.pose.to_part(MESH, np.array([[x, y, 8.0]]))[0].tolist()
    return x, y, z


def done(**hand):
    return with_hand_work(lines(), HandWork(**hand), OWN, 7)


def test_places_of_the_part_come_back_to_the_plate():
    assert on_plate((place(3, 4),), OWN)[0] == pytest.approx([3, 4, 8])


def test_without_work_by_hand_all_stays():
    paths, unkept = done()
    assert [len(path.places) for path in paths] == [2, 2, 4]
    assert len(unkept.reasons) == 0


@pytest.mark.parametrize(
    ("at", "left"), [((0, 5.9), [9, 3]), ((0, 8.2), [5, 3]), ((0, 6.4), [5, 9, 3]), ((2, 3), [5, 9])]
)
def test_the_nearest_wall_within_a_millimetre_is_deleted(at, left):
    paths, unkept = done(gone=(Gone(place(*at), "wall"),))
    assert [path.places[:, 1].max() for path in paths] == left
    assert len(unkept.reasons) == (1 if len(left) == 3 else 0)
    if unkept.reasons:
        assert unkept.places[0][:2] == pytest.approx(at)


def test_where_all_walls_are_gone_the_next_is_not_there_any_more():
    gone = tuple(Gone(place(*at), "wall") for at in ((0, 5), (0, 9), (3, 0), (3, 0)))
    paths, unkept = done(gone=gone)
    assert paths == []
    assert unkept.reasons == ("the wall that was deleted is not there any more",)


@pytest.mark.parametrize(("end", "way"), [((8, 5), (1, 0)), ((-8, 9), (-1, 0))])
def test_a_wall_is_led_on_straight_from_its_end(end, way):
    paths, _ = done(extended=(Extended(place(*end), 2.5),))
    led = paths[-1]
    assert led.floor == 7
    assert led.places[0] == pytest.approx(end)
    assert led.places[1] == pytest.approx(np.array(end) + 2.5 * np.array(way))


def test_the_end_nearest_to_the_place_is_led_on_and_closed_walls_have_none():
    near_both = done(extended=(Extended(place(8, 5.4), 1.0),))[0]
    assert near_both[-1].places[0] == pytest.approx([8, 5])
    for nowhere in ((3, 3), (8, 7), (0, 5)):
        paths, unkept = done(extended=(Extended(place(*nowhere), 1.0),))
        assert len(paths) == 3
        assert unkept.reasons == ("the extended wall no longer ends there",)


def test_what_lies_within_an_outline_is_cut_out():
    corners = ((-1, 4), (1, 4), (1, 10), (-1, 10))
    paths, unkept = done(cut_out=(Line(tuple(place(*corner) for corner in corners)),))
    assert sorted(path.line.length for path in paths) == pytest.approx([7, 7, 7, 7, 24])
    assert not unkept.reasons
    assert len(done(cut_out=(Line(tuple(place(*corner) for corner in corners[:2])),))[0]) == 3


def test_a_piece_is_deleted_with_its_tabs_and_one_that_is_gone_is_said():
    parameters = LatticeParameters(thickness=0.4, cell_along=4, cell_across=4, largest_piece=8.0, tab_free=0.3)
    whole = generate_lattice(request_for(MESH, parameters))
    assert whole.piece_count > 3
    at = whole.middles[0]
    mine = whole.pieces == whole.pieces[int(np.hypot(*(whole.middles - at).T).argmin())]
    less = generate_lattice(request_for(MESH, parameters, hand=HandWork(gone=(Gone(place(*at), "piece"),))))
    assert less.piece_count == whole.piece_count - 1
    assert less.area_mm2 == pytest.approx(whole.area_mm2 - whole.areas_mm2[mine].sum())
    assert 0 < len(less.tabs) < len(whole.tabs)
    low, high = whole.middles[mine].min(axis=0), whole.middles[mine].max(axis=0)
    inside = ((less.tabs.places[:, :2] > low + 1) & (less.tabs.places[:, :2] < high - 1)).all(axis=1)
    assert not inside.any()
    lost = generate_lattice(request_for(MESH, parameters, hand=HandWork(gone=(Gone(place(40, 40), "piece"),))))
    assert lost.area_mm2 == pytest.approx(whole.area_mm2)
    assert lost.unkept.reasons == ("the piece that was deleted is not there any more",)


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
