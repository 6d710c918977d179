"""CLI files read by other code: areas, bodies, heights, seconds."""

from __future__ import annotations

import numpy as np
import pytest
from layered_builds import layers_of, small_job
from machine_readers import read_common_layers, ring_area

from lean_trellis.core.layers.machine_files import write_layers


@pytest.fixture(scope="module")
def metal_layers(library):
    job = small_job(library, "powder_bed")
    return job, *layers_of(job)


@pytest.mark.parametrize("as_text", [False, True])
def test_outlines_and_hatch_give_each_body_s_area_in_every_layer(metal_layers, tmp_path, as_text):
    _, _, build = metal_layers
    (path,) = write_layers(build, tmp_path / "small.cli", as_text=as_text)
    read = read_common_layers(path)
    assert read.declared == len(read.layers) == len(build.assembly.numbers)
    assert list(read.labels.values()) == ["plate", "pin", "plate bars-metal"]
    for number, body in enumerate(build.bodies, start=1):
        areas = dict(zip(body.numbers.tolist(), body.layers.areas_mm2.tolist(), strict=True))
        hatch = 0.0
        for place, (top, models) in enumerate(read.layers):
            assert top == pytest.approx((place + 1) * 0.04, abs=1e-4)
            rings = [way for direction, way in models[number].polylines] if number in models else []
            assert sum(ring_area(way) for way in rings) == pytest.approx(areas.get(place, 0.0), rel=1e-3, abs=1e-3)
            if number in models:
                x0, y0, x1, y1 = models[number].hatches.T
                hatch += np.hypot(x1 - x0, y1 - y0).sum() * 0.1
        assert hatch == pytest.approx(sum(areas.values()), rel=0.02)


def test_seconds_summed_over_the_file_are_those_of_the_estimate(metal_layers, tmp_path):
    job, estimate, build = metal_layers
    (path,) = write_layers(build, tmp_path / "small.cli")
    constants, drive = job.constants, job.machine.moves
    seconds = 0.0
    for _, models in read_common_layers(path).layers:
        seconds += constants["recoat_time"].value
        at = None
        for model in models.values():
            ways = [(way, constants["outline_speed"].value) for _, way in model.polylines]
            ways += [(hatch.reshape(2, 2), constants["hatch_speed"].value) for hatch in model.hatches]
            for way, speed in ways:
                seconds += drive.start_time + np.hypot(*np.diff(way, axis=0).T).sum() / speed
                if at is not None:
                    seconds += np.hypot(*(way[0] - at)) / drive.travel_speed
                at = way[-1]
    assert estimate.build_seconds == pytest.approx(seconds, rel=1e-4)


def test_the_same_build_gives_the_same_bytes(metal_layers, tmp_path):
    job, _, build = metal_layers
    (one,), (other,) = (write_layers(some, tmp_path / f"{n}.cli") for n, some in enumerate((build, layers_of(job)[1])))
    assert one.read_bytes() == other.read_bytes()
