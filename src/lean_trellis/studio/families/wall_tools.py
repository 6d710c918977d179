"""Lattices and walls by hand: cut out, delete, extend; walls along a line are drawn and their points dragged."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import shapely
from PyQt6.QtWidgets import QLabel

from lean_trellis.core.arrays import Floats
from lean_trellis.core.job import Edit, Job
from lean_trellis.core.job.edits import (
    add_support,
    cut_out,
    delete_pieces,
    delete_walls,
    draw_path,
    extend_wall,
    move_path_point,
)
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.common.outlines import polygons_of
from lean_trellis.core.supports.common.spec import spec_for, spec_of
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.studio.families.load_figures import LoadsSection
from lean_trellis.studio.family_tools import HandTools, counted_words, hand_of, stroke_of
from lean_trellis.studio.forms.fields import NumberField, muted, row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.gestures import Pull, Stroke
from lean_trellis.studio.session import Session

_CUT = ("cut", "Cut out", "Draw around what to cut away, on the map or in the view. Escape ends.")
_LINES = (
    _CUT,
    ("path", "Draw", "Draw where a wall is to run, on the map or over the underside. Escape ends."),
    ("drag", "Drag", "Drag the squares on the map: points of paths. Escape ends."),
)
_SMOOTH_MM = 0.15


class LatticeTools(HandTools):
    """What is done to walls of any kind."""

    gestures = {"cut": ("lasso", 0.0), "path": ("brush", 1.0), "drag": ("pull", 0.0)}  # noqa: RUF012 - read only
    modes_offered: tuple[tuple[str, str, str], ...] = (_CUT,)

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.modes = ModeButtons(self.modes_offered, "shapes")
        self.mode_rows = (self.modes,)
        self.body.addWidget(self.modes)
        self.selected_note = muted()
        self.body.addWidget(self.selected_note)
        self.wall = button("Delete wall", self.delete_walls, "Delete the selected walls (Del)", name="shapes.wall")
        self.piece = button("Delete piece", self.delete_pieces, "Delete the pieces that the selected walls belong to",
                            name="shapes.piece")  # fmt: skip
        self.body.addWidget(row(self.wall, self.piece, 1, spacing=5))
        self.by = NumberField("mm", width=64)
        self.by.show_value(5.0)
        self.by.setObjectName("shapes.by")
        self.by.setAccessibleName("Extend by")
        self.extend = button("Extend by", self.extend_walls, "Extend the selected wall at the end farther from the "
                             "part's middle", name="shapes.extend")  # fmt: skip
        self.body.addWidget(row(self.extend, self.by, QLabel("mm"), 1, spacing=5))
        self.add_lost_and_kept("shapes")
        self.further = (LoadsSection(session),)

    @property
    def _walls(self) -> Panels | None:
        made = self.made
        return made if isinstance(made, Panels) else None

    def _selected_places(self) -> Floats:
        """One place on each selected wall, in its middle."""
        walls = self._walls
        places = []
        if walls is None:
            return np.zeros((0, 3))
        for wall in sorted(self.session.selection.bars):
            mine = np.flatnonzero(walls.slabs.walls == wall)
            if len(mine):
                slab = mine[len(mine) // 2]
                ends = walls.columns.places[[walls.slabs.left[slab], walls.slabs.right[slab]]]
                places.append([*ends.mean(axis=0), float(walls.slabs.high[slab].mean())])
        return np.array(places).reshape(-1, 3)

    def delete(self) -> bool:
        """Del: the selected walls. True when there were some."""
        if not len(self._selected_places()):
            return False
        self.delete_walls()
        return True

    def delete_walls(self) -> None:
        """Delete the selected walls."""
        places = self._selected_places()
        self.do(lambda job, key: delete_walls(job, key, places))

    def delete_pieces(self) -> None:
        """Delete the pieces that the selected walls belong to."""
        places = self._selected_places()
        self.do(lambda job, key: delete_pieces(job, key, places))

    def extend_walls(self) -> None:
        """Lead the selected wall on at its end that is farther from the part's middle."""
        walls, part, by = self._walls, self.session.part, self.by.value
        selected = sorted(self.session.selection.bars)
        if walls is None or part is None or not selected:
            return
        mine = walls.slabs.walls == selected[0]
        ends = np.concatenate(
            [walls.columns.places[walls.slabs.left[mine]], walls.columns.places[walls.slabs.right[mine]]]
        )
        tops = np.tile(walls.slabs.high[mine].mean(axis=1), 2)
        if len(ends):
            far = int(np.hypot(*(ends - part.bounds().mean(axis=0)[:2]).T).argmax())
            end = (float(ends[far, 0]), float(ends[far, 1]), float(tops[far]))
            self.do(lambda job, key: extend_wall(job, key, end, by))

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """A lasso has been drawn."""
        if self.mode == "cut":
            self._cut(drawn)

    def _cut(self, drawn: Stroke) -> None:
        walls = self._walls
        if walls is None or len(drawn.places) < 3:
            return
        area = shapely.Polygon(drawn.places).buffer(0)
        if drawn.matrix is not None:
            area = _seen_area(walls, area, np.reshape(drawn.matrix, (4, 4)))
        level = float(walls.slabs.high.max(initial=0.0))

        def make(job: Job, key: str) -> Edit:
            edit = Edit("Cut out part of the walls", job)
            for part in polygons_of(area):
                ring = np.asarray(part.exterior.coords)[:-1]
                edit = cut_out(edit.job, key, np.column_stack([ring, np.full(len(ring), level)]))
            return edit

        self.do(make)

    def refresh(self) -> None:
        """What is selected, and the manual edits."""
        support, walls = self.session.support, self._walls
        for key, made in self.modes.buttons.items():
            made.setEnabled(self.session.part is not None and (support is not None or key == "path"))
        selected = len(self._selected_places())
        for made in (self.wall, self.piece, self.extend):
            made.setEnabled(selected > 0)
        count = f"{selected} wall{'s' * (selected != 1)} selected"
        self.selected_note.setText(count if selected else "Click a wall to select it; Ctrl adds more.")
        hand = hand_of(support)
        words = counted_words((len(hand.paths), "drawn"), (len(hand.cut_out), "cut out"), (len(hand.gone), "deleted"),
                              (len(hand.extended), "extended"))  # fmt: skip
        reasons = () if walls is None else walls.unkept.reasons
        self.show_kept(words, tuple(f"Not kept: {reason}." for reason in dict.fromkeys(reasons)))


class WallTools(LatticeTools):
    """What is done to walls along a line besides: drawn, and led another way."""

    modes_offered = _LINES

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """A lasso or a path has been drawn."""
        if self.mode == "path":
            self._draw_path(drawn)
        else:
            super().take_drawn(gesture, drawn)

    def _draw_path(self, drawn: Stroke) -> None:
        part, support, chosen = self.session.part, self.session.support, self.chosen_set()
        places = stroke_of(drawn)
        if part is None or len(places) < 2:
            return
        line = np.asarray(shapely.LineString(places).simplify(_SMOOTH_MM).coords)
        if line.shape[1] == 2:
            line = np.column_stack([line, np.full(len(line), part.pose.build_offset)])

        def make(job: Job) -> Edit:
            revised, target = job, support
            if target is None or spec_of(target) is not spec_for(chosen.parameters):
                revised = add_support(job, part.id, chosen, ()).job
                target = revised.supports[-1]
            return Edit("Draw a wall", draw_path(revised, target.id, line).job)

        before = len(self.session.job.supports)
        if self.session.do(make) and len(self.session.job.supports) > before:
            self.session.select(support=self.session.job.supports[-1].id)

    def take_pull(self, pull: Pull) -> None:
        """A point of a drawn path was dragged; the edit is made when it is let go."""
        support = self.session.support
        if pull.is_over and support is not None and self.mode == "drag" and pull.handle == "path":
            self._move_point(support, pull)

    def _move_point(self, support: Support, pull: Pull) -> None:
        number = pull.bar
        path = 0
        while path < len(support.hand.paths) and number >= len(support.hand.paths[path].places):
            number -= len(support.hand.paths[path].places)
            path += 1
        if path < len(support.hand.paths):
            self.do(lambda job, key: move_path_point(job, key, path, number, pull.place))


def _seen_area(walls: Panels, area: Any, matrix: Floats) -> Any:
    """What in plan belongs to a lasso drawn over the picture: strips round the stretches of wall seen within it."""
    slabs = walls.slabs
    left, right = walls.columns.places[slabs.left], walls.columns.places[slabs.right]
    middles = np.column_stack([(left + right) / 2, (slabs.low.mean(axis=1) + slabs.high.mean(axis=1)) / 2])
    flat = np.column_stack([middles, np.ones(len(middles))]) @ matrix.T
    inside = shapely.contains_xy(area, flat[:, 0] / flat[:, 3], flat[:, 1] / flat[:, 3])
    lines = shapely.linestrings(np.stack([left[inside], right[inside]], axis=1))
    return shapely.union_all(lines).buffer(max(walls.thickness / 2, 0.05) + 0.02, cap_style="flat")
