"""The shop library and parameter sets: complete, validated, errors that name file and key."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import LibraryError, UnknownNameError
from lean_trellis.core.shop import Machine, load_library
from lean_trellis.core.shop.library import SHIPPED, read_model

MACHINES = {"metal-260", "metal-120", "vat-150", "vat-200", "filament-320", "belt-260"}


MATERIALS = {
    "steel-316l", "titanium-64", "aluminium-si10mg", "cobalt-chrome", "resin-model", "resin-castable", "resin-denture",
    "resin-splint", "pla", "petg", "abs", "nylon-cf",
}  # fmt: skip


def test_the_library_holds_every_id(library):
    assert set(library.machines) == MACHINES
    assert set(library.materials) == MATERIALS


def test_unknown_names_say_what_comes_close(library):
    with pytest.raises(UnknownNameError, match="did you mean steel-316l"):
        library.material("steel-316")


def test_broken_toml_and_machines_are_refused(tmp_path):
    (tmp_path / "machines").mkdir()
    (tmp_path / "machines" / "bad.toml").write_text("name = ")
    with pytest.raises(LibraryError, match="no valid TOML"):
        load_library(tmp_path)
    text = (SHIPPED / "machines" / "metal-120.toml").read_text(encoding="utf-8").replace("depth = 120", "depth = 100")
    (tmp_path / "machines" / "bad.toml").write_text(text)
    with pytest.raises(LibraryError, match="equal width and depth"):
        read_model(tmp_path / "machines" / "bad.toml", Machine)
