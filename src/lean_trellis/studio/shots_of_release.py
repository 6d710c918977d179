"""Pictures of a release: a build sent to a practice machine, and the board afterwards, in a library of their own."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from lean_trellis.core.release.machines.register import FOLDER
from lean_trellis.core.shop.address import ADDRESS
from lean_trellis.studio.pictures import settle, show_demo, wait_until
from lean_trellis.studio.stations.release import ReleaseStation
from lean_trellis.studio.window import MainWindow


def gate(window: MainWindow) -> None:
    """The extrusion demo, its stops waived, released to a machine that is building it."""
    folder = Path(tempfile.mkdtemp(prefix="trellis-shots-"))
    os.environ[FOLDER], os.environ[ADDRESS] = str(folder / "machines"), f"sqlite:///{folder / 'library.db'}"
    show_demo(window, "extrusion")
    window.bench.open("release")
    bench = window.bench.of(ReleaseStation)
    page, findings = bench.release_page, bench.findings_page
    settle(window)
    while any(group.open for group in findings.groups):
        stop = next(group for group in findings.groups if group.open)
        bench.show_finding(stop.first)
        findings.waiver.who.setText("A. Rowan")
        findings.waiver.reason.setText("the lever's raft may take up the offset")
        findings.waiver.waive.click()
        settle(window)
    window.session.machines.start_practice(window.session.job.machine.id)
    bench.tabs.show_page("gate")
    wait_until(lambda: any(seen.status for seen in window.session.machines.machines))
    settle(window)
    page.who.setText("B. Alder")
    page.refresh()
    page.release.click()
    wait_until(lambda: window.session.job.is_released, why_not=lambda: window.session.under_way)
    settle(window)
    window.session.select(parts=())
    window.menus.run("look_corner")
    window.menus.run("fit")
    wait_until(lambda: page.progress.isVisible() and page.progress.value() > 0)


def board(window: MainWindow) -> None:
    """The board with the build that was released, and what came of two of its parts."""
    if not window.session.job.is_released:
        gate(window)
    window.session.machines.stop()
    window.show_board()
    settle(window)
    shown = window.board
    assert shown is not None
    for number, outcome, note in ((0, "well", ""), (3, "came_off_plate", "the raft let go at 3 mm")):
        build = next(one for one in shown.builds_shown if one.state == "released")
        shown.builds.pick([build.id])
        shown.parts.pick([build.parts[number].id])
        shown.outcome.setCurrentIndex(shown.outcome.findData(outcome))
        shown.note.setText(note)
        shown.note_outcome.click()
        settle(window)


def after_board(window: MainWindow) -> None:
    """The board is closed, and the library is the user's again."""
    assert window.board is not None
    window.board.close()
    for name in (FOLDER, ADDRESS):
        os.environ.pop(name, None)
