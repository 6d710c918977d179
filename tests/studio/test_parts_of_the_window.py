"""The smaller pieces: numbers, settings, recovery, display, the eye, the contract between layers."""

from __future__ import annotations

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.studio.display import has_display, prepare_platform
from lean_trellis.studio.forms.numbers import parse_number, shown_number
from lean_trellis.studio.settings import Settings, load_settings
from lean_trellis.studio.shown import shown_mesh
from lean_trellis.studio.view3d.camera import Eye


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("12.5", 12.5),
        ("12,5", 12.5),
        ("12.5+0.4", 12.9),
        ("(3+1)/2", 2),
        ("-4", -4),
        ("−4", -4),
        ("45°", 45),
        ("2*3", 6),
    ],
)
def test_numbers_take_commas_and_sums(text, value):
    assert parse_number(text) == pytest.approx(value)


@pytest.mark.parametrize(("text", "value"), [("0.5in", 12.7), ("1 cm", 10), ("2mm+0.1in", 4.54), ("0.01m", 10)])
def test_lengths_take_units(text, value):
    assert parse_number(text, is_length=True) == pytest.approx(value)


@pytest.mark.parametrize(
    "text", ["", "abc", "1+", "2**99", "__import__('os')", "1/0", "9" * 400, "1e999", "True", "(" * 500]
)
def test_what_is_no_number_is_refused(text):
    with pytest.raises(ParameterError):
        parse_number(text)


@given(st.floats(-1e5, 1e5))
def test_what_is_shown_is_read_back(value):
    assert parse_number(shown_number(value)) == pytest.approx(value, abs=5.1e-4)


def test_settings_come_back_and_wrong_entries_are_passed_over(tmp_path):
    path = tmp_path / "deep" / "settings.toml"
    settings = load_settings(path)
    settings.machine, settings.night = "vat-150", True
    settings.remember_job(tmp_path / "a.trellis")
    assert load_settings(path).model_dump() == settings.model_dump()
    path.write_text('machine = "belt-260"\nnight = "perhaps"\nunheard = 3\n')
    assert (load_settings(path).machine, load_settings(path).night) == ("belt-260", False)
    path.write_text("not toml at all [")
    assert load_settings(path).model_dump() == Settings().model_dump()


def test_recent_jobs_are_few_and_the_last_comes_first(tmp_path):
    settings = Settings()
    for number in range(12):
        settings.remember_job(tmp_path / f"{number}.trellis")
    settings.remember_job(tmp_path / "11.trellis")
    assert len(settings.recent) == 8
    assert settings.recent[0].endswith("11.trellis")


def test_on_wayland_the_window_goes_through_x11():
    environment = {"WAYLAND_DISPLAY": "wayland-0"}
    assert has_display(environment)
    prepare_platform(environment)
    assert environment["QT_QPA_PLATFORM"] == "xcb"


def test_without_a_display_the_demo_says_so_and_tells_of_pictures():
    done = subprocess.run(
        [sys.executable, "-m", "lean_trellis.studio", "--demo"],
        env={"PATH": "/usr/bin"},
        capture_output=True,
        text=True,
    )
    assert done.returncode == 2
    assert "--picture out.png" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_picture_of_a_file_is_written_without_a_display_or_it_is_said_why_not(tmp_path):
    part, out = tmp_path / "block.stl", tmp_path / "out.png"
    part.write_bytes(stl_bytes(box((20, 12, 6))))
    (tmp_path / "none.stl").write_text("solid of nothing")
    environment = {"PATH": "/usr/bin:/bin", "HOME": str(tmp_path)}

    def pictured(*files):
        command = [sys.executable, "-m", "lean_trellis.studio", "--picture", str(out), *map(str, files)]
        return subprocess.run(command, env=environment, capture_output=True, text=True)

    done = pictured(part)
    assert done.returncode == 0, done.stderr
    assert out.read_bytes().startswith(b"\x89PNG")
    assert out.stat().st_size > 30_000
    out.unlink()
    refused = pictured(tmp_path / "none.stl")
    assert refused.returncode == 2
    assert "none.stl" in refused.stderr
    assert "Traceback" not in refused.stderr
    assert not out.exists()


def test_a_light_mesh_is_shown_as_it_is_and_a_heavy_one_by_a_stand_in():
    light, heavy = ball(5, subdivisions=3), ball(5, subdivisions=6)
    with ThreadPoolExecutor(1) as beside:  # as in the worker
        plain, shown = beside.map(shown_mesh, (light, heavy))
    assert plain.faces is light.faces
    assert len(plain.edges) == 0, "a ball has no sharp edge"
    assert shown.is_stand_in
    assert len(shown.faces) < 23_000
    assert shown.source.max() < len(heavy.faces)
    middles = shown.vertices[shown.faces].mean(axis=1)
    assert np.linalg.norm(middles - heavy.centroids[shown.source], axis=1).max() < 0.6


@given(st.floats(-180, 180), st.floats(-89, 89), st.floats(0.3, 3))
def test_a_fitted_eye_sees_the_whole_box(azimuth, height, aspect):
    low, high = np.array([10.0, 20, 0]), np.array([70.0, 35, 50])
    eye = Eye(azimuth=azimuth, height=height).fitted(low, high, aspect)
    for x in (low[0], high[0]):
        for y in (low[1], high[1]):
            for z in (low[2], high[2]):
                offset = np.array([x, y, z]) - eye.focus
                depth = eye.distance - offset @ eye.back
                half = np.tan(np.radians(13))
                assert abs(offset @ eye.up) <= depth * half * 1.001
                assert abs(offset @ eye.right) <= depth * half * aspect * 1.001


def test_zooming_keeps_the_place_under_the_pointer():
    eye, place = Eye(), np.array([100.0, 90.0, 12.0])
    near = eye.zoomed(1.7, place)

    def on_picture(e):
        offset = place - e.focus
        return np.array([offset @ e.right, offset @ e.up]) / (e.distance - offset @ e.back)

    np.testing.assert_allclose(on_picture(near), on_picture(eye), atol=1e-9)


def test_the_layers_keep_to_their_contract():
    root = Path(__file__).parents[2]
    done = subprocess.run(
        [Path(sys.executable).with_name("lint-imports"), "--no-cache"],
        cwd=root,
        capture_output=True,
    )
    assert done.returncode == 0, done.stdout.decode("utf-8", "replace")


def test_where_nothing_is_shown_below_the_view_has_the_whole_height(with_parts):
    user = with_parts(box((20, 15, 5)))
    views = user.window.views
    user.station("overhangs")
    user.settle()
    assert views.map.isVisible()
    shared = views.view.height()
    for key in ("setup", "release"):
        user.station(key)
        user.settle()
        assert not views.beside.below.isVisible()
        assert views.view.height() > shared + 150, key
    user.station("overhangs")
    user.settle()
    assert views.view.height() == shared


@pytest.mark.parametrize(("azimuth", "out"), [(-62.0, (0, -9)), (-62.0, (0, 9)), (10.0, (-9, 0)), (170.0, (8, -5))])
@pytest.mark.parametrize("is_underside", [True, False])
def test_a_place_is_looked_at_from_its_own_side_of_the_part(azimuth, out, is_underside):
    middle, eye = np.array([50.0, 40.0, 10.0]), Eye(azimuth=azimuth)
    place = (50.0 + out[0], 40.0 + out[1], 12.0)
    flown = eye.flown_to(place, middle, is_underside=is_underside)
    assert flown.focus == place
    assert flown.back[:2] @ out > 0.3 * np.hypot(*out)
    assert (flown.height < 0) is is_underside
    kept = eye.flown_to((50.5, 40.0, 12.0), middle, is_underside=is_underside)
    assert kept.azimuth == azimuth, "in the middle no side is better than another"
