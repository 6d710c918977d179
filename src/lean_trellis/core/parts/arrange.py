"""Placing parts without overlap of their boxes: in rows round the middle, or beside what is there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.parts.part import Part
from lean_trellis.core.shop.machine import Plate

GAP_MM = 5.0


def _footprint(part: Part) -> tuple[Floats, Floats]:
    """(2,) width and depth of the box in plan, and (2,) its middle relative to the pose's x and y."""
    box = part.bounds()[:, :2]
    return box[1] - box[0], box.mean(axis=0) - [part.pose.x, part.pose.y]


def _at(part: Part, box_middle: Floats, offset: Floats) -> Part:
    x, y = (box_middle - offset).tolist()
    return replace(part, pose=replace(part.pose, x=x, y=y))


def arranged(parts: Sequence[Part], plate: Plate) -> tuple[Part, ...]:
    """All parts in rows of about equal width, the whole block round the plate's middle; order is kept."""
    if not parts:
        return ()
    sizes = [_footprint(part) for part in parts]
    widths = np.array([size[0] for size, _ in sizes]) + GAP_MM
    area = float(sum((size[0] + GAP_MM) * (size[1] + GAP_MM) for size, _ in sizes))
    row_width = max(float(widths.max()), min(plate.width, (area * plate.width / plate.depth) ** 0.5 * 1.1))
    middles, x, y, deepest, extent = [], 0.0, 0.0, 0.0, 0.0
    for size, _ in sizes:
        if x > 0 and x + size[0] > row_width:
            x, y, deepest = 0.0, y + deepest + GAP_MM, 0.0
        middles.append(np.array([x + size[0] / 2, y + size[1] / 2]))
        x += size[0] + GAP_MM
        deepest, extent = max(deepest, size[1]), max(extent, x - GAP_MM)
    to_middle = np.array(plate.middle) - np.array([extent, y + deepest]) / 2
    return tuple(
        _at(part, middle + to_middle, offset) for part, middle, (_, offset) in zip(parts, middles, sizes, strict=True)
    )


def beside(part: Part, others: Sequence[Part], plate: Plate) -> Part:
    """The part at the free place nearest to the plate's middle, by boxes; on the middle of an empty plate."""
    size, offset = _footprint(part)
    middle = np.array(plate.middle)
    if not others:
        return _at(part, middle, offset)
    boxes = np.array([other.bounds()[:, :2] for other in others])
    half = size / 2 + GAP_MM
    xs = np.concatenate(
        [[middle[0]], (boxes[:, 0, 0] - half[0]), (boxes[:, 1, 0] + half[0]), boxes[:, :, 0].mean(axis=1)]
    )
    ys = np.concatenate(
        [[middle[1]], (boxes[:, 0, 1] - half[1]), (boxes[:, 1, 1] + half[1]), boxes[:, :, 1].mean(axis=1)]
    )
    grid = np.stack(np.meshgrid(xs, ys, indexing="ij"), axis=-1).reshape(-1, 2)
    clear = half - 1e-9
    meets = (grid[:, None] + clear > boxes[None, :, 0]) & (grid[:, None] - clear < boxes[None, :, 1])
    taken: Bools = np.logical_or.reduce(np.logical_and.reduce(meets, axis=2), axis=1)
    free = grid[~taken]
    corners = free[:, None] + size / 2 * np.array([[1, 1], [1, -1], [-1, 1], [-1, -1]])
    outside = np.maximum(plate.excess(corners.reshape(-1, 2)).reshape(-1, 4).max(axis=1), 0)
    distance = np.linalg.norm(free - middle, axis=1) + 1e3 * outside
    return _at(part, free[int(np.lexsort((free[:, 0], free[:, 1], np.round(distance, 6)))[0])], offset)
