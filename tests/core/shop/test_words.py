"""What values of machines and materials are called."""

from __future__ import annotations

import pytest

from lean_trellis.core.shop.values import flat_values
from lean_trellis.core.shop.words import text_of, words_of


def test_every_value_of_every_shipped_machine_and_material_has_words_of_its_own(library):
    for thing in (*library.machines.values(), *library.materials.values()):
        values = flat_values(thing)
        labels = {key: words_of(key, values).label for key in values if not key.endswith((".unit", ".source"))}
        assert [key for key, label in labels.items() if label == key] == [], thing.id
        assert len(set(labels.values())) == len(labels), thing.id


@pytest.mark.parametrize(
    ("key", "value", "text"),
    [
        ("plate.width", 260.0, "260 mm"), ("belt_tilt_deg", 45.0, "45°"),
        ("constants.density.value", 7.95, "7.95 g/cm³"),
        ("layers.0.usual", True, "yes"), ("name", "Metal 260", "Metal 260"), ("height", None, "–"),
        ("constants.loss.value", 0.05, "0.05"),
    ],
)  # fmt: skip
def test_values_are_shown_with_their_units(metal, key, value, text):
    assert text_of(key, value, flat_values(metal[0]) | flat_values(metal[1])) == text


def test_what_belongs_to_a_zone_or_a_process_says_so(library):
    values = {"keep_out.0.name": "Clamp", "processes.0.machine": "metal-260", "processes.0.layer_height": 0.03,
              "free_span.angles.1": 20.0}  # fmt: skip
    assert words_of("keep_out.0.x", values).label == "Clamp: left edge"
    assert words_of("processes.0.constants.strength.value", values).label == "Strength on metal-260 at 0.03 mm"
    assert words_of("free_span.spans.1", values).label == "Free span at 20°"
    assert words_of("shrinkage.2.value", values).label == "Shrinkage along Z"
