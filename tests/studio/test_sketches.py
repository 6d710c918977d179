"""The sketch of every family: for each value there is a drawing, and another value draws another one."""

from __future__ import annotations

import pytest
from PyQt6.QtGui import QImage

from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.parameters import Declared, FamilyParameters
from lean_trellis.studio.forms.sketch import Sketch
from lean_trellis.studio.theme import DAY

LAYER = 0.05
FULLER = {
    "lattice-metal": {"lower_edge": "own", "largest_piece": 12.0, "open_share": 0.4, "rib": 0.6, "ends_on": "level",
                      "level": 3.0, "rim_walls": 2, "trim": "bars"},
    "wall-line": {"lower_edge": "own", "largest_piece": 12.0, "rib": 0.6, "ends_on": "level"},
    "raft-follow": {}, "block-plain": {}, "cradle-posts": {}, "wall-flank": {},
    "bars-joined": {"brace": "x", "group_span": 4.0, "foot_height": 1.5, "lever_gap": 0.5},
}  # fmt: skip
"""Values with which everything of a family applies."""


def drawn(values: FamilyParameters, key: str) -> QImage:
    sketch = Sketch(DAY)
    sketch.resize(344, 168)
    sketch.show_values(values, LAYER)
    sketch.show_key(key)
    return sketch.grab().toImage()


def another(known: Declared, value: object) -> object:
    """Another value than the one there is, well within its range."""
    match known.kind:
        case "choice":
            return known.choices[(known.choices.index(str(value)) + 1) % len(known.choices)]
        case "switch":
            return not value
        case "count":
            return int(value) + 1
    if value is None:
        return max(3.0, 1.5 * (known.least or 0))
    moved = 1.4 * float(value) if value else max(1.0, float(known.least or 0) + 1)
    return moved if known.most is None or moved <= known.most else 0.6 * float(value)


@pytest.mark.parametrize("name", sorted(FULLER))
def test_another_value_is_another_drawing(application, name):
    values = shipped_sets()[name].parameters.model_copy(update=FULLER[name])
    same = []
    for known in values.declared():
        if not known.applies_when(values):
            continue
        changed = values.model_copy(update={known.key: another(known, getattr(values, known.key))})
        if drawn(values, known.key) == drawn(changed, known.key):
            same.append(known.key)
    assert same == []


@pytest.mark.parametrize("name", sorted(FULLER))
def test_the_value_in_hand_is_told_in_words_or_dimensioned(application, name):
    """With another value in hand the drawing is another: its dimension or its words are."""
    values = shipped_sets()[name].parameters.model_copy(update=FULLER[name])
    keys = [known.key for known in values.declared() if known.applies_when(values)]
    pictures = [drawn(values, key) for key in keys]
    distinct = [picture for number, picture in enumerate(pictures) if picture not in pictures[:number]]
    assert len(distinct) > 0.6 * len(keys)
