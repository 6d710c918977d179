"""Release as people do it: findings grouped and waived, the build by owner, machines, the board, what is frozen."""

from __future__ import annotations

from contextlib import closing

import pytest
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog
from running_machine import running

from lean_trellis.core.board.board import Board
from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.machines.register import FOLDER
from lean_trellis.core.shop.address import ADDRESS
from lean_trellis.core.shop.store.store import open_store
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.stations.release import ReleaseStation


@pytest.fixture(autouse=True)
def shop(tmp_path, monkeypatch):
    monkeypatch.setenv(ADDRESS, f"sqlite:///{tmp_path / 'library.db'}")
    monkeypatch.setenv(FOLDER, str(tmp_path / "machines"))


@pytest.fixture
def release(with_parts):
    """Two tiles of two owners in the air, on an extrusion machine, at Release."""
    user = with_parts(box((14, 10, 2)), box((12, 12, 2)))
    assert user.session.choose_shop("filament-320", "pla")
    user.session.do(lambda job: edits.set_layer_height(job, 0.25))
    user.session.do(lambda job: edits.describe_part(job, "part-1", name="Lid", owner="Otterbank"))
    user.session.do(lambda job: edits.describe_part(job, "part-2", name="Tile", owner="Tern"))
    user.session.do(lambda job: edits.set_build_offset(job, ["part-1", "part-2"], 3.0))
    user.session.settings.person = ""
    bench = user.station("release")
    bench.findings_page.whose.setCurrentIndex(0)
    bench.findings_page.kind.setCurrentIndex(0)
    bench.tabs.show_page("findings")
    user.settle()
    yield user, bench
    user.session.machines.stop()
    if user.window.board is not None:
        user.window.board.close()


def codes(bench: ReleaseStation) -> list[tuple[str, str]]:
    return [(group.first.part, group.first.code) for group in bench.findings_page.groups]


def waive_everything(user, bench):
    """Every group of open stops, by its row, reason and button."""
    page = bench.findings_page
    while any(group.open for group in page.groups):
        row = next(number for number, group in enumerate(page.groups) if group.open)
        page.table.selectRow(row)
        page.waiver.reason.setText("it is a test")
        page.waiver.who.setText("A. Rowan")
        page.waiver.waive.click()
        user.settle()


def test_findings_are_filtered_by_owner_part_and_kind(release):
    user, bench = release
    page = bench.findings_page
    assert {part for part, _ in codes(bench)} == {"Lid", "Tile"}
    user.choose(page.whose, "owner Tern")
    assert {part for part, _ in codes(bench)} == {"Tile"}
    user.choose(page.whose, "")
    user.choose(page.kind, "in_the_air")
    assert codes(bench) == [("Lid", "in_the_air"), ("Tile", "in_the_air")]
    hidden = next(one for one in user.session.findings() if one.code == "region_not_held")
    bench.show_finding(hidden)
    assert page.chosen == hidden
    assert page.kind.currentData() == ""


def test_a_group_is_stepped_through_place_by_place(with_parts):
    user = with_parts(join([box((14, 10, 2)), box((12, 12, 2), corner=(30, 0, 0))]))
    bench = user.station("release")
    bench.tabs.show_page("findings")
    user.settle()
    page = bench.findings_page
    several = next(n for n, group in enumerate(page.groups) if group.first.code == "region_not_held")
    assert len(page.groups[several].findings) == 2
    page.table.selectRow(several)
    first = page.chosen
    assert page.places.text().startswith("Place 1 of ")
    user.press(page.after)
    assert page.chosen != first
    assert user.window.views.view.eye.focus == pytest.approx(page.chosen.at_mm)
    user.press(page.before)
    assert page.chosen == first


def test_a_waiver_needs_name_and_reason_is_undone_and_can_be_withdrawn(release):
    user, bench = release
    page = bench.findings_page
    page.table.selectRow(0)
    assert page.waiver.isVisible()
    page.waiver.waive.click()
    assert "names nobody" in user.window.status.message.text()
    page.waiver.who.setText("A. Rowan")
    page.waiver.waive.click()
    assert "gives no reason" in user.window.status.message.text()
    page.waiver.reason.setText("machined off")
    page.waiver.expires.setText("soon")
    page.waiver.waive.click()
    assert "is no day" in user.window.status.message.text()
    page.waiver.expires.setText("2020-01-01")
    page.waiver.waive.click()
    assert "would have ended" in user.window.status.message.text()
    page.waiver.expires.setText("")
    assert user.session.job.waivers == ()
    page.waiver.waive.click()
    user.settle()
    assert len(user.session.job.waivers) == 1
    assert user.session.settings.person == "A. Rowan"
    assert "1 waived" in bench.verdict.text()
    waived = next(number for number, group in enumerate(page.groups) if group.is_waived)
    page.table.selectRow(waived)
    assert page.waiver.said.text() == "Waived by A. Rowan: machined off"
    page.waiver.withdraw.click()
    assert user.session.job.waivers == ()
    user.session.undo()
    assert len(user.session.job.waivers) == 1
    user.session.undo()
    assert user.session.job.waivers == ()


def test_the_gate_opens_when_all_is_waived_and_a_folder_gets_the_files(release, tmp_path):
    user, bench = release
    gate = bench.release_page
    bench.tabs.show_page("gate")
    user.settle()
    assert not gate.release.isEnabled()
    assert gate.gate.text().startswith("Closed: ")
    waive_everything(user, bench)
    bench.tabs.show_page("gate")
    user.settle()
    assert gate.gate.text() == "Open: no stop is open."
    assert "Waived by A. Rowan" in gate.waivers.text()
    gate.who.setText("B. Alder")
    gate.release_to(None, tmp_path / "stick")
    user.settle()
    wait_until(lambda: user.session.job.is_released, why_not=lambda: user.session.under_way)
    user.settle()
    assert len(list((tmp_path / "stick").iterdir())) == 4
    assert "Released by B. Alder" in gate.gate.text()
    with closing(open_store()) as store:
        (build,) = Board(store).builds()
    assert build.state == "released"


def test_a_released_build_is_frozen_and_a_new_build_of_it_is_not(release, tmp_path):
    user, bench = release
    waive_everything(user, bench)
    user.session.save_job(tmp_path / "Friday.trellis")
    user.settle()
    bench.release_page.who.setText("B. Alder")
    bench.release_page.release_to(None, tmp_path / "stick")
    user.settle()
    wait_until(lambda: user.session.job.is_released, why_not=lambda: user.session.under_way)
    user.settle()
    frozen = user.session.job
    assert open_job(tmp_path / "Friday.trellis", user.session.library).released == frozen.released
    assert not user.session.do(lambda job: edits.move_part(job, job.parts[0].id, 1.0, 1.0))
    assert "frozen" in user.window.status.message.text()
    user.session.undo()
    assert user.session.job is frozen or user.session.job.released == frozen.released
    bench.tabs.show_page("gate")
    user.settle()
    user.press(bench.release_page.new_build)
    user.settle()
    assert user.session.job.released is None
    assert user.session.job.name == "Friday, again"
    assert user.session.do(lambda job: edits.move_part(job, job.parts[0].id, 50.0, 50.0))


def test_a_machine_is_listed_sent_to_watched_paused_and_may_go_away(release, tmp_path):
    user, bench = release
    gate = bench.release_page
    waive_everything(user, bench)
    with running(tmp_path / "machines") as machine:
        bench.tabs.show_page("gate")
        wait_until(lambda: gate.to.currentData() == machine.known.address)
        assert gate.to.currentText() == "Filament 320, practice"
        gate.who.setText("B. Alder")
        gate.refresh()
        user.press(gate.release)
        wait_until(lambda: user.session.job.is_released, why_not=lambda: user.session.under_way)
        user.settle()
        wait_until(lambda: bool(gate.builds.keys() and gate.builds.keys()[0][1]))
        gate.builds.pick(gate.builds.keys()[:1])
        gate.refresh()
        assert "layer" in gate.build_words.text()
        user.press(gate.pause)
        wait_until(lambda: "paused" in gate.build_words.text())
        user.press(gate.resume)
        wait_until(lambda: "paused" not in gate.build_words.text())
        user.press(gate.cancel)
        wait_until(lambda: "cancelled" in gate.build_words.text())
        assert not gate.cancel.isEnabled()
        assert len(machine.client().status().builds) == 1
        machine.end()
        wait_until(lambda: not any(seen.status for seen in gate.watch.machines))
    assert user.session.job.is_released


def test_a_machine_that_refuses_leaves_the_job_as_it_was(release, tmp_path):
    user, bench = release
    waive_everything(user, bench)
    before = user.session.job
    with running(tmp_path / "machines", "--material", "petg") as machine:
        bench.tabs.show_page("gate")
        wait_until(lambda: bench.release_page.to.currentData() == machine.known.address)
        bench.release_page.who.setText("B. Alder")
        bench.release_page.refresh()
        user.press(bench.release_page.release)
        user.settle()
        wait_until(lambda: "Refused" in user.window.status.message.text(), why_not=lambda: user.session.under_way)
    assert "petg is loaded" in user.window.status.message.text()
    assert user.session.job is before


def test_the_build_by_owner_selects_moves_and_merges(release, tmp_path):
    user, bench = release
    bench.tabs.show_page("owners")
    page = bench.owners_page
    wait_until(lambda: len(page.table.keys()) == 2, why_not=lambda: user.session.under_way)
    page.table.selectRow(1)
    assert user.session.selection.parts == ("part-2",)
    assert page.said.text().startswith("Tile.")
    page.move_to(tmp_path / "next.trellis")
    user.settle()
    assert [part.name for part in user.session.job.parts] == ["Lid"]
    assert [part.name for part in open_job(tmp_path / "next.trellis", user.session.library).parts] == ["Tile"]
    page.merge_from(tmp_path / "next.trellis")
    user.settle()
    assert [part.name for part in user.session.job.parts] == ["Lid", "Tile"]
    user.session.undo()
    assert [part.name for part in user.session.job.parts] == ["Lid"]
    user.session.do(lambda job: edits.set_layer_height(job, 0.2))
    page.merge_from(tmp_path / "next.trellis")
    user.settle()
    assert "its layers are 0.25 mm high, here 0.2 mm" in user.window.status.message.text()


def test_the_board_holds_the_build_takes_outcomes_and_gives_parts_back(release, tmp_path, monkeypatch):
    user, _bench = release
    user.key(Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    board = user.window.board
    user.settle()
    assert "not on the board" in board.linked.text()
    board.put.click()
    user.settle()
    assert [build.name for build in board._builds] == [user.session.job.name]
    assert board.put.text() == "Bring up to date"
    assert user.session.job.link is not None
    user.session.do(lambda job: edits.move_part(job, job.parts[0].id, 77.0, 88.0))
    board.put.click()
    user.settle()
    assert "1 sent" in user.window.status.message.text()
    board.parts.pick([board.build.parts[0].id])
    board.outcome.setCurrentIndex(board.outcome.findData("broke"))
    board.note.setText("at the neck")
    Image.new("RGB", (400, 300), "teal").save(tmp_path / "neck.jpg")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "neck.jpg"), ""))
    board.photo.click()
    assert board.photo.text() == "Photo: neck.jpg"
    board.note_outcome.click()
    user.settle()
    assert (board.build.parts[0].outcome, board.build.parts[0].has_photo) == ("broke", True)
    board.parts.pick([board.build.parts[0].id])
    board._show_part()
    user.settle()
    assert board.picture.isVisible()
    assert (board.picture.pixmap().width(), board.picture.pixmap().height()) == (253, 190)
    board.parts.pick([board.build.parts[1].id])
    board._show_part()
    assert not board.picture.isVisible()
    board.builds.pick(["again"])
    board._show_build()
    board.parts.pick([board.build.parts[0].id])
    board.take.click()
    user.settle()
    assert len(user.session.job.parts) == 3
    board.orders.fields["number"].setText("FW-1")
    board.orders.fields["part"].setText("Lid")
    board.orders.asked.setText("4")
    board.orders.add.click()
    user.settle()
    assert [(one.number, one.asked) for one in board._orders] == [("FW-1", 4)]


def test_what_was_changed_on_both_sides_is_for_a_person_to_decide(release):
    user, _bench = release
    user.window.show_board()
    board = user.window.board
    user.settle()
    board.put.click()
    user.settle()
    job = user.session.job
    with closing(open_store()) as store:
        from lean_trellis.core.board.syncing import synced

        synced(edits.move_part(job, job.parts[0].id, 33.0, 44.0).job, Board(store))
    user.session.do(lambda job: edits.move_part(job, job.parts[0].id, 77.0, 88.0))
    board.put.click()
    user.settle()
    assert board.decide.isVisible()
    assert "was changed here, and was changed by" in board.conflict_words.text()
    assert user.session.job.parts[0].pose.x == 77.0
    board.take_theirs.click()
    user.settle()
    assert user.session.job.parts[0].pose.x == 33.0
    assert not board.decide.isVisible()
    user.session.undo()
    assert user.session.job.parts[0].pose.x == 77.0


def test_what_is_loaded_and_what_loads_are_named(release):
    user, _bench = release
    setup = user.station("setup")
    user.type_into(setup.loaded, "0.1")
    user.settle()
    assert any(one.code == "material_short" for one in user.session.findings())
    user.type_into(setup.loaded, "")
    assert user.session.job.loaded_grams is None
    pose = user.station("pose")
    user.choose(pose.load.direction, "z")
    user.settle()
    assert user.session.part.load == (0.0, 0.0, 1.0)
    assert "90° across the layers" in pose.load.said.text()
    pose.load.lay.click()
    assert "0° across the layers" in pose.load.said.text()
