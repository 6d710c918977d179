"""The command that cuts into layers: `layers`."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from lean_trellis.cli.options import (
    choose_shop,
    chosen_layer_height,
    posed,
    require_layer_height,
    require_offset,
    require_support_every,
)
from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.cli.reading import read_files
from lean_trellis.core.arrays import Longs
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job.files import SUFFIX, open_job
from lean_trellis.core.layers import BodyLayers, LayerPlan, layered
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology, build_topology
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.shop import full_library
from lean_trellis.core.supports.common.request import line_width

_KINDS = ("part", "support", "separator")


def layers(
    path: Path,
    layer_height: float | None,
    machine: str | None,
    material: str | None,
    units: str,
    rotate: tuple[float, float, float],
    build_offset: float | None,
    keep_position: bool,
    first_layer: float | None,
    support_every: int | None,
    as_json: bool,
) -> None:
    """The layers of a mesh file as it would be posed, or of a job as it is."""
    asked, first = require_layer_height(layer_height), require_layer_height(first_layer, "--first-layer")
    every = require_support_every(support_every)
    with progress() as watch:
        if path.suffix == SUFFIX:
            table = _of_job(path, asked, first, every, watch)
        else:
            shop = choose_shop(full_library(), machine, material) if machine or material else None
            normal = shop[0].layer_normal if shop and machine else (0.0, 0.0, 1.0)
            table = _Table(LayerPlan(chosen_layer_height(asked, material), first), normal)
            bodies = read_files([path], units, Stretch(watch, 0, 0.3)).bodies
            for number, (_, body) in enumerate(bodies):
                middle = body.mesh.middle if keep_position or shop is None else (*shop[0].plate.middle, 0)
                pose = posed(rotate, require_offset(build_offset) or 0.0, float(middle[0]), float(middle[1]))
                stretch = Stretch(watch, 0.3 + 0.7 * number / len(bodies), 0.3 + 0.7 * (number + 1) / len(bodies))
                table.add("part", body.name, build_topology(body.mesh), pose.applied(body.mesh), watch=stretch)
    document = table.document()
    if as_json:
        say_json(document)
    else:
        _say(document)


def _of_job(path: Path, asked: float | None, first: float | None, every: int | None, watch: Watch) -> _Table:
    job, pipeline = open_job(path, full_library()), Pipeline()
    plan = LayerPlan(asked or job.layer_height, first or job.first_layer)
    table = _Table(plan, job.machine.layer_normal, every or job.support_every)
    count = len(job.parts) + len(job.supports) + len(job.stacks)
    done = 0

    def stretch() -> Watch:
        nonlocal done
        done += 1
        return Stretch(watch, (done - 1) / max(1, count), done / max(1, count))

    for part in job.parts:
        table.add("part", part.name, pipeline.topology(part.mesh), pipeline.placed(part), watch=stretch())
    line = line_width(job.constants)
    for support in job.supports:
        mesh = pipeline.structure(support, job).mesh
        table.add("support", support.set_name, build_topology(mesh), mesh, line, stretch())
    for stack in job.stacks:
        part_of = stretch()
        for mesh in pipeline.fillings(stack, job):
            table.add("separator", "separator", build_topology(mesh), mesh, watch=part_of)
    return table


@dataclass
class _Table:
    """Areas by layer and kind of body, at one layer height."""

    plan: LayerPlan
    normal: tuple[float, float, float]
    support_every: int = 1
    bodies: list[tuple[str, str, BodyLayers]] = field(default_factory=list)

    def add(
        self, kind: str, name: str, topology: Topology, placed: Mesh, line_mm: float = 0.0, watch: Watch = UNWATCHED
    ) -> None:
        """Cut one body more."""
        plan = replace(self.plan, every=self.support_every) if kind == "support" else self.plan
        made = layered(topology, placed.vertices, plan, self.normal, line_mm=line_mm, watch=watch)
        self.bodies.append((kind, name, made))

    def document(self) -> dict[str, Any]:
        """Middle heights from the plate to the top, and what is filled there."""
        numbers = {id(made): self._numbers(made) for _, _, made in self.bodies}
        low = min([0, *(int(some[0]) for some in numbers.values() if len(some))])
        high = max([low - 1, *(int(some[-1]) for some in numbers.values() if len(some))])
        areas = {kind: np.zeros(high - low + 1) for kind in _KINDS}
        for kind, _, made in self.bodies:
            areas[kind][numbers[id(made)] - low] += made.areas_mm2
        heights = self.plan.middle_of(np.arange(low, high + 1))
        return {
            "layer_height_mm": self.plan.height,
            "first_layer_mm": self.plan.first or self.plan.height,
            "support_every": self.support_every,
            "count": len(heights),
            "z_mm": heights.tolist(),
            **{f"{kind}_area_mm2": areas[kind].tolist() for kind in _KINDS},
            "bodies": [_body(kind, name, made) for kind, name, made in self.bodies],
        }

    def _numbers(self, made: BodyLayers) -> Longs:
        """(l,): the number of each layer of a body, 0 for the one on the plate."""
        return self.plan.numbers_of(made.heights)


def _body(kind: str, name: str, made: BodyLayers) -> dict[str, Any]:
    return {
        "kind": kind,
        "name": name,
        "layers": len(made.heights),
        "open_length_mm": float(made.line_lengths_mm.sum()),
        "gaps": [{"x_mm": x, "y_mm": y, "z_mm": z, "width_mm": wide} for x, y, z, wide in made.slices.gaps.tolist()],
    }


def _say(document: dict[str, Any]) -> None:
    """A table of some of the layers: no more than fit on a page."""
    count = document["count"]
    some = np.unique(np.linspace(0, count - 1, min(count, 30)).astype(int)).tolist() if count else []
    rows = [(number + 1, document["z_mm"][number], *(document[f"{kind}_area_mm2"][number] for kind in _KINDS))
            for number in some]  # fmt: skip
    gaps = sum(len(body["gaps"]) for body in document["bodies"])
    title = f"{count:,} layers of {document['layer_height_mm']:g} mm" + (f", {gaps:,} gaps closed" if gaps else "")
    say_table(title, ("layer", "height mm", "parts mm²", "supports mm²", "separators mm²"), rows)
