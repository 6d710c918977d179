"""Files as a machine reads them, held against what the build says of itself."""

from __future__ import annotations

import io

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.layers import ESTIMATE, LAYERED_BUILD
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import FormatError
from lean_trellis.core.job import edits
from lean_trellis.core.layers.machine_files import write_layers
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.release.machines.file_volumes import read_content
from lean_trellis.core.release.releasing import manifest_of

SETS = {"metal-260": "bars-metal", "vat-150": "bars-resin-regular", "filament-320": "bars-extrusion"}


def build_of(library, machine, *, constants=None, every=1, lattice=False):
    built_on = library.machine(machine)
    if machine == "vat-150":  # its masks are large, and what matters here is in the middle
        small = built_on.plate.model_copy(update={"width": 40.0, "depth": 40.0})
        built_on = built_on.model_copy(update={"plate": small})
    material = library.materials_for(built_on)[0]
    if constants:
        usual = next(iter(material.constants.values()))
        more = {key: usual.model_copy(update={"value": value}) for key, value in constants.items()}
        material = material.model_copy(update={"constants": {**material.constants, **more}})
    job = job_of((built_on, material), box((9, 8, 4)), cylinder(4, 5))
    job = supported(job, "lattice-metal" if lattice else SETS[machine])
    job = edits.set_layer_height(job, max(layer.height for layer in material.layers)).job
    return edits.set_support_every(job, every).job if every > 1 else job


def read(job, tmp_path):
    graph = Pipeline().graph
    build, estimate = graph.get(LAYERED_BUILD, None, job), graph.get(ESTIMATE, None, job)
    (path,) = write_layers(build, tmp_path / "file")
    manifest = manifest_of(job, build, estimate, path.name, "0" * 64)
    with path.open("rb") as file:
        return read_content(file, manifest), manifest, estimate


@pytest.mark.parametrize("machine", list(SETS))
def test_a_file_holds_what_the_manifest_says(library, machine, tmp_path):
    job = build_of(library, machine)
    content, manifest, estimate = read(job, tmp_path)
    assert content.volume_mm3 == pytest.approx(manifest.volume_mm3, rel=0.004)
    assert content.layers == estimate.layers == len(manifest.layer_seconds)
    low, high = job.parts[0].bounds()[:, :2]
    assert (content.low <= low + 0.5).all()
    assert (content.high >= high - 0.5).all()
    top = max(part.bounds()[1, 2] for part in job.parts)
    assert content.top_mm == pytest.approx(top, abs=job.layer_height)
    if machine != "filament-320":  # solids and sheets, whatever part of them overlaps
        total = estimate.volumes_mm3["parts"] + estimate.volumes_mm3["supports"]
        assert content.volume_mm3 == pytest.approx(total, rel=0.03)


@pytest.mark.parametrize(("machine", "constants"), [
    ("metal-260", {"outline_offset": 0.1}), ("vat-150", {"overcure_width": 0.06, "overcure_depth": 0.15}),
])  # fmt: skip
def test_what_is_set_in_is_reckoned_with(library, machine, constants, tmp_path):
    content, manifest, estimate = read(build_of(library, machine, constants=constants), tmp_path)
    assert content.volume_mm3 == pytest.approx(manifest.volume_mm3, rel=0.006)
    assert content.volume_mm3 < 0.99 * (estimate.volumes_mm3["parts"] + estimate.volumes_mm3["supports"])


def test_sheets_and_supports_at_every_second_layer(library, tmp_path):
    content, manifest, _ = read(build_of(library, "metal-260", every=2, lattice=True), tmp_path)
    assert content.volume_mm3 == pytest.approx(manifest.volume_mm3, rel=0.004)


@pytest.mark.parametrize("process", ["powder_bed", "vat", "extrusion"])
def test_what_is_no_file_of_layers_is_refused(library, process, tmp_path):
    _, manifest, _ = read(build_of(library, "filament-320"), tmp_path)
    with pytest.raises(FormatError, match="cannot be read"):
        read_content(io.BytesIO(b"$$HEADERSTART\n$$BINARY\n$$HEADEREND\x82\x00" + b"\xff" * 40),
                     manifest.model_copy(update={"process": process}))  # fmt: skip
