"""What a person does with the mouse on the underside map; places are on the plate, mm."""

from __future__ import annotations

from itertools import pairwise

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

LEFT, CONTROL, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.NoModifier


def on_map(user, x, y):
    return QPointF(*user.window.map.frame.to_screen(x, y)).toPoint()


def click_map(user, x, y, modifier=PLAIN):
    QTest.mouseClick(user.window.map, LEFT, modifier, on_map(user, x, y))
    QApplication.processEvents()


def drag_map(user, places, button=LEFT, modifier=PLAIN):
    points = [on_map(user, *place) for place in places]
    QTest.mousePress(user.window.map, button, modifier, points[0])
    for begin, end in pairwise(points):
        for step in range(1, 5):
            QTest.mouseMove(user.window.map, begin + (end - begin) * step / 4)
            QApplication.processEvents()
    QTest.mouseRelease(user.window.map, button, modifier, points[-1])
    QApplication.processEvents()
