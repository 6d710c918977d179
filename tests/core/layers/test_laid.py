"""Paths and motion by the process, a portion at a time."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers import laid as laid_module
from lean_trellis.core.layers.laid import motion_of, paths_of, portions, work_on
from lean_trellis.core.layers.laying import PART, SUPPORT
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.layers.work import work_of
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.topology import build_topology

CASES = [("metal-260", "steel-316l", 0.04), ("filament-320", "pla", 0.2), ("vat-150", "resin-model", 0.05)]


def body_of(height):
    mesh, plan = box((15, 9, 2)), LayerPlan(height)
    body = layered(build_topology(mesh), mesh.vertices, plan)
    return body, plan.numbers_of(body.heights)


@pytest.mark.parametrize(("machine", "material", "height"), CASES)
@pytest.mark.parametrize("is_support", [False, True])
def test_work_laid_in_portions_is_that_of_all_paths_at_once(
    library, monkeypatch, machine, material, height, is_support
):
    monkeypatch.setattr(laid_module, "_AT_ONCE_MM", 5000.0)
    machine, constants = library.machine(machine), library.material(material).constants
    body, numbers = body_of(height)
    motion = motion_of(machine, constants, is_support=is_support)
    laid_as = SUPPORT if is_support else PART
    paths = paths_of(body, numbers, machine, constants, laid_as)
    whole = work_of(paths, numbers, motion)
    made = work_on(body, numbers, machine, constants, laid_as)
    np.testing.assert_allclose(made.seconds, whole.seconds)
    np.testing.assert_array_equal(made.numbers, whole.numbers)
    if machine.process == "powder_bed":
        assert len(portions(body, machine, constants)) > 5
        assert made.lengths[:, Kind.FILL].sum() * 0.1 == pytest.approx(body.areas_mm2.sum(), rel=0.01)
    elif machine.process == "vat":
        assert made.layers == 0


def test_speeds_are_the_material_s_and_accelerations_the_machine_s(library):
    steel, metal = library.material("steel-316l").constants, library.machine("metal-260")
    motion = motion_of(metal, steel, is_support=False)
    assert motion.speeds[Kind.FILL] == steel["hatch_speed"].value
    assert motion.speeds[Kind.OUTLINE] == steel["outline_speed"].value
    assert motion.acceleration == 0
    supports = steel | {"support_hatch_speed": steel["hatch_speed"].model_copy(update={"value": 1111.0})}
    assert motion_of(metal, supports, is_support=True).speeds[Kind.FILL] == 1111.0
    assert motion_of(metal, supports, is_support=False).speeds[Kind.FILL] == steel["hatch_speed"].value
    pla = library.material("pla").constants
    motion = motion_of(library.machine("filament-320"), pla, is_support=False)
    assert set(motion.speeds) == {pla["path_speed"].value}
    assert motion.acceleration == library.machine("filament-320").moves.acceleration > 0
    assert motion.draw_back_s > 0
