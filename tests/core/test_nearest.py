"""Trees of places are scipy's, and neither the core nor the window imports scipy before one is made."""

from __future__ import annotations

import subprocess
import sys

import numpy as np

from lean_trellis.core.nearest import place_tree


def test_the_nearest_place_is_found():
    away, which = place_tree(np.array([[0.0, 0, 0], [3, 4, 0]])).query(np.array([[3.0, 4, 1], [0, 0.5, 0]]))
    assert away.tolist() == [1.0, 0.5]
    assert which.tolist() == [1, 0]


def test_the_window_s_modules_are_imported_without_scipy():
    told = "import sys, lean_trellis.core.demo, lean_trellis.studio.start; print('scipy' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", told], check=True, capture_output=True, text=True)
    assert done.stdout.strip() == "False"
