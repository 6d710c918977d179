"""What is said of bars and written of them: counted by other ways than the report's own."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.bars.facts.report import exported_bars
from lean_trellis.core.supports.bars.struts import Bars, no_bars
from lean_trellis.core.supports.common.spec import ExportWish


@pytest.fixture(scope="module")
def braced() -> Bars:
    return bars_for(box((12, 12, 3)), lift=30.0, spacing=6.0, brace="x", free_length=12.0)


def test_each_bar_is_a_body_of_its_own_numbered_from_one_and_the_braces_are_one_more(braced):
    bodies = exported_bars(braced, "set", ExportWish(united=False, each_element=True))
    assert [body.name for body in bodies] == [f"set bar {n}" for n in range(1, len(braced) + 1)] + ["set shared"]
    for number, body in enumerate(bodies[:-1]):
        low, high = body.mesh.bounds
        assert (low[2], high[2]) == (pytest.approx(0), pytest.approx(braced.centres[number, -1, 2], abs=0.01))
        assert (low[:2] + high[:2]) / 2 == pytest.approx(braced.holds[number, :2], abs=0.3)
    volumes = [body.mesh.volume for body in bodies[:-1]]
    assert np.allclose(volumes, volumes[0], rtol=0.05)


def test_without_a_wish_all_is_one_body_and_without_braces_nothing_is_shared(braced):
    (whole,) = exported_bars(braced, "set", ExportWish(united=False))
    assert (whole.name, len(whole.mesh.faces)) == ("set", len(braced.mesh.faces))
    alone = bars_for(box((12, 12, 3)), lift=30.0, spacing=6.0, brace="none")
    assert len(exported_bars(alone, "set", ExportWish(united=False, each_element=True))) == len(alone)
    assert exported_bars(no_bars(), "set", ExportWish(united=False, each_element=True)) == []
