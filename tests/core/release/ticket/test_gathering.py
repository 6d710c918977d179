"""What a ticket says is what the job, its estimate and its findings are."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.job import edits
from lean_trellis.core.parts.size import Size, Stage
from lean_trellis.core.release.ticket.gathering import TicketWish, ticket_contents


@pytest.fixture(scope="module")
def contents(free, pipeline, wish):
    return ticket_contents(free, pipeline, TicketWish(wish.findings, wish.today, wish.who))


def test_totals_are_those_of_the_estimate(contents, free, pipeline):
    estimate = pipeline.graph.get(ESTIMATE, None, free)
    assert contents.layers == estimate.layers
    assert contents.build_seconds == estimate.build_seconds
    assert (contents.grams, contents.cost) == (estimate.material_grams, estimate.cost)
    assert contents.height_mm == pytest.approx(7.0, abs=contents.layer_height)
    assert (contents.lot, contents.machine_id, contents.material_id) == ("L-7", "filament-320", "pla")
    assert contents.after == free.material.after != ()


def test_parts_with_pose_offset_set_version_and_differences(contents, free):
    bracket, tile = contents.parts
    assert (bracket.number, bracket.name, bracket.owner, bracket.order) == (
        1,
        "Bracket <a&b>",
        "Otterbank Survey",
        "FW-1",
    )
    assert bracket.size_mm == (16.0, 10.0, 4.0)
    assert (bracket.place_mm, bracket.build_offset_mm) == ((100.0, 100.0), 3.0)
    (support,) = bracket.supports
    assert (support.set_id, support.version) == ("bars-extrusion", free.supports[0].set_version)
    assert [(one.label, one.here) for one in support.differences] == [("Spacing", "4.5")]
    assert support.count >= 2
    assert tile.supports == ()
    assert contents.whose() == "Otterbank Survey 1; Tern Street Organs 2"


def test_findings_tell_their_part_and_who_waived(contents, wish):
    assert len(contents.findings) == len(wish.findings)
    for one in contents.findings:
        assert (one.waiver != "") is (one.severity == "stop")
        assert one.number in (1, 2)


def test_the_size_in_the_end_is_that_after_shrinkage(free, pipeline, wish):
    job = edits.set_size(free, ["part-2"], Size((1.0, 1.0, 1.0), (Stage("sintering", (0.1, 0.1, 0.1)),))).job
    said = ticket_contents(job, pipeline, TicketWish((), wish.today))
    assert said.parts[1].end_size_mm == pytest.approx((12.0, 12.0, 3.0), abs=0.02)
    assert said.parts[1].size_mm[0] > 13.0


def test_drawings_show_the_plate_from_above_and_below_and_from_two_sides(contents):
    titles = [drawing.title for drawing in contents.drawings]
    assert titles[:4] == ["Plan from above", "Plan from below, with contacts", "From the front", "From the right"]
    above, below = contents.drawings[:2]
    assert [words.text for words in above.words[:2]] == ["1", "2"]
    assert below.words[0].at[0] == pytest.approx(320.0 - above.words[0].at[0], abs=0.02)
    assert below.words[0].at[1] == pytest.approx(above.words[0].at[1], abs=0.02)
    assert len(below.dots) == contents.parts[0].supports[0].count
    assert above.dots == ()


def test_a_turn_is_said_in_degrees(free, pipeline, wish):
    turned = edits.turn_part(free, "part-2", "z", 30.0).job
    said = ticket_contents(turned, pipeline, TicketWish((), wish.today))
    assert said.parts[1].turned_deg == pytest.approx((0.0, 0.0, 30.0), abs=0.01)
