"""Batches: which files, what came of them, and going on where one ended."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from lean_trellis.core.batch.batch import BatchWish, files_of, rows_as_csv, run_batch
from lean_trellis.core.batch.piece import Done, Order
from lean_trellis.core.errors import AccessError, Cancelled, EditError
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes
from lean_trellis.core.shop import shipped_library


@pytest.fixture
def order():
    library = shipped_library()
    machine, material = library.machine("metal-260"), library.material("steel-316l")
    return Order(shipped_recipes()["metal-standard"], {"bars-metal": shipped_sets()["bars-metal"]}, machine, material)


@pytest.fixture
def folder(tmp_path):
    inside = tmp_path / "in"
    inside.mkdir()
    for name in ("b.stl", "a.STL", "a.obj", "bad.ply", "notes.txt"):
        (inside / name).write_text(name)
    return inside


class Asked(list):
    """What was asked for, by name; the answers are made up, the last asked first."""

    def __call__(self, pieces):
        for number, piece in reversed(list(pieces)):
            self.append(piece.path.name)
            ok = piece.path.suffix != ".ply"
            yield number, Done(ok, "" if ok else "holds nothing", f"job of {piece.path.name}".encode(), (), 1.5,
                               {"regions": 2, "strength_used": 0.25} if ok else {})  # fmt: skip


@pytest.fixture
def asked():
    return Asked()


def test_the_files_are_those_that_are_named_and_all_of_a_folder_each_once(folder, tmp_path):
    named = files_of([folder / "b.stl", folder])
    assert [path.name for path in named] == ["b.stl", "a.STL", "a.obj", "bad.ply"]
    with pytest.raises(AccessError):
        files_of([tmp_path / "none"])
    (tmp_path / "empty").mkdir()
    with pytest.raises(EditError, match="holds no mesh"):
        files_of([tmp_path / "empty"])


def test_each_file_gets_a_row_and_a_job_of_its_own_in_their_order(order, folder, tmp_path, asked):
    shown = []
    rows = run_batch(BatchWish(order, (folder,), tmp_path / "out"), shown=shown.append, answers=asked)
    assert [Path(row.file).name for row in rows] == ["a.STL", "a.obj", "b.stl", "bad.ply"]
    assert [Path(row.job).name for row in rows] == ["a.trellis", "a (2).trellis", "b.trellis", ""]
    assert Path(rows[1].job).read_text() == "job of a.obj"
    assert [row.ok for row in rows] == [True, True, True, False]
    assert len(shown) == 4
    table = json.loads((tmp_path / "out" / "batch.json").read_text())
    assert [entry["reason"] for entry in table] == ["", "", "", "holds nothing"]
    lines = (tmp_path / "out" / "batch.csv").read_text().splitlines()
    assert lines[0].startswith("file,job,ok,reason,seconds,regions")
    assert len(lines) == 5
    assert rows_as_csv(rows).splitlines() == lines


def test_what_is_done_is_passed_over_unless_file_order_or_job_have_changed(order, folder, tmp_path, asked):
    wish = BatchWish(order, (folder,), tmp_path / "out", resumes=True)
    run_batch(wish, answers=asked)
    asked.clear()
    rows = run_batch(wish, answers=asked)
    assert asked == ["bad.ply"], "what failed is tried again"
    assert [row.ok for row in rows] == [True, True, True, False]
    asked.clear()
    (folder / "b.stl").write_text("revised")
    Path(rows[0].job).unlink()
    run_batch(wish, answers=asked)
    assert sorted(asked) == ["a.STL", "b.stl", "bad.ply"]
    asked.clear()
    run_batch(BatchWish(order, (folder,), tmp_path / "out"), answers=asked)
    assert len(asked) == 4
    (tmp_path / "out" / "batch.json").write_text("[{")
    asked.clear()
    run_batch(wish, answers=asked)
    assert len(asked) == 4


def test_cancelled_midway_what_is_done_stays(order, folder, tmp_path, asked):
    class Patience:
        def at(self, share, words):
            if share >= 0.5:
                raise Cancelled

    wish = BatchWish(order, (folder,), tmp_path / "out", resumes=True)
    with pytest.raises(Cancelled):
        run_batch(wish, Patience(), answers=asked)
    asked.clear()
    rows = run_batch(wish, answers=asked)
    assert len(rows) == 4
    assert len(asked) == 3, "one of the four was done, one failed"
