"""A small job in which everything that a job can hold is there: for damaged files, and for what follows from what."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trellis.core.job.job import Job, new_job
from lean_trellis.core.job.released import BoardLink
from lean_trellis.core.job.waivers import Waiver
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.parts.marks import KEEP_OFF, Marks, face_marks
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.parts.size import Size, Stage, sized
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.supports.common.support import (
    Extended,
    Gone,
    HandBar,
    HandWork,
    Line,
    RegionPick,
    Removed,
    Support,
    Tie,
)


def small_table() -> Mesh:
    """A top of 16 x 12 x 2 at height 8 on one leg of 4 x 4: one region round a leg."""
    top, leg = box((16, 12, 2), corner=(0, 0, 8)), box((4, 4, 8), corner=(6, 4, 0))
    return from_manifold(to_manifold(top) + to_manifold(leg))


def full_job() -> Job:
    """Parts with every kind of mark, scale and group; stacks with both fillings; a support of every family and form."""
    library = shipped_library()
    machine, material = library.machine("metal-260"), library.material("steel-316l")
    table = small_table()
    hand = np.zeros(len(table.faces), np.int16)
    hand[:2] = 1
    protected = np.zeros(len(table.faces), np.int16)
    protected[2] = KEEP_OFF
    size = Size((1.1, 1.0, 0.9), (Stage("sintering", (0.02, 0.02, 0.03)),))
    marked = Part(
        "part-1", "table", table, Pose(x=40, y=40, build_offset=4.0), owner="Otterbank", order="O-1",
        origin=Origin("table.stl", 0, "mm", "user", 0.05), critical_angle=40.0, watch_angle=60.0, group="pair",
        marks=Marks(face_marks(hand), face_marks(protected), ((1.0, 1.0, 8.0),)),
        path_values=(PathValues(1.0, 4.0, (1.0, 1.0, 2.0), 0.5, 3, 0.4),), lot="L-7", load=(0.0, 0.6, 0.8),
    )  # fmt: skip
    scaled = Part("part-2", "scaled", sized(table, size), Pose(x=90, y=40, build_offset=3.0), nominal=table, size=size,
                  group="pair", is_locked=True)  # fmt: skip
    cube = box((8, 8, 4))
    pile = [Part(f"part-{n}", f"cube {n}", cube, Pose(x=140, y=40, build_offset=z), is_hidden=n == 4)
            for n, z in ((3, 0.0), (4, 5.0))]  # fmt: skip
    spaced = [Part(f"part-{n}", f"block {n}", cube, Pose(x=180, y=40, build_offset=z)) for n, z in ((5, 0.0), (6, 6.0))]
    stacks = (
        Stack("stack-1", ("part-3", "part-4"), 20, "layers", Separator(material, 0.2, 3)),
        Stack("stack-2", ("part-5", "part-6"), 2.0, "mm", Spacer("spacer", box((8, 8, 1)))),
    )
    job = new_job(machine, material, "full")
    return replace(
        job, parts=(marked, scaled, *pile, *spaced), supports=_supports(), stacks=stacks, lot="L-7",
        surface="", fitting="", loaded_grams=40_000.0, due="2026-12-24",
        link=BoardLink("build-1", (("part-1", 2, "a1"),), (1, "b2")),
        waivers=(Waiver("warp", "part-1", "A. Rowan", "cut off later", (1.0, 2.0, 3.0), 1.2, 1.0, "2027-01-01", "w"),),
    )  # fmt: skip


_SPARSE = {"bars-metal": ("spacing", 3.6), "bars-joined": ("spacing", 3.6), "lattice-metal": ("cell_along", 4.0)}


def _supports() -> tuple[Support, ...]:
    pick = (RegionPick("face", (1.0, 1.0, 8.0)),)
    bars = HandWork(
        (HandBar((3.0, 3.0, 8.0), 1.5, 0.8, 1.2, (0.5, 0.5), (0.2, 0.2, -2.0), is_locked=True, on_any_slope=True),),
        (Removed((12.0, 3.0, 8.0), 1.0),),
        (Tie((6.0, 6.0, 4.0), (6.0, 2.0, 8.0), 0.8),),
    )
    walls = HandWork(
        paths=(Line(((1.0, 1.0, 8.0), (5.0, 1.0, 8.0))),), cut_out=(Line(((0.0, 0.0, 8.0), (1, 0, 8), (1, 1, 8))),),
        gone=(Gone((12.0, 9.0, 8.0), "wall"), Gone((2.0, 9.0, 8.0), "piece")),
        extended=(Extended((5.0, 1.0, 8.0), 0.5),),
    )  # fmt: skip
    wanted: list[tuple[str, str, tuple[RegionPick, ...] | None, HandWork]] = [
        ("part-1", "bars-metal", pick, bars),
        ("part-1", "lattice-metal", pick, HandWork()),
        ("part-1", "wall-line", pick, walls),
        ("part-1", "wall-flank", (), HandWork()),
        ("part-2", "bars-joined", None, HandWork()),
        ("part-2", "block-plain", (), HandWork()),
        ("part-2", "cradle-posts", None, HandWork()),
        ("part-1", "raft-follow", (), HandWork()),
    ]
    sets = shipped_sets()
    supports = []
    for number, (part_id, name, target, hand) in enumerate(wanted, start=1):
        chosen = sets[name]
        parameters = chosen.parameters
        if name in _SPARSE:  # what follows from a value matters here, not how many there are
            parameters = parameters.with_value(*_SPARSE[name])
        supports.append(Support(f"support-{number}", part_id, parameters, name, chosen.version, target, hand))
    supports[5] = replace(supports[5], body=box((5, 5, 3)))
    supports[7] = replace(supports[7], others=("part-2",))
    return tuple(supports)
