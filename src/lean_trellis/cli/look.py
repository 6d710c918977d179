"""The command that finds what needs support: `overhangs`."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from lean_trellis.cli.options import choose_shop, chosen_layer_height, posed, require_angle, require_offset
from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.cli.reading import read_files
from lean_trellis.core.arrays import Floats
from lean_trellis.core.atomic import written_whole
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.overhang import Island, Overhangs, Region, SelfBridging, detect, find_islands
from lean_trellis.core.overhang.beneath import in_words, shares_beneath
from lean_trellis.core.overhang.outline import RIM_WORDS
from lean_trellis.core.overhang.spans import greatest_spans
from lean_trellis.core.shop import Machine, full_library

_NOT_IN_TABLE = ("outline", "rim_mm", "centroid_mm", "along_normal_mm")


def overhangs(
    file: Path,
    critical_angle: float,
    watch_angle: float | None,
    machine: str | None,
    material: str | None,
    units: str,
    rotate: tuple[float, float, float],
    build_offset: float | None,
    keep_position: bool,
    layer_height: float | None,
    table: Path | None,
    as_json: bool,
) -> None:
    """The regions and islands of every body in a file as it would be posed."""
    require_angle("--critical-angle", critical_angle)
    height = chosen_layer_height(layer_height, material)
    built_on = full_library().machine(machine) if machine else None
    bridging = SelfBridging.of(choose_shop(full_library(), None, material)[1]) if material else None
    with progress() as watch:
        bodies = read_files([file], units, watch).bodies
        results: list[Looked] = []
        for _, body in bodies:
            middle = body.mesh.middle if keep_position or built_on is None else (*built_on.plate.middle, 0)
            pose = posed(rotate, require_offset(build_offset) or 0.0, float(middle[0]), float(middle[1]))
            topology, placed = build_topology(body.mesh), pose.applied(body.mesh)
            normal = layer_normal(built_on)
            seen = detect(
                topology,
                placed,
                critical_angle=critical_angle,
                watch_angle=require_angle("--watch-angle", watch_angle),
                layer_normal=normal,
                bridging=bridging,
                watch=watch,
            )
            islands = find_islands(topology, placed, height, layer_normal=normal, watch=watch)
            results.append(Looked(body.name, seen, islands, greatest_spans(seen), RayTree(placed)))
    document = _overhang_document(results)
    if table is not None:
        _write_table(table, document["regions"])
    if as_json:
        say_json(document)
        return
    rows = [
        (
            r["id"],
            r["kind"],
            r["area_mm2"],
            r["min_angle_deg"],
            r["mean_angle_deg"],
            r["lowest_mm"],
            r["greatest_span_mm"],
            r["beneath"],
            r["left_out"] or "",
        )
        for r in document["regions"]
    ]
    title = f"Critical area {document['critical_area_mm2']:,.2f} mm², {len(document['islands'])} islands"
    say_table(
        title, ("id", "kind", "area mm²", "worst °", "mean °", "lowest mm", "span mm", "below it", "left out"), rows
    )


def layer_normal(machine: Machine | None) -> tuple[float, float, float]:
    """Unit normal of a machine's layers."""
    return (0.0, 0.0, 1.0) if machine is None else machine.layer_normal


@dataclass(frozen=True, eq=False)
class Looked:
    """What was found on one body; `spans` (r,) mm of its regions, `tree` over it in its pose."""

    name: str
    overhangs: Overhangs
    islands: tuple[Island, ...]
    spans: Floats
    tree: RayTree

    def down(self, places: Floats) -> Floats:
        """How far the body is straight below places."""
        return self.tree.first_hits(places, np.array([[0.0, 0.0, -1.0]])).distance


def _overhang_document(results: list[Looked]) -> dict[str, Any]:
    """One document for all bodies of the file; region ids go on from body to body."""
    regions: list[dict[str, Any]] = []
    islands: list[dict[str, Any]] = []
    for body in results:
        others = [other.down for other in results if other is not body]
        beneath = shares_beneath(body.overhangs, body.down, others)
        for region in body.overhangs.regions:
            document = _region_document(region, body, in_words(beneath[region.id]))
            regions.append({"id": len(regions), **document})
        islands += [
            {"z_mm": i.z_mm, "x_mm": i.x_mm, "y_mm": i.y_mm, "area_mm2": i.area_mm2, "body": body.name}
            for i in body.islands
        ]
    overhangs = [body.overhangs for body in results]
    return {
        "critical_area_mm2": sum(one.critical_area_mm2 for one in overhangs),
        "projected_area_mm2": sum(one.projected_area_mm2 for one in overhangs),
        "shadow_area_mm2": sum(one.shadow_area_mm2() for one in overhangs),
        "watch_area_mm2": sum(float(one.mesh.areas[one.doubtful].sum()) for one in overhangs),
        "regions": regions,
        "islands": islands,
        "notes": [f"{body.name}: {note}" for body in results for note in body.overhangs.notes],
    }


def _region_document(region: Region, body: Looked, beneath: str) -> dict[str, Any]:
    free, wall, fading = region.rim_mm
    loops = body.overhangs.outlines.of_region(region.id) if region.kind == "face" else []
    return {
        "kind": region.kind,
        "body": body.name,
        "area_mm2": region.area_mm2,
        "projected_area_mm2": region.projected_area_mm2,
        "min_angle_deg": region.min_angle_deg,
        "mean_angle_deg": region.mean_angle_deg,
        "lowest_mm": region.lowest_mm,
        "highest_mm": region.highest_mm,
        "along_normal_mm": list(region.along_mm),
        "centroid_mm": list(region.centroid_mm),
        "greatest_span_mm": float(body.spans[region.id]),
        "beneath": beneath,
        "rim_mm": {"free": free, "wall": wall, "fading": fading},
        "outline": [
            {"places_mm": np.round(places, 6).tolist(), "edges": [RIM_WORDS[kind] for kind in kinds.tolist()]}
            for places, kinds in loops
        ],
        "left_out": region.left_out or None,
    }


def _write_table(path: Path, regions: list[dict[str, Any]]) -> None:
    text = io.StringIO()
    names = [key for key in (regions[0] if regions else {"id": 0}) if key not in _NOT_IN_TABLE]
    names += ["rim_free_mm", "rim_wall_mm", "rim_fading_mm"] if regions else []
    writer = csv.DictWriter(text, names, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    for region in regions:
        writer.writerow(region | {f"rim_{kind}_mm": length for kind, length in region["rim_mm"].items()})
    with written_whole(path) as file:
        file.write(text.getvalue().encode())
