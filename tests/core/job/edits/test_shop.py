"""Edits of what a job is built with."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.edits.shop import choose_machine, fit, rename_job, same_on, set_layer_height, set_lot


def test_a_job_without_a_name_is_called_untitled(trio):
    assert rename_job(trio, "  Monday ").job.name == "Monday"
    assert rename_job(trio, "   ").job.name == "Untitled"
    assert set_lot(trio, " P-7 ").job.lot == "P-7"


def test_the_layer_height_follows_the_material_and_stays_within_the_machine(trio, library):
    vat = library.machine("vat-150"), library.material("resin-model")
    assert choose_machine(trio, *vat).job.layer_height == vat[1].usual_layer_height
    with pytest.raises(EditError, match="choose a material of its process"):
        choose_machine(trio, vat[0], trio.material)
    least, most = trio.machine.layer_least, trio.machine.layer_most
    for height in (least, most):
        assert set_layer_height(trio, height).job.layer_height == height
    for height in (0.99 * least, 1.01 * most):
        with pytest.raises(EditError, match="is outside what"):
            set_layer_height(trio, height)


def test_only_what_belongs_to_the_machine_can_be_fitted(trio, library):
    job = choose_machine(trio, library.machine("filament-320"), library.material("pla")).job
    surface = job.machine.surfaces[0]
    assert fit(job, surface=surface).job.surface == surface
    with pytest.raises(EditError, match="does not fit"):
        fit(job, surface="velvet")
    assert choose_machine(fit(job, surface=surface).job, trio.machine, trio.material).job.surface == ""


def test_the_same_build_elsewhere_stands_about_the_other_plates_middle(trio, library):
    moved = edits.move_part(trio, "part-1", 100.0, 90.0).job
    moved = edits.set_build_offset(moved, ["part-2"], 7.0).job
    vat = library.machine("vat-150"), library.material("resin-model")
    other = same_on(moved, *vat)
    shift = [a - b for a, b in zip(vat[0].plate.middle, trio.machine.plate.middle, strict=True)]
    assert (other.part("part-1").pose.x, other.part("part-1").pose.y) == pytest.approx((100 + shift[0], 90 + shift[1]))
    assert other.part("part-1").pose.build_offset == vat[1].build_offset, "the old material's own becomes the new one's"
    assert other.part("part-2").pose.build_offset == 7.0, "one of its own stays"
