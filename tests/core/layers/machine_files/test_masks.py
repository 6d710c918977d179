"""Masks of vats: within a pixel of the outline, and what is done at each."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from layered_builds import layers_of, small_job
from machine_readers import read_masks

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.layers.machine_files import write_layers
from lean_trellis.core.layers.machine_files.masks import mask_of
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.shop.machine import Plate

SQUARE = np.array([[1.0, 2.0], [5.0, 2.0], [5.0, 4.5], [1.0, 4.5]])


def test_pixels_whose_middle_is_within_are_lit_and_the_first_row_is_at_the_back():
    mask = mask_of([SQUARE], 12, 10, 0.5)
    lit = np.zeros((10, 12), np.uint8)
    lit[10 - 9 : 10 - 4, 2:10] = 255
    np.testing.assert_array_equal(mask, lit)


def test_holes_stay_dark_overlaps_count_once_and_what_is_outside_is_cut_off():
    hole = (SQUARE * 0.5 + [1.5, 1.625])[::-1]
    assert mask_of([SQUARE, hole], 100, 100, 0.05)[100 - 65, 60] == 0
    np.testing.assert_array_equal(mask_of([SQUARE, SQUARE], 80, 80, 0.1), mask_of([SQUARE], 80, 80, 0.1))
    assert (mask_of([SQUARE - 3], 40, 40, 0.1) == 255).sum() == pytest.approx(20 * 15, abs=20)
    assert mask_of([], 5, 4, 0.1).shape == (4, 5)


def test_smoothed_edges_take_the_share_that_is_covered():
    quarter = np.array([[0.0, 0.0], [1.25, 0.0], [1.25, 1.0], [0.0, 1.0]])
    row = mask_of([quarter], 3, 1, 1.0, smoothing=1.0)[0]
    np.testing.assert_allclose(row, [255, 64, 0], atol=1)
    assert mask_of([quarter], 3, 1, 1.0, smoothing=0.5)[0].tolist() == [255, 32, 0]


@pytest.mark.parametrize("smooths", [False, True])
def test_every_mask_is_within_a_pixel_of_the_layer_s_outline(library, tmp_path, smooths):
    job = small_job(library, "vat")
    job = replace(job, machine=job.machine.model_copy(update={"pixel": 0.2}))
    estimate, build = layers_of(job)
    (path,) = write_layers(build, tmp_path / "small.zip", smooths=smooths)
    manifest, masks = read_masks(path)
    assert len(masks) == estimate.layers
    assert (manifest["width"], manifest["depth"]) == (750, 420)
    for place in (0, 30, 70, len(masks) - 1):
        pieces = [shapely.union_all(body.layers.pieces(int(at))) for body in build.bodies
                  for at in np.flatnonzero(body.numbers == place)]  # fmt: skip
        solid = shapely.union_all(pieces)
        rows, columns = np.nonzero(masks[place])
        lit = shapely.points((columns + 0.5) * 0.2, (420 - rows - 0.5) * 0.2)
        assert shapely.distance(solid, lit).max() <= 0.2
        inside = solid.buffer(-0.2)
        everywhere = np.stack(np.meshgrid(np.arange(750), np.arange(420)), axis=-1).reshape(-1, 2)
        middles = (everywhere + 0.5) * 0.2
        must = shapely.contains_xy(inside, middles[:, 0], middles[:, 1])
        assert (masks[place][::-1].reshape(-1)[must] == 255).all()
    seconds = sum(layer["exposure_s"] + layer["lifting_s"] + layer["waiting_s"] for layer in manifest["layers"])
    assert seconds == pytest.approx(estimate.build_seconds)


def test_without_a_pixel_pitch_there_are_no_masks(library, tmp_path):
    job = small_job(library, "vat")
    job = replace(job, machine=job.machine.model_copy(update={"pixel": None}))
    with pytest.raises(EditError, match="no pixel pitch"):
        write_layers(layers_of(job)[1], tmp_path / "small.zip")
    assert list(tmp_path.iterdir()) == []


def test_overcure_is_left_out_in_plan_and_below_undersides_and_thin_layers_stay(library, tmp_path):
    """A box lifted off the plate, with a lip two layers thick: three layers harden of themselves below each."""
    box_and_lip = to_manifold(box((4, 4, 2))) + to_manifold(box((2, 4, 0.1), corner=(4, 0, 1.0)))
    small = {"pixel": 0.05, "plate": Plate(shape="rectangle", width=15, depth=12)}
    job = new_job(library.machine("vat-150").model_copy(update=small), library.material("resin-model"))
    job = edits.add_bodies(job, [Body("one", from_manifold(box_and_lip), 24)]).job
    job = edits.set_build_offset(job, ["part-1"], 1.0).job

    def masks_with(**values):
        constants = dict(job.material.constants)
        for key, value in values.items():
            constants[key] = constants[key].model_copy(update={"value": value})
        _, build = layers_of(replace(job, material=job.material.model_copy(update={"constants": constants})))
        manifest, masks = read_masks(*write_layers(build, tmp_path / "one.zip"))
        return manifest, masks[:]

    _, plain = masks_with()
    manifest, masks = masks_with(overcure_depth=0.15, overcure_width=0.1)
    assert (manifest["overcure_depth_mm"], manifest["overcure_width_mm"]) == (0.15, 0.1)
    lit, before = ([(mask > 0).sum() * 0.05**2 for mask in some] for some in (masks, plain))
    assert before[19:22] == pytest.approx([0, 16, 16], abs=0.3)
    assert lit[20:23] == pytest.approx([0, 0, 0])
    assert lit[23] == pytest.approx(3.8 * 3.8, abs=0.4)
    lip = range(40, 42)
    assert [before[number] for number in lip] == pytest.approx([24, 24], abs=0.4)
    assert lit[40] == pytest.approx(3.8 * 3.8, abs=0.4), "the lower layer of the lip hardens of itself"
    assert lit[41] == pytest.approx(5.8 * 3.8, abs=0.4), "its upper one stays"
    on_plate = edits.set_build_offset(job, ["part-1"], 0.0).job
    job = on_plate
    _, standing = masks_with(overcure_depth=0.15)
    assert (standing[0] > 0).sum() * 0.05**2 == pytest.approx(16, abs=0.3)
