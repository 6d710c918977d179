"""Contents of tickets made by hand."""

from __future__ import annotations

import pytest

from lean_trellis.core.release.ticket.contents import (
    Dot,
    Ring,
    TicketContents,
    TicketDifference,
    TicketDrawing,
    TicketFile,
    TicketFinding,
    TicketOwner,
    TicketPart,
    TicketSupport,
    Words,
)


def a_part(number: int, name: str, owner: str, *supports: TicketSupport) -> TicketPart:
    """A part of 10 mm."""
    return TicketPart(
        number=number, name=name, owner=owner, order="FW-1", lot="", size_mm=(10, 10, 10), end_size_mm=(9, 9, 9),
        volume_mm3=1000.0, place_mm=(20, 30), turned_deg=(0, 0, 30), build_offset_mm=4.0, supports=supports,
    )  # fmt: skip


@pytest.fixture
def plain() -> TicketContents:
    """Two owners with a part each, a waived stop, a drawing with a hole."""
    support = TicketSupport(
        set_id="bars-metal", set_name="Metal, general", version=3, family="bars", count=12, element="bars",
        volume_mm3=500.0, utilisation=0.61, by_hand=2,
        differences=(TicketDifference(label="Spacing", here="3.5", there="2.6"),),
    )  # fmt: skip
    drawing = TicketDrawing(
        title="Plan from above", low=(0.0, -2.0), high=(100.0, 50.0),
        areas=(Ring(rings=(((10.0, 10.0), (30.0, 10.0), (30.0, 30.0)), ((15.0, 12.0), (18.0, 12.0), (18.0, 14.0))),
                    fill="#A9BFB2", line="#22302B"),),
        dots=(Dot(at=(20.0, 15.0), radius=0.5, fill="#B5652B"),), words=(Words(at=(20.0, 20.0), text="1", size=3.0),),
    )  # fmt: skip
    return TicketContents(
        job="Friday <b>", due="2026-12-24", machine="Metal 260", machine_id="metal-260", process="powder_bed",
        material="Stainless steel", material_id="steel-316l", lot="L-7", layer_height=0.04, first_layer=None,
        mode="usual", surface="", fitting="", layers=1200, build_seconds=22_330.0, warm_seconds=3600.0,
        part_volume_mm3=2000.0, support_volume_mm3=500.0, grams=20.0, loaded_grams=9000.0, cost=120.5,
        material_changes=0, height_mm=48.0, parts=(a_part(1, "Bracket & <co>", "Otterbank", support),
                                                   a_part(2, "Tile", "Tern")),
        owners=(TicketOwner(owner="Otterbank", orders=("FW-1",), numbers=(1,), volume_mm3=1000.0, time_share=0.75,
                            cost=90.0, threatens=("Tile",)),
                TicketOwner(owner="Tern", orders=(), numbers=(2,), volume_mm3=1000.0, time_share=0.25, cost=30.5,
                            threatens=())),
        findings=(TicketFinding(severity="stop", code="warp", title="ends may curl up", part="Tile", number=2,
                                message="curls by 1.2 mm", place="x 1.0  y 2.0  z 3.0", waiver="A. Rowan: cut off"),),
        drawings=(drawing,), after=("Let it cool", "Cut it off"),
        files=(TicketFile(name="Friday.cli", bytes=12345, sha256="ab" * 32),), released_by="B. Alder",
    )  # fmt: skip
