"""A family that lives in the tests alone goes all the way: form, sketch, map, figures, check, export, file, undo."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import fields, replace

import numpy as np
import pytest
from PyQt6.QtGui import QPixmap
from toy_family import POST, POST_LOOK, POST_SET, SKETCHED, PostParameters, PostTools

from lean_trellis.cli.build import prepared_parts
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import read_bodies
from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.export import ExportRequest, export_build
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common import spec
from lean_trellis.studio import looks
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.parameter_form import ParameterForm

spec.unregister(POST)  # only while a test wants it


@pytest.fixture
def toy() -> Iterator[None]:
    """The family, its look and a set of it are there for as long as the test runs."""
    spec.register(POST)
    looks.register_look(POST_LOOK)
    shipped_sets()[POST_SET.name] = POST_SET
    yield
    del shipped_sets()[POST_SET.name]
    looks.unregister_look(POST_LOOK)
    spec.unregister(POST)


def with_post(job):
    job = edits.set_build_offset(job, ["part-1"], 6.0).job
    return edits.add_support(job, "part-1", POST_SET, ()).job


@pytest.fixture
def job(metal, toy):
    from lean_trellis.core.formats import Body
    from lean_trellis.core.job import new_job

    return with_post(edits.add_bodies(new_job(*metal), [Body("slab", box((8, 8, 3)), 12)]).job)


def test_it_is_generated_checked_and_cured(job):
    pipeline = Pipeline(is_guarded=True)
    made = pipeline.structure(job.supports[0], job)
    assert made.volume_mm3 == pytest.approx(3 * 3 * 6)
    assert "in_the_air" not in {finding.code for finding in pipeline.findings(job)}
    low = edits.change_support(job, "support-1", "margin", 0.5).job
    found = {finding.code: finding for finding in pipeline.findings(low)}
    assert {"toy_post_low", "in_the_air"} <= set(found)
    cured = found["toy_post_low"].cures[0].change.edit(low, pipeline).job
    assert cured.supports == job.supports


def test_it_is_told_on_the_command_line_and_exported(job, tmp_path):
    pipeline = Pipeline()
    (part,) = prepared_parts(job, pipeline)
    assert part["supports"][0]["post_width_mm"] == pytest.approx(3.0)
    assert part["supports"][0]["volume_mm3"] == pytest.approx(54.0)
    json.dumps(part)
    request = ExportRequest(tmp_path / "out", "stl", "supports", merged=False)
    (path,) = export_build(pipeline.state(job), request)
    assert path.name == "slab support 1 post.stl"
    assert read_bodies(path)[0].mesh.volume == pytest.approx(54.0, rel=1e-5)


def test_it_is_kept_in_a_job_file(job, tmp_path, library):
    save_job(job, tmp_path / "toy.trellis")
    again = open_job(tmp_path / "toy.trellis", library)
    assert again.supports[0].parameters == PostParameters()
    assert type(again.supports[0].parameters) is PostParameters


def test_a_family_that_lacks_a_member_fails_when_it_is_made():
    given = {entry.name: getattr(POST, entry.name) for entry in fields(POST)}
    for name in given:
        with pytest.raises(TypeError, match=name):
            type(POST)(**{key: value for key, value in given.items() if key != name})


def test_a_family_without_a_look_is_found_when_the_window_is_made(toy):
    looks.unregister_look(POST_LOOK)
    try:
        with pytest.raises(LookupError, match="Toy post"):
            looks.require_looks()
    finally:
        looks.register_look(POST_LOOK)


def test_entering_another_under_the_same_name_is_refused(toy):
    with pytest.raises(ValueError, match="twice"):
        spec.register(replace(POST, title="Another"))


@pytest.mark.fresh
def test_it_goes_through_the_window(toy, with_parts, tmp_path):
    user = with_parts(box((8, 8, 3)))
    session, window = user.session, user.window
    window.bench.open("supports")
    session.do(lambda before: edits.set_build_offset(before, ["part-1"], 6.0))
    bench = window.station
    bench.set_choice.setCurrentIndex(bench.set_choice.findData(POST_SET.name))
    bench.add(selected_only=False)
    user.settle()
    support = session.job.supports[0]
    assert support.parameters == PostParameters()
    assert "one post" in bench.words.text()
    form = bench.values.shown
    assert isinstance(form, ParameterForm)
    assert isinstance(bench.hand, PostTools)
    assert all(not tools.isVisible() for tools in bench.findChildren(HandTools) if tools is not bench.hand)
    user.open_tab(bench.values)
    user.type_into(form.field("width"), "5")
    user.settle()
    assert session.structure(session.job.supports[0]).volume_mm3 == pytest.approx(150.0)
    SKETCHED.clear()
    bench.sketch.show_key("width")
    picture = QPixmap(bench.sketch.size())
    bench.sketch.render(picture)
    assert SKETCHED[-1] == "width"
    assert picture.toImage().pixelColor(picture.width() // 2, 60).name() == "#ff00ff"
    (sheet,) = window.views.map.sheet.solids(window.views.map._tokens)
    assert sheet.colour == "#FF00FF"
    assert sheet.covers.boundingRect().width() == pytest.approx(5.0)
    assert support.id in {entry for entry, _ in window.views.view.scene._solids.actors()}
    session.undo()
    session.undo()
    assert session.job.supports == ()
    session.redo()
    assert np.isclose(session.job.supports[0].parameters.width, 3.0)
