"""The section plane: what it cuts is closed and hatched, follows plane, parts and supports, and goes with them."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.job.edits import flag_parts, move_part
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.slicing import slice_of


def cut_at(user, axis: str, place: float) -> None:
    """Turn the section on and put it somewhere by its fields, as a person does."""
    if not user.window.menus.by_id["section"].isChecked():
        user.window.menus.run("section")
    bar = user.window.views.viewbar.section
    user.choose(bar.axis, axis)
    user.type_into(bar.place, f"{place:.3f}")
    user.settle()


def test_a_cut_is_known_for_parts_and_supports_and_follows_the_plane(with_parts):
    user = with_parts(box((20, 14, 6)))
    session, part = user.session, user.session.job.parts[0]
    user.press(user.station("supports").support_all)
    user.settle()
    low, high = part.bounds()
    cut_at(user, "0", float(low[0] + high[0]) / 2)
    cuts = session.cuts()
    axis, place = user.window.views.viewbar.section.value()
    (support,) = session.job.supports
    assert axis == 0
    assert cuts.parts[part.id].face.area == pytest.approx(14 * 6)
    expected = slice_of(session.structure(support).mesh, 0, place)
    assert cuts.supports[support.id].face.area == pytest.approx(expected.area_mm2)
    hatch = cuts.parts[part.id].hatch
    assert len(hatch) > 5
    np.testing.assert_allclose(hatch[..., 0], place)
    cut_at(user, "2", float(low[2]) + 3.0)
    assert session.cuts().parts[part.id].face.area == pytest.approx(20 * 14)
    user.window.menus.run("section")
    assert session.cuts() is None


def test_a_cut_moves_with_its_part_and_hidden_parts_have_none(with_parts):
    user = with_parts(ball(6), box((10, 10, 10)))
    session = user.session
    one, other = session.job.parts
    middle = float(other.bounds()[0][1] + 5.0)
    cut_at(user, "1", middle)
    assert session.cuts().parts[other.id].face.area == pytest.approx(100)
    session.do(lambda job: move_part(job, other.id, other.pose.x, other.pose.y + 30.0))
    user.settle()
    assert session.cuts().parts[other.id].face.area == 0
    session.do(lambda job: flag_parts(job, (one.id,), is_hidden=True))
    user.settle()
    assert set(session.cuts().parts) == {other.id}


def test_what_is_open_keeps_its_rim_and_is_not_filled(with_parts):
    whole = box((20, 14, 6))
    user = with_parts(type(whole)(whole.vertices, whole.faces[whole.normals[:, 2] < 0.5]))
    low, high = user.session.job.parts[0].bounds()
    cut_at(user, "1", float(low[1] + high[1]) / 2)
    (cut,) = user.session.cuts().parts.values()
    assert len(cut.face.faces) == 0
    assert np.linalg.norm(np.diff(cut.rim, axis=1)[:, 0], axis=1).sum() == pytest.approx(20 + 2 * 6)
