"""Values of bars that contradict each other."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.parameters import require_self_holding


def test_a_set_that_would_not_hold_itself_is_refused_with_the_reason():
    with pytest.raises(ParameterError, match="below the critical angle of 45°; use 45° or less"):
        require_self_holding(BarParameters(lean_limit=50), 45)
    require_self_holding(BarParameters(lean_limit=45), 45)


def test_on_tilted_layers_a_foot_may_lean_no_more_than_the_critical_angle_leaves():
    require_self_holding(BarParameters(lean_limit=30, foot_slope=-14), 45, tilt=30.0)
    with pytest.raises(ParameterError, match="the side of a foot leans 46° from the normal of the tilted layers, 45°"):
        require_self_holding(BarParameters(lean_limit=30, foot_slope=-16), 45, tilt=30.0)
    require_self_holding(BarParameters(lean_limit=30, foot_slope=40), 45, tilt=30.0)  # that widens: seen from below
    require_self_holding(BarParameters(lean_limit=30, foot_slope=-16), 45)
    with pytest.raises(ParameterError, match="an upright bar has a surface angle of 44°"):
        require_self_holding(BarParameters(lean_limit=30), 45, tilt=46.0)


def test_a_tip_is_longer_than_its_bite_and_a_gap_has_none():
    with pytest.raises(ValueError, match="the bite is deeper than the tip is long"):
        BarParameters(bite_depth=0.9, tip_length=0.8)
    assert BarParameters(bite_depth=0.8, tip_length=0.8).contact == "bite"
    assert BarParameters(contact="gap", bite_depth=0.9, tip_length=0.8).bite_depth == 0.9
