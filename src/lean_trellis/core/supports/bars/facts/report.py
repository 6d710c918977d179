"""What is reported of bars: figures by name, words, and the bodies that leave."""

from __future__ import annotations

from typing import Any

import numpy as np

from lean_trellis.core.formats.body import Beams, Named
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.supports.bars.struts import (
    BY_HAND,
    LANDED,
    LANDED_FOR_ROOM,
    LEANT_OFF_BARS,
    LEANT_OFF_PART,
    NO_WAY_WORDS,
    ON_TRUNK,
    STRAIGHT,
    Bars,
    without_path,
)
from lean_trellis.core.supports.common.spec import ExportWish


def bar_numbers(bars: Bars) -> dict[str, Any]:
    """Figures of all bars of a support; their loads are reported elsewhere."""
    return {
        "longest_mm": bars.longest_mm,
        "on_part": bars.on_part,
        "no_way": len(bars.missed.holds),
        "above_height_limit": len(bars.missed.above_limit),
        "trunks": len(bars.trunks),
        "trunks_on_plate": int((bars.trunks.below < 0).sum()),
        "trees_saved_mm3": bars.trunks.saved_mm3,
        "braces": len(bars.braces),
        "shared_feet": len(bars.feet),
    }


def bars_in_words(bars: Bars) -> str:
    """Counts, and the longest."""
    trunks = int((bars.trunks.below < 0).sum())
    counted = ((bars.on_part, "on the part"), (trunks, "trunks"), (len(bars.braces), "braces"),
               (len(bars.feet), "shared feet"), (len(bars.ties), "ties"))  # fmt: skip
    besides = "".join(f", {count:,} {words}" for count, words in counted if count)
    saved = bars.trunks.saved_mm3
    trees = "" if not trunks else f"\ntrees save {saved / 1000:,.2f} cm³ against single bars as strong"
    return f"{len(bars):,} bars{besides}\nlongest {bars.longest_mm:.1f} mm{trees}"


def way_in_words(bars: Bars, number: int) -> str:
    """Why a bar goes where it goes."""
    if bars.landings[number] == ON_TRUNK:
        return "joins a trunk"
    why, further = int(bars.whys[number]), float(bars.further[number])
    if why != LANDED:
        return _WAY_WORDS[why]
    if np.isfinite(further):
        return f"lands, as the way to the plate is {further:.1f} mm longer"
    return "lands, as no way to the plate was found"


_WAY_WORDS = {
    STRAIGHT: "straight down to the plate",
    LEANT_OFF_PART: "leans to the plate past what is below",
    LEANT_OFF_BARS: "leans to keep clear of another bar",
    BY_HAND: "as it was led by hand",
    LANDED_FOR_ROOM: "lands, as on its way to the plate it would come too close to the part or to other bars",
}


def missed_in_words(bars: Bars) -> str:
    """Support points without a clear path, by reason."""
    missed = bars.missed
    if not len(missed.holds):
        return ""
    counts = zip(*np.unique(missed.reasons, return_counts=True), strict=True)
    reasons = [f"{count} {NO_WAY_WORDS[int(reason)]}" for reason, count in counts]
    return f"{without_path(len(missed.holds))}:  {'; '.join(reasons)}."


def exported_bars(bars: Bars, name: str, wish: ExportWish) -> list[Named]:
    """One body; or beams, or a body a bar and one for what they share."""
    if wish.as_beams:
        return [Named(name, bars.feet.mesh, "support", Beams(*bars.beams()))]
    if not wish.each_element:
        return [Named(name, united([bars.mesh]) if wish.united else bars.mesh, "support")]
    count, size = len(bars), len(bars.bar_mesh.vertices) // max(len(bars), 1)
    vertices = bars.bar_mesh.vertices.reshape(count, size, 3)
    faces = bars.bar_mesh.faces[: len(bars.bar_mesh.faces) // max(count, 1)]
    bodies = [Named(f"{name} bar {n}", Mesh(own, faces), "support") for n, own in enumerate(vertices, start=1)]
    if len(bars.shared_mesh.faces):
        bodies.append(Named(f"{name} shared", bars.shared_mesh, "support"))
    return bodies
