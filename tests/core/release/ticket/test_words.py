"""What both forms of a ticket say."""

from __future__ import annotations

from lean_trellis.core.release.ticket.words import difference_words, facts, head_of, part_facts, support_words


def test_the_head_of_a_ticket(plain):
    said = dict(facts(plain))
    assert said["Machine"] == "Metal 260 (metal-260)"
    assert said["Layers"] == "1,200 of 0.04 mm, 48.0 mm high"
    assert said["Time"] == "6 h 12, and 60 min for warming up and cooling" or said["Time"].startswith("6 h 12")
    assert said["Material used"] == "20 g of 9,000 g loaded"
    assert said["Volume"] == "parts 2.00 cm³, supports 0.50 cm³"
    assert said["Released by"] == "B. Alder"
    assert "Plate and tray" not in said
    assert "first 0.2 mm" in dict(facts(plain.model_copy(update={"first_layer": 0.2})))["Layers"]


def test_a_part_and_its_supports(plain):
    part = plain.parts[0]
    said = dict(part_facts(part))
    assert said["Build offset"] == "4 mm"
    assert said["Place and pose"] == "middle at x 20, y 30 mm; turned x 0° · y 0° · z 30°"
    assert "Lot asked for" not in said
    assert support_words(part.supports[0]) == (
        "Metal, general, version 3; 1 changed; 2 by hand: 12 bars, 0.50 cm³, utilisation 0.61"
    )
    assert difference_words(part.supports[0]) == ["Spacing: 3.5, set 2.6"]
    assert head_of(part) == "Part 1 · Bracket & <co> · Otterbank · FW-1"
