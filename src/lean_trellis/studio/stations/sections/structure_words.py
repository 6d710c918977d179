"""What is told of a support's structures in words."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.supports import Bars
from lean_trellis.core.supports.structure import Structure
from lean_trellis.core.supports.struts import NO_WAY_WORDS


def totals_in_words(made: Structure) -> str:
    """Counts, volume, contact."""
    if isinstance(made, Bars):
        return _bars_in_words(made)
    return f"{made.counted}\n{made.volume_mm3 / 1000:,.2f} cm³, contact {made.contact_area_mm2:,.1f} mm²"


def _bars_in_words(bars: Bars) -> str:
    counted = ((bars.on_part, "on the part"), (len(bars.trunks), "trunks"), (len(bars.braces), "braces"),
               (len(bars.feet), "shared feet"), (len(bars.ties), "ties"))  # fmt: skip
    besides = "".join(f", {count:,} {words}" for count, words in counted if count)
    return (
        f"{len(bars):,} bars{besides}\n"
        f"{bars.volume_mm3 / 1000:,.2f} cm³, contact {bars.contact_area_mm2:,.1f} mm², "
        f"longest {bars.longest_mm:.1f} mm"
    )


def trouble_in_words(made: Structure) -> str:
    """What could not be made as meant; nothing where all could."""
    if isinstance(made, Bars) and len(made.missed_holds):
        reasons = [
            f"{int((made.missed_reasons == r).sum())} {NO_WAY_WORDS[int(r)]}" for r in np.unique(made.missed_reasons)
        ]
        return f"{len(made.missed_holds)} hold points found no way: {'; '.join(reasons)}."
    return ""
