"""What both forms of a ticket say alike: rows of facts, in words."""

from __future__ import annotations

from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.release.ticket.contents import TicketContents, TicketPart, TicketSupport


def facts(contents: TicketContents) -> list[tuple[str, str]]:
    """The head of a ticket: what is built, on what, of what, how long, how much."""
    first = "" if contents.first_layer is None else f", first {contents.first_layer:g} mm"
    loaded = "" if contents.loaded_grams is None else f" of {contents.loaded_grams:,.0f} g loaded"
    fitted = " · ".join(word for word in (contents.surface, contents.fitting) if word)
    rows = [
        ("Machine", f"{contents.machine} ({contents.machine_id})"), ("Plate and tray", fitted),
        ("Material", f"{contents.material} ({contents.material_id})"), ("Lot", contents.lot),
        ("Layers", f"{contents.layers:,} of {contents.layer_height:g} mm{first}, {contents.height_mm:.1f} mm high"),
        ("Mode", contents.mode), ("Time", f"{hours_in_words(contents.build_seconds)}, and "
         f"{hours_in_words(contents.warm_seconds)} for warming up and cooling"),
        ("Volume", f"parts {contents.part_volume_mm3 / 1000:,.2f} cm³, "
         f"supports {contents.support_volume_mm3 / 1000:,.2f} cm³"),
        ("Material used", f"{contents.grams:,.0f} g{loaded}"),
        ("Material changes", str(contents.material_changes or "")), ("Cost", f"{contents.cost:,.2f} EUR"),
        ("Due", contents.due), ("Released by", contents.released_by),
    ]  # fmt: skip
    return [(name, said) for name, said in rows if said]


def part_facts(part: TicketPart) -> list[tuple[str, str]]:
    """What is said of one part."""
    x, y = part.place_mm
    turned = " · ".join(f"{axis} {angle:g}°" for axis, angle in zip("xyz", part.turned_deg, strict=True))
    rows = [
        ("Owner", part.owner), ("Order or case", part.order), ("Lot asked for", part.lot),
        ("Size on the plate", " x ".join(f"{size:.2f}" for size in part.size_mm) + " mm"),
        ("Size in the end", " x ".join(f"{size:.2f}" for size in part.end_size_mm) + " mm, before turning"),
        ("Volume", f"{part.volume_mm3 / 1000:,.2f} cm³"),
        ("Place and pose", f"middle at x {x:g}, y {y:g} mm; turned {turned}"),
        ("Build offset", f"{part.build_offset_mm:g} mm"),
    ]  # fmt: skip
    return [(name, said) for name, said in rows if said]


def support_words(support: TicketSupport) -> str:
    """A support on one line."""
    changed = f"; {len(support.differences)} changed" if support.differences else ""
    by_hand = f"; {support.by_hand} by hand" if support.by_hand else ""
    return (
        f"{support.set_name}, version {support.version}{changed}{by_hand}: {support.count:,} {support.element}, "
        f"{support.volume_mm3 / 1000:,.2f} cm³, utilisation {support.utilisation:.2f}"
    )


def difference_words(support: TicketSupport) -> list[str]:
    """What differs from its set."""
    return [f"{one.label}: {one.here}, set {one.there}" for one in support.differences]


def head_of(part: TicketPart) -> str:
    """The head of the page that goes with a part."""
    return " · ".join(word for word in (f"Part {part.number}", part.name, part.owner or "no owner", part.order) if word)
