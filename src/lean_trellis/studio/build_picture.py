"""A small picture of a build seen from above: the plate and what its parts cover, made quickly at any time."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from lean_trellis.core.parts.part import Part
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import DAY

SIZE = (132, 92)
NAME = "view.png"
_MARGIN = 5.0


def build_picture(session: Session) -> QImage:
    """The build as it is now; parts whose outline is not known yet are left as their box."""
    image = QImage(*SIZE, QImage.Format.Format_ARGB32)
    image.fill(QColor(DAY.ground))
    plate = session.job.machine.plate
    scale = min((SIZE[0] - 2 * _MARGIN) / plate.width, (SIZE[1] - 2 * _MARGIN) / plate.depth)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate((SIZE[0] - scale * plate.width) / 2, (SIZE[1] + scale * plate.depth) / 2)
    painter.scale(scale, -scale)
    pen = QPen(QColor(DAY.ink), 1)
    pen.setCosmetic(True)
    painter.setPen(pen)
    painter.setBrush(QColor(DAY.plate))
    whole = QRectF(0, 0, plate.width, plate.depth)
    painter.drawEllipse(whole) if plate.shape == "round" else painter.drawRect(whole)
    owners = sorted({part.owner for part in session.job.parts})
    for part in session.job.parts:
        painter.setBrush(QColor(DAY.part_tints[owners.index(part.owner) % len(DAY.part_tints)]))
        painter.drawPath(_outline(session, part))
    painter.end()
    return image


def save_picture(image: QImage, folder: Path) -> None:
    """Put the picture beside a copy; a copy without one is as good."""
    image.save(str(folder / NAME))


def _outline(session: Session, part: Part) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    regions = session.regions(part)
    if regions is None:
        low, high = part.bounds()
        path.addRect(QRectF(QPointF(*low[:2].tolist()), QPointF(*high[:2].tolist())))
        return path
    for ring in regions.silhouette:
        path.moveTo(*ring[0].tolist())
        for x, y in ring[1:].tolist():
            path.lineTo(x, y)
        path.closeSubpath()
    return path
