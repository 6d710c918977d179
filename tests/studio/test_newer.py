"""The section of Setup that lists what the library has newer than the job."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QScrollArea

from lean_trellis.core.job import new_job
from lean_trellis.core.shop import shipped_library


def older(job):
    """The job as an older library would have made it."""
    material = job.material
    span = material.free_span.model_copy(update={"spans": tuple(s + 0.01 for s in material.free_span.spans)})
    detection = material.detection.model_copy(update={"watch_angle": material.detection.watch_angle + 1})
    changes = {"build_offset": 7.25, "free_span": span, "detection": detection, "shrinkage": material.shrinkage[:1] * 3}
    return new_job(job.machine, material.model_copy(update=changes))


def test_newer_values_are_listed_and_taken_only_when_asked_and_can_be_undone(user):
    bench = user.station("setup")
    assert not bench.newer.isVisible()
    library = shipped_library()
    job = older(new_job(library.machine("metal-260"), library.material("steel-316l")))
    user.session.replace_job(job, None)
    user.settle()
    assert bench.newer.isVisible()
    assert "Build offset 7.25 mm here, 4 mm in the library" in bench.newer.list.text()
    bench.newer.heading.setChecked(True)
    user.settle()
    bench.refresh()
    assert bench.material_values.heading.text().count("changed for this build") == 1
    scroll = bench.findChild(QScrollArea)
    assert scroll.widget().minimumSizeHint().width() <= scroll.viewport().width()
    QTest.mouseClick(bench.newer.take, Qt.MouseButton.LeftButton)
    user.settle()
    assert user.session.job.material == library.material("steel-316l")
    assert not bench.newer.isVisible()
    user.window.menus.run("undo")
    user.settle()
    assert user.session.job.material == job.material
