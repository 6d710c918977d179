"""Small pictures of a mesh in a pose, drawn by the processor: shaded dots, the nearest last."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QImage, QPainter, QPixmap

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.sampling import spread_by_area
from lean_trellis.studio.theme import Tokens, rgb

_PIXELS = 112
_DOTS = 80_000
_LIGHT = np.array([-0.4, -0.7, 0.6]) / np.linalg.norm([0.4, 0.7, 0.6])


def drawn_pose(mesh: Mesh, rotation: Floats, tokens: Tokens, number: int) -> QIcon:
    """The mesh turned by (3, 3), seen from the front and a little from above, with its number."""
    colours = np.tile(np.array(rgb(tokens.part_tints[0])), (len(mesh.faces), 1))
    picture = drawn([(mesh, colours)], rotation, (_PIXELS, _PIXELS))
    painter = QPainter(picture)
    painter.setPen(QColor(tokens.ink))
    font = painter.font()
    font.setPixelSize(26)
    font.setBold(True)
    painter.setFont(font)
    painter.drawText(QRectF(2, 0, 30, 30), Qt.AlignmentFlag.AlignLeft, str(number))
    painter.end()
    return QIcon(QPixmap.fromImage(picture))


def drawn(
    meshes: Sequence[tuple[Mesh, Floats]], rotation: Floats, size: tuple[int, int], *, rise_deg: float = 20.0
) -> QImage:
    """Meshes with a colour for each face (m, 3), turned by (3, 3), seen from the front and from `rise_deg` above."""
    width, height = size
    image = np.zeros((height, width, 4), np.uint8)
    spread = [(*spread_by_area(mesh, _DOTS), colours) for mesh, colours in meshes if len(mesh.faces)]
    if not spread:
        return QImage(image.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32).copy()
    points = np.concatenate([one[0] for one in spread]) @ rotation.T
    normals = np.concatenate([mesh.normals[faces] for (mesh, _), (_, faces, _) in zip(
        [one for one in meshes if len(one[0].faces)], spread, strict=True)]) @ rotation.T  # fmt: skip
    tints = np.concatenate([colours[faces] for _, faces, colours in spread])
    rise = np.radians(rise_deg)
    across = points[:, 0]
    up = points[:, 2] * np.cos(rise) + points[:, 1] * np.sin(rise)
    depth = points[:, 1] * np.cos(rise) - points[:, 2] * np.sin(rise)
    scale = min((width - 12) / max(float(np.ptp(across)), 1e-9), (height - 12) / max(float(np.ptp(up)), 1e-9))
    x = (width / 2 + (across - (across.max() + across.min()) / 2) * scale).astype(np.int64)
    y = (height / 2 - (up - (up.max() + up.min()) / 2) * scale).astype(np.int64)
    order = np.argsort(-depth, kind="stable")
    eye = np.array([0.0, -np.cos(rise), np.sin(rise)])
    normals = normals * np.where(normals @ eye < 0, -1.0, 1.0)[:, None]  # sheets are seen from both sides
    shade = np.clip(0.45 + 0.55 * (normals @ _LIGHT), 0.2, 1.0)[order]
    colour = tints[order] * 255
    dots = np.column_stack([shade[:, None] * colour[:, ::-1], np.full(len(order), 255)]).astype(np.uint8)
    # All nine pixels of a dot before those of a nearer one: what is behind never shows through.
    steps = np.array([(dx, dy) for dx in (-1, 0, 1) for dy in (-1, 0, 1)])
    columns = np.clip(x[order, None] + steps[:, 0], 0, width - 1)
    rows = np.clip(y[order, None] + steps[:, 1], 0, height - 1)
    image[rows.ravel(), columns.ravel()] = np.repeat(dots, len(steps), axis=0)
    return QImage(image.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32).copy()
