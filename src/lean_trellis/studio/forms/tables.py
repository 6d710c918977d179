"""Tables that show rows given to them and tell which are selected."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, cast

from PyQt6.QtCore import (
    QAbstractTableModel,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QObject,
    QSortFilterProxyModel,
    Qt,
    pyqtSignal,
)
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from lean_trellis.studio.forms.qt import head_of, side_of

_ROW_PX, _HEAD_PX = 28, 30
_SORT_ROLE = Qt.ItemDataRole.UserRole + 1
NOTHING = "–"
HIDDEN, LOCKED = " ◌", " ⊥"
_SIGNS = HIDDEN + LOCKED


class _Rows(QAbstractTableModel):
    typed = pyqtSignal(object, str, str)

    def __init__(self, columns: Sequence[str], typed: Mapping[int, str], parent: QObject) -> None:
        super().__init__(parent)
        self._columns, self._typed = list(columns), typed
        self.rows: list[tuple[Any, Sequence[Any]]] = []

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole and self._holds_numbers(section):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        shows = role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole)
        return self._columns[section] if shows else None

    def _holds_numbers(self, section: int) -> bool:
        first = next((cells[section] for _, cells in self.rows if cells[section] is not None), None)
        return isinstance(first, int | float)

    def rename(self, section: int, words: str) -> None:
        if self._columns[section] != words:
            self._columns[section] = words
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, section, section)

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        value = self.rows[index.row()][1][index.column()]
        if role == Qt.ItemDataRole.EditRole:
            return _bare(str(value))
        if role == _SORT_ROLE:
            return -math.inf if value is None else value
        if value is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{value:,.2f}" if isinstance(value, float) else str(value)
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(value, str):
            return value
        if role == Qt.ItemDataRole.TextAlignmentRole and isinstance(value, int | float):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        usual = super().flags(index)
        return usual | Qt.ItemFlag.ItemIsEditable if index.column() in self._typed else usual

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """Tell what was typed; the row changes when the job has."""
        key, cells = self.rows[index.row()]
        if role != Qt.ItemDataRole.EditRole or str(value).strip() == _bare(str(cells[index.column()])):
            return False
        self.typed.emit(key, self._typed[index.column()], str(value).strip())
        return True

    def replace(self, rows: list[tuple[Any, Sequence[Any]]]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()


def _bare(text: str) -> str:
    """What is typed of what is shown: no signs behind a name, nothing for a dash."""
    return "" if text == NOTHING else text.rstrip(_SIGNS)


def ten_rows() -> int:
    """How high a list is that shows ten rows, pixels."""
    return _HEAD_PX + 10 * _ROW_PX + 2


class PickTable(QTableView):
    """Rows as (key, cells). `selected` gives the keys when the user picks; `show_rows` tells nobody.

    A cell of None stays empty. `typed` names the columns that are typed into; the signal gives (key, name of the
    column, text). `widths` gives columns a width that stays, in pixels; the others fit what they hold.
    """

    selected = pyqtSignal(list)
    typed = pyqtSignal(object, str, str)

    def __init__(
        self,
        columns: Sequence[str],
        *,
        several: bool = True,
        stretch: int = 0,
        typed: Mapping[int, str] | None = None,
        widths: Mapping[int, int] | None = None,
    ) -> None:
        super().__init__()
        self._model = _Rows(columns, typed or {}, self)
        # Told once the editor has closed: what follows may fill the table anew.
        cast(Any, self._model.typed).connect(self.typed, Qt.ConnectionType.QueuedConnection)
        self._sorted = QSortFilterProxyModel(self)
        self._sorted.setSourceModel(self._model)
        self._sorted.setSortRole(_SORT_ROLE)
        self.setModel(self._sorted)
        chosen = self.selectionModel()
        assert chosen is not None, "a table with a model has a selection"
        self._chosen = chosen
        self.setTabKeyNavigation(False)  # Tab goes on to the next control
        self.setSortingEnabled(True)
        self.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        mode = QAbstractItemView.SelectionMode
        self.setSelectionMode(mode.ExtendedSelection if several else mode.SingleSelection)
        trigger = QAbstractItemView.EditTrigger
        self.setEditTriggers(trigger.DoubleClicked | trigger.EditKeyPressed if typed else trigger.NoEditTriggers)
        side_of(self).hide()
        side_of(self).setDefaultSectionSize(_ROW_PX)
        self.setShowGrid(False)
        self.setWordWrap(False)
        header = head_of(self)
        header.setHighlightSections(False)
        header.setTextElideMode(Qt.TextElideMode.ElideRight)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(stretch, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(26)
        for column, width in (widths or {}).items():
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, width)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self._is_showing = False
        self._chosen.selectionChanged.connect(self._tell)

    def _tell(self) -> None:
        if not self._is_showing:
            self.selected.emit(self.selected_keys())

    def rename_column(self, number: int, words: str) -> None:
        """Call a column otherwise."""
        self._model.rename(number, words)

    def selected_keys(self) -> list[Any]:
        """The keys of the selected rows, in the order shown."""
        rows = sorted(index.row() for index in self._chosen.selectedRows())
        return [self._model.rows[self._sorted.mapToSource(self._sorted.index(r, 0)).row()][0] for r in rows]

    def keys(self) -> list[Any]:
        """All keys in the order shown."""
        count = self._sorted.rowCount()
        return [self._model.rows[self._sorted.mapToSource(self._sorted.index(r, 0)).row()][0] for r in range(count)]

    def show_rows(self, rows: Sequence[tuple[Any, Sequence[Any]]], selected: Sequence[Any]) -> None:
        """Show rows and which are selected."""
        self._is_showing = True
        try:
            if list(rows) != self._model.rows and self.state() != QAbstractItemView.State.EditingState:
                self._model.replace(list(rows))
                head_of(self).setSortIndicatorShown(bool(rows))  # of no rows there is no order
            wanted = set(selected)
            if wanted != set(self.selected_keys()):
                self._pick(wanted)
        finally:
            self._is_showing = False

    def pick(self, keys: Sequence[Any]) -> None:
        """Select rows by their keys, and tell, as a click does."""
        self._pick(set(keys))

    def _pick(self, wanted: set[Any]) -> None:
        chosen = QItemSelection()
        first = None
        for place, key in enumerate(self.keys()):
            if key in wanted:
                index = self._sorted.index(place, 0)
                chosen.select(index, self._sorted.index(place, self._sorted.columnCount() - 1))
                first = first or index
        flag = QItemSelectionModel.SelectionFlag.ClearAndSelect
        self._chosen.select(chosen, flag)
        if first is not None:
            self.scrollTo(first)
