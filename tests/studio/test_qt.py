"""Small things of Qt."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.studio.forms.qt import points_of, polygon_of


@pytest.mark.parametrize("count", [0, 1, 3, 5000])
def test_a_polygon_is_what_its_places_say(count):
    places = np.random.default_rng(count).normal(size=(count, 2)) * 100
    polygon = polygon_of(places)
    assert polygon.count() == count
    assert [(point.x(), point.y()) for point in points_of(polygon)] == [tuple(place) for place in places.tolist()]
