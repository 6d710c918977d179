"""Lengths in inches: fields, readouts and rulers change, values do not."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QLabel

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.primitives import box
from lean_trellis.studio.forms.numbers import parse_number
from lean_trellis.studio.forms.units import UNITS


@pytest.fixture
def in_inches(with_parts):
    """The window with a part of 2 by 1 by half an inch at Pose; millimetres again afterwards."""
    user = with_parts(box((50.8, 25.4, 12.7)))
    user.window.menus.run("inches")
    yield user
    if UNITS.is_inch:
        user.window.menus.run("inches")


@pytest.mark.parametrize(
    ("text", "mm"), [("1", 25.4), ("0,5+0.25", 19.05), ("10 mm", 10.0), ("1in+2", 27.4), ("-(2)", -50.8)]
)
def test_what_is_typed_without_a_unit_is_in_the_unit_that_is_shown(text, mm):
    assert parse_number(text, is_length=True, unit="in") == pytest.approx(mm)


def test_an_angle_has_no_unit_of_length_and_nonsense_stays_nonsense():
    assert parse_number("45", unit="in") == 45
    with pytest.raises(ParameterError, match="no number"):
        parse_number("1)(", is_length=True, unit="in")


def test_fields_take_inches_and_the_job_keeps_millimetres(in_inches):
    user = in_inches
    user.station("pose")
    field = user.field("pose.offset")
    user.type_into(field, "0.25")
    user.settle()
    assert user.session.part.pose.build_offset == pytest.approx(6.35)
    assert field.text() == "0.25"
    user.type_into(field, "3 mm")
    user.settle()
    assert user.session.part.pose.build_offset == pytest.approx(3.0)
    assert field.text() == "0.1181"
    user.window.menus.run("inches")
    assert field.text() == "3"
    assert user.session.settings.inches is False


def test_a_field_that_is_only_looked_at_changes_nothing(in_inches):
    user = in_inches
    user.station("pose")
    before = user.session.job
    field = user.field("pose.offset")
    field.setFocus()
    user.window.views.view.canvas.setFocus()
    user.settle()
    assert user.session.job is before


def test_sizes_rulers_and_units_beside_fields_are_in_inches(in_inches):
    user = in_inches
    user.station("supports")
    user.press(user.window.station.support_all)
    user.settle()
    spacing = user.session.support.parameters.spacing
    assert float(user.field("parameter.spacing").text()) == pytest.approx(spacing / 25.4, abs=1e-4)
    parts = user.station("parts")
    assert parts.sheet.table.model().index(0, 4).data() == "2.00 × 1.00 × 0.50"
    assert "2.0000 × 1.0000 × 0.5000 in" in parts.who.figures.text()
    shown = [label.text() for label in parts.findChildren(QLabel) if label.isVisible()]
    assert "mm" not in shown
