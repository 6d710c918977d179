"""What the window knows of parts and supports, as nodes of the graph: derived beside it, made to be drawn.

How many faces are shown at most follows from the graphics that draw: there is a set of nodes for each.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from shapely import convex_hull, get_coordinates, multipoints

from lean_trellis.core.arrays import Floats, Ints, Longs
from lean_trellis.core.derive.node import Node, Reader
from lean_trellis.core.derive.parts import FILLINGS, HEALTH, MAIN_AXIS, OVERHANGS, TOPOLOGY, TREE
from lean_trellis.core.derive.supports import BUILT_VOLUME, STRUCTURE
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh import Mesh, MeshHealth
from lean_trellis.core.mesh.faults import MeshFault, find_faults
from lean_trellis.core.mesh.features import sharp_edges
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang import Region
from lean_trellis.core.overhang.outline import Outlines
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.parts.stacking import Separator, Spacer
from lean_trellis.core.parts.tilt import MainAxis
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.outlines import shadow
from lean_trellis.core.supports.common.spec import spec_for
from lean_trellis.core.supports.common.structure import Counted, Drawn, Structure

MOST_SHOWN_SOFTWARE = 20_000
"""Faces of one part shown at most where no graphics hardware draws: some 25 ms a frame on one core."""
_STAND_IN_SHARE = 0.7
"""A stand-in has so many of the faces shown at most: it is drawn in less than two thirds of the time."""
_SHARP_DEG, _MOST_SHARP = 32.0, 0.4
"""Edges at which the surface turns by more are drawn, where they are no more than this share of all."""
_GATHERED_TO = 8
"""How many times the faces wanted are left for the careful simplification."""
MOST_SHOWN = 600_000
"""The same with graphics hardware."""
_MOST_UNITED = 300_000
"""Supports of more faces than this are not united unasked."""


@dataclass(frozen=True, eq=False)
class ShownMesh:
    """A mesh as the view shows it: itself, or a lighter stand-in. `source` (k,) tells each face's original.

    `edges` (n, 2, 3) are the sharp ones, as lines; none where nearly all of them are.
    """

    vertices: Floats
    faces: Ints
    source: Longs
    edges: Floats
    is_stand_in: bool


@dataclass(frozen=True, eq=False)
class ShownPart:
    """What the window knows of a mesh."""

    shown: ShownMesh
    health: MeshHealth
    axis: MainAxis


@dataclass(frozen=True, eq=False)
class ShownRegions:
    """What the window knows of a part's overhangs. Arrays are per shown face."""

    regions: tuple[Region, ...]
    angles: Floats
    on_plate: np.ndarray
    region_of_face: Ints
    critical_area_mm2: float
    projected_area_mm2: float
    outlines: Outlines
    notes: tuple[str, ...] = ()
    silhouette: tuple[Floats, ...] = ()
    """Outlines of the whole part seen from below: rings of (k, 2) places, holes run the other way."""


@dataclass(frozen=True)
class Totals:
    """What a support comes to: how many of what it is made of, their sizes, and the family's words for it all."""

    counted: Counted
    length_mm: float
    contact_mm2: float
    words: str
    trouble: str

    def in_a_line(self, volume: str) -> str:
        """Count, volume in words, total length, area of contact."""
        return f"{self.counted} · {volume} · {self.length_mm / 1000:,.2f} m · contact {self.contact_mm2:,.1f} mm²"


@dataclass(frozen=True)
class ShownVolume:
    """What a support holds, mm³: as built, overlaps counted once, or the sum where uniting takes too long unasked."""

    mm3: float
    is_sum: bool


@dataclass(frozen=True, eq=False)
class ShownStructure:
    """What the window knows of a support: its structures, what they come to, and what is drawn; None for bars."""

    made: Structure
    totals: Totals
    drawn: Drawn | None = None


def shown_mesh(mesh: Mesh, most: int = MOST_SHOWN_SOFTWARE) -> ShownMesh:
    """The mesh itself when it has `most` faces or less, else a stand-in with fewer."""
    return _made_lighter(mesh, round(_STAND_IN_SHARE * most)) if len(mesh.faces) > most else _as_it_is(mesh)


def silhouette(pose: Pose, mesh: Mesh, shown: ShownMesh) -> tuple[Floats, ...]:
    """The outlines of a part in its pose, seen from below; those of its hull where the shown mesh bounds no solid."""
    places = pose.to_plate(mesh, shown.vertices)
    try:
        rings = to_manifold(Mesh(places, shown.faces)).project().to_polygons()
    except EditError:
        hull = convex_hull(multipoints(places[:, :2]))
        rings = [get_coordinates(hull)[:-1]] if len(places) > 2 else []
    return tuple(np.asarray(ring, np.float64) for ring in rings if len(ring) > 2)


def _as_it_is(mesh: Mesh) -> ShownMesh:
    return ShownMesh(mesh.vertices, mesh.faces, np.arange(len(mesh.faces)), _edges(mesh), is_stand_in=False)


def _made_lighter(mesh: Mesh, most: int) -> ShownMesh:
    import fast_simplification

    vertices, corners = _gathered(mesh, _GATHERED_TO * most)
    points, faces = fast_simplification.simplify(vertices.astype(np.float32), corners, target_count=most, agg=7)
    middles = points[faces].mean(axis=1)
    source = place_tree(mesh.centroids).query(middles, workers=-1)[1]
    light = Mesh(points.astype(np.float64), faces.astype(np.int32))
    return ShownMesh(light.vertices, light.faces, source, _edges(light), is_stand_in=True)


def _edges(mesh: Mesh) -> Floats:
    topology = build_topology(mesh)
    edges = sharp_edges(topology, _SHARP_DEG)
    telling = len(edges) <= _MOST_SHARP * len(topology.edge_vertices)
    return mesh.vertices[edges] if telling else np.zeros((0, 2, 3))


def _gathered(mesh: Mesh, most: int) -> tuple[Floats, Ints]:
    """Vertices gathered to the middle of theirs in cubes, so that about `most` faces stay; quick and coarse."""
    if len(mesh.faces) <= most:
        return mesh.vertices, mesh.faces.copy()
    cube = np.sqrt(2 * mesh.area / most)
    cells = np.floor((mesh.vertices - mesh.bounds[0]) / cube).astype(np.int64)
    rows = cells.max(axis=0) + 1
    _, home = np.unique((cells[:, 0] * rows[1] + cells[:, 1]) * rows[2] + cells[:, 2], return_inverse=True)
    counts = np.bincount(home)
    vertices = np.column_stack([np.bincount(home, weights=column) for column in mesh.vertices.T]) / counts[:, None]
    faces = home[mesh.faces].astype(np.int32)
    a, b, c = faces.T
    return vertices, np.ascontiguousarray(faces[(a != b) & (b != c) & (c != a)])


def _faults(reader: Reader[tuple[MeshFault, ...]]) -> tuple[MeshFault, ...]:
    """Faults of a mesh with their places, and walls thinner than the material's process makes."""
    thinnest = reader.job.material.constants.get("least_wall")
    least_wall = 0.0 if thinnest is None else thinnest.value
    return find_faults(reader.one(TOPOLOGY), reader.one(TREE), least_wall=least_wall, watch=reader.watch)


FAULTS: Node[tuple[MeshFault, ...]] = Node(
    "faults",
    "part",
    _faults,
    ("part.mesh", "job.material.constants"),
    lambda part, job, near: ((TOPOLOGY, part.mesh), (TREE, part.mesh)),
)


@dataclass(frozen=True, eq=False)
class ShownFilling:
    """The solids in a stack's gaps in one mesh, as they stand, and what they cover as seen from above."""

    mesh: Mesh
    covers: Shape


LOW_EDGE, LOW_POINT, SELF_SUPPORTING = "low edge", "low point", "self-supporting"
"""What views and keys call regions that are no plain faces."""


def signs_of(regions: Iterable[Region]) -> frozenset[str]:
    """Which of these words are needed for some regions."""
    words = {"edge": LOW_EDGE, "point": LOW_POINT}
    signs = set()
    for region in regions:
        if region.kind in words:
            signs.add(words[region.kind])
        if region.left_out:
            signs.add(SELF_SUPPORTING)
    return frozenset(signs)


def filling_name(filling: Separator | Spacer) -> str:
    """What is said of a filling where it is drawn."""
    return f"Separator, {filling.material.name}" if isinstance(filling, Separator) else f"Spacer, {filling.name}"


def _filling(reader: Reader[ShownFilling]) -> ShownFilling:
    reader.watch.at(0.2, "filling the gaps of a stack")
    solids: tuple[Mesh, ...] = reader.one(FILLINGS)
    mesh = join(list(solids))
    return ShownFilling(mesh, shadow(mesh))


SHOWN_FILLING: Node[ShownFilling] = Node(
    "shown filling", "stack", _filling, (), lambda stack, job, near: ((FILLINGS, stack),)
)


def _ready(reader: Reader[bool]) -> bool:
    reader.one(TREE).prepare()
    return True


TREE_READY: Node[bool] = Node("tree ready", "mesh", _ready, ("mesh.",), lambda mesh, job, near: ((TREE, mesh),))


@dataclass(frozen=True)
class ShownNodes:
    """The nodes of what is shown with at most so many faces a part."""

    mesh: Node[ShownMesh]
    part: Node[ShownPart]
    regions: Node[ShownRegions]
    structure: Node[ShownStructure]


def _shown_volume(reader: Reader[ShownVolume]) -> ShownVolume:
    made = reader.one(STRUCTURE, 0.0, 0.2)
    if len(made.mesh.faces) > _MOST_UNITED:
        return ShownVolume(made.volume_mm3, is_sum=True)
    return ShownVolume(reader.one(BUILT_VOLUME, 0.2, 1.0), is_sum=False)


SHOWN_VOLUME: Node[ShownVolume] = Node(
    "shown volume",
    "support",
    _shown_volume,
    (),
    lambda support, job, near: ((STRUCTURE, support), (BUILT_VOLUME, support)),
)


@lru_cache
def shown_nodes(most: int) -> ShownNodes:
    """The nodes for graphics that draw `most` faces of a part."""

    def mesh(reader: Reader[ShownMesh]) -> ShownMesh:
        return shown_mesh(reader.subject, most)

    shown: Node[ShownMesh] = Node(f"shown mesh {most}", "mesh", mesh, ("mesh.",), is_local=True)

    def part(reader: Reader[ShownPart]) -> ShownPart:
        reader.watch.at(0.1, "examining the mesh")
        health = reader.one(HEALTH, 0.1, 0.6)
        reader.watch.at(0.6, "preparing the view")
        return ShownPart(reader.one(shown), health, reader.one(MAIN_AXIS))

    def regions(reader: Reader[ShownRegions]) -> ShownRegions:
        overhangs, light = reader.one(OVERHANGS), reader.one(shown)
        source = light.source
        return ShownRegions(
            overhangs.regions,
            overhangs.surface_angle[source],
            overhangs.on_plate[source],
            overhangs.region_of_face[source],
            overhangs.critical_area_mm2,
            overhangs.projected_area_mm2,
            overhangs.outlines,
            overhangs.notes,
            silhouette(reader.subject.pose, reader.subject.mesh, light),
        )

    def structure(reader: Reader[ShownStructure]) -> ShownStructure:
        made, spec = reader.one(STRUCTURE), spec_for(reader.subject.parameters)
        totals = Totals(made.counted, made.length_mm, made.contact_area_mm2, spec.words(made), spec.trouble(made))
        return ShownStructure(made, totals, spec.drawn(made, most))

    return ShownNodes(
        shown,
        Node(f"shown part {most}", "mesh", part, ("mesh.",),
             lambda m, job, near: ((HEALTH, m), (shown, m), (MAIN_AXIS, m)), is_local=True),
        Node(f"shown regions {most}", "part", regions, ("part.pose", "part.mesh"),
             lambda p, job, near: ((OVERHANGS, p), (shown, p.mesh)), is_local=True),
        Node(f"shown structure {most}", "support", structure, ("support.parameters",),
             lambda support, job, near: ((STRUCTURE, support),)),
    )  # fmt: skip


for _most in (MOST_SHOWN_SOFTWARE, MOST_SHOWN):
    shown_nodes(_most)  # declared wherever this module is imported, so that they can travel by name
