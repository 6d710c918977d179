"""Arched openings: their area is the share that was asked for, their arches hold themselves, piers stay between."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from panel_cases import bridge, outlines_of
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.overhang.detect import detect
from lean_trellis.core.supports.panels.courses import Runs
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.openings import Openings, arch_rises, place_openings
from lean_trellis.core.supports.panels.parameters import LatticeParameters, WallParameters


class Flat:
    """Courses of a plain wall: nothing on it that openings have to mind."""

    stations = np.zeros(0)


def placed(length: float, height: float, crossings=(), **values):
    p = WallParameters(**{"thickness": 0.5, "rib": 1.0, "open_share": 0.4, **values})
    runs = Runs(np.array([0.0]), np.array([length]), np.array([0]))
    made = place_openings(
        Flat(), runs, p, 45.0, lambda s: np.full(len(s), height), lambda s: np.zeros(len(s)), np.array(crossings, float)
    )
    return made, p


def area_of(made: Openings, group: int) -> float:
    """One opening's area by many thin strips."""
    stations = np.linspace(made.stations[group, 0], made.stations[group, -1], 20001)
    pairs = np.column_stack([stations[:-1], stations[1:]])
    numbers = np.full(len(pairs), group)
    low, high = made.floors_and_ceilings(numbers, np.zeros(len(pairs), np.int64), pairs)
    return float(((high - low).mean(axis=1) * np.diff(pairs, axis=1)[:, 0]).sum())


def test_an_arch_rises_in_three_steps_each_steeper_than_what_holds_itself():
    rises = arch_rises(40.0)
    steps = np.diff(rises) * 3
    assert rises[0] == 0
    assert np.degrees(np.arctan(1 / steps)) == pytest.approx(40 * np.array([0.55, 0.85, 1.0]))


@pytest.mark.parametrize("share", [0.1, 0.25, 0.4])
def test_openings_take_the_share_of_their_bay(share):
    made, _ = placed(60.0, 12.0, open_share=share)
    bays = 60.0 / len(made)
    assert len(made) > 1
    for group in range(len(made)):
        assert int(made.storeys[group]) * area_of(made, group) == pytest.approx(share * bays * 12.0, rel=1e-3)


def test_piers_and_lintels_are_at_least_a_rib_wide():
    made, p = placed(60.0, 12.0, open_share=0.9)
    rib = p.rib_mm
    gaps = made.stations[1:, 0] - made.stations[:-1, -1]
    assert gaps.min() >= rib - 1e-9
    assert made.stations[0, 0] >= rib - 1e-9
    assert made.stations[-1, -1] <= 60 - rib + 1e-9
    assert made.floors == pytest.approx(np.full(len(made), rib))
    peak = made.floors + made.springs + made.rises[3] * (made.stations[:, -1] - made.stations[:, 0]) / 2
    top = peak + (made.storeys - 1) * made.pitches
    assert top == pytest.approx(np.full(len(made), 12.0 - rib))
    assert (made.pitches - (peak - made.floors)) == pytest.approx(np.full(len(made), rib))


def test_a_tall_wall_has_storeys_none_taller_than_three_times_its_bay():
    made, _ = placed(20.0, 80.0)
    bay = 20.0 / len(made)
    assert (made.storeys > 1).all()
    assert (made.pitches <= 3 * bay + 1.0 + 1e-9).all()


def test_openings_lie_between_crossings_in_the_middle():
    made, _ = placed(40.0, 12.0, crossings=np.arange(5.0, 40, 5).reshape(-1, 1).repeat(2, axis=1))
    middles = made.stations[:, 3]
    piers = np.concatenate([[0.0], np.arange(5.0, 40, 5), [40.0]])
    away = np.abs(middles[:, None] - piers[None]).min(axis=1)
    assert away.min() > 1.5


def test_no_share_no_run_or_no_room_is_no_opening():
    assert not len(placed(60.0, 12.0, open_share=0.0)[0])
    assert not len(placed(60.0, 2.1)[0])
    assert not len(placed(1.0, 12.0)[0])


def test_a_station_lies_in_the_opening_that_it_is_within():
    made, _ = placed(60.0, 12.0)
    first, last = made.stations[0, 0], made.stations[0, -1]
    assert made.group_at(np.array([first - 0.01, first, (first + last) / 2, last - 0.01, last])).tolist() == [
        -1, 0, 0, 0, -1
    ]  # fmt: skip
    assert placed(60.0, 12.0, open_share=0.0)[0].group_at(np.zeros(2)).tolist() == [-1, -1]


def test_a_lattices_open_area_is_what_its_panels_lack():
    mesh = box((20, 20, 3))
    values = {"thickness": 0.0, "cell_along": 5.0, "cell_across": 5.0, "tab_free": 0.0}
    whole = generate_lattice(request_for(mesh, LatticeParameters(**values, open_share=0.0), offset=20))
    pierced = generate_lattice(request_for(mesh, LatticeParameters(**values, open_share=0.3), offset=20))
    assert whole.open_mm2 == 0
    assert pierced.open_mm2 > 0.1 * whole.area_mm2
    assert pierced.area_mm2 + pierced.open_mm2 == pytest.approx(whole.area_mm2, rel=1e-6)


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
