"""What 3D view and map draw besides parts and bars: low edges, taken zones, separators, and what their signs mean."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import stack_of

from lean_trellis.core.job.edits import set_angles, turn_part
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.studio.pictures import settle
from lean_trellis.studio.theme import DAY, NIGHT, rgb
from lean_trellis.studio.underside.key import occurring


def test_low_edges_and_points_are_drawn_in_the_view_and_named_in_its_legend(with_parts):
    user = with_parts(box((20, 14, 6)))
    session, views = user.session, user.window.views
    part = session.job.parts[0].id
    bench = user.station("overhangs")
    assert views.view.scene.low_actors(part) == ()
    session.do(lambda job: set_angles(job, [part], 30.0, 35.0))
    session.do(lambda job: turn_part(job, part, "x", 50.0))
    user.settle()
    edges = [region for region in session.regions(session.part).regions if region.kind == "edge"]
    assert len(edges) == 1
    (line,) = views.view.scene.low_actors(part)
    assert line.GetProperty().GetColor() == pytest.approx(rgb(DAY.plum))
    low, high = np.array(line.GetBounds()).reshape(3, 2).T
    assert (high - low)[0] == pytest.approx(20.0)
    assert (low[2], high[2]) == (pytest.approx(session.part.bounds()[0][2], abs=1e-4),) * 2
    assert "low edge" in views._signs()
    row = bench.table.keys().index(edges[0].id)
    cells = [bench.table.model().index(row, column).data() for column in range(4)]
    assert cells[1:] == ["low edge", None, None], "an edge has no area and no slope"
    session.select(regions=frozenset({edges[0].id}))
    user.settle()
    (line,) = views.view.scene.low_actors(part)
    assert line.GetProperty().GetColor() == pytest.approx(rgb(DAY.ivy)), "selected like a face"
    session.do(lambda job: turn_part(job, part, "y", 40.0))
    user.settle()
    assert {"low point"} <= set(views._signs())
    user.station("parts")
    assert views.view.scene.low_actors(part) == ()


def test_the_key_of_the_map_names_what_occurs_and_nothing_else(with_parts):
    user = with_parts(box((20, 14, 6)))
    chart = user.window.views.map
    user.settle()
    assert occurring(chart.sheet.parts(), []) == {"free edge", "island"}, "a slab in the air"
    user.press(user.station("supports").support_all)
    user.settle()
    assert occurring(chart.sheet.parts(), chart.sheet.supports()) == {"free edge", "island", "contact", "foot"}


def test_separators_and_the_purge_tower_are_there_with_their_names(user):
    session, scene = user.session, user.window.views.view.scene
    filling = Separator(session.library.material("petg"), inset=0.4, layers=2)
    session.replace_job(stack_of(session.library, filling, 2), None)
    settle(user.window)
    (stack,) = session.job.stacks
    shown = session.fillings(stack)
    (separator,) = user.window.views.map.sheet.separators()
    assert separator[0] == f"Separator, {stack.filling.material.name}"
    box = separator[1].boundingRect()
    low, high = shown.mesh.bounds
    assert (box.left(), box.right()) == (pytest.approx(low[0], abs=1e-3), pytest.approx(high[0], abs=1e-3))
    (body,) = scene.extras.bodies()
    assert body.GetVisibility()
    tower = session.job.machine.purge_tower
    boxes = [np.array(actor.GetBounds()).reshape(3, 2) for actor in scene.extras.zones()]
    around = next(
        b for b in boxes if np.allclose(b[:2], [(tower.x, tower.x + tower.width), (tower.y, tower.y + tower.depth)])
    )
    assert around[2][1] == pytest.approx(high[2], abs=0.1), "as high as the last change of material"
    _, letters = scene.extras.named(stack.id)
    assert letters.GetProperty().GetColor() == pytest.approx(rgb(DAY.ink))
    user.window.menus.by_id["night"].trigger()
    user.settle()
    body, letters = scene.extras.named(stack.id)
    assert letters.GetProperty().GetColor() == pytest.approx(rgb(NIGHT.ink)), "names are read in the dark, too"
    user.window.menus.run("show_supports")
    assert not body.GetVisibility()
    user.window.menus.run("show_supports")
