"""Looking for poses: constraints, the trade-offs as a scatter, pictures of the best, one click to take one."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QWidget

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.pose import rotation_between
from lean_trellis.core.planning import FIGURES, FoundPoses
from lean_trellis.core.proposals import take_pose
from lean_trellis.studio.errands import search_for_poses
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, muted, number_row, row
from lean_trellis.studio.forms.scatter import Points, Scatter, shown_figure
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.session import Session
from lean_trellis.studio.thumbnails import drawn_pose

_KEYS = list(FIGURES)
_SHOWN = list(FIGURES)


class SearchSection(Section):
    """Find poses and take one."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Find a pose", is_open=False)
        self.poses: FoundPoses | None = None
        self._of: Part | None = None
        self._chosen = -1
        self.in_range = QCheckBox("within the material's range")
        self.in_range.setObjectName("search.range")
        self.in_range.setChecked(True)
        self.body.addWidget(row(self.in_range, 1))
        self.height_limit = NumberField("mm", may_be_empty=True)
        self.height_limit.setObjectName("search.height")
        self.height_limit.setPlaceholderText("machine")
        self.body.addWidget(number_row("Height limit", self.height_limit))
        self.go = button(
            "Search", self.search, "Tries thousands of directions; the part stays as it is", name="search.go"
        )
        self.body.addWidget(row(self.go, 1))
        self.across, self.up = ChoiceField(), ChoiceField()
        self.across.setAccessibleName("Figure to the right")
        self.up.setAccessibleName("Figure upwards")
        titles = [(key, FIGURES[key][0]) for key in _SHOWN]
        self.across.offer(titles, "support_volume")
        self.up.offer(titles, "height")
        for choice in (self.across, self.up):
            choice.setMinimumContentsLength(10)
            choice.chosen.connect(lambda _: self.refresh())
        self._axes_row = row(self.up, "over", self.across, 1, spacing=6)
        self.body.addWidget(self._axes_row)
        self.scatter = Scatter()
        self.scatter.selected.connect(self._choose)
        self.body.addWidget(self.scatter)
        self._pictures = QWidget()
        self._pictures_row = QHBoxLayout(self._pictures)
        self._pictures_row.setContentsMargins(0, 0, 0, 0)
        self._pictures_row.setSpacing(4)
        self.pictures: list[QPushButton] = []
        self.body.addWidget(self._pictures)
        self.words = muted()
        self.body.addWidget(self.words)

    def search(self) -> None:
        """Ask for poses of the current part."""
        part = self.part
        if part is None:
            return
        limit = self.height_limit.value if self.height_limit.text().strip() else None
        search_for_poses(
            self.session, part, lambda poses: self._show(part, poses), keeps_range=self.in_range.isChecked(),
            height_limit=limit,
        )  # fmt: skip

    def _show(self, part: Part, poses: FoundPoses) -> None:
        self.poses, self._of, self._chosen = poses, part, -1
        for old in self.pictures:
            old.deleteLater()
        self.pictures = []
        for number, place in enumerate(poses.best.tolist(), start=1):
            made = QPushButton()
            made.setObjectName(f"search.take.{number}")
            made.setAccessibleName(f"Use pose {number}")
            made.setFixedSize(62, 62)
            turn = rotation_between(part.pose.matrix @ poses.ups[place], np.array([0.0, 0.0, 1.0])) @ part.pose.matrix
            made.setIcon(drawn_pose(part.mesh, turn, self.scatter.tokens, number))
            made.setIconSize(QSize(56, 56))
            made.setToolTip(f"Use pose {number}: {_figures_words(poses.figures[place])}")
            made.clicked.connect(lambda _, place=place: self._choose(place))
            self._pictures_row.addWidget(made)
            self.pictures.append(made)
        self.refresh()

    def _choose(self, place: int) -> None:
        """Take a pose: one undoable step."""
        if self.poses is None or self._of is None:
            return
        part_id, up = self._of.id, self.poses.ups[place]
        try:
            same = self.session.job.part(part_id).mesh is self._of.mesh
        except TrellisError:
            same = False
        if not same:
            self.session.said.emit("note", "The part has changed: search again")
            return
        self._chosen = place
        self.session.do(lambda job: take_pose(job, part_id, up))
        self.refresh()

    def refresh(self) -> None:
        """Show what was found, while it is about the current part."""
        part, poses = self.part, self.poses
        self.go.setEnabled(part is not None)
        fits = poses is not None and self._of is not None and part is not None and part.id == self._of.id
        for widget in (self._axes_row, self.scatter, self._pictures):
            widget.setVisible(fits)
        low, high = self.session.job.material.pose_range
        self.in_range.setText(f"within the material's range, {low:g}° to {high:g}°")
        if not fits or poses is None:
            self.words.setText("Looks for poses with little overhang, little support and low height.")
            return
        axes = str(self.across.currentData()), str(self.up.currentData())
        self.scatter.show_points(points_of(poses), axes, self._chosen)
        shown = poses.now if self._chosen < 0 else poses.figures[self._chosen]
        who = "Current pose (cross)" if self._chosen < 0 else "Used"
        self.words.setText(f"{who}: {_figures_words(shown)}. {poses.tried:,} directions tried.")


def points_of(poses: FoundPoses) -> Points:
    """Poses as points of a scatter."""
    return Points(FIGURES, poses.figures, poses.front, poses.best, poses.now)


def _figures_words(figures: np.ndarray) -> str:
    shown = ((key, shown_figure(float(figures[_KEYS.index(key)]))) for key in _SHOWN)
    return ", ".join(f"{FIGURES[key][0].lower()} {value} {FIGURES[key][1]}".strip() for key, value in shown)
