"""The four demo builds: sound, on the plate, each with what it is there to show; and what fills a stack's gaps."""

from __future__ import annotations

from datetime import date

import numpy as np
import pytest

from lean_trellis.core.checks import is_releasable
from lean_trellis.core.demo import DEMOS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.parts.filling import separator_under
from lean_trellis.core.parts.stacking import Separator, Spacer
from lean_trellis.core.release.export import ExportRequest, export_build
from lean_trellis.core.supports.bars.struts import ON_PART


@pytest.fixture(scope="module")
def demos(library):
    """A demo by its name, with the pipeline that knows what was found of it before."""
    pipelines = {name: Pipeline() for name in DEMOS}
    jobs = {name: demo.build(library) for name, demo in DEMOS.items()}
    return lambda name: (jobs[name], pipelines[name])


@pytest.mark.parametrize("name", list(DEMOS))
def test_every_demo_is_sound_and_stands_on_its_plate(demos, library, name, tmp_path):
    job, pipeline = demos(name)
    assert all(examine_mesh(part.mesh).is_sound for part in job.parts)
    assert all(part.owner and part.order for part in job.parts)
    codes = {finding.code for finding in pipeline.findings(job)}
    assert not codes & {"parts_overlap", "keep_out", "mesh_unsound", "support_through_part"}
    quick = [one.change for finding in pipeline.findings(job) for one in finding.cures if one.change is not None]
    for change in quick:
        if change.is_quick:
            assert change.edit(job, pipeline).job != job, "every cure that is offered can be done"
    save_job(job, tmp_path / "demo.trellis")
    assert open_job(tmp_path / "demo.trellis", library).parts[-1].pose == job.parts[-1].pose


@pytest.mark.parametrize(
    ("name", "code"),
    [
        ("metal", "region_not_held"),
        ("vat", "region_not_held"),
        ("extrusion", "raft_too_thick"),
        ("belt", "outside_volume"),
    ],
)
def test_each_demo_has_one_stop_and_the_first_cure_of_it_makes_the_build_releasable(demos, name, code):
    job, pipeline = demos(name)
    (stop,) = [finding for finding in pipeline.findings(job) if finding.severity == "stop"]
    assert stop.code == code
    cure = next(cure for cure in stop.cures if cure.change is not None)
    cured = cure.change.edit(job, pipeline).job
    assert is_releasable(pipeline.findings(cured), cured, date(2026, 1, 1))


def test_the_metal_demo_is_shared_by_two_owners_and_leaves_something_to_do(demos):
    job, pipeline = demos("metal")
    assert {part.owner for part in job.parts} == {"Otterbank Survey", "Tern Street Organs"}
    findings = pipeline.findings(job)
    bare = {part.name for part in job.parts if not job.supports_of(part.id)}
    assert {finding.part for finding in findings if finding.code == "in_the_air"} == bare


def test_the_metal_demo_is_large_enough_and_needs_supports_inside(demos):
    job, pipeline = demos("metal")
    assert len(job.parts) >= 4
    assert sum(len(part.mesh.faces) for part in job.parts) >= 20_000
    manifold = next(part for part in job.parts if part.name == "Sensor manifold")
    (support,) = job.supports_of(manifold.id)
    assert (pipeline.bars(support, job).landings == ON_PART).sum() > 50
    assert "outside_volume" not in {finding.code for finding in pipeline.findings(job)}


def test_the_extrusion_demo_has_a_tall_thin_panel_and_a_stack_that_is_held(demos):
    job, pipeline = demos("extrusion")
    panel = next(part for part in job.parts if part.name == "Reed-box panel")
    _, depth, height = np.ptp(panel.bounds(), axis=0)
    assert height > 50 * depth
    (stack,) = job.stacks
    found = [f for f in pipeline.findings(job) if f.part_id in stack.parts and f.severity == "stop"]
    assert found == []


def stacked(library, filling, gap=2.0, unit="layers"):
    job = new_job(library.machine("filament-320"), library.material("pla"))
    job = edits.add_bodies(job, [Body("tile", box((30, 20, 4)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 0).job
    return edits.stack_part(job, "part-1", 3, gap, unit, filling).job


@pytest.mark.parametrize(("inset", "size"), [(0.0, (30, 20)), (1.5, (27, 17)), (-1.0, (32, 22))])
def test_a_separator_is_dense_layers_under_each_upper_part_and_nowhere_else(library, inset, size):
    job = stacked(library, Separator(library.material("petg"), inset, 2))
    solids = Pipeline().fillings(job.stacks[0], job)
    assert len(solids) == 2
    for solid, part_id in zip(solids, job.stacks[0].parts[1:], strict=True):
        assert examine_mesh(solid).is_sound
        assert solid.volume == pytest.approx(size[0] * size[1] * 2 * job.layer_height)
        assert solid.bounds[1, 2] == pytest.approx(job.part(part_id).bounds()[0, 2])


def test_a_separator_drawn_in_too_far_leaves_nothing_and_an_open_mesh_is_refused(library):
    assert len(separator_under(box((4, 4, 4)), Separator(library.material("petg"), 3.0, 2), 0.2).faces) == 0
    open_box = Mesh(box((4, 4, 4)).vertices, box((4, 4, 4)).faces[2:])
    with pytest.raises(EditError, match="no closed solid"):
        separator_under(open_box, Separator(library.material("petg"), 0.0, 2), 0.2)


def test_a_spacer_stands_on_each_lower_part(library):
    job = stacked(library, Spacer("ring", cylinder(6, 3)), 0.0, "mm")
    lower, upper = Pipeline().fillings(job.stacks[0], job)
    assert lower.bounds[0, 2] == pytest.approx(4)
    assert upper.bounds[0, 2] == pytest.approx(11)
    np.testing.assert_allclose(lower.bounds.mean(axis=0)[:2], job.parts[0].bounds().mean(axis=0)[:2])


def test_separators_are_exported_as_supports_of_their_own(library, tmp_path):
    job = stacked(library, Separator(library.material("petg"), 0.0, 2))
    state = Pipeline().state(job)
    (path,) = export_build(state, ExportRequest(tmp_path / "s.3mf", "3mf", what="supports"))
    assert [body.name for body in read_bodies(path)] == ["tile separator 1", "tile separator 2"]
