"""Every control has a name for screen readers, and everything is reached by the keyboard."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QScrollBar,
    QWidget,
)

from lean_trellis.core.mesh.primitives import box

_CONTROLS = (QAbstractButton, QLineEdit, QComboBox, QAbstractItemView, QAbstractSlider)


def called(control: QWidget, labels: list[tuple[QWidget, str]]) -> str:
    """What a screen reader says of a control. `labels` are those of some control, and their words."""
    words = control.text() if isinstance(control, QAbstractButton) else ""
    buddies = [text for buddy, text in labels if buddy is control]
    return (control.accessibleName() or words or " ".join(buddies)).strip()


def test_every_control_has_a_name(user):
    window = user.window
    labels = [(buddy, label.text()) for label in window.findChildren(QLabel) if (buddy := label.buddy()) is not None]
    nameless = [
        f"{type(control).__name__} {control.objectName()!r} in {type(control.parentWidget()).__name__}"
        for control in window.findChildren(QWidget)
        if isinstance(control, _CONTROLS)
        and not isinstance(control, QScrollBar)
        and not isinstance(control.window(), type(control))
        and control.window() is window
        and control.focusPolicy() != Qt.FocusPolicy.NoFocus
        and not called(control, labels)
    ]
    assert not nameless


def test_tab_leaves_a_table_for_the_next_control(with_parts):
    user = with_parts(box((20, 20, 5)))
    bench = user.station("release")
    user.settle()
    bench.findings_page.table.setFocus()
    user.key(Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is not bench.findings_page.table


def test_files_are_exported_with_the_keyboard_alone(with_parts, tmp_path, monkeypatch):
    user = with_parts(box((20, 20, 5)))
    user.settle()
    target = tmp_path / "out.3mf"
    monkeypatch.setattr(
        "lean_trellis.studio.stations.sections.export_page.QFileDialog.getSaveFileName", lambda *_: (str(target), "")
    )
    user.window.setFocus()
    user.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert user.window.station.key == "release"
    assert QApplication.focusWidget() is user.window.station.export_page.export_button
    user.key(Qt.Key.Key_Space)
    user.settle()
    assert target.exists()
