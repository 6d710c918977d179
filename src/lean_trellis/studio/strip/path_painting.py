"""Paths of a layer as beads of their true width, coloured by what they are for."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from lean_trellis.core.layers.paths import KIND_WORDS, Kind, Paths
from lean_trellis.studio.theme import Tokens, mixed

_SHARE_OF_SUPPORTS = 0.45
"""How far the colours of supports' paths go towards copper."""


def _colour(kind: int, body: str, t: Tokens) -> str:
    own = {
        Kind.OUTLINE: t.ivy, Kind.LOOP: t.verdigris, Kind.FILL: t.ochre, Kind.LINE: t.heather, Kind.BRIM: t.slate,
        Kind.PURGE: t.plum,
    }[Kind(kind)]  # fmt: skip
    return own if body in ("part", "purge") else mixed(own, t.copper, _SHARE_OF_SUPPORTS)


def _is_shown(body: str, shows: dict[str, bool]) -> bool:
    return shows["parts" if body == "part" else "supports"]


def path_entries(shown: tuple[tuple[str, Paths], ...], shows: dict[str, bool], t: Tokens) -> list[tuple[str, str]]:
    """What there is to explain: words and colours."""
    entries: dict[str, str] = {}
    for body, paths in shown:
        if _is_shown(body, shows):
            for kind in np.unique(paths.kinds).tolist():
                whose = "" if body in ("part", "purge") else f", {body}"
                entries[f"{KIND_WORDS[kind]}{whose}"] = _colour(kind, body, t)
    return sorted(entries.items())


def paint_paths(painter: QPainter, shown: tuple[tuple[str, Paths], ...], shows: dict[str, bool], t: Tokens) -> None:
    """Draw the paths; the painter is set to millimetres."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for body, paths in shown:
        if not _is_shown(body, shows):
            continue
        for kind in np.unique(paths.kinds).tolist():
            some = paths.only(np.flatnonzero(paths.kinds == kind))
            pen = QPen(QColor(_colour(kind, body, t)))
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            sizes = np.diff(some.ways.starts)
            for width in np.unique(some.widths.round(3)).tolist():
                mine = np.flatnonzero(some.widths.round(3) == width)
                pen.setWidthF(max(width * 0.92, 1e-3))  # a seam stays between beads
                painter.setPen(pen)
                straight = mine[sizes[mine] == 2]
                for line in np.column_stack([some.firsts[straight], some.lasts[straight]]).tolist():
                    painter.drawLine(QLineF(*line))
                for number in mine[sizes[mine] != 2].tolist():
                    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in some.ways.way(number).tolist()]))
