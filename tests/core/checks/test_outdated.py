"""`out_of_date`: trials of parts that have another shape by now."""

from __future__ import annotations

from lean_trellis.core.checks.outdated import outdated_trials
from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import Size


def outdated(job, graph):
    return [finding for finding in graph.get(FINDINGS, None, job) if finding.code == "out_of_date"]


def test_a_trial_of_another_shape_is_a_note_that_can_be_dropped(library):
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    job = edits.add_bodies(job, [Body("one", box((9, 9, 9)), 12), Body("two", box((5, 5, 5)), 12)]).job
    graph = Graph()
    kept = edits.keep_trial(job, "as it was").job
    moved = edits.move_part(kept, "part-1", 50.0, 60.0).job
    assert outdated(kept, graph) == outdated(moved, graph) == [], "another place or pose is what trials are for"
    grown = edits.set_size(kept, ["part-2"], Size(scale=(1.1, 1.0, 1.0))).job
    (finding,) = outdated(grown, graph)
    assert (finding.severity, finding.part) == ("note", "two")
    assert "'as it was'" in finding.message
    (cure,) = finding.cures
    dropped = cure.change.edit(grown, None).job
    assert dropped.trials == ()
    assert outdated(dropped, graph) == []
    assert outdated(edits.keep_trial(grown, "as it was").job, graph) == []


def test_a_part_that_is_gone_counts_and_several_are_counted(library):
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    job = edits.add_bodies(job, [Body(f"n{n}", box((9, 9, n)), 12) for n in (3, 4, 5)]).job
    job = edits.keep_trial(job, "three").job
    assert outdated_trials(edits.remove_parts(job, ["part-1", "part-3"]).job) == (("three", "n3", 2),)
