"""One file of a batch: a pure function from bytes to bytes."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from lean_trellis.core.batch.piece import BatchPiece, Order, do_piece
from lean_trellis.core.errors import AccessError
from lean_trellis.core.formats.body import Named
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.export import write_bodies
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes
from lean_trellis.core.shop import shipped_library


@pytest.fixture(scope="module")
def order():
    library, sets = shipped_library(), shipped_sets()
    used = {"bars-metal": sets["bars-metal"]}
    machine, material = library.machine("metal-260"), library.material("steel-316l")
    return Order(shipped_recipes()["metal-standard"], used, machine, material)


@pytest.fixture(scope="module")
def slab(tmp_path_factory):
    path = tmp_path_factory.mktemp("slab") / "slab.stl"
    write_bodies(path, [Named("slab", box((6, 5, 2)))])
    return path


def test_a_piece_comes_to_the_same_job_with_its_content_or_without(order, slab, tmp_path):
    piece = BatchPiece(order, slab)
    done = do_piece(piece)
    assert done.ok, done.reason
    far = replace(piece.with_content(), path=Path("elsewhere") / "slab.stl")
    again = do_piece(piece)
    assert again.job == done.job
    assert do_piece(far).figures == done.figures
    (tmp_path / "slab.trellis").write_bytes(done.job)
    job = open_job(tmp_path / "slab.trellis", shipped_library())
    assert [one.set_name for one in job.supports] == ["bars-metal"]
    assert job.parts[0].pose.build_offset == order.material.build_offset
    assert done.figures["regions"] == 1
    assert done.figures["not_supported"] == done.figures["stops"] == 0
    assert done.figures["volume_mm3"] == pytest.approx(done.parts[0]["supports"][0]["volume_mm3"])
    assert 0 < done.figures["strength_used"] < 1


def test_a_job_keeps_its_machine_and_what_no_rule_takes_is_counted(order, slab, tmp_path):
    done = do_piece(BatchPiece(order, slab))
    path = tmp_path / "again.trellis"
    path.write_bytes(done.job)
    rule = order.recipe.rules[0].model_copy(update={"kinds": ("point",)})
    nothing = replace(order, recipe=order.recipe.model_copy(update={"rules": (rule,)}))
    again = do_piece(BatchPiece(nothing, path))
    assert (again.figures["untaken"], again.figures["supports"]) == (1, 0)
    assert again.figures["not_supported"] >= 1


def test_faults_are_answers_that_name_the_file(order, tmp_path):
    bad = tmp_path / "bad.stl"
    bad.write_text("solid nothing")
    for path in (bad, tmp_path / "none.stl"):
        done = do_piece(BatchPiece(order, path))
        assert not done.ok
        assert done.reason.startswith(str(path))
        assert "\n" not in done.reason
    done = do_piece(BatchPiece(order, Path("far/bad.stl"), b"solid nothing"))
    assert done.reason.startswith("far/bad.stl")
    with pytest.raises(AccessError):
        BatchPiece(order, tmp_path / "none.stl").with_content()


def test_another_order_is_another_mark(order):
    other = order.material.model_copy(update={"build_offset": 9.0})
    coarse = replace(order.sets["bars-metal"], version=9)
    marks = {order.mark(), replace(order, material=other).mark(), replace(order, units="in").mark(),
             replace(order, sets={"bars-metal": coarse}).mark()}  # fmt: skip
    assert len(marks) == 4
    assert replace(order).mark() == order.mark()
