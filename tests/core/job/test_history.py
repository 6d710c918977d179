"""Undo and redo."""

from __future__ import annotations

from lean_trellis.core.job import History, edits


def test_undo_and_redo_walk_through_the_jobs(job):
    history = History(job)
    history.do(edits.turn_part(job, "part-1", "x", 70))
    history.do(edits.set_build_offset(history.job, ["part-1"], 9))
    assert history.undo_title == "Set build offset of slab to 9 mm"
    assert history.undo().part("part-1").pose.build_offset == 4
    assert history.redo_title == "Set build offset of slab to 9 mm"
    assert history.undo() is job
    assert (history.undo(), history.undo_title) == (job, "")
    assert history.redo().part("part-1").pose.rotation != job.part("part-1").pose.rotation
    history.do(edits.remove_parts(history.job, ["part-2"]))
    assert history.redo_title == ""


def test_a_job_is_renamed_in_every_step_and_undo_keeps_the_name(job):
    history = History(job)
    moved = history.do(edits.move_part(job, "part-1", 50, 40))
    renamed = history.rename("friday", moved)
    assert history.job is renamed
    assert (history.job.name, history.undo().name, history.redo() is renamed) == ("friday", "friday", True)


def test_one_drag_is_one_step(job):
    history = History(job)
    for x in range(5):
        history.do(edits.move_part(history.job, "part-1", x, 0), merge_key="drag 1")
    history.do(edits.move_part(history.job, "part-1", 50, 0), merge_key="drag 2")
    assert history.undo().part("part-1").pose.x == 4
    assert history.undo() is job
