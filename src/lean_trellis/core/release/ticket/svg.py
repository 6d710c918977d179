"""Drawings of a ticket as SVG."""

from __future__ import annotations

from html import escape

from lean_trellis.core.release.ticket.contents import Place2, TicketDrawing


def svg_of(drawing: TicketDrawing) -> str:
    """The drawing as one SVG element that fits this width."""
    (left, low), (right, high) = drawing.low, drawing.high
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" role="img" aria-label="{escape(drawing.title)}" '
        f'viewBox="{left:g} 0 {right - left:g} {high - low:g}">'
    ]

    def at(place: Place2) -> str:
        return f"{place[0]:g},{high - place[1]:g}"

    for area in drawing.areas:
        path = " ".join("M" + " L".join(at(place) for place in ring) + " Z" for ring in area.rings)
        stroke = f' stroke="{area.line}" stroke-width="{area.width:g}"' if area.line else ""
        lines.append(f'<path d="{path}" fill="{area.fill or "none"}" fill-rule="evenodd"{stroke}/>')
    for dot in drawing.dots:
        x, y = at(dot.at).split(",")
        lines.append(f'<circle cx="{x}" cy="{y}" r="{dot.radius:g}" fill="{dot.fill}"/>')
    for words in drawing.words:
        x, y = at((words.at[0], words.at[1] - 0.35 * words.size)).split(",")
        lines.append(
            f'<text x="{x}" y="{y}" font-size="{words.size:g}" text-anchor="middle" fill="{words.color}" '
            f'font-weight="700">{escape(words.text)}</text>'
        )
    return "\n".join([*lines, "</svg>"])
