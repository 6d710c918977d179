"""The program's own signs in place of the tool kit's pictures: in question boxes and file dialogs."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QIcon, QPainter, QPainterPath, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QApplication, QProxyStyle, QStyle, QStyleOption, QWidget

from lean_trellis.studio.theme import FAMILY, Tokens, style_sheet

_SIZES = (16, 24, 32, 48)
_Pixmap = QStyle.StandardPixmap
Drawing = Callable[[QPainter, Tokens], None]
"""Draws a sign in a square of 16 by 16."""


def apply_theme(application: QApplication, tokens: Tokens) -> None:
    """Set font, signs and style sheet for the whole application."""
    apply_font_and_signs(application, tokens)
    application.setStyleSheet(style_sheet(tokens))


def apply_font_and_signs(application: QApplication, tokens: Tokens) -> None:
    """All of the theme that widgets need to know their size before they are styled."""
    font = QFont(FAMILY)
    font.setPixelSize(13)
    font.setFeature(QFont.Tag("tnum"), 1)
    application.setFont(font)
    application.setStyle(OwnStyle(tokens))


class OwnStyle(QProxyStyle):
    """The plain base style, but its standard pictures are drawn in our colours and shapes."""

    def __init__(self, tokens: Tokens) -> None:
        super().__init__("Fusion")
        self._tokens = tokens

    def standardIcon(
        self, which: QStyle.StandardPixmap, option: QStyleOption | None = None, widget: QWidget | None = None
    ) -> QIcon:
        """Our sign, or the base style's where there is none."""
        draw = _DRAWINGS.get(which)
        if draw is None:
            return super().standardIcon(which, option, widget)
        icon = QIcon()
        for size in _SIZES:
            icon.addPixmap(_picture(draw, size, self._tokens))
        return icon

    def standardPixmap(
        self, which: QStyle.StandardPixmap, option: QStyleOption | None = None, widget: QWidget | None = None
    ) -> QPixmap:
        """The same as a picture."""
        draw = _DRAWINGS.get(which)
        if draw is None:
            return super().standardPixmap(which, option, widget)
        return _picture(draw, 32, self._tokens)


def _picture(draw: Drawing, size: int, tokens: Tokens) -> QPixmap:
    picture = QPixmap(QSize(size, size))
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(size / 16, size / 16)
    draw(painter, tokens)
    painter.end()
    return picture


def _lines(painter: QPainter, colour: str, *lines: list[tuple[float, float]], width: float = 1.4) -> None:
    pen = QPen(QColor(colour), width)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for line in lines:
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in line]))


def _folder(painter: QPainter, tokens: Tokens) -> None:
    path = QPainterPath(QPointF(1.5, 4))
    for x, y in ((6, 4), (7.5, 5.5), (14.5, 5.5), (14.5, 13), (1.5, 13)):
        path.lineTo(x, y)
    path.closeSubpath()
    painter.setPen(QPen(QColor(tokens.ivy), 1.2))
    painter.setBrush(QColor(tokens.ivy_wash))
    painter.drawPath(path)


def _file(painter: QPainter, tokens: Tokens) -> None:
    painter.setPen(QPen(QColor(tokens.muted), 1.2))
    painter.setBrush(QColor(tokens.card))
    painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in ((3, 1.5), (10, 1.5), (13, 4.5), (13, 14.5), (3, 14.5))]))
    _lines(painter, tokens.muted, [(10, 1.5), (10, 4.5), (13, 4.5)], width=1.0)


def _place(painter: QPainter, tokens: Tokens) -> None:
    painter.setPen(QPen(QColor(tokens.ink), 1.2))
    painter.setBrush(QColor(tokens.card))
    painter.drawRoundedRect(QRectF(1.5, 3, 13, 8), 1, 1)
    _lines(painter, tokens.ink, [(5, 13.5), (11, 13.5)], [(8, 11), (8, 13.5)], width=1.2)


def _new_folder(painter: QPainter, tokens: Tokens) -> None:
    _folder(painter, tokens)
    _lines(painter, tokens.ink, [(8, 9.2), (12, 9.2)], [(10, 7.2), (10, 11.2)])


def _arrow(*tip: tuple[float, float]) -> Drawing:
    return lambda painter, tokens: _lines(painter, tokens.ink, list(tip), width=1.8)


def _rows(painter: QPainter, tokens: Tokens) -> None:
    _lines(painter, tokens.ink, *([(3.0, y), (13.0, y)] for y in (4.0, 8.0, 12.0)))


def _squares(painter: QPainter, tokens: Tokens) -> None:
    painter.setPen(QPen(QColor(tokens.ink), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for x, y in ((2.5, 2.5), (9, 2.5), (2.5, 9), (9, 9)):
        painter.drawRect(QRectF(x, y, 4.5, 4.5))


def _sign(corners: int, colour: str, letter: str) -> Drawing:
    """A disc (0 corners), triangle or octagon in the colour of its meaning, with a letter in it."""

    def draw(painter: QPainter, tokens: Tokens) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(getattr(tokens, colour)))
        if corners == 0:
            painter.drawEllipse(QPointF(8, 8), 6.8, 6.8)
        else:
            turns = [2 * math.pi * (n + (0.5 if corners == 8 else 0)) / corners - math.pi / 2 for n in range(corners)]
            middle, reach = (8.0, 7.2) if corners == 8 else (9.2, 8.0)
            painter.drawPolygon(
                QPolygonF([QPointF(8 + reach * math.cos(t), middle + reach * math.sin(t)) for t in turns])
            )
        font = painter.font()
        font.setPixelSize(10)
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(QColor(tokens.card))
        low = 1.2 if corners == 3 else 0.0
        painter.drawText(QRectF(0, low, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)

    return draw


_DRAWINGS: dict[QStyle.StandardPixmap, Drawing] = {
    **dict.fromkeys((_Pixmap.SP_DirIcon, _Pixmap.SP_DirClosedIcon, _Pixmap.SP_DirOpenIcon, _Pixmap.SP_DirHomeIcon,
                     _Pixmap.SP_DirLinkIcon), _folder),
    **dict.fromkeys((_Pixmap.SP_FileIcon, _Pixmap.SP_FileLinkIcon), _file),
    **dict.fromkeys((_Pixmap.SP_ComputerIcon, _Pixmap.SP_DriveHDIcon, _Pixmap.SP_DriveNetIcon, _Pixmap.SP_DesktopIcon,
                     _Pixmap.SP_DriveCDIcon, _Pixmap.SP_DriveFDIcon), _place),
    _Pixmap.SP_FileDialogNewFolder: _new_folder,
    _Pixmap.SP_FileDialogToParent: _arrow((3, 9.5), (8, 4.5), (13, 9.5)),
    _Pixmap.SP_FileDialogBack: _arrow((10, 3), (5, 8), (10, 13)),
    _Pixmap.SP_ArrowBack: _arrow((10, 3), (5, 8), (10, 13)),
    _Pixmap.SP_ArrowForward: _arrow((6, 3), (11, 8), (6, 13)),
    _Pixmap.SP_FileDialogListView: _squares,
    _Pixmap.SP_FileDialogDetailedView: _rows,
    _Pixmap.SP_MessageBoxQuestion: _sign(0, "note", "?"),
    _Pixmap.SP_MessageBoxInformation: _sign(0, "note", "i"),
    _Pixmap.SP_MessageBoxWarning: _sign(3, "caution", "!"),
    _Pixmap.SP_MessageBoxCritical: _sign(8, "stop", "!"),
}  # fmt: skip
