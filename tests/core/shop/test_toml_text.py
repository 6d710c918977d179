"""What is wrong in a TOML file is named with its line."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import AccessError, LibraryError
from lean_trellis.core.shop.frozen import Frozen
from lean_trellis.core.shop.toml_text import line_of, model_of_text, text_of_file


class _Row(Frozen):
    size: float


class _Thing(Frozen):
    name: str
    rows: tuple[_Row, ...] = ()


TEXT = 'name = "A"\n\n[[rows]]\nsize = 1\n[[rows]]\nsize = "wide"\n'


def test_the_line_is_that_of_the_row_that_is_meant():
    assert line_of(TEXT, ["rows", 0, "size"]) == "line 4, "
    assert line_of(TEXT, ["rows", 1, "size"]) == "line 6, "
    assert line_of(TEXT, ["rows", 1, "colour"]) == "line 5, "
    assert line_of(TEXT, ["colour"]) == ""
    with pytest.raises(LibraryError, match=r"here: line 6, key 'rows\.1\.size'"):
        model_of_text(TEXT, _Thing, "here")


def test_a_good_text_becomes_the_thing_and_bad_files_are_named(tmp_path):
    assert model_of_text("[[rows]]\nsize = 2\n", _Thing, "here", name="B") == _Thing(name="B", rows=(_Row(size=2),))
    with pytest.raises(LibraryError, match="no valid TOML"):
        model_of_text("name = ", _Thing, "here")
    with pytest.raises(AccessError):
        text_of_file(tmp_path)
    (tmp_path / "noise.toml").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(LibraryError, match="is no text"):
        text_of_file(tmp_path / "noise.toml")
