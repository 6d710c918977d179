"""Single fields."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QKeySequence, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QFrame, QHBoxLayout, QLabel, QLineEdit, QWidget

from lean_trellis.core.errors import ParameterError
from lean_trellis.studio.forms.numbers import parse_number, shown_number
from lean_trellis.studio.forms.qt import restyle
from lean_trellis.studio.forms.units import UNITS, UnitLabel

RETURNS = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


def _is_of_job(event: QKeyEvent) -> bool:
    """Whether a key is undo or redo."""
    standard = QKeySequence.StandardKey
    return event.matches(standard.Undo) or event.matches(standard.Redo)


def _gives_up(event: QKeyEvent) -> bool:
    return event.key() == Qt.Key.Key_Escape or event.matches(QKeySequence.StandardKey.Undo)


class ValueRefused(QEvent):
    """Sent by a field to its window when what was typed cannot be taken; `why` is a sentence for the technician."""

    kind = QEvent.Type(QEvent.registerEventType())

    def __init__(self, why: str) -> None:
        super().__init__(self.kind)
        self.why = why


class TextField(QLineEdit):
    """A line of text: Return leaves it, undo is the job's while nothing typed waits to be taken."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return leaves the field, unless what it holds is refused."""
        super().keyPressEvent(event)
        if event is not None and event.key() in RETURNS and not self.property("wrong"):
            self.setModified(False)
            self.clearFocus()

    def event(self, event: QEvent | None) -> bool:
        """Undo and redo are the job's, unless something typed has not been taken yet."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and _is_of_job(event):
            if self.isModified():
                event.accept()
            else:
                event.ignore()
            return True
        return super().event(event)


class NumberField(TextField):
    """A number with its unit beside it. Takes sums and units; Return or leaving takes the value, Escape gives it up."""

    taken = pyqtSignal(float)
    emptied = pyqtSignal()
    refused = pyqtSignal(str)
    entered = pyqtSignal()

    def __init__(self, unit: str = "", *, may_be_empty: bool = False, width: int = 84) -> None:
        super().__init__()
        self.unit, self._may_be_empty = unit, may_be_empty
        self._shown = ""
        self._value: float | None = None
        if unit == "mm":
            UNITS.changed.connect(self._unit_changed)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(width)
        self.editingFinished.connect(self._take)

    @property
    def value(self) -> float:
        """The number shown. Raises `ParameterError` where there is none."""
        return self._parsed(self.text())

    def _parsed(self, text: str) -> float:
        return parse_number(text, is_length=self.unit == "mm", unit=UNITS.name)

    def _in_words(self, value: float) -> str:
        if self.unit == "mm" and UNITS.is_inch:
            return shown_number(value / UNITS.mm, 4)
        return shown_number(value)

    def _unit_changed(self) -> None:
        """Show the same length in another unit; what is being typed is discarded."""
        self.setModified(False)
        self.show_value(self._value)

    def show_value(self, value: float | None) -> None:
        """Show a value without telling anybody. What is being typed is left alone."""
        self._value = value
        text = "" if value is None else self._in_words(value)
        if self._shown == text and self.hasFocus() and self.isModified():
            return
        self._shown = text
        if self.text() != text:
            was_selected = bool(self.text()) and self.selectedText() == self.text()
            self.setText(text)
            if was_selected:
                self.selectAll()
        self.setModified(False)
        self._mark(wrong=False)

    def _take(self) -> None:
        if not self.isModified():
            return
        text = self.text().strip()
        self.setModified(False)
        if not text and self._may_be_empty:
            self._shown, self._value = "", None
            self._mark(wrong=False)
            self.emptied.emit()
            return
        try:
            value = self._parsed(text)
        except ParameterError as problem:
            self.show_wrong(str(problem))
            return
        self._mark(wrong=False)
        self._value, self._shown = value, self._in_words(value)
        self.setText(self._shown)
        self.setModified(False)
        self.taken.emit(value)

    def show_wrong(self, why: str) -> None:
        """Mark the field and say why; what was typed stays for mending until the field is left."""
        self._mark(wrong=True)
        self.setModified(True)
        self.refused.emit(why)
        window = self.window()
        if window is not None:
            QApplication.sendEvent(window, ValueRefused(why))

    def mark_wrong(self) -> None:
        """Mark the value that is shown: it was refused, and why is reported elsewhere."""
        self._mark(wrong=True)

    def _mark(self, *, wrong: bool) -> None:
        if bool(self.property("wrong")) != wrong:
            self.setProperty("wrong", wrong)
            restyle(self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape and undo put back what was there."""
        if event is not None and self.isModified() and _gives_up(event):
            self._put_back()
            return
        super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """The whole number is selected: a point in it parts no words. A third click leaves it so."""
        super().mouseDoubleClickEvent(event)
        self.selectAll()

    def _put_back(self) -> None:
        self.setText(self._shown)
        self.setModified(False)
        self._mark(wrong=False)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """A wrong value left behind gives way to the one that holds."""
        super().focusOutEvent(event)
        if self.property("wrong"):
            self._put_back()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Tell the sketch, and select all for typing over."""
        super().focusInEvent(event)
        self.entered.emit()
        if event is not None and event.reason() in (
            Qt.FocusReason.TabFocusReason,
            Qt.FocusReason.BacktabFocusReason,
        ):
            self.selectAll()


class _NoWheel(QObject):
    """Keeps the wheel from changing a value by accident: the page scrolls instead."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QWheelEvent):
            event.ignore()
            return True
        return super().eventFilter(watched, event)


class ChoiceField(QComboBox):
    """A choice among named things."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._no_wheel = _NoWheel(self)
        self.installEventFilter(self._no_wheel)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(8)
        self.activated.connect(lambda index: self.chosen.emit(str(self.itemData(index))))

    def offer(self, choices: list[tuple[str, str]], current: str) -> None:
        """Offer (id, words) pairs and show the current one, telling nobody."""
        if [(self.itemData(i), self.itemText(i)) for i in range(self.count())] != choices:
            self.clear()
            for key, words in choices:
                self.addItem(words, key)
        self.setCurrentIndex(max(0, self.findData(current)))


def muted(text: str = "") -> QLabel:
    """A quiet label that wraps."""
    return _label(text, "muted", wraps=True)


def head(text: str) -> QLabel:
    """A small heading."""
    return _label(text, "head")


def title(text: str) -> QLabel:
    """The bench's heading."""
    return _label(text, "title", wraps=True)


def figure(text: str = "") -> QLabel:
    """A figure that can be copied."""
    label = _label(text, "figure", wraps=True)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return label


def _label(text: str, role: str, *, wraps: bool = False) -> QLabel:
    label = QLabel(text)
    label.setProperty("role", role)
    label.setWordWrap(wraps)
    label.setIndent(0)
    return label


def set_role(widget: QWidget, role: str) -> None:
    """Change a widget's look."""
    if widget.property("role") != role:
        widget.setProperty("role", role)
        restyle(widget)
        QApplication.sendEvent(widget, QEvent(QEvent.Type.StyleChange))  # frames take their padding only then


def rule() -> QFrame:
    """A thin line."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line


def row(*widgets: QWidget | int | str, spacing: int = 8) -> QWidget:
    """Widgets side by side; a number is a stretch, a text a label."""
    holder = QWidget()
    layout = QHBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    words = ""
    for widget in widgets:
        if isinstance(widget, int):
            layout.addStretch(widget)
            continue
        shown = UnitLabel(widget) if isinstance(widget, str) else widget
        layout.addWidget(shown)
        if isinstance(shown, QLabel):
            words = shown.text()
        elif words and not shown.accessibleName() and isinstance(shown, QLineEdit | QComboBox):
            shown.setAccessibleName(words)  # a control is called what stands before it
    return holder


def number_row(label: str, field: NumberField, *, help_text: str = "") -> QWidget:
    """A label, a field and its unit."""
    words = QLabel(label)
    words.setBuddy(field)
    unit = UnitLabel(field.unit)
    unit.setProperty("role", "muted")
    unit.setFixedWidth(38)
    for widget in (words, field):
        widget.setToolTip(help_text)
    field.setAccessibleName(label)
    return row(words, 1, field, unit, spacing=6)


def when_taken(field: NumberField, act: Callable[[float], object]) -> NumberField:
    """Connect a field's taken value and give the field back."""
    field.taken.connect(act)
    return field
