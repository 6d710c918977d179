"""What bodies tell of themselves."""

from __future__ import annotations

from body_cases import raft_for, ring

from lean_trellis.core.supports.bodies.report import exported_bodies, holes_in_words, raft_figures, raft_in_words
from lean_trellis.core.supports.common.spec import ExportWish


def test_a_raft_tells_its_area_and_when_its_hole_closes():
    small, large = raft_for(ring(), margin=1.0), raft_for(ring(), margin=9.0)
    assert holes_in_words(small).startswith("1 hole open, closing at a margin of 7.5")
    assert holes_in_words(large) == "1 hole closed by the margin"
    assert raft_in_words(small).splitlines()[0] == f"1 raft, {small.area_mm2:,.1f} mm² on the plate"
    (hole,) = raft_figures(small)["holes"]
    assert (round(hole["closes_at_mm"], 1), hole["closed"]) == (7.5, False), (
        "what is left is smaller than the smallest hole"
    )


def test_a_body_leaves_as_one_named_solid():
    raft = raft_for(ring(), margin=1.0)
    (body,) = exported_bodies(raft, "raft", ExportWish(united=True))
    assert (body.name, body.is_sheet) == ("raft", False)
    assert abs(body.mesh.volume - raft.volume_mm3) < 1e-3 * raft.volume_mm3
