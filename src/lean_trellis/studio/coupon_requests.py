"""Requests to the worker about coupons."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats.body import Body, Named
from lean_trellis.core.progress import Watch
from lean_trellis.core.release.export import write_bodies
from lean_trellis.core.shop import Material
from lean_trellis.core.strength.coupons.kinds import KINDS, coupon_mesh


@dataclass(frozen=True)
class MakeCoupon:
    """Make a coupon for a material; with an `out` it is written there."""

    kind: str
    material: Material
    out: Path | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> Body:
        """The coupon."""
        watch.at(0.1, "making the coupon")
        mesh = coupon_mesh(self.kind, self.material)
        name = f"Coupon, {KINDS[self.kind].title.lower()}"
        if self.out is not None:
            write_bodies(self.out, [Named(name, mesh)])
        return Body(name, mesh, len(mesh.faces))
