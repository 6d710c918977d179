"""Measuring a material in the window: a coupon into the build, what came out of it, the shop's own material."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.mesh.primitives import box


@pytest.fixture
def measuring(with_parts):
    user = with_parts(box((12, 9, 2)))
    bench = user.station("setup")
    user.unfold(bench.coupons)
    user.settle()
    return user, bench, bench.coupons


def test_a_coupon_stands_in_the_build_without_supports_and_stops_nothing(measuring):
    user, _, coupons = measuring
    user.press(coupons.add)
    user.settle()
    part = user.session.job.parts[-1]
    assert (part.name, part.owner) == ("Coupon, ladder of angles", "Witness coupon")
    assert part.pose.build_offset == 0
    codes = {one.code for one in user.session.findings() if one.part_id == part.id}
    assert not codes & {"region_not_held", "island_not_held", "in_the_air"}
    user.window.menus.run("undo")
    assert len(user.session.job.parts) == 1


def test_what_held_and_what_failed_gives_the_shop_its_own_material(measuring):
    user, bench, coupons = measuring
    user.press(coupons.fit)
    assert "Enter what came out" in user.window.status.message.text()
    keys = coupons.table.keys()
    coupons.table.pick(keys[:3])
    user.press(coupons.failed)
    coupons.table.pick(keys[3:])
    user.press(coupons.held)
    user.press(coupons.fit)
    sizes = coupons.chosen.sizes(user.session.job.material)
    assert f"({sizes[2]:g} to {sizes[3]:g})" in coupons.result.text()
    assert "45 now" in coupons.result.text()
    user.type_into(coupons.own_name, "Our steel")
    user.press(coupons.take)
    user.settle()
    material = user.session.job.material
    assert (material.id, material.detection.critical_angle) == ("our-steel", sizes[3])
    assert "measured: 1 coupon (angles)" in material.detection.source_of("critical_angle")
    assert "on metal-260" in material.detection.source_of("critical_angle")
    assert bench.material.currentData() == "our-steel"


def test_measured_numbers_are_typed_and_wrong_ones_refused(measuring):
    user, _, coupons = measuring
    user.choose(coupons.kind, "tips")
    assert not coupons.held.isVisible()
    first = coupons.table.keys()[0]
    coupons.table.typed.emit(first, "outcome", "about ten")
    assert coupons._steps[0][0]["force"] is None
    coupons.table.typed.emit(first, "outcome", "31.5")
    assert coupons._steps[0][0]["force"] == 31.5
    user.press(coupons.fit)
    assert "Strength" in coupons.result.text()
    user.press(coupons.another)
    assert len(coupons.table.keys()) == 10
    assert coupons.result.text() == "", "what is fitted is of what is entered"


def test_outcomes_wait_in_a_file(measuring, tmp_path, monkeypatch):
    user, _, coupons = measuring
    coupons.table.pick(coupons.table.keys()[:1])
    user.press(coupons.held)
    path = tmp_path / "out.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    user.press(coupons.keep)
    user.choose(coupons.kind, "tips")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    user.press(coupons.open)
    assert coupons.kind.currentData() == "angles"
    assert [step["held"] for step in coupons._steps[0]] == [True] + [None] * 7
    path.write_text(json.dumps({"kind": "peel", "steps": [{"held": True}]}))
    user.press(coupons.open)
    assert "which this material has not" in user.window.status.message.text()
    mesh = tmp_path / "ladder.stl"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(mesh), ""))
    user.press(coupons.export)
    user.settle()
    assert mesh.stat().st_size > 1000
