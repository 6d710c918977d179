"""Parameter sets as text: read again they are equal, and what is wrong is named with its line."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.errors import AccessError, LibraryError, ParameterError
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.parameter_set import read_set_file, read_set_text
from lean_trellis.core.sets.text import set_text
from lean_trellis.core.supports.common.spec import families

TEXTS = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=40)


@st.composite
def changed_sets(draw):
    """A shipped set of any family with random values where they are taken."""
    chosen = draw(st.sampled_from(sorted(shipped_sets().values(), key=lambda one: one.name)))
    parameters = chosen.parameters
    for known in parameters.declared():
        if not draw(st.booleans()):
            continue
        if known.kind in ("number", "optional_number"):
            value = draw(st.floats(known.least if known.least is not None else -9, known.most or 9))
        elif known.kind == "count":
            value = draw(st.integers(int(known.least or 0), int(known.most or 9)))
        elif known.kind == "switch":
            value = draw(st.booleans())
        else:
            value = draw(st.sampled_from(known.choices))
        try:
            parameters = parameters.with_value(known.key, value)
        except ParameterError:
            continue
    return replace(chosen, parameters=parameters, title=draw(TEXTS), note=draw(st.text(max_size=60)))


@given(changed_sets())
def test_a_set_written_and_read_again_is_equal(kept):
    assert read_set_text(set_text(kept), kept.name, "here") == kept


def test_every_family_can_be_written_and_each_value_says_what_it_is():
    written = {type(one.parameters) for one in shipped_sets().values()}
    assert written == {spec.model for spec in families()}
    text = set_text(shipped_sets()["bars-metal"])
    assert "spacing = 1.9 # mm" in text
    assert "[parameters]" in text


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [('spacing = 1.9', 'spacing = "wide"', r"line \d+, key 'parameters.spacing'"),
     ("spacing = 1.9", "spacing = -3", r"line \d+, key 'parameters.spacing'"),
     ("spacing = 1.9", "spaceing = 1.9", r"line \d+, key 'parameters.spaceing'"),
     ('family = "bars"', 'family = "ropes"', "line 2, "),
     ('process = "powder_bed"', 'process = "smithy"', r"line \d+, key 'process': .*vat"),
     ('title = "Metal, general"', "titel = 3", "key 'title'"), ("[parameters]", "[parameters", "no valid TOML"),
     ("version = 3", "version = 0", r"line \d+, key 'version'")],
)  # fmt: skip
def test_what_is_wrong_is_named_with_file_line_and_key(tmp_path, old, new, words):
    text = set_text(shipped_sets()["bars-metal"])
    assert old in text
    path = tmp_path / "ours.toml"
    path.write_text(text.replace(old, new, 1), encoding="utf-8")
    with pytest.raises(LibraryError, match=words) as caught:
        read_set_file(path)
    assert str(caught.value).startswith(str(path))
    assert "\n" not in str(caught.value)


def test_what_is_no_file_or_no_text_is_refused(tmp_path):
    with pytest.raises(AccessError):
        read_set_file(tmp_path / "none.toml")
    (tmp_path / "noise.toml").write_bytes(b"\xff\xfe\x00\x81")
    with pytest.raises(LibraryError, match="is no text"):
        read_set_file(tmp_path / "noise.toml")
