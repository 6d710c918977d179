"""Cures of load findings are tried when one is opened: buttons say what each brings, and bring it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.stations.release import ReleaseStation


def warped(bench: ReleaseStation) -> list[int]:
    rows = bench.findings_page.groups
    return [number for number, group in enumerate(rows) if group.first.code == "warp"]


def buttons(bench: ReleaseStation) -> dict[str, QPushButton]:
    return {
        one.text().replace("\n", ": "): one
        for one in bench.findings_page.cures.findChildren(QPushButton)
        if one.isVisible()
    }


def with_long_bar(with_parts):
    """The window at Release with a bar that warps, and its bench."""
    user = with_parts(box((160, 30, 20)))
    assert user.session.choose_shop("filament-320", "abs")
    user.session.do(lambda job: edits.set_build_offset(job, ["part-1"], 0.0))
    user.session.do(lambda job: edits.move_part(job, "part-1", 160.0, 140.0))
    user.window.bench.open("release")
    user.settle()
    bench = user.window.bench.of(ReleaseStation)
    bench.tabs.show_page("findings")
    return user, bench


def test_a_brim_is_offered_with_what_it_brings_added_by_its_button_and_taken_back(with_parts):
    user, bench = with_long_bar(with_parts)
    session = user.session
    (number,) = warped(bench)
    bench.findings_page.table.selectRow(number)
    wait_until(lambda: any(words.startswith("Add a brim") for words in buttons(bench)))
    wait_until(lambda: any("contacts" in words for words in buttons(bench)), why_not=lambda: session.under_way)
    offered = {words.partition(": ")[0]: words for words in buttons(bench)}
    value = float(offered["Add a brim"].partition(": ")[2].split()[0])
    assert value < 0.8 < bench.findings_page.groups[number].first.value
    user.press(buttons(bench)[offered["Add a brim"]])
    user.settle()
    assert warped(bench) == []
    assert [support.set_name for support in session.job.supports] == ["raft-brim"]
    session.undo()
    user.settle()
    assert len(warped(bench)) == 1


def test_escape_stops_trying_and_the_cures_stay(with_parts):
    user, bench = with_long_bar(with_parts)
    session = user.session
    (number,) = warped(bench)
    bench.findings_page.table.selectRow(number)
    wait_until(lambda: session.under_way != "" or any("contacts" in words for words in buttons(bench)))
    user.key(Qt.Key.Key_Escape)
    user.settle()
    assert "Turn the part" in buttons(bench)
    assert any(words.startswith("Add a brim") for words in buttons(bench))


def test_a_region_without_support_tells_what_its_cures_bring_and_quick_steps_do_not_pile_up(with_parts):
    user = with_parts(box((30, 20, 10)), box((12, 9, 4)))
    user.window.bench.open("release")
    user.settle()
    bench = user.window.bench.of(ReleaseStation)
    bench.tabs.show_page("findings")
    page = bench.findings_page
    rows = [number for number, group in enumerate(page.groups) if group.first.code == "region_not_held"]
    assert len(rows) == 2
    for number in (*rows, *rows, *rows, rows[1]):
        page._choose([number])
    assert len(user.session._explicit) <= 1, "only what is looked at is still to be tried"
    user.settle()
    words = next(words for words in buttons(bench) if words.startswith("Support this region"))
    assert "elements" in words
    assert words.endswith("longer")
    promised = int(words.partition(": +")[2].split()[0].replace(",", ""))
    user.press(buttons(bench)[words])
    user.settle()
    (support,) = user.session.job.supports
    assert support.part_id == "part-2"
    assert len(user.session.bars(support)) == promised
