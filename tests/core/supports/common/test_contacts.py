"""Bite or gap."""

from __future__ import annotations

import pytest

from lean_trellis.core.supports.common.contacts import ContactParameters


@pytest.mark.parametrize(
    ("values", "lift"),
    [({"contact": "bite", "bite_depth": 0.2, "gap_layers": 3}, 0.2), ({"contact": "gap", "gap_layers": 3}, -0.6),
     ({"contact": "gap", "gap_layers": 0}, 0.0)],
)  # fmt: skip
def test_a_bite_ends_above_the_surface_and_a_gap_below(values, lift):
    assert ContactParameters(**values).lift_mm(0.2) == pytest.approx(lift)


def test_only_what_applies_is_asked_for():
    for contact, *asked in (("bite", "bite_depth"), ("gap", "gap_layers", "gap")):
        values = ContactParameters(contact=contact)
        applying = {known.key for known in values.declared() if known.applies_when(values)}
        assert applying == {"contact", *asked}
