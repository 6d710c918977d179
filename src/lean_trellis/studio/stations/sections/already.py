"""What is there already where a support is to be added: replace it, or add beside it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import RegionPick, Support
from lean_trellis.core.supports.common.spec import spec_for, spec_of
from lean_trellis.core.supports.common.targets import pick_region
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session


def in_the_way(session: Session, chosen: ParameterSet, target: tuple[RegionPick, ...] | None) -> tuple[Support, ...]:
    """The supports of the current part that serve what a new support of a set would serve, of the same family."""
    part = session.part
    if part is None:
        return ()
    spec = spec_for(chosen.parameters)
    alike = tuple(support for support in session.job.supports_of(part.id) if spec_of(support) is spec)
    if target is None or not spec.serves_regions:
        return alike
    overhangs = session.regions(part)
    regions = () if overhangs is None else overhangs.regions
    wanted = {region.id for region in regions if pick_region(region, part) in target}
    return tuple(support for support in alike if _serves(session, support, wanted))


def _serves(session: Session, support: Support, wanted: set[int]) -> bool:
    made = session.structure(support)
    return made is None or bool(wanted & made.served)


class AlreadySupported(QWidget):
    """Asks, where a support is to be added on top of others; hidden while there is nothing to ask."""

    replaced = pyqtSignal()
    added = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.words = muted()
        self.replace = button("Replace", self.replaced.emit, "Delete them and add the new support, as one step",
                              name="supports.replace")  # fmt: skip
        self.beside = button("Add another", self.added.emit, "Keep them and add the new support",
                             name="supports.beside")  # fmt: skip
        self.cancel: QPushButton = button("Cancel", self.hide, "Add nothing", name="supports.cancel")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.words)
        column.addWidget(row(self.replace, self.beside, self.cancel, 1, spacing=5))
        self.hide()

    def ask(self, session: Session, there: tuple[Support, ...]) -> None:
        """Say what is there already."""
        counts = [totals.counted for support in there if (totals := session.totals(support)) is not None]
        what = ", ".join(str(count) for count in counts) or f"{len(there)} supports"
        self.words.setText(f"Already supported here: {what}.")
        self.show()
