"""The build board of the shop in a window of its own: builds, their parts, outcomes, orders, what sets are worth."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QTabWidget, QVBoxLayout, QWidget

from lean_trellis.core.board.board import Board
from lean_trellis.core.board.outcomes import time_factor
from lean_trellis.core.board.rows import AGAIN_ID, OUTCOMES, STATES, BoardBuild, BoardPart, OrderState
from lean_trellis.core.board.syncing import (
    Choice,
    Conflict,
    Synced,
    open_from_board,
    put_on_board,
    synced,
    taken_parts,
)
from lean_trellis.core.job.edits import Edit, change_machine
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.progress import Watch
from lean_trellis.studio.board_pages import NewOrder, OrdersPage, OutcomePhoto, WorthPage
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, figure, muted, row, title
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import OpenSecond
from lean_trellis.studio.release_requests import OnBoard
from lean_trellis.studio.session import Session

_SIZE, _LIST_PX = (1180, 720), 420
STATE_WORDS = {
    "open": "open", "released": "released", "building": "building", "done": "done", "failed": "failed",
    "again": "waiting", "closed": "closed",
}  # fmt: skip


class BoardWindow(QWidget):
    """Builds at the left, the chosen one's parts at the right; below what can be done with them."""

    def __init__(self, session: Session, parent: QWidget, ask_window: Callable[[object], None]) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.session, self._ask_window = session, ask_window
        self._builds: tuple[BoardBuild, ...] = ()
        self._orders: tuple[OrderState, ...] = ()
        self._conflicts: tuple[Conflict, ...] = ()
        self._photo: bytes | None = None
        self.setWindowTitle("Build board")
        self.resize(*_SIZE)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(14)
        layout.addWidget(self._list_side())
        self.tabs = QTabWidget()
        self.tabs.setDocumentMode(True)
        self.tabs.addTab(self._build_side(), "Parts and outcome")
        self.orders, self.worth = OrdersPage(), WorthPage()
        self.orders.noted.connect(self._note_order)
        self.orders.refused.connect(lambda words: session.said.emit("note", words))
        self.tabs.addTab(self.orders, "Orders")
        self.tabs.addTab(self.worth, "What came of sets")
        layout.addWidget(self.tabs, 1)

    @property
    def builds_shown(self) -> tuple[BoardBuild, ...]:
        """The builds as they were read last."""
        return self._builds

    # --- what it is made of ---

    def _list_side(self) -> QWidget:
        self.builds = PickTable(("Build", "State", "Machine", "Parts"), several=False, stretch=0,
                                widths={1: 74, 2: 96, 3: 56})  # fmt: skip
        self.builds.setObjectName("board.builds")
        self.builds.setAccessibleName("Builds on the board")
        self.builds.selected.connect(lambda _: self._show_build())
        self.put = button("Put this job on the board", self._put, name="board.put")
        self.put.setProperty("role", "main")
        self.open = button("Open build", self._open, "As a job that stays linked with its build", name="board.open")
        self.again = button("Refresh", self.refresh, name="board.refresh")
        self.linked = muted()
        self.decide = QWidget()
        decide = QVBoxLayout(self.decide)
        decide.setContentsMargins(0, 0, 0, 0)
        self.conflict_words = figure()
        self.keep_mine = button("Keep mine", partial(self._decide, "mine"), "What is here goes to the board",
                                name="board.mine")  # fmt: skip
        self.take_theirs = button("Take theirs", partial(self._decide, "theirs"), "What is on the board comes here",
                                  name="board.theirs")  # fmt: skip
        decide.addWidget(self.conflict_words)
        decide.addWidget(row(self.keep_mine, self.take_theirs, 1, spacing=6))
        self.decide.hide()
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (title("Build board"), self.builds, self.linked, self.decide,
                       row(self.put, self.open, self.again, 1, spacing=6)):  # fmt: skip
            column.addWidget(widget, 1 if widget is self.builds else 0)
        holder.setFixedWidth(_LIST_PX)
        return holder

    def _build_side(self) -> QWidget:
        self.parts = PickTable(("Part", "Owner", "Order", "Outcome", "Note"), several=True, stretch=4,
                               widths={0: 130, 1: 130, 2: 80, 3: 130})  # fmt: skip
        self.parts.setObjectName("board.parts")
        self.parts.setAccessibleName("Parts of the build")
        self.parts.selected.connect(lambda _: self._show_part())
        self.take = button("Take into this job", self._take, "The selected parts with pose, supports and waivers",
                           name="board.take")  # fmt: skip
        self.outcome, self.note = ChoiceField(), TextField()
        self.outcome.setObjectName("board.outcome")
        self.outcome.setAccessibleName("What came of the part")
        self.outcome.setMinimumContentsLength(21)
        self.outcome.offer([(key, words.capitalize()) for key, words in OUTCOMES.items() if key], "well")
        self.note.setObjectName("board.note")
        self.note.setAccessibleName("What was seen")
        self.note.setPlaceholderText("What was seen, and where")
        self.photo = button("Photo…", self._ask_photo, "A picture of what came out", name="board.photo")
        self.note_outcome = button("Note outcome", self._note_outcome,
                                   "A part that failed waits to be built again", name="board.note_outcome")  # fmt: skip
        self.state = ChoiceField()
        self.state.setObjectName("board.state")
        self.state.setAccessibleName("State of the build")
        self.state.offer([(key, STATE_WORDS[key].capitalize()) for key in STATES if key != "again"], "open")
        self.hours = NumberField("h", may_be_empty=True)
        self.hours.setObjectName("board.hours")
        self.hours.setAccessibleName("How long the build took, hours")
        self.set_state = button("Set state", self._set_state, name="board.set_state")
        self.build_words, self.factor_words = muted(), muted()
        self.use_factor = button("Use for this job's machine", self._use_factor,
                                 "Estimates are multiplied by it from now on", name="board.factor")  # fmt: skip
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setSpacing(6)
        column.addWidget(self.build_words)
        self.picture = OutcomePhoto()
        column.addWidget(self.parts, 1)
        column.addWidget(self.picture)
        column.addWidget(row(self.take, 1))
        column.addWidget(row("Outcome", self.outcome, self.note, self.photo, self.note_outcome, spacing=6))
        column.addWidget(row("Build", self.state, "took", self.hours, "h", self.set_state, 1, spacing=6))
        column.addWidget(self.factor_words)
        column.addWidget(row(self.use_factor, 1))
        return holder

    # --- asking ---

    def _on_board(self, words: str, act: Callable[[Board, Watch], Any], done: Callable[[Any], None]) -> None:
        self.session.ask(words, OnBoard(act, self.session.library_address), done)

    def refresh(self) -> None:
        """Read the board anew."""
        self._on_board("Reading the board", _read, self._take_read)

    def _take_read(self, read: tuple[tuple[BoardBuild, ...], tuple[OrderState, ...]]) -> None:
        self._builds, self._orders = read
        chosen = self.builds.selected_keys()
        link = self.session.job.link
        rows = [(one.id, (one.name, STATE_WORDS.get(one.state, one.state), one.machine, len(one.parts)))
                for one in self._builds]  # fmt: skip
        keys = [key for key, _ in rows]
        own = [key for key in keys if link is not None and key == link.build_id]
        kept = [key for key in chosen if key in keys] or own
        self.builds.show_rows(rows, kept or keys[:1])
        self._show_build()
        self.orders.show_orders(self._orders)
        self.worth.show_builds(self._builds)
        self._show_link()

    # --- this job and its build ---

    def _show_link(self) -> None:
        job = self.session.job
        self.put.setText("Put this job on the board" if job.link is None else "Bring up to date")
        self.put.setEnabled(bool(job.parts) and not job.is_released)
        build = next((one for one in self._builds if job.link is not None and one.id == job.link.build_id), None)
        if job.is_released:
            self.linked.setText("This job has been released: it is frozen.")
        elif build is not None:
            self.linked.setText(f"This job belongs to {build.name}; changed there last by {build.who}, "
                                f"{build.changed_at[:16].replace('T', ' ')} UTC.")  # fmt: skip
        else:
            self.linked.setText("This job is not on the board: others do not see it." if job.parts
                                else "The board is shared by all who use this shop library.")  # fmt: skip

    def _put(self) -> None:
        self.bring_together({})

    def bring_together(self, choices: dict[str, Choice]) -> None:
        """Put the job on the board, or bring it and its build up to date."""
        session, job = self.session, self.session.job
        act = partial(_put_act, job) if job.link is None else partial(_sync_act, job, choices)

        def done(made: Synced) -> None:
            if session.job is not job:
                session.said.emit("note", "The job has moved on meanwhile: bring it up to date once more")
                return
            self._conflicts = made.conflicts
            title = "Bring up to date with the board" if job.link is not None else "Put on the board"
            if made.job != job:
                session.do(lambda _: Edit(title, made.job))
            self._show_conflicts()
            session.said.emit("caution" if made.conflicts else "fine", _synced_words(made))
            self.refresh()

        self._on_board("Bringing up to date", act, done)

    def _show_conflicts(self) -> None:
        self.decide.setVisible(bool(self._conflicts))
        if self._conflicts:
            one = self._conflicts[0]
            here = "was removed here" if not one.mine else "was changed here"
            there = "was removed" if not one.theirs else "was changed"
            more = f" ({len(self._conflicts) - 1} more)" if len(self._conflicts) > 1 else ""
            self.conflict_words.setText(f"{one.name} {here}, and {there} by {one.who or 'somebody else'}{more}")

    def _decide(self, choice: Choice) -> None:
        if self._conflicts:
            self.bring_together({self._conflicts[0].id: choice})

    def _open(self) -> None:
        build = self.build
        if build is None or build.id == AGAIN_ID:
            return
        act = partial(_open_act, build.id, self.session.library)
        self._on_board(f"Opening {build.name}", act, lambda job: self._ask_window(OpenSecond(job)))

    def _take(self) -> None:
        build, parts = self.build, self.chosen_parts
        if build is None or not parts:
            self.session.said.emit("note", "Select parts of the build first")
            return
        session, job = self.session, self.session.job

        def done(made: Job) -> None:
            if session.job is job and session.do(lambda _: Edit(f"Take {len(parts)} parts of {build.name}", made)):
                session.select(parts=tuple(part.id for part in made.parts[len(job.parts) :]))
                session.said.emit("fine", f"{len(parts)} part{'s' * (len(parts) != 1)} of {build.name} taken")

        self._on_board("Taking parts", partial(_take_act, job, build, parts), done)

    def _note_order(self, order: NewOrder) -> None:
        self._on_board("Noting the order", partial(_order_act, order), lambda _: self.refresh())

    # --- a build ---

    @property
    def build(self) -> BoardBuild | None:
        """The chosen build."""
        keys = self.builds.selected_keys()
        return next((one for one in self._builds if keys and one.id == keys[0]), None)

    @property
    def chosen_parts(self) -> tuple[BoardPart, ...]:
        """The chosen parts of the chosen build."""
        build, keys = self.build, self.parts.selected_keys()
        return () if build is None else tuple(part for part in build.parts if part.id in keys)

    def _show_build(self) -> None:
        build = self.build
        self.parts.show_rows(
            [] if build is None else [
                (part.id, (part.name, part.owner, part.order, OUTCOMES[part.outcome] + (" ▣" * part.has_photo),
                           part.outcome_note)) for part in build.parts
            ], self.parts.selected_keys(),
        )  # fmt: skip
        is_one = build is not None and build.id != AGAIN_ID
        for one in (self.open, self.set_state):
            one.setEnabled(is_one)
        for one in (self.take, self.note_outcome, self.photo):
            one.setEnabled(build is not None)
        if build is None:
            self.use_factor.hide()
            self.build_words.setText("No builds yet: put this job on the board, and others can add parts to it.")
            return
        took = f" · took {hours_in_words(build.actual_seconds)}" if build.actual_seconds else ""
        due = f" · due {build.due}" if build.due else ""
        self.build_words.setText(f"{build.name} · {STATE_WORDS.get(build.state, build.state)} · {build.machine} · "
                                 f"{build.material}{due}{took}")  # fmt: skip
        self.state.offer([(key, STATE_WORDS[key].capitalize()) for key in STATES if key != "again"], build.state)
        factor = time_factor(self._builds, build.machine)
        self.use_factor.setVisible(factor is not None and self.session.job.machine.id == build.machine)
        if factor is None:
            self.factor_words.setText("Note how long builds took, and estimates can be corrected by it.")
        else:
            self.factor_words.setText(f"Builds on {factor.machine} take {factor.value:.2f} x the estimate "
                                      f"({factor.low:.2f} to {factor.high:.2f}, {factor.builds} builds)")  # fmt: skip

    def _show_part(self) -> None:
        build, parts = self.build, self.chosen_parts
        one = parts[0] if len(parts) == 1 else None
        if one is not None and one.outcome:
            self.outcome.setCurrentIndex(self.outcome.findData(one.outcome))
            self.note.setText(one.outcome_note)
        if build is None or one is None or not one.has_photo:
            self.picture.show_photo(None, "")
        elif self.picture.shown != (build.id, one.id, one.changed_at):
            shown, name = (build.id, one.id, one.changed_at), one.name
            self._on_board("Reading a photo", partial(_photo_act, build.id, one.id),
                           lambda photo: self.picture.show_photo(photo, name, shown))  # fmt: skip

    def _ask_photo(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "A picture of the part", self.session.folder,
                                                "Pictures (*.png *.jpg *.jpeg *.webp)")  # fmt: skip
        if chosen:
            try:
                self._photo = Path(chosen).read_bytes()
                self.photo.setText(f"Photo: {Path(chosen).name}")
            except OSError as problem:
                self.session.said.emit("stop", f"{chosen}: cannot be read ({problem.strerror})")

    def _note_outcome(self) -> None:
        build, parts = self.build, self.chosen_parts
        if build is None or not parts:
            self.session.said.emit("note", "Select the parts that came out")
            return
        outcome, note, photo = str(self.outcome.currentData()), self.note.text(), self._photo
        act = partial(_outcome_act, build.id, tuple(part.id for part in parts), outcome, note, photo)

        def done(_: object) -> None:
            self._photo = None
            self.photo.setText("Photo…")
            self.note.clear()
            self.session.said.emit("fine", f"{len(parts)} noted: {OUTCOMES[outcome]}")
            self.refresh()

        self._on_board("Noting the outcome", act, done)

    def _set_state(self) -> None:
        build = self.build
        if build is not None:
            seconds = 3600 * self.hours.value if self.hours.text().strip() else None
            act = partial(_state_act, build.id, str(self.state.currentData()), seconds)
            self._on_board("Noting the state", act, lambda _: self.refresh())

    def _use_factor(self) -> None:
        build = self.build
        factor = None if build is None else time_factor(self._builds, build.machine)
        if factor is not None:
            self.session.do(lambda job: change_machine(job, "rates.time_factor", round(factor.value, 3)))


def _read(board: Board, watch: Watch) -> tuple[tuple[BoardBuild, ...], tuple[OrderState, ...]]:
    return board.builds(), board.orders()


def _put_act(job: Job, board: Board, watch: Watch) -> Synced:
    return put_on_board(job, board, watch=watch)


def _sync_act(job: Job, choices: dict[str, Choice], board: Board, watch: Watch) -> Synced:
    return synced(job, board, choices=choices, watch=watch)


def _open_act(build_id: str, library: Any, board: Board, watch: Watch) -> Job:
    return open_from_board(board, build_id, library, watch)


def _take_act(job: Job, build: BoardBuild, parts: tuple[BoardPart, ...], board: Board, watch: Watch) -> Job:
    return taken_parts(job, board, build, parts, watch)


def _outcome_act(
    build_id: str, parts: tuple[str, ...], outcome: str, note: str, photo: bytes | None, board: Board, watch: Watch
) -> None:
    for part in parts:
        board.note_outcome(build_id, part, outcome, note=note, photo=photo)


def _photo_act(build_id: str, part_id: str, board: Board, watch: Watch) -> bytes | None:
    return board.photo(build_id, part_id)


def _state_act(build_id: str, state: str, seconds: float | None, board: Board, watch: Watch) -> None:
    board.set_state(build_id, state, actual_seconds=seconds)


def _order_act(order: NewOrder, board: Board, watch: Watch) -> None:
    board.order(order.number, order.part, order.owner, order.asked, order.due)


def _synced_words(made: Synced) -> str:
    said = [f"{len(names)} {words}" for names, words in
            ((made.sent, "sent"), (made.fetched, "fetched"), (made.removed, "removed")) if names]  # fmt: skip
    if made.conflicts:
        said.append(f"{len(made.conflicts)} changed on both sides: choose at the board")
    return f"Board: {', '.join(said)}" if said else "Board: up to date"
