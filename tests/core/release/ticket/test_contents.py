"""Contents are plain values."""

from __future__ import annotations

import pytest

from lean_trellis.core.release.ticket.contents import TicketContents, TicketOwner


def test_they_come_back_from_json(plain):
    assert TicketContents.model_validate_json(plain.model_dump_json()) == plain


@pytest.mark.parametrize(("numbers", "said"), [
    ((1,), "A 1"), ((1, 2, 3, 7), "A 1-3, 7"), ((2, 4), "A 2, 4"), ((1, 2), "A 1-2"),
])  # fmt: skip
def test_numbers_of_parts_in_runs(plain, numbers, said):
    owner = TicketOwner(owner="A", orders=(), numbers=numbers, volume_mm3=0, time_share=1, cost=0, threatens=())
    assert plain.model_copy(update={"owners": (owner,)}).whose() == said
