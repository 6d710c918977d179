"""Walls, rafts, blocks and cradles by hand: cut, delete, extend, draw, drag; what a raft is shared by; posts told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from PyQt6.QtWidgets import QFileDialog, QLabel

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import Edit, Job
from lean_trellis.core.job.edits import (
    add_support,
    become_block,
    change_values,
    cut_out,
    delete_pieces,
    delete_walls,
    draw_path,
    drop_hand_work,
    extend_wall,
    give_body,
    move_path_point,
    share_raft,
)
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.cradle import Cradle
from lean_trellis.core.supports.flank import outline_of
from lean_trellis.core.supports.outlines import polygons_of
from lean_trellis.core.supports.panels import Panels
from lean_trellis.studio.forms.fields import NumberField, figure, muted, row, set_role
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.pull import Pull
from lean_trellis.studio.requests import ReadFiles
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.section import Section, button
from lean_trellis.studio.stations.station import Drawn
from lean_trellis.studio.stations.tables import PickTable

_MODES = (
    ("cut", "Cut out", "Draw round what is to go, on the map or in the view. Escape ends."),
    ("path", "Draw", "Draw where a wall is to run, on the map or over the underside. Escape ends."),
    ("band", "Band", "Draw along the part's outline: the wall follows that stretch. Escape ends."),
    ("drag", "Drag", "Drag the squares on the map: points of paths, a block, the ends of a wall. Escape ends."),
)
_FOR = {
    "lattice": ("cut",), "wall line": ("cut", "path", "drag"), "wall flank": ("band", "drag"), "block": ("drag",),
}  # fmt: skip
_SMOOTH_MM = 0.15
_LEAST_STRETCH_MM = 1.0
_MOST_POSTS = 200


class ShapesSection(Section):
    """What is done by hand to a support that is no bars."""

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, "By hand", is_open=False)
        self._chosen_set = chosen_set
        self.modes = ModeButtons(_MODES, "shapes")
        self.body.addWidget(self.modes)
        self.told = muted()
        self.body.addWidget(self.told)
        self.wall = button("Delete wall", self.delete_walls, "The picked walls (Del)", name="shapes.wall")
        self.piece = button("Delete piece", self.delete_pieces, "All that comes off with the picked walls",
                            name="shapes.piece")  # fmt: skip
        self._walls = row(self.wall, self.piece, 1, spacing=5)
        self.body.addWidget(self._walls)
        self.by = NumberField("mm", width=64)
        self.by.show_value(5.0)
        self.by.setObjectName("shapes.by")
        self.by.setAccessibleName("Extend by")
        self.extend = button("Extend by", self.extend_walls, "Lead the picked wall on beyond its end that is farther "
                             "from the part's middle", name="shapes.extend")  # fmt: skip
        self._extending = row(self.extend, self.by, QLabel("mm"), 1, spacing=5)
        self.body.addWidget(self._extending)
        self.share = button("Share with picked parts", self.share_raft, "One raft under all parts that are picked",
                            name="shapes.share")  # fmt: skip
        self.alone = button("Own part alone", self.own_raft, "The raft is for its own part", name="shapes.alone")
        self._sharing = row(self.share, self.alone, 1, spacing=5)
        self.body.addWidget(self._sharing)
        self.from_file = button("Shape from a file …", self.body_from_file, "Any body as the block's shape",
                                name="shapes.file")  # fmt: skip
        self.from_part = button("Shape of the other picked part", self.body_from_part, "Pick the block's part first, "
                                "then with Ctrl the one whose shape it takes", name="shapes.part")  # fmt: skip
        self._shapes = row(self.from_file, 1)
        self.body.addWidget(self._shapes)
        self.whole = button("Make the other picked part the block", self.part_becomes, "It keeps its place and is a "
                            "support from then on, no part", name="shapes.whole")  # fmt: skip
        self._parts = row(self.from_part, 1)
        self._wholes = row(self.whole, 1)
        self.body.addWidget(self._parts)
        self.body.addWidget(self._wholes)
        self.round = button("Once round", self.go_round, "The wall follows the whole outline", name="shapes.round")
        self._rounding = row(self.round, 1)
        self.body.addWidget(self._rounding)
        self.posts = PickTable(("Post", "Does", "mm in", "mm²"), several=False, stretch=1)
        self.posts.setObjectName("shapes.posts")
        self.posts.setFixedHeight(210)
        self.posts.picked.connect(self._fly_to_post)
        self.body.addWidget(self.posts)
        self.kept = figure()
        self.body.addWidget(self.kept)
        self.unkept = muted()
        self.body.addWidget(self.unkept)
        self.give_up = button("Give up all work by hand", self.drop, "The support is as its values make it",
                              name="shapes.drop")  # fmt: skip
        self.body.addWidget(row(self.give_up, 1))

    # --- what is in hand ---

    def _walls_in_hand(self) -> Panels | None:
        support = self.session.support
        made = None if support is None else self.session.structure(support)
        return made if isinstance(made, Panels) else None

    def _picked_places(self) -> Floats:
        """One place on each picked wall, in its middle."""
        walls = self._walls_in_hand()
        found = []
        for wall in sorted(self.session.selection.bars) if walls is not None else ():
            mine = np.flatnonzero(walls.slabs.walls == wall)
            if len(mine):
                slab = mine[len(mine) // 2]
                ends = walls.columns.places[[walls.slabs.left[slab], walls.slabs.right[slab]]]
                found.append([*ends.mean(axis=0), float(walls.slabs.high[slab].mean())])
        return np.array(found).reshape(-1, 3)

    def _do(self, make: Callable[[Job, str], Edit]) -> bool:
        support = self.session.support
        return support is not None and self.session.do(lambda job: make(job, support.id))

    # --- walls ---

    def delete(self) -> bool:
        """Del: the picked walls. True when there were some."""
        if not len(self._picked_places()):
            return False
        self.delete_walls()
        return True

    def delete_walls(self) -> None:
        """Delete the picked walls."""
        places = self._picked_places()
        self._do(lambda job, key: delete_walls(job, key, places))

    def delete_pieces(self) -> None:
        """Delete the pieces that the picked walls belong to."""
        places = self._picked_places()
        self._do(lambda job, key: delete_pieces(job, key, places))

    def extend_walls(self) -> None:
        """Lead the picked wall on at its end that is farther from the part's middle."""
        walls, part, by = self._walls_in_hand(), self.session.part, self.by.value
        picked = sorted(self.session.selection.bars)
        if walls is None or part is None or not picked:
            return
        mine = walls.slabs.walls == picked[0]
        ends = np.concatenate(
            [walls.columns.places[walls.slabs.left[mine]], walls.columns.places[walls.slabs.right[mine]]]
        )
        tops = np.tile(walls.slabs.high[mine].mean(axis=1), 2)
        if len(ends):
            far = int(np.hypot(*(ends - part.bounds().mean(axis=0)[:2]).T).argmax())
            end = (float(ends[far, 0]), float(ends[far, 1]), float(tops[far]))
            self._do(lambda job, key: extend_wall(job, key, end, by))

    def _cut(self, drawn: Drawn) -> None:
        walls = self._walls_in_hand()
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

        self._do(make)

    def _draw_path(self, drawn: Drawn) -> None:
        part, support, chosen = self.session.part, self.session.support, self._chosen_set()
        places = _stroke(drawn)
        if part is None or len(places) < 2:
            return
        line = np.asarray(shapely.LineString(places).simplify(_SMOOTH_MM).coords)
        if line.shape[1] == 2:
            line = np.column_stack([line, np.full(len(line), part.pose.build_offset)])

        def make(job: Job) -> Edit:
            held = job
            target = support
            if target is None or target.parameters.form != "line":
                held = add_support(job, part.id, chosen, ()).job
                target = held.supports[-1]
            return Edit("Draw a wall", draw_path(held, target.id, line).job)

        before = len(self.session.job.supports)
        if self.session.do(make) and len(self.session.job.supports) > before:
            self.session.select(support=self.session.job.supports[-1].id)

    # --- beside a part ---

    def _band(self, drawn: Drawn) -> None:
        places = _stroke(drawn)
        if len(places) > 1:
            self._follow(places[0][:2], places[-1][:2], towards=places[len(places) // 2][:2])

    def _follow(self, begin: Any, end: Any, towards: Any | None = None) -> None:
        """The stretch of the outline between the places nearest to two, on the side that a third one lies on."""
        part = self.session.part
        if part is None:
            return
        outline = outline_of(part.placed).exterior
        first, last = (float(outline.project(shapely.Point(place))) for place in (begin, end))
        length = (last - first) % outline.length
        if towards is not None:
            between = (float(outline.project(shapely.Point(towards))) - first) % outline.length
            if between > length:
                first, length = last, outline.length - length
        values = {"along_start": round(first, 3), "along_length": max(round(length, 3), _LEAST_STRETCH_MM)}
        self._do(lambda job, key: change_values(job, key, values, "Follow that stretch of the outline"))

    def go_round(self) -> None:
        """The wall follows the whole outline."""
        self._do(lambda job, key: change_values(job, key, {"along_length": None}, "Follow the whole outline"))

    # --- rafts and blocks ---

    def share_raft(self) -> None:
        """One raft under all picked parts."""
        picked = self.session.selection.parts
        self._do(lambda job, key: share_raft(job, key, picked))

    def own_raft(self) -> None:
        """A raft under its own part alone."""
        self._do(lambda job, key: share_raft(job, key, ()))

    def body_from_file(self) -> None:
        """Any body from a file as the block's shape."""
        chosen, _ = QFileDialog.getOpenFileName(self, "A body for the block", self.session.settings.folder)
        if chosen:
            self.take_file(Path(chosen))

    def take_file(self, path: Path) -> None:
        """The first body of a file becomes the block's shape."""
        support = self.session.support

        def found(answer: tuple[list[tuple[Path, list[Body]]], list[TrellisError]]) -> None:
            good, bad = answer
            if bad:
                self.session.said.emit("stop", str(bad[0]))
            elif good and support is not None:
                body = good[0][1][0]
                self.session.do(lambda job: give_body(job, support.id, body.mesh, body.name))

        self.session.ask(f"Reading {path.name}", ReadFiles((path,)), found)

    def body_from_part(self) -> None:
        """The shape of the other picked part, as it stands."""
        support, picked = self.session.support, self.session.selection.parts
        others = [part_id for part_id in picked if support is not None and part_id != support.part_id]
        if others:
            part = self.session.job.part(others[0])
            self._do(lambda job, key: give_body(job, key, part.placed, part.name))

    def part_becomes(self) -> None:
        """The other picked part becomes the block, where it stands."""
        support, picked = self.session.support, self.session.selection.parts
        others = [part_id for part_id in picked if support is not None and part_id != support.part_id]
        if others:
            self._do(lambda job, key: become_block(job, key, others[0]))

    def drop(self) -> None:
        """Give up all that was done by hand."""
        self._do(drop_hand_work)

    # --- tools ---

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """How a mode draws in the views."""
        return {"cut": ("lasso", 0.0), "path": ("brush", 1.0), "band": ("brush", 3.0), "drag": ("pull", 0.0)}.get(
            mode, ("", 0.0)
        )

    def take_drawn(self, drawn: Drawn) -> None:
        """A lasso, a path or a band has been drawn."""
        match self.modes.mode:
            case "cut":
                self._cut(drawn)
            case "path":
                self._draw_path(drawn)
            case "band":
                self._band(drawn)

    def take_pull(self, pull: Pull) -> None:
        """A handle was dragged; the edit is made when it is let go."""
        support, part = self.session.support, self.session.part
        if not pull.is_over or support is None or part is None or self.modes.mode != "drag":
            return
        match pull.handle:
            case "path":
                self._move_point(support, pull)
            case "flank":
                made = self.session.structure(support)
                path = getattr(made, "path", np.zeros((0, 2)))
                if len(path) > 1:
                    ends = [path[0], path[-1]]
                    ends[pull.bar] = np.array(pull.place[:2])
                    self._follow(*ends)
            case "block":
                self._move_block(support, pull)

    def _move_point(self, support: Support, pull: Pull) -> None:
        number = pull.bar
        path = 0
        while path < len(support.hand.paths) and number >= len(support.hand.paths[path].places):
            number -= len(support.hand.paths[path].places)
            path += 1
        if path < len(support.hand.paths):
            self._do(lambda job, key: move_path_point(job, key, path, number, pull.place))

    def _move_block(self, support: Support, pull: Pull) -> None:
        part = self.session.job.part(support.part_id)
        p: Any = support.parameters
        middle = part.bounds().mean(axis=0)[:2]
        away = np.array(pull.place[:2]) - middle - [p.place_x * (pull.bar == 1), p.place_y * (pull.bar == 1)]
        if pull.bar == 0:
            values = {"place_x": round(float(away[0]), 3), "place_y": round(float(away[1]), 3)}
            self._do(lambda job, key: change_values(job, key, values, "Move a block"))
            return
        turn = np.radians(p.turn)
        own = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) @ away
        size = {
            "size_x": max(round(2 * abs(float(own[0])), 3), 0.1),
            "size_y": max(round(2 * abs(float(own[1])), 3), 0.1),
        }
        self._do(lambda job, key: change_values(job, key, size, "Size a block"))

    # --- what is shown ---

    def refresh(self) -> None:
        """The tools of the family in hand, and what was done."""
        support = self.session.support
        chosen = (self._chosen_set() if support is None else support).family
        parameters = self._chosen_set().parameters if support is None else support.parameters
        kind = f"{chosen} {parameters.form}".strip()
        allowed = _FOR.get(kind, ())
        for key, made in self.modes.buttons.items():
            made.setVisible(key in allowed)
            made.setEnabled(self.session.part is not None and (support is not None or key == "path"))
            if key not in allowed and made.isChecked():
                made.setChecked(False)
        self.modes.setVisible(bool(allowed))
        walls = self._walls_in_hand()
        picked = len(self._picked_places())
        for line in (self._walls, self._extending):
            line.setVisible(kind in ("lattice", "wall line"))
        for made in (self.wall, self.piece, self.extend):
            made.setEnabled(picked > 0)
        self._sharing.setVisible(kind == "raft")
        self.share.setEnabled(support is not None and len(self.session.selection.parts) > 1)
        self.alone.setEnabled(support is not None and bool(support.others))
        self._shapes.setVisible(kind == "block")
        for line in (self._parts, self._wholes):
            line.setVisible(kind == "block")
        self.from_file.setEnabled(support is not None)
        for made in (self.from_part, self.whole):
            made.setEnabled(support is not None and len(self.session.selection.parts) > 1)
        self._rounding.setVisible(kind == "wall flank")
        self.told.setText(self._told_words(kind, picked, support))
        self._show_posts(support)
        self._show_kept(support, walls)

    def _told_words(self, kind: str, picked: int, support: Support | None) -> str:
        if kind in ("lattice", "wall line"):
            return f"{picked} wall{'s' * (picked != 1)} picked" if picked else "Click a wall to pick it, Ctrl adds."
        if kind == "raft" and support is not None:
            names = [self.session.job.part(part_id).name for part_id in support.parts]
            return f"Under {', '.join(names)}. Pick more parts with Ctrl in the list to share it."
        return ""

    def _show_posts(self, support: Support | None) -> None:
        made = None if support is None else self.session.structure(support)
        self.posts.setVisible(isinstance(made, Cradle))
        if isinstance(made, Cradle):
            posts = made.posts
            depths, areas = posts.depths.tolist(), posts.areas.tolist()
            rows = [
                (number, (number + 1, posts.state(number), round(depths[number], 3), round(areas[number], 3)))
                for number in range(min(len(posts), _MOST_POSTS))
            ]
            self.posts.show_rows(rows, [])

    def _fly_to_post(self, keys: list[int]) -> None:
        support = self.session.support
        made = None if support is None else self.session.structure(support)
        if isinstance(made, Cradle) and keys and keys[0] < len(made.posts):
            self.asks.emit("fly", tuple(made.posts.tops[keys[0]].tolist()))

    def _show_kept(self, support: Support | None, walls: Panels | None) -> None:
        hand = None if support is None else support.hand
        done = hand is not None and not hand.is_empty
        self.give_up.setVisible(done)
        self.kept.setVisible(done)
        if hand is not None:
            told = [(len(hand.paths), "drawn"), (len(hand.cut_out), "cut out"), (len(hand.gone), "deleted"),
                    (len(hand.extended), "extended")]  # fmt: skip
            self.kept.setText("By hand: " + ", ".join(f"{count:,} {words}" for count, words in told if count))
        reasons = () if walls is None else walls.unkept.reasons
        set_role(self.unkept, "warn" if reasons else "muted")
        self.unkept.setVisible(bool(reasons))
        self.unkept.setText("\n".join(f"Not kept: {reason}." for reason in dict.fromkeys(reasons)))


def _stroke(drawn: Drawn) -> list[tuple[float, ...]]:
    """The places of a stroke: on the plate (x, y) from the map, on the part (x, y, z) from the view."""
    if drawn.picks:
        return [pick.place for pick in drawn.picks if pick.place is not None and pick.part]
    return list(drawn.places)


def _seen_area(walls: Panels, area: Any, matrix: Floats) -> Any:
    """What in plan belongs to a lasso drawn over the picture: strips round the stretches of wall seen within it."""
    slabs = walls.slabs
    left, right = walls.columns.places[slabs.left], walls.columns.places[slabs.right]
    middles = np.column_stack([(left + right) / 2, (slabs.low.mean(axis=1) + slabs.high.mean(axis=1)) / 2])
    flat = np.column_stack([middles, np.ones(len(middles))]) @ matrix.T
    inside = shapely.contains_xy(area, flat[:, 0] / flat[:, 3], flat[:, 1] / flat[:, 3])
    lines = shapely.linestrings(np.stack([left[inside], right[inside]], axis=1))
    return shapely.union_all(lines).buffer(max(walls.thickness / 2, 0.05) + 0.02, cap_style="flat")
