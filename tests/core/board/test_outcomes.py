"""What outcomes say of sets, limits and times."""

from __future__ import annotations

import json

import numpy as np
import pytest

from lean_trellis.core.board.outcomes import PartOutcome, fitted_limit, outcomes_of, set_records, time_factor
from lean_trellis.core.board.rows import BoardBuild, BoardPart


def a_build(*parts, seconds=None, **said):
    rows = tuple(BoardPart(f"p-{n}", name, "", "", 1, "", "", outcome) for n, (name, outcome) in enumerate(parts))
    return BoardBuild(
        "b", "Friday", "done", "metal-260", "steel-316l", "", 1, "", "", seconds, "", json.dumps(said), rows
    )


def ticket_part(name, used, version=3):
    return {"name": name, "supports": [{"set_id": "bars-metal", "version": version, "utilisation": used}]}


def test_outcomes_know_the_sets_and_utilisation_of_the_ticket():
    build = a_build(("a", "well"), ("b", "fell_off"), ("c", ""), parts=[ticket_part("a", 0.4), ticket_part("b", 0.9)])
    a, b = outcomes_of([build])
    assert (a.outcome, a.supports, a.most_used) == ("well", (("bars-metal", 3, 0.4),), 0.4)
    assert b.most_used == 0.9


@pytest.mark.parametrize("released", ["", "{]", '{"parts": 3}', '{"parts": [{}]}'])
def test_a_ticket_that_is_none_leaves_the_outcome(released):
    build = a_build(("a", "well"))
    broken = BoardBuild(**{**vars(build), "released": released})
    assert outcomes_of([broken])[0].supports == ()


def test_a_record_a_version():
    noted = [("well", 1, 0.2), ("broke", 1, 0.81), ("well", 2, 0.3), ("distorted", 1, 0.5)]
    outcomes = [PartOutcome("b", "a", kind, "", "m", (("bars", version, used),)) for kind, version, used in noted]
    records = set_records(outcomes)
    assert records["bars", 1].words() == "built 3, failed 2 (at 0.81, 0.50)"
    assert records["bars", 2].words() == "built 1, failed 0"


def outcome(used, kind):
    return PartOutcome("b", "a", kind, "", "m", (("bars", 1, used),))


def test_a_limit_lies_between_what_held_and_what_failed():
    held = [outcome(used, "well") for used in (0.3, 0.4, 0.5, 0.6, 0.7)]
    failed = [outcome(used, "fell_off") for used in (1.0, 1.1, 1.3)]
    limit = fitted_limit([*held, *failed])
    assert 0.7 < limit.value < 1.0
    assert limit.low < limit.value < limit.high
    assert (limit.n_held, limit.failed) == (5, 3)


def test_the_limit_that_a_scatter_was_made_with_is_found():
    chance = np.random.default_rng(3)
    used = chance.uniform(0.3, 1.5, 600)
    fails = chance.random(600) < 1 / (1 + np.exp(-12 * (np.log(used) - np.log(0.8))))
    limit = fitted_limit([outcome(u, "broke" if f else "well") for u, f in zip(used.tolist(), fails, strict=True)])
    assert limit.low < 0.8 < limit.high
    assert limit.value == pytest.approx(0.8, rel=0.04)
    few = fitted_limit(
        [outcome(u, "broke" if f else "well") for u, f in zip(used[:40].tolist(), fails[:40], strict=True)]
    )
    assert few.high - few.low > 2 * (limit.high - limit.low)


def test_too_little_to_go_by():
    assert fitted_limit([outcome(0.5, "well")] * 9) is None
    assert fitted_limit([outcome(0.5, "broke")] * 9) is None
    assert fitted_limit([outcome(0.5, "well"), outcome(1.0, "broke")]) is None
    marked = [outcome(0.5, "well")] * 4 + [outcome(0.9, "marks_left")] * 4
    assert fitted_limit(marked) is None, "marks say nothing of strength"


def test_time_on_a_machine():
    builds = [a_build(seconds=seconds, build_seconds=1000.0) for seconds in (1100.0, 1300.0, 1200.0)]
    found = time_factor(builds, "metal-260")
    assert (found.value, found.low, found.high, found.builds) == (1.2, 1.1, 1.3, 3)
    assert time_factor(builds, "metal-120") is None
    assert time_factor([a_build(seconds=None, build_seconds=1000.0), a_build(seconds=5.0)], "metal-260") is None
