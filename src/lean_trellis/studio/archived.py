"""What was archived in the shop library, as a menu: what is chosen is offered again."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QMenu, QWidget

from lean_trellis.core.shop.saved import Saved
from lean_trellis.core.shop.store.kept import Kept
from lean_trellis.studio.session import Session


def offer_archived(session: Session, saved: Saved[Any], beside: QWidget, done: Callable[[str], None]) -> None:
    """Show what was archived in a menu below a button; `done` is called with the id of what is back."""
    called = saved.form.called

    def back(one: Kept) -> None:
        session.said.emit("fine", f"{one.name} is offered again")
        done(one.id)

    def show(archived: tuple[Kept, ...]) -> None:
        if not archived:
            session.said.emit("note", f"No {called} is archived")
            return
        menu = QMenu(beside.window())
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.setObjectName("archived.menu")
        for one in archived:
            action = menu.addAction(f"{one.name}, version {one.version}")
            assert action is not None
            bring = partial(saved.bring_back, one.id)
            action.triggered.connect(partial(_bring, session, bring, partial(back, one)))
        menu.popup(beside.mapToGlobal(QPoint(0, beside.height())))

    session.library_work.ask(saved.away, show)


def _bring(session: Session, bring: Callable[[], None], back: Callable[[], None], _checked: bool = False) -> None:
    session.library_work.ask(bring, lambda _: back())
