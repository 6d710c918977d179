"""The test shape of the set editor: every shipped set makes something on it."""

from __future__ import annotations

import pytest

from lean_trellis.core.demo.specimen import OFFSET, specimen_job, specimen_mesh
from lean_trellis.core.derive import Pipeline
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library

USUAL = {"powder_bed": ("metal-260", "steel-316l"), "vat": ("vat-150", "resin-model"),
         "extrusion": ("filament-320", "pla"), "any": ("metal-260", "steel-316l")}  # fmt: skip


@pytest.mark.parametrize("name", sorted(shipped_sets()))
def test_every_set_can_be_seen_on_it(name):
    chosen, library = shipped_sets()[name], shipped_library()
    machine, material = USUAL[chosen.process]
    job = specimen_job(chosen, library.machine(machine), library.material(material))
    (support,) = job.supports
    assert support.parameters == chosen.parameters
    assert not Pipeline().structure(support, job).is_empty
    assert job.parts[0].pose.build_offset == (chosen.parameters.thickness if chosen.family == "raft" else OFFSET)


def test_it_is_one_sound_solid():
    health = examine_mesh(specimen_mesh())
    assert health.watertight
    assert health.shells == 1
