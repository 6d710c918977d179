"""Parameter sets."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import LibraryError
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.parameter_set import SHIPPED as SETS
from lean_trellis.core.sets.parameter_set import read_set_file
from lean_trellis.core.supports.common.spec import require_buildable


def test_every_shipped_set_holds_itself_in_every_material_of_its_process(library):
    for chosen in shipped_sets().values():
        for material in library.materials.values():
            if chosen.suits(material.process):
                require_buildable(chosen.parameters, material.detection.critical_angle)


def test_sets_are_read_with_their_values_and_refused_with_the_key(tmp_path):
    assert shipped_sets()["bars-metal"].parameters.spacing == 1.9
    path = tmp_path / "mine.toml"
    path.write_text(
        (SETS / "bars-metal.toml").read_text(encoding="utf-8").replace("sides = 8", "sides = 2"),
        encoding="utf-8",
    )
    with pytest.raises(LibraryError, match=r"parameters\.sides"):
        read_set_file(path)
