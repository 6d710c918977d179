"""`set_changed`: later versions of sets, and what they would change."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.checks.set_changes import set_changes
from lean_trellis.core.checks.trying import tried_cures
from lean_trellis.core.derive import Pipeline
from lean_trellis.core.job.edits import change_support
from lean_trellis.core.job.released import Released
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


@pytest.fixture(scope="module")
def job(library):
    shop = library.machine("metal-260"), library.material("steel-316l")
    return supported(job_of(shop, box((9, 7, 3)), offset=4.0), "bars-metal")


def later(**values):
    there = shipped_sets()["bars-metal"]
    return replace(there, version=there.version + 1, parameters=there.parameters.with_values(values))


def test_a_later_version_is_a_note_that_says_what_it_changes_and_other_sets_are_none(job):
    sets = shipped_sets()
    assert set_changes(job, sets) == ()
    assert set_changes(job, {}) == ()
    newer = later(spacing=1.5, sides=6)
    (finding,) = set_changes(job, {**sets, newer.name: newer})
    assert (finding.code, finding.severity, finding.support_id) == ("set_changed", "note", "support-1")
    assert (finding.value, finding.limit) == (newer.version - 1, newer.version)
    assert finding.cause == "the set was changed: spacing 1.9 to 1.5, sides 8 to 6"
    assert set_changes(replace(job, released=Released()), {newer.name: newer}) == ()
    assert set_changes(job, {newer.name: replace(newer, version=newer.version - 1)}) == ()


def test_what_it_would_change_is_told_in_numbers_and_taken_but_for_values_changed_on_the_support(job):
    changed = change_support(job, "support-1", "sides", 12).job
    newer = later(spacing=1.4, sides=6)
    (finding,) = set_changes(changed, {newer.name: newer})
    (cure,) = tried_cures(finding, changed, Pipeline())
    taken = cure.change.edit(changed, Pipeline()).job
    (support,) = taken.supports
    assert (support.parameters.spacing, support.parameters.sides, support.set_version) == (1.4, 12, newer.version)
    assert [one.version for one in taken.sets] == [newer.version]
    pipeline = Pipeline()
    counts = [len(pipeline.bars(one.supports[0], one)) for one in (changed, taken)]
    areas = [pipeline.structure(one.supports[0], one).contact_area_mm2 for one in (changed, taken)]
    used = [pipeline.figures("part-1", one)["support-1"].used.max() for one in (changed, taken)]
    volumes = [pipeline.built_volume(one.supports[0], one) / 1000 for one in (changed, taken)]
    assert f"{counts[0]} to {counts[1]} elements" in cure.words
    assert f"volume {volumes[0]:.2f} to {volumes[1]:.2f} cm³" in cure.words
    assert f"contact {areas[0]:.1f} to {areas[1]:.1f} mm²" in cure.words
    assert f"utilisation {used[0]:.2f} to {used[1]:.2f}" in cure.words
    assert counts[1] > counts[0]
    assert set_changes(taken, {newer.name: newer}) == ()
