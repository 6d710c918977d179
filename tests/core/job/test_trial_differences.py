"""In which values states of a job differ."""

from __future__ import annotations

from lean_trellis.core.job import edits
from lean_trellis.core.job.trial_differences import differences
from lean_trellis.core.sets import shipped_sets


def test_only_what_is_not_the_same_everywhere_is_listed_in_words(trio):
    one = edits.add_support(trio, "part-1", shipped_sets()["bars-metal"]).job
    other = edits.change_support(one, one.supports[0].id, "spacing", 3.25).job
    other = edits.set_layer_height(other, 0.03).job
    rows = dict(differences([one, other, one]))
    assert rows["layer height"] == ("0.04 mm", "0.03 mm", "0.04 mm")
    spacing = next(cells for words, cells in rows.items() if words == "slab: spacing")
    assert spacing[1] == "3.25 mm"
    assert spacing[0] == spacing[2] != spacing[1]
    assert not any(words == "material" or "ball" in words for words in rows)


def test_what_is_there_in_one_state_alone_has_a_dash_in_the_others(trio):
    held = edits.add_support(trio, "part-2", shipped_sets()["bars-metal"]).job
    rows = dict(differences([trio, held]))
    assert rows["ball: support"] == ("–", "bars-metal")
    assert rows["ball: by hand"] == ("–", "nothing")
    gone = edits.remove_parts(trio, ["part-3"]).job
    assert dict(differences([trio, gone]))["rod: build offset"][1] == "–"


def test_poses_and_modes_are_compared(trio):
    moved = edits.move_part(trio, "part-1", 30.0, 40.0).job
    turned = edits.turn_part(moved, "part-1", "x", 90.0).job
    fast = edits.choose_mode(turned, "fast").job
    rows = dict(differences([trio, fast]))
    assert rows["slab: place"][1] == "30.00  40.00 mm"
    assert rows["slab: turn"][0] == "z to 0 0 1, x to 1 0 0"
    assert rows["mode"] == ("usual", "fast")
    assert "hatch speed" in rows


def test_alike_states_and_one_state_alone_differ_in_nothing(trio):
    assert differences([trio, trio]) == ()
    assert differences([trio]) == ()
    assert differences([]) == ()
