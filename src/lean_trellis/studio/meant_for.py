"""Whose a parameter set is, and what it is meant for: its owner, its process and its materials."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from functools import partial
from typing import get_args

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.parameter_set import MeantFor
from lean_trellis.core.shop import Material
from lean_trellis.core.shop.machine import PROCESS_WORDS, Process
from lean_trellis.studio.forms.fields import ChoiceField, TextField

_OWNER_PX = 130
_PROCESSES: tuple[Process, ...] = get_args(Process)


class MeantForRow(QWidget):
    """Owner, process and materials of a set in a row."""

    changed = pyqtSignal(object)
    """The set with what was changed in it."""

    def __init__(self) -> None:
        super().__init__()
        self._shown: ParameterSet | None = None
        self._titles: dict[str, str] = {}
        self._owner = ""
        self.owner = TextField()
        self.owner.setObjectName("library.owner")
        self.owner.setAccessibleName("Who looks after the set")
        self.owner.setPlaceholderText("Owner")
        self.owner.setToolTip("Who looks after the set; empty: whoever saves it")
        self.owner.setFixedWidth(_OWNER_PX)
        self.owner.editingFinished.connect(self._take_owner)
        self.process = ChoiceField()
        self.process.setObjectName("library.process")
        self.process.setAccessibleName("Process that the set is meant for")
        self.process.setMinimumContentsLength(max(len(words) for words in PROCESS_WORDS.values()) + 1)
        self.process.offer([("any", "any process"), *PROCESS_WORDS.items()], "any")
        self.process.chosen.connect(self._take_process)
        self.materials = QPushButton()
        self.materials.setObjectName("library.materials")
        self.materials.setAccessibleName("Materials that the set is meant for")
        self.materials.setToolTip("Where one of these is chosen, the set is offered before others")
        self.offered = QMenu(self.materials)
        self.materials.setMenu(self.offered)
        self.offered.aboutToShow.connect(self._offer_materials)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        for widget in (self.owner, self.process, self.materials):
            line.addWidget(widget)
        line.addStretch(1)

    def show_set(self, shown: ParameterSet, materials: Iterable[Material], *, ships: bool) -> None:
        """Show whose a set is and what it is meant for; telling nobody. One that ships has nobody as its owner."""
        self._shown = shown
        self._owner = "" if ships else shown.owner
        if not self.owner.hasFocus():
            self.owner.setText(self._owner)
        self.process.setCurrentIndex(self.process.findData(shown.process))
        titles = {material.id: material.name for material in materials if shown.suits(material.process)}
        self._titles = {**titles, **{name: name for name in shown.materials if name not in titles}}
        meant = [self._titles[name] for name in shown.materials]
        self.materials.setText(meant[0] if len(meant) == 1 else f"{len(meant)} materials" if meant else "any material")

    def _offer_materials(self) -> None:
        """The materials of the process, those that the set is meant for checked."""
        chosen = () if self._shown is None else self._shown.materials
        self.offered.clear()
        for name, title in self._titles.items():
            action = self.offered.addAction(title)
            assert action is not None, "a menu makes its actions"
            action.setCheckable(True)
            action.setChecked(name in chosen)
            action.setData(name)
            action.triggered.connect(partial(self._take_material, name))

    def _take_owner(self) -> None:
        if self._shown is not None and self.owner.text().strip() != self._owner:
            self.changed.emit(replace(self._shown, owner=self.owner.text().strip()))

    def _take_process(self, process: str) -> None:
        meant: MeantFor = next((one for one in _PROCESSES if one == process), "any")
        if self._shown is not None and meant != self._shown.process:
            self.changed.emit(replace(self._shown, process=meant))

    def _take_material(self, name: str, is_meant: bool) -> None:
        if self._shown is not None:
            others = tuple(one for one in self._shown.materials if one != name)
            self.changed.emit(replace(self._shown, materials=(*others, name) if is_meant else others))
