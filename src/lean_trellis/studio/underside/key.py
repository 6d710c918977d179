"""What the signs of the map mean: along its lower edge, only those that occur, in as many rows as they need."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QFontMetrics, QPainter, QPen, QPixmap

from lean_trellis.core.overhang.rim import FADING, FREE, WALL
from lean_trellis.studio.shown import LOW_EDGE, LOW_POINT, SELF_SUPPORTING, signs_of
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.sheet import PartSheet, SupportSheet

_ROW_PX, _SCALE_BAR_PX = 17.0, 150.0
_RULER_PX = 18


@dataclass(frozen=True)
class Sign:
    """A word, the shape drawn before it with its size in pixels, and the token of its colour."""

    words: str
    shape: str
    size: float
    colour: str


_SIGNS = (
    Sign("free edge", "line", 1.2, "ink"),
    Sign("wall", "line", 3.0, "slate"),
    Sign("fading", "dots", 1.2, "muted"),
    Sign(LOW_EDGE, "line", 3.2, "plum"),
    Sign(LOW_POINT, "square", 7.0, "plum"),
    Sign(SELF_SUPPORTING, "screen", 10.0, "ochre"),
    Sign("island", "ring", 9.0, "stop"),
    Sign("contact", "contact", 6.0, "copper"),
    Sign("foot", "ring", 9.0, "copper"),
)


def occurring(parts: Iterable[PartSheet], supports: Iterable[SupportSheet]) -> frozenset[str]:
    """The words of the signs that occur on a map."""
    signs: set[str] = set()
    rims = {FREE: "free edge", WALL: "wall", FADING: "fading"}
    for sheet in parts:
        signs |= {rims[kind] for kind, lines in sheet.rims.items() if lines}
        signs |= signs_of(shape.region for shape in sheet.shapes)
        if sheet.islands:
            signs.add("island")
    for support in supports:
        signs |= {"contact"} if support.contacts.by_diameter else set()
        signs |= {"foot"} if support.feet.by_diameter else set()
    return frozenset(signs)


class MapKey:
    """The key as it was painted last: while the map moves it stays what it is."""

    def __init__(self) -> None:
        self._picture: QPixmap | None = None
        self._shows: tuple[object, ...] = ()

    def paint(self, painter: QPainter, width: int, height: int, tokens: Tokens, words: frozenset[str]) -> None:
        """Paint the signs of these words, beside the scale bar; in more than one row where one is too short."""
        device = painter.device()
        ratio = 1.0 if device is None else device.devicePixelRatioF()
        font = QFont(painter.font())
        font.setPixelSize(10)
        shows = (words, width, tokens, ratio, font.key())
        if shows != self._shows:
            self._picture, self._shows = _picture(words, width, tokens, ratio, font), shows
        if self._picture is not None:
            painter.drawPixmap(QPointF(_RULER_PX, height - self._picture.height() / ratio), self._picture)


def _picture(words: frozenset[str], width: int, tokens: Tokens, ratio: float, font: QFont) -> QPixmap | None:
    """The signs on their band; none without any."""
    rows = _rows(QFontMetrics(font), [s for s in _SIGNS if s.words in words], width - _RULER_PX - _SCALE_BAR_PX)
    if not rows:
        return None
    widest = max(sum(wide for _, wide in row) for row in rows)
    size = math.ceil((widest + 8) * ratio), math.ceil((_ROW_PX * len(rows) + 1) * ratio)
    picture = QPixmap(*size)
    picture.setDevicePixelRatio(ratio)
    band = QColor(tokens.paper)
    band.setAlpha(215)
    picture.fill(band)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(font)
    for number, row in enumerate(rows):
        left, middle = 6.0, _ROW_PX * (number + 0.5)
        for sign, wide in row:
            draw_sign(painter, QPointF(left + 10, middle), sign.shape, sign.size, getattr(tokens, sign.colour), tokens)
            painter.setPen(QColor(tokens.ink))
            painter.drawText(QPointF(left + 24, middle + 4), sign.words)
            left += wide
    painter.end()
    return picture


def _rows(metrics: QFontMetrics, signs: list[Sign], room: float) -> list[list[tuple[Sign, float]]]:
    """The signs with their widths, a row as long as there is room."""
    rows: list[list[tuple[Sign, float]]] = []
    for sign in signs:
        wide = 38.0 + metrics.horizontalAdvance(sign.words)
        if not rows or sum(other for _, other in rows[-1]) + wide > room:
            rows.append([])
        rows[-1].append((sign, wide))
    return rows


def draw_sign(painter: QPainter, at: QPointF, shape: str, size: float, colour: str, tokens: Tokens) -> None:
    """One sign with its middle at a place."""
    tone = QColor(colour)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(tone, size if shape in ("line", "dots") else 1.4))
    half = QPointF(size / 2, size / 2)
    if shape in ("line", "dots"):
        if shape == "dots":
            painter.setPen(QPen(tone, size, Qt.PenStyle.DotLine))
        painter.drawLine(at - QPointF(9, 0), at + QPointF(9, 0))
    elif shape == "square":
        painter.fillRect(QRectF(at - half, at + half), tone)
    elif shape == "screen":
        painter.fillRect(QRectF(at - half, at + half), QBrush(tone, Qt.BrushStyle.Dense6Pattern))
    else:
        if shape == "contact":
            painter.setPen(QPen(QColor(tokens.rim), 1.2))
            painter.setBrush(QColor(tokens.pale))
        painter.drawEllipse(at, size / 2, size / 2)
