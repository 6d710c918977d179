"""The demo jobs: a metal build, a vat build, an extrusion build and a belt build of the same made-up shop."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from lean_trellis.core.demo import dental_parts, metal_parts, organ_parts
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats.body import Body
from lean_trellis.core.job.edits import (
    add_bodies,
    add_support,
    arrange_parts,
    change_support,
    copy_part,
    stack_part,
)
from lean_trellis.core.job.job import Job, new_job
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.pose import Pose, rotation_xyz
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.sets.parameter_set import shipped_sets
from lean_trellis.core.shop.library import Library
from lean_trellis.core.supports.common.targets import pick_region

RIVER = "Otterbank Survey"
CLINIC = "Mallow Lane Dental"
ORGANS = "Tern Street Organs"
_FLAT = (0.0, 0.0, 0.0)
_ORDERS = {RIVER: "FW-0417", CLINIC: "FW-0419", ORGANS: "FW-0422"}


@dataclass(frozen=True)
class _Wanted:
    """A part of a demo job: how it is made, whose it is, its turn and place, and the set that supports it, if any."""

    name: str
    make: Callable[[], Mesh]
    owner: str
    turn: tuple[float, float, float] = _FLAT
    at: tuple[float, float] = (0.0, 0.0)
    set: str = ""
    offset: float | None = None


def _filled(job: Job, wanted: Sequence[_Wanted]) -> Job:
    for entry in wanted:
        mesh = entry.make()
        body = Body(entry.name, mesh, len(mesh.faces), unit_known=True, unit_is_from="file")
        job = add_bodies(job, [body], file="made by code", owner=entry.owner, keep_position=True).job
        offset = job.material.build_offset if entry.offset is None else entry.offset
        pose = Pose(x=entry.at[0], y=entry.at[1], build_offset=offset).turned(rotation_xyz(*entry.turn))
        job = job.with_part(replace(job.parts[-1], pose=pose, order=_ORDERS[entry.owner]))
    return job


def _with_supports(job: Job, wanted: Sequence[_Wanted]) -> Job:
    sets = shipped_sets()
    for part, entry in zip(job.parts, wanted, strict=False):
        if entry.set:
            job = add_support(job, part.id, sets[entry.set]).job
    return job


def metal_build(library: Library) -> Job:
    """Friday's metal build: four parts of two customers, all supported but for one underside of the elbow."""
    job = new_job(library.machine("metal-260"), library.material("steel-316l"), "Friday metal")
    wanted = (
        _Wanted("Strut bracket", metal_parts.strut_bracket, RIVER, (0.0, 32.0, 0.0), set="bars-metal-braced"),
        _Wanted("Sensor manifold", metal_parts.sensor_manifold, RIVER, set="bars-metal"),
        _Wanted("Exhaust elbow", metal_parts.exhaust_elbow, ORGANS, (0.0, -20.0, 0.0)),
        _Wanted("Impeller", metal_parts.impeller, RIVER, set="lattice-metal"),
    )
    job = _with_supports(arrange_parts(_filled(job, wanted)).job, wanted)
    elbow = job.parts[2]
    regions = [region for region in Pipeline().overhangs(elbow, job).regions if not region.left_out]
    faces = sorted((region for region in regions if region.kind == "face"), key=lambda region: region.area_mm2)
    forgotten = faces[-3]
    target = tuple(pick_region(region, elbow) for region in regions if region is not forgotten)
    job = add_support(job, elbow.id, shipped_sets()["bars-metal"], target).job
    job = change_support(job, job.supports[-1].id, "tip_diameter", 0.8).job
    return change_support(job, job.supports_of(job.parts[3].id)[0].id, "tab_width", 1.0).job


def _larger_coping() -> Mesh:
    return dental_parts.coping(7.4, 6.6, 6.4)


def vat_build(library: Library) -> Job:
    """Friday's vat build for the clinic: arch model with too few bars, drill guide, bridge frame, two copings."""
    job = new_job(library.machine("vat-150"), library.material("resin-model"), "Friday vat")
    wanted = (
        _Wanted("Arch model", dental_parts.arch_model, CLINIC, (14.0, 0.0, 0.0), (71.6, 27.2), "bars-joined"),
        _Wanted("Drill guide", dental_parts.drill_guide, CLINIC, (-28.0, 0.0, 0.0), (71.6, 62.2), "bars-resin-fine"),
        _Wanted("Bridge frame", dental_parts.bridge_frame, CLINIC, (180.0, 24.0, 0.0), (96.7, 76.0), "bars-resin-fine"),
        _Wanted("Coping 14", dental_parts.coping, CLINIC, (168.0, 0.0, 0.0), (63.6, 5.8), "bars-resin-fine"),
        _Wanted("Coping 25", _larger_coping, CLINIC, (168.0, 0.0, 0.0), (73.6, 5.4), "bars-resin-fine"),
    )
    job = _with_supports(_filled(job, wanted), wanted)
    job = change_support(job, job.supports[0].id, "tip_diameter", 1.0).job
    job = change_support(job, job.supports[0].id, "shaft_diameter", 1.4).job
    return change_support(job, job.supports[0].id, "spacing", 6.0).job


def extrusion_build(library: Library) -> Job:
    """Friday's extrusion build: a tall panel, stacked grids, a slotted cover, a lever on a raft that is too thick."""
    job = new_job(library.machine("filament-320"), library.material("pla"), "Friday extrusion")
    wanted = (
        _Wanted("Reed-box panel", organ_parts.reed_panel, ORGANS, at=(160.0, 196.4), set="wall-flank", offset=0.0),
        _Wanted("Wind-chest grid", organ_parts.wind_chest_grid, ORGANS, at=(154.9, 116.4), offset=0.0),
        _Wanted("Reed cover", organ_parts.reed_cover, ORGANS, (90.0, 0.0, 0.0), (147.6, 162.9), offset=0.0),
        _Wanted("Tracker lever", organ_parts.tracker_lever, ORGANS, _FLAT, (149.1, 181.1), "bars-extrusion", 4.0),
    )
    job = _filled(job, wanted)
    separator = Separator(library.material("petg"), inset=0.4, layers=2)
    job = stack_part(job, job.parts[1].id, 3, 2, "layers", separator).job
    job = _with_supports(job, wanted)
    # The panel's wall stands behind it, off the lever before it; the lever's raft nearly closes the hole of its eye.
    job = change_support(job, job.supports_of(job.parts[0].id)[0].id, "along_start", 160.0).job
    job = add_support(job, job.parts[0].id, shipped_sets()["bars-extrusion"]).job
    job = change_support(job, job.supports[-1].id, "shaft_diameter", 5.0).job
    job = add_support(job, job.parts[3].id, shipped_sets()["raft-follow"]).job
    raft = job.supports[-1].id
    job = add_support(job, job.parts[2].id, shipped_sets()["bars-extrusion"]).job
    job = change_support(job, job.supports[-1].id, "shaft_diameter", 4.0).job
    job = change_support(job, raft, "thickness", 4.2).job
    return change_support(job, raft, "margin", 2.2).job


def belt_build(library: Library) -> Job:
    """A belt build for the night: levers one behind the other, a cover over the edge before them."""
    job = new_job(library.machine("belt-260"), library.material("pla"), "Night belt")
    wanted = (
        _Wanted("Reed cover", organ_parts.reed_cover, ORGANS, at=(46.0, 70.0), offset=0.0),
        _Wanted("Tracker lever", organ_parts.tracker_lever, ORGANS, (0.0, 0.0, 90.0), (60.0, 200.0), offset=0.0),
    )
    job = _filled(job, wanted)
    lever = job.parts[1].id
    for _ in range(3):
        job = copy_part(job, lever, in_place=True).job
    for number, part in enumerate(job.parts[1:]):
        job = job.with_part(replace(part, pose=replace(part.pose, x=60.0 + 40.0 * number)))
    for part in job.parts[1:]:
        job = add_support(job, part.id, shipped_sets()["bars-extrusion"]).job
    return job


@dataclass(frozen=True)
class Demo:
    """A demo job: its title, its story in a line with what to try, and how it is made."""

    title: str
    story: str
    build: Callable[[Library], Job]


DEMOS: dict[str, Demo] = {
    "metal": Demo("Metal build", "An underside of the exhaust elbow has no support: find it and support it.",
                  metal_build),
    "vat": Demo("Vat build", "The bars under the arch model are too far apart: support what is left.",
                vat_build),
    "extrusion": Demo("Extrusion build", "The lever's raft is thicker than its build offset: lift the lever.",
                      extrusion_build),
    "belt": Demo("Belt build", "The reed cover reaches over the edge of the belt: move it back.", belt_build),
}  # fmt: skip
"""The demo jobs by name. Each has one stop, which one cure resolves."""
