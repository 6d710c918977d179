"""What recipes need to know of a part's regions, and a recipe applied to a part."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import Need, Node, Reader
from lean_trellis.core.derive.parts import ISLANDS, OBSTACLE, OVERHANGS
from lean_trellis.core.job.edits import Applied, support_by_recipe, with_detection
from lean_trellis.core.job.job import Job
from lean_trellis.core.overhang.beneath import Distances
from lean_trellis.core.overhang.traits import RegionTraits, traits_of
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import Recipe
from lean_trellis.core.supports.common.obstacle import DOWN, Obstacle


def distances_down(obstacle: Obstacle) -> Distances:
    """How far a part is straight below places on the plate's frame."""
    return lambda places: obstacle.first_hits(places, DOWN)[0]


def _needs(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    others = [other for other in job.parts if other.id != part.id]
    return (OVERHANGS, part), (ISLANDS, part), *((OBSTACLE, some) for some in (part, *others))


def _traits(reader: Reader[tuple[RegionTraits, ...]]) -> tuple[RegionTraits, ...]:
    overhangs, islands = reader.one(OVERHANGS, 0.0, 0.3), reader.one(ISLANDS, 0.3, 0.6)
    obstacles = reader.each(OBSTACLE, 0.6, 0.7)
    own, *others = (distances_down(obstacle) for obstacle in obstacles)
    reader.watch.at(0.7, "measuring the regions")
    return traits_of(overhangs, own, others, islands, obstacles[0].protected)


REGION_TRAITS: Node[tuple[RegionTraits, ...]] = Node("region traits", "part", _traits, (), _needs)


def apply_recipe(
    job: Job,
    part_id: str,
    recipe: Recipe,
    sets: Mapping[str, ParameterSet],
    graph: Graph,
    watch: Watch = UNWATCHED,
    *,
    only: Collection[int] | None = None,
) -> Applied:
    """Support a part by a recipe's rules, its regions found by the recipe's detection values.

    Of `only` some regions, by their numbers, where they are given; regions that support themselves are left out.
    Raises `LibraryError` where a rule names a set or value that there is none of.
    """
    recipe.require_known(sets)
    job = with_detection(job, part_id, recipe)
    part = job.part(part_id)
    overhangs = graph.get(OVERHANGS, part, job, Stretch(watch, 0.0, 0.3))
    traits = graph.get(REGION_TRAITS, part, job, Stretch(watch, 0.3, 1.0))
    regions = [one for one in overhangs.regions if one.id in only] if only is not None else list(overhangs.to_support)
    chosen = [traits[region.id] for region in regions]
    return support_by_recipe(job, part_id, recipe, sets, regions, chosen, is_whole=only is None)
