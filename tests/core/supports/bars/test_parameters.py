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
