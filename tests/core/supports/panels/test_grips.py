"""Tabs as contacts, with the strip of wall below each."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.panels.grips import grips_of_panels
from lean_trellis.core.supports.panels.panels import NO_PANELS


def panels_of(metal, name, **values):
    job = supported(job_of(metal, box((24, 16, 5)), offset=8.0), name, **values)
    return Pipeline().structure(job.supports[0], job)


def test_a_tab_is_as_stiff_as_the_strip_below_it(metal):
    walls = panels_of(metal, "wall-line")
    grips = grips_of_panels(walls)
    assert len(grips) == len(walls.tabs)
    strip = walls.tabs.widths * walls.built_thickness
    assert grips.areas == pytest.approx(strip)
    assert grips.lengths == pytest.approx(8.0, abs=0.3)
    assert grips.axial == pytest.approx(strip / grips.lengths)
    assert (grips.half_widths <= walls.built_thickness / 2 + 1e-9).all()


def test_walls_that_others_cross_do_not_bend_about_their_thickness(metal):
    lattice = panels_of(metal, "lattice-metal")
    grips = grips_of_panels(lattice)
    thick = lattice.built_thickness
    wide = lattice.tabs.widths > 2 * thick
    weak = lattice.tabs.widths * thick**3 / 12
    assert (grips.moments[wide] > 2 * weak[wide]).mean() > 0.9
    assert set(np.unique(grips.pieces)) <= set(np.unique(lattice.footings().pieces))


def test_without_walls_there_are_no_contacts():
    assert len(grips_of_panels(NO_PANELS)) == 0
