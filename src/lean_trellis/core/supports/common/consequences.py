"""What goes wrong when a value is too small or too large, and what it costs: keys mean the same in every family."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Consequences:
    """A sentence each: too small, too large, and what more of it costs where it costs something."""

    too_small: str
    too_large: str
    cost: str = ""


_C = Consequences
_BITE = _C("The tip tears off before the part is finished.", "It leaves a deep mark and is hard to break off.")
_WIDE = "More area to grind off."
CONSEQUENCES: Mapping[str, Consequences] = {
    "bite_depth": _BITE,
    "gap_layers": _C("The support welds itself to the part.", "The surface above sags and comes out rough."),
    "gap": _C("The support welds itself to the part.", "The surface above sags and comes out rough."),
    "spacing": _C("Many marks, and no tool gets between the bars.", "The surface sags or lifts between the bars.",
                  "Twice as close is four times as many bars."),
    "edge_inset": _C("Bars stand on the very edge and chip it.", "The edge hangs free and curls up."),
    "wall_inset": _C("Bars touch the wall beside them.", "The corner at the wall is left without support."),
    "dense_layers": _C("The first layer above falls between the columns.", "Material and time that support nothing.",
                       "A full layer each."),
    "tip_diameter": _C("The tip breaks under peel, blade or shrinkage.", "A large mark that is hard to grind off.",
                       "The mark grows with its square."),
    "tip_length": _C("The thick shaft stands close to the surface and gets in the way of tools.",
                     "A long thin tip bends before it carries."),
    "shaft_diameter": _C("The bar buckles or is pushed aside.", "Heavy, slow to build, hard to cut.",
                         "Volume and time grow with its square."),
    "sides": _C("The bar is thinner than its diameter says.", "Larger files without more strength.",
                "More faces to store and slice."),
    "lean_limit": _C("Few ways round the part: points are left without a bar.", "Bars lean so far that they sag "
                     "themselves."),
    "height_limit": _C("Support points above it get no bar, and the part is left bare there.",
                       "It limits nothing."),
    "contacts_per_trunk": _C("Hardly anything is joined.", "One broken trunk lets go of many points."),
    "first_join_below": _C("No tool gets between the tips.", "Long single bars that buckle, and little saved."),
    "gather_within": _C("Many thin trunks.", "Branches reach far and lean at their limit."),
    "join_levels": _C("Trees stay flat and many.", "Thick trunks that are hard to cut."),
    "free_length": _C("Braces everywhere, and powder or resin stays between them.", "Bars or walls buckle.",
                      "More braces or ties."),
    "brace_diameter": _C("Braces break before they help.", "They shade what lies below and hold powder.",
                         "Volume grows with its square."),
    "detour": _C("Bars land on the part and leave marks there.", "Long leaning bars round the part instead of a short "
                 "one on it."),
    "part_clearance": _C("Bars weld themselves to the part they pass.", "Points near walls find no clear path."),
    "bar_clearance": _C("Bars run together into lumps.", "Points close together find no clear path."),
    "foot_diameter": _C("The bar comes off the plate.", "Feet run together and are hard to scrape off.",
                        "More plate to clean."),
    "foot_height": _C("A sharp step where the bar breaks off its foot.", "Thick lower ends that cost material."),
    "foot_slope": _C("Below 0 too far: the foot stands on its tip and comes off.", "A wide foot that no scraper gets "
                     "under."),
    "group_span": _C("Every bar stands alone and may come off alone.", "One slab under everything, hard to scrape off.",
                     "Plate under shared feet."),
    "lever_gap": _C("No tool gets under the foot.", "The rim of the foot hangs free and curls."),
    "margin": _C("The raft ends under the part's edge and the edge lifts.", "It runs into neighbours and closes holes.",
                 "Area of plate."),
    "smallest_hole": _C("Holes that no tool gets into stay open.", "Large holes are filled with raft."),
    "brim_width": _C("Long ends curl off the plate.", "A wide rim to cut off.", "One loop for each bead's width."),
    "brim_layers": _C("The brim tears when it is pulled off.", "It has to be cut off."),
    "corner_pads": _C("Sharp corners lift first.", "Pads run into neighbours."),
    "thickness": _C("It bends or burns through.", "Slow to build and hard to break off.", "Volume grows with it."),
    "edge_slope": _C("No tool gets under the raft.", "The edge is thin and curls."),
    "size_x": _C("It carries less than it should.", "It runs into parts beside it.", "Volume."),
    "size_y": _C("It carries less than it should.", "It runs into parts beside it.", "Volume."),
    "size_z": _C("It ends below what it should carry.", "It runs into the part above.", "Volume."),
    "place_x": _C("It stands too far left.", "It stands too far right."),
    "place_y": _C("It stands too far in front.", "It stands too far behind."),
    "place_z": _C("It reaches down to the plate.", "It hangs in the air and needs support itself."),
    "turn": _C("Walls run along the blade or the part's long side.", "The same: a quarter turn repeats the cells."),
    "trim_clearance": _C("It welds itself to the part.", "Little is left beside the part."),
    "density": _C("It crushes under what it carries.", "Slow to build, hard to break up.", "Time and material."),
    "post_pitch": _C("Many posts and many marks.", "The part sags between posts.", "Twice as close is four times as "
                     "many posts."),
    "columns": _C("The part tips over its posts.", "Many marks.", "A post each."),
    "rows": _C("The part tips over its posts.", "Many marks.", "A post each."),
    "post_tip": _C("The part slips off or the tip breaks.", "A large mark.", _WIDE),
    "seat_depth": _C("The part lies loose on its posts.", "Posts run into the part and leave deep marks."),
    "post_diameter": _C("Posts buckle or are pushed over.", "Heavy and slow.", "Volume grows with its square."),
    "raft_thickness": _C("The plate under the posts bends.", "Slow to build.", "Volume."),
    "along_start": _C("It begins before the place that needs it.", "It begins after the place that needs it."),
    "along_length": _C("The part still leans beside its end.", "Wall where nothing needs it.", "Volume."),
    "standoff": _C("The wall welds itself to the part.", "Long ties that bend.", "A wider plate is needed."),
    "ties_from": _C("Ties near the plate, where nothing sways.", "The part sways before the first tie holds it."),
    "ties_to": _C("The upper part sways free.", "Ties above the part that hold nothing."),
    "tie_pitch": _C("Many marks.", "The part bends between ties.", "A row of ties each."),
    "tie_width": _C("Ties tear.", "Large marks.", _WIDE),
    "tie_bite": _C("Ties let go of the part.", "Deep marks."),
    "wall_thickness": _C("The wall bends with the part.", "Slow to build.", "Volume."),
    "top": _C("The part sways above the wall.", "Wall that holds nothing.", "Volume."),
    "tipping_reserve": _C("Part and wall tip over together.", "A wide base.", "Area of plate."),
    "base_width": _C("The wall tips over with the part.", "It runs into neighbours.", "Area of plate."),
    "tab_width": _C("Tabs tear before the part is finished.", "Long marks that are hard to break off.", _WIDE),
    "tab_free": _C("The whole edge welds to the part.", "Too little holds the part."),
    "tab_height": _C("The free edge welds to the part between tabs.", "Tabs are long and bend."),
    "lower_bite_depth": _BITE,
    "lower_tab_width": _C("The wall comes off the part below.", "Long marks on the part below.", _WIDE),
    "lower_tab_free": _C("The whole lower edge welds to the part.", "Too little carries the wall."),
    "lower_tab_height": _C("The free edge welds to the part below.", "Tabs are long and bend."),
    "level": _C("Walls end too low to carry.", "Walls are cut off where they should stand."),
    "largest_piece": _C("Many small pieces to pull out one by one.", "Pieces that do not come off or out.",
                        "About 45 s of work for each piece."),
    "cut_width": _C("Pieces weld together again.", "A strip without support at each cut."),
    "open_share": _C("Powder or resin stays inside.", "Little wall is left to carry."),
    "rib": _C("Ribs between openings break.", "Few openings fit."),
    "inset": _C("The wall stands on the very edge and chips it.", "The edge hangs free and curls up."),
    "rim_walls": _C("The rim is held by walls across alone.", "Walls so close that nothing comes off between.",
                    "A wall each."),
    "rim_spacing": _C("Walls so close that powder stays between.", "The rim sags between walls."),
    "cell_along": _C("Powder stays in narrow cells, and removal is slow.", "The surface sags between walls.",
                     "Wall length grows as cells shrink."),
    "cell_across": _C("Powder stays in narrow cells, and removal is slow.", "The surface sags between walls.",
                      "Wall length grows as cells shrink."),
    "letter_height": _C("Strokes thinner than what can be built, and nobody can read it.", "The tag takes room."),
    "letter_depth": _C("It cannot be felt or read.", "Raised letters break off; sunk ones hold powder."),
    "rim": _C("Letters run over the edge.", "The tag takes room."),
    "skew": _C("Square cells: walls meet the blade head on at some turn.", "Sharp corners that hold powder."),
}  # fmt: skip
"""By key. Choices and switches have none: what each does stands with them."""
