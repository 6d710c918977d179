"""What goes wrong with a value: said of every one that can be too small or too large, and of nothing else."""

from __future__ import annotations

from lean_trellis.core.supports.common.consequences import CONSEQUENCES
from lean_trellis.core.supports.common.spec import families

DECLARED = {one.key: one for spec in families() for one in spec.model.declared()}


def test_every_number_says_what_goes_wrong_when_it_is_too_small_and_too_large():
    numbers = {key for key, one in DECLARED.items() if one.kind in ("number", "count", "optional_number")}
    assert numbers - set(CONSEQUENCES) == set()
    assert set(CONSEQUENCES) - numbers == set()
    for one in CONSEQUENCES.values():
        for words in (one.too_small, one.too_large, *([one.cost] if one.cost else [])):
            assert words[0].isupper()
            assert words.endswith(".")
    assert DECLARED["sides"].cost
    assert DECLARED["spacing"].too_large == CONSEQUENCES["spacing"].too_large
    assert DECLARED["pattern"].too_small == ""
