"""Which machine file a process takes."""

from __future__ import annotations

from pathlib import Path

import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.layers.assembly import assembled
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.machine_files import LAYER_SUFFIXES, layers_path, write_layers
from lean_trellis.core.layers.plan import LayerPlan


@pytest.mark.parametrize(("process", "suffix"), LAYER_SUFFIXES.items())
def test_a_name_without_an_ending_gets_the_process_s_own_and_3mf_serves_all(process, suffix):
    assert layers_path(Path("friday"), process) == Path(f"friday{suffix}")
    assert layers_path(Path("friday.3mf"), process) == Path("friday.3mf")
    wrong = next(other for other in LAYER_SUFFIXES.values() if other != suffix)
    with pytest.raises(EditError, match=rf"takes no {wrong} file of layers; name it friday{suffix} or friday.3mf"):
        layers_path(Path(f"friday{wrong}"), process)


def test_an_empty_build_is_refused_and_leaves_nothing(library, tmp_path):
    machine, plan = library.machine("metal-260"), LayerPlan(0.04)
    constants = library.material("steel-316l").constants
    nothing = assembled([], plan, machine, constants)
    build = LayeredBuild("Empty", machine, "steel-316l", constants, plan, 1, (), nothing)
    with pytest.raises(EditError, match="nothing to build"):
        write_layers(build, tmp_path / "empty.cli")
    assert list(tmp_path.iterdir()) == []
