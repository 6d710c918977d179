"""Parts and sets as files keep them."""

from __future__ import annotations

from full_job import full_job
from lean_trellis.core.job.parts_kept import part_kept, part_of, set_kept, set_of
from lean_trellis.core.sets import shipped_sets


def test_every_part_comes_back():
    for part in full_job().parts:
        again = part_of(part_kept(part), part.nominal_mesh)
        assert part_kept(again) == part_kept(part)
        assert (again.lot, again.load, again.pose, again.size) == (part.lot, part.load, part.pose, part.size)
        assert (again.nominal is None) is (part.nominal is None)


def test_every_set_comes_back():
    for known in shipped_sets().values():
        assert set_of(set_kept(known)) == known
