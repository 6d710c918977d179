"""Lengths as they are shown: in millimetres or inches. Values stay in millimetres everywhere else."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QLabel

from lean_trellis.core.formats.body import UNIT_MM

_FINER = 2
"""An inch needs so many decimals more than a millimetre."""


class Units(QObject):
    """Which unit lengths are shown in; one for the whole window."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._is_inch = False

    @property
    def name(self) -> str:
        """The unit beside a length."""
        return "in" if self._is_inch else "mm"

    @property
    def is_inch(self) -> bool:
        """Whether lengths are shown in inches."""
        return self._is_inch

    @property
    def mm(self) -> float:
        """How many millimetres the unit has."""
        return UNIT_MM[self.name]

    def show_inches(self, *, is_on: bool) -> None:
        """Show lengths in inches, or in millimetres again."""
        if is_on != self._is_inch:
            self._is_inch = is_on
            self.changed.emit()

    def number(self, length_mm: float, decimals: int) -> str:
        """A length without its unit, to so many decimals of a millimetre."""
        return f"{length_mm / self.mm:.{decimals + (_FINER if self._is_inch else 0)}f}"

    def length(self, length_mm: float, decimals: int = 2) -> str:
        """A length with its unit."""
        return f"{self.number(length_mm, decimals)} {self.name}"

    def size(self, lengths_mm: list[float], decimals: int = 2) -> str:
        """Width, depth and height without their unit."""
        return " × ".join(self.number(length, decimals) for length in lengths_mm)


UNITS = Units()


class UnitLabel(QLabel):
    """The unit beside a field; that of lengths follows what they are shown in."""

    def __init__(self, unit: str) -> None:
        super().__init__(unit)
        if unit == "mm":
            self._follow()
            UNITS.changed.connect(self._follow)

    def _follow(self) -> None:
        self.setText(UNITS.name)
