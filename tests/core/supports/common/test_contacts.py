"""Bite or gap."""

from __future__ import annotations

import pytest

from lean_trellis.core.supports.common.contacts import Contact, ContactParameters


@pytest.mark.parametrize(
    ("values", "lift"),
    [({"contact": "bite", "bite_depth": 0.2, "gap_layers": 3}, 0.2), ({"contact": "gap", "gap_layers": 3}, -0.6),
     ({"contact": "gap", "gap_layers": 0}, 0.0)],
)  # fmt: skip
def test_a_bite_ends_above_the_surface_and_a_gap_below(values, lift):
    assert ContactParameters(**values).lift_mm(0.2) == pytest.approx(lift)


@pytest.mark.parametrize(
    ("gap", "layer", "layers"),
    [(0.6, 0.2, 3), (0.61, 0.2, 4), (0.1, 0.2, 1), (0.0, 0.2, 0), (0.3, 0.1, 3), (0.35, 0.05, 7), (None, 0.2, 2)],
)
def test_a_gap_in_mm_is_rounded_up_to_whole_layers_but_not_by_rounding_errors(gap, layer, layers):
    values = ContactParameters(contact="gap", gap_layers=2, gap=gap)
    assert values.whole_gap(layer) == layers
    assert values.lift_mm(layer) == pytest.approx(-layers * layer)
    assert values.contact_at(layer, 3) == Contact(is_bite=False, distance=pytest.approx(layers * layer),
                                                  dense=pytest.approx(3 * layer))  # fmt: skip


def test_only_what_applies_is_asked_for():
    for contact, *asked in (("bite", "bite_depth"), ("gap", "gap_layers", "gap")):
        values = ContactParameters(contact=contact)
        applying = {known.key for known in values.declared() if known.applies_when(values)}
        assert applying == {"contact", *asked}
