"""Supports as job files keep them."""

from __future__ import annotations

from collections.abc import Mapping

from lean_trellis.core.job.schema import (
    ExtendedKept,
    GoneKept,
    HandBarKept,
    HandKept,
    LineKept,
    MadeByKept,
    PickKept,
    RemovedKept,
    SupportKept,
    TieKept,
)
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.common.spec import parameters_of
from lean_trellis.core.supports.common.support import (
    Extended,
    Gone,
    HandBar,
    HandWork,
    Line,
    MadeBy,
    RegionPick,
    Removed,
    Support,
    Tie,
)


def support_kept(support: Support) -> SupportKept:
    """The support as it is written."""
    return SupportKept(
        id=support.id,
        part_id=support.part_id,
        family=support.family,
        form=support.parameters.form,
        set_name=support.set_name,
        set_version=support.set_version,
        parameters=support.parameters.model_dump(),
        target=None if support.target is None else [PickKept(**vars(pick)) for pick in support.target],
        hand=HandKept(
            bars=[HandBarKept(**vars(bar)) for bar in support.hand.bars],
            removed=[RemovedKept(**vars(entry)) for entry in support.hand.removed],
            ties=[TieKept(**vars(tie)) for tie in support.hand.ties],
            paths=[LineKept(places=list(line.places)) for line in support.hand.paths],
            cut_out=[LineKept(places=list(line.places)) for line in support.hand.cut_out],
            gone=[GoneKept(**vars(entry)) for entry in support.hand.gone],
            extended=[ExtendedKept(**vars(entry)) for entry in support.hand.extended],
        ),
        others=list(support.others),
        body=None if support.body is None else support.body.key,
        made_by=None if support.made_by is None else _made_by_kept(support.made_by),
    )


def support_of(kept: SupportKept, meshes: Mapping[str, Mesh]) -> Support:
    """The support that was written. Raises `ParameterError` where its values are out of range."""
    parameters = parameters_of(kept.family, kept.form, kept.parameters)
    target = None if kept.target is None else tuple(RegionPick(pick.kind, pick.anchor_mm) for pick in kept.target)
    hand = HandWork(
        tuple(HandBar(**dict(bar)) for bar in kept.hand.bars),
        tuple(Removed(**dict(entry)) for entry in kept.hand.removed),
        tuple(Tie(**dict(tie)) for tie in kept.hand.ties),
        tuple(Line(tuple(line.places)) for line in kept.hand.paths),
        tuple(Line(tuple(line.places)) for line in kept.hand.cut_out),
        tuple(Gone(**dict(entry)) for entry in kept.hand.gone),
        tuple(Extended(**dict(entry)) for entry in kept.hand.extended),
    )
    body = None if kept.body is None else meshes[kept.body]
    made_by = None
    if kept.made_by is not None:
        made_by = MadeBy(**{**dict(kept.made_by), "values": tuple(sorted(kept.made_by.values.items()))})
    return Support(
        kept.id, kept.part_id, parameters, kept.set_name, kept.set_version, target, hand, tuple(kept.others), body,
        made_by,
    )  # fmt: skip


def _made_by_kept(made_by: MadeBy) -> MadeByKept:
    return MadeByKept(**{**vars(made_by), "values": dict(made_by.values)})
