"""Small pictures of a mesh in a pose, drawn by the processor: shaded dots, the nearest last."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QImage, QPainter, QPixmap

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh import Mesh
from lean_trellis.studio.theme import Tokens, rgb

_PIXELS = 112
_DOTS = 80_000
_LIGHT = np.array([-0.4, -0.7, 0.6]) / np.linalg.norm([0.4, 0.7, 0.6])


def drawn_pose(mesh: Mesh, rotation: Floats, tokens: Tokens, number: int) -> QIcon:
    """The mesh turned by (3, 3), seen from the front and a little from above, with its number."""
    image = np.zeros((_PIXELS, _PIXELS, 4), np.uint8)
    points, normals = _dots(mesh)
    points, normals = points @ rotation.T, normals @ rotation.T
    rise = np.radians(20)
    across = points[:, 0]
    up = points[:, 2] * np.cos(rise) + points[:, 1] * np.sin(rise)
    depth = points[:, 1] * np.cos(rise) - points[:, 2] * np.sin(rise)
    size = max(float(np.ptp(across)), float(np.ptp(up)), 1e-9)
    scale = (_PIXELS - 12) / size
    x = (_PIXELS / 2 + (across - (across.max() + across.min()) / 2) * scale).astype(np.int64)
    y = (_PIXELS / 2 - (up - (up.max() + up.min()) / 2) * scale).astype(np.int64)
    order = np.argsort(-depth, kind="stable")
    shade = np.clip(0.45 + 0.55 * (normals @ _LIGHT), 0.2, 1.0)[order]
    colour = np.array(rgb(tokens.part_tints[0])) * 255
    dots = np.column_stack([shade[:, None] * colour[::-1], np.full(len(order), 255)]).astype(np.uint8)
    for dx in (-1, 0, 1):
        for dy in (-1, 0, 1):
            image[np.clip(y[order] + dy, 0, _PIXELS - 1), np.clip(x[order] + dx, 0, _PIXELS - 1)] = dots
    picture = QImage(image.tobytes(), _PIXELS, _PIXELS, 4 * _PIXELS, QImage.Format.Format_ARGB32).copy()
    painter = QPainter(picture)
    painter.setPen(QColor(tokens.ink))
    font = painter.font()
    font.setPixelSize(26)
    font.setBold(True)
    painter.setFont(font)
    painter.drawText(QRectF(2, 0, 30, 30), Qt.AlignmentFlag.AlignLeft, str(number))
    painter.end()
    return QIcon(QPixmap.fromImage(picture))


def _dots(mesh: Mesh) -> tuple[Floats, Floats]:
    """(n, 3) points spread over the surface by area, always the same ones, and their normals."""
    total = mesh.areas.cumsum()
    marks = (np.arange(_DOTS) + 0.5) / _DOTS * total[-1]
    faces = np.searchsorted(total, marks)
    chance = np.random.default_rng(1)
    u, v = chance.random(_DOTS), chance.random(_DOTS)
    over = u + v > 1
    u[over], v[over] = 1 - u[over], 1 - v[over]
    a, b, c = (mesh.vertices[mesh.faces[faces, i]] for i in range(3))
    return a + u[:, None] * (b - a) + v[:, None] * (c - a), mesh.normals[faces]
