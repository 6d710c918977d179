"""What the board tells."""

from __future__ import annotations

from lean_trellis.core.board.rows import FAILURES, OUTCOMES, OrderState


def test_what_is_still_to_do_is_never_less_than_nothing():
    assert OrderState("O", "p", "", "", 5, 1, 2).to_do == 2
    assert OrderState("O", "p", "", "", 1, 1, 2).to_do == 0


def test_what_counts_as_a_failure():
    assert set(OUTCOMES) - set(FAILURES) == {"", "well"}
