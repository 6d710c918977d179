"""The witness of arranging: parts packed as boxes by rectpack."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import rectpack


def packed_boxes(sizes: Iterable[np.ndarray]) -> float:
    """The least rectangle in which rectpack lays boxes of the given (2,) sizes, over many widths, mm²."""
    sizes, best = list(sizes), np.inf
    for width in range(60, 321, 10):
        packer = rectpack.newPacker(rotation=True)
        for size in sizes:
            packer.add_rect(*(int(np.ceil(10 * side)) for side in size))
        packer.add_bin(10 * width, 20_000)
        packer.pack()
        if len(packer) and len(packer[0]) == len(sizes):
            across = max(rect.x + rect.width for rect in packer[0])
            best = min(best, across * max(rect.y + rect.height for rect in packer[0]) / 100)
    return float(best)
