"""Paths made of arrays are those that Qt makes point by point."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainterPath, QPolygonF

from lean_trellis.studio.painter_paths import path_of

RINGS = tuple(np.random.default_rng(n).uniform(-50, 50, (n, 2)) for n in (3, 40, 7))


@pytest.mark.parametrize("fill", list(Qt.FillRule))
@pytest.mark.parametrize("closes", [True, False])
def test_a_path_is_as_one_made_point_by_point(closes, fill):
    wanted = QPainterPath()
    wanted.setFillRule(fill)
    for ring in RINGS:
        wanted.addPolygon(QPolygonF([QPointF(x, y) for x, y in ring.tolist()]))
        if closes:
            wanted.closeSubpath()
    made = path_of(RINGS, closes=closes, fill=fill)
    assert made == wanted
    assert made.boundingRect() == wanted.boundingRect()
    assert made.contains(QPointF(*RINGS[1].mean(axis=0))) == wanted.contains(QPointF(*RINGS[1].mean(axis=0)))


def test_of_nothing_it_is_empty_and_further_coordinates_are_left_out():
    assert path_of((), closes=True).isEmpty()
    assert path_of([np.zeros((0, 2))], closes=False).isEmpty()
    solid = np.array([[0.0, 0, 9], [4, 0, 9], [4, 3, 9]])
    assert path_of([solid], closes=True) == path_of([solid[:, :2]], closes=True)
