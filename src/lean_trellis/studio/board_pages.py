"""Further pages of the build board: orders, what came of sets, and the photo of what came out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from lean_trellis.core.board.outcomes import fitted_limit, outcomes_of, set_records
from lean_trellis.core.board.rows import BoardBuild, OrderState
from lean_trellis.studio.forms.fields import NumberField, TextField, figure, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable

_PHOTO_PX = 190


@dataclass(frozen=True)
class NewOrder:
    """An order as it was typed."""

    number: str
    part: str
    owner: str
    asked: int
    due: str


class OrdersPage(QWidget):
    """Orders with how many are ordered, placed, built and still to do, and fields for a further one."""

    noted = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.table = PickTable(("Order", "Part", "Owner", "Asked", "Placed", "Built", "To do", "Due"), several=False,
                               stretch=1, widths={0: 90, 2: 140, 3: 56, 4: 56, 5: 56, 6: 56, 7: 90})  # fmt: skip
        self.table.setObjectName("board.orders")
        self.table.setAccessibleName("Orders")
        self.fields = {key: _named(key, words) for key, words in
                       (("number", "Order"), ("part", "Part"), ("owner", "Owner"), ("due", "Due"))}  # fmt: skip
        self.asked = NumberField(may_be_empty=True, width=60)
        self.asked.setObjectName("board.order.asked")
        self.asked.setAccessibleName("How many are ordered")
        self.add = button("Note order", self._note, name="board.add_order")
        self.none_yet = muted("No orders yet: type number, part and how many are ordered.")
        column = QVBoxLayout(self)
        column.setSpacing(6)
        column.addWidget(self.table, 1)
        column.addWidget(self.none_yet)
        column.addWidget(row(self.fields["number"], self.fields["part"], self.fields["owner"], self.asked,
                             self.fields["due"], self.add, spacing=6))  # fmt: skip

    def show_orders(self, orders: Sequence[OrderState]) -> None:
        """All orders of the board."""
        self.none_yet.setVisible(not orders)
        self.table.show_rows([((one.number, one.part), (one.number, one.part, one.owner, one.asked, one.placed,
                                                        one.built, one.to_do, one.due)) for one in orders],
                             self.table.selected_keys())  # fmt: skip

    def _note(self) -> None:
        said = {key: field.text().strip() for key, field in self.fields.items()}
        if not said["number"] or not said["part"] or not self.asked.text().strip():
            self.refused.emit("Type order number, part and how many are ordered")
            return
        self.noted.emit(NewOrder(said["number"], said["part"], said["owner"], int(self.asked.value), said["due"]))


def _named(key: str, words: str) -> TextField:
    field = TextField()
    field.setObjectName(f"board.order.{key}")
    field.setAccessibleName(f"{words} of the order")
    field.setPlaceholderText(words)
    return field


class WorthPage(QWidget):
    """What came of parameter sets, and the limit of utilisation that fits it."""

    def __init__(self) -> None:
        super().__init__()
        self.table = PickTable(("Set", "Version", "Built", "Failed", "Utilisation where it failed"), several=False,
                               stretch=4, widths={0: 180, 1: 66, 2: 66, 3: 66})  # fmt: skip
        self.table.setObjectName("board.worth")
        self.table.setAccessibleName("What came of parameter sets")
        self.limit_words = figure()
        column = QVBoxLayout(self)
        column.setSpacing(6)
        column.addWidget(self.table, 1)
        column.addWidget(self.limit_words)

    def show_builds(self, builds: Sequence[BoardBuild]) -> None:
        """By the outcomes of all builds of the board."""
        outcomes = outcomes_of(builds)
        records = set_records(outcomes)
        self.table.show_rows(
            [(key, (one.name, one.version, one.built, one.failed, ", ".join(f"{used:.2f}" for used in one.failed_at)))
             for key, one in sorted(records.items())], [],
        )  # fmt: skip
        limit = fitted_limit(outcomes)
        if limit is None:
            self.limit_words.setText("A limit of utilisation follows from six outcomes or more, of which some held and "
                                     "some fell off or broke.")  # fmt: skip
        else:
            self.limit_words.setText(limit.words()[:1].upper() + limit.words()[1:] + ".")


class OutcomePhoto(QLabel):
    """The photo of what came out of a part; not there without one."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("board.picture")
        self.shown: tuple[str, ...] = ()
        """Which photo it is; nothing where there is none."""
        self.hide()

    def show_photo(self, photo: bytes | None, name: str, shown: tuple[str, ...] = ()) -> None:
        """Show a photo as it is kept, as large as there is room for; what is no picture is not shown."""
        picture = QPixmap()
        is_there = photo is not None and picture.loadFromData(photo)
        self.shown = shown if is_there else ()
        if is_there:
            size = picture.size().scaled(4 * _PHOTO_PX, _PHOTO_PX, Qt.AspectRatioMode.KeepAspectRatio)
            self.setPixmap(picture.scaled(size, transformMode=Qt.TransformationMode.SmoothTransformation))
            self.setAccessibleName(f"Photo of {name}")
            self.setToolTip(name)
        self.setVisible(is_there)
