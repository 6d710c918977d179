"""The ticket as PDF: what the HTML says, a page for each part, part and owner at the head of every page."""

from __future__ import annotations

import base64
import io
import logging
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from fpdf import FPDF
from fpdf.drawing import PaintedPath
from fpdf.drawing_primitives import color_from_hex_string
from fpdf.enums import PathPaintRule

from lean_trellis.core.release.ticket.contents import TicketContents, TicketDrawing, TicketPart
from lean_trellis.core.release.ticket.words import difference_words, facts, head_of, part_facts, support_words

logging.getLogger("fontTools").setLevel(logging.ERROR)  # it wonders at a font without a day of making
FONTS = Path(__file__).parents[3] / "fonts"
_FAMILY = "Lato"
_INK, _MUTED, _IVY, _LINE = (34, 48, 43), (88, 96, 90), (47, 107, 87), (216, 210, 194)
_SEVERITY = {"stop": (155, 44, 63), "caution": (122, 86, 15), "note": (82, 112, 128)}
_MARGIN, _WIDTH = 16.0, 178.0
_MOST_TALL = 92.0
_SMALL_PLAN = 74.0
_WHEN = datetime(2000, 1, 1, tzinfo=UTC)
"""Nothing in a ticket tells when it was made."""
_POINT_MM = 25.4 / 72


class _Ticket(FPDF):
    """A4 pages with a head that says whose they are."""

    def __init__(self, job: str) -> None:
        super().__init__(format="A4", unit="mm")
        self._job, self.whose = job, ""
        for style, name in (("", "Regular"), ("B", "Bold"), ("I", "Italic")):
            self.add_font(_FAMILY, style, FONTS / f"Lato-{name}.ttf")
        self.set_margins(_MARGIN, _MARGIN, _MARGIN)
        self.set_auto_page_break(True, _MARGIN)
        self.set_creation_date(_WHEN)
        self.set_title(f"Build ticket: {job}")
        self.set_producer("Lean Trellis")

    def header(self) -> None:
        """Whose page it is, and of which job."""
        self._style(8, _MUTED)
        self.cell(_WIDTH - 60, 5, _fitting(self, self.whose, _WIDTH - 64))
        self.cell(60, 5, _fitting(self, self._job, 58), align="R", new_x="LMARGIN", new_y="NEXT")
        self.set_draw_color(*_LINE)
        self.line(_MARGIN, self.get_y() + 0.5, _MARGIN + _WIDTH, self.get_y() + 0.5)
        self.ln(4)

    def footer(self) -> None:
        """Which page it is."""
        self.set_y(-12)
        self._style(8, _MUTED)
        self.cell(0, 5, f"{self.page_no()} of {{nb}}", align="R")

    def begin(self, whose: str) -> None:
        """A new page about some parts."""
        self.whose = whose
        self.add_page()

    def title_line(self, text: str) -> None:
        """The largest words of a page."""
        self._style(16, _INK, "B")
        self.multi_cell(_WIDTH, 8, text, new_x="LMARGIN", new_y="NEXT")

    def part_line(self, text: str) -> None:
        """The words above a part of a page."""
        self.ln(2)
        self._style(11, _IVY, "B")
        self.cell(0, 7, text, new_x="LMARGIN", new_y="NEXT")

    def plain(self, text: str, color: tuple[int, int, int] = _INK, indent: float = 0.0) -> None:
        """A paragraph."""
        self._style(9, color)
        self.set_x(_MARGIN + indent)
        self.multi_cell(_WIDTH - indent, 4.6, text, new_x="LMARGIN", new_y="NEXT")

    def pairs(self, rows: Sequence[tuple[str, str]]) -> None:
        """Names and what is said of them."""
        for name, said in rows:
            self._style(9, _MUTED)
            self.cell(36, 5, name)
            self._style(9, _INK)
            self.multi_cell(_WIDTH - 36, 5, said, new_x="LMARGIN", new_y="NEXT")

    def rows(self, widths: Sequence[float], heading: Sequence[str], rows: Sequence[Sequence[str]], right: str) -> None:
        """A table; `right` has an R for each column that is set to the right."""
        self._style(9, _INK)
        self.set_draw_color(*_LINE)
        align = tuple("RIGHT" if one == "R" else "LEFT" for one in right)
        with self.table(col_widths=tuple(widths), text_align=align, line_height=5, borders_layout="HORIZONTAL_LINES",
                        width=_WIDTH, padding=(0.4, 1)) as table:  # fmt: skip
            for cells in (heading, *rows):
                row = table.row()
                for cell in cells:
                    row.cell(cell)

    def _style(self, size: float, color: tuple[int, int, int], style: str = "") -> None:
        self.set_font(_FAMILY, style, size)
        self.set_text_color(*color)


def ticket_pdf(contents: TicketContents) -> bytes:
    """The ticket; the same bytes for the same contents."""
    pdf = _Ticket(contents.job)
    _summary(pdf, contents)
    pdf.begin(contents.whose())
    pdf.part_line("Drawings")
    _drawings(pdf, contents)
    pdf.begin(contents.whose())
    _findings(pdf, contents)
    for part in contents.parts:
        pdf.begin(head_of(part))
        _part(pdf, contents, part)
    return bytes(pdf.output())


def _summary(pdf: _Ticket, contents: TicketContents) -> None:
    pdf.begin(contents.whose())
    pdf.title_line(f"Build ticket: {contents.job}")
    pdf.pairs(facts(contents))
    pdf.part_line("Parts")
    rows = [(str(p.number), p.name, p.owner, p.order, f"{p.volume_mm3 / 1000:.2f}") for p in contents.parts]
    pdf.rows((12, 66, 50, 32, 18), ("No.", "Part", "Owner", "Order", "cm³"), rows, "RLLLR")
    pdf.part_line("Owners")
    owners = [
        (one.owner, ", ".join(one.orders), f"{one.volume_mm3 / 1000:.2f}", f"{one.time_share:.0%}", f"{one.cost:.2f}",
         ", ".join(one.threatens))
        for one in contents.owners
    ]  # fmt: skip
    heading = ("Owner", "Orders", "cm³", "Time", "EUR", "A fault would reach")
    pdf.rows((42, 32, 18, 14, 20, 52), heading, owners, "LLRRRL")


def _drawings(pdf: _Ticket, contents: TicketContents) -> None:
    if contents.picture:
        pdf.image(io.BytesIO(base64.b64decode(contents.picture)), w=_WIDTH)
        pdf.ln(3)
    width, gap = (_WIDTH - 6) / 2, 6.0
    for first in range(0, len(contents.drawings), 2):
        pair = contents.drawings[first : first + 2]
        tall = max(_height_at(drawing, width) for drawing in pair) + 6
        if pdf.get_y() + tall > pdf.h - _MARGIN:
            pdf.add_page()
        top = pdf.get_y()
        for place, drawing in enumerate(pair):
            _draw(pdf, drawing, _MARGIN + place * (width + gap), top, width)
        pdf.set_y(top + tall + 2)


def _height_at(drawing: TicketDrawing, width: float) -> float:
    (left, low), (right, high) = drawing.low, drawing.high
    return min((high - low) / (right - left) * width, _MOST_TALL)


def _draw(pdf: _Ticket, drawing: TicketDrawing, x: float, y: float, width: float) -> None:
    """A drawing in a box of a width, no taller than a third of a page; its title below."""
    (left, low), (right, high) = drawing.low, drawing.high
    scale = min(width / (right - left), _height_at(drawing, width) / (high - low))

    def at(place: tuple[float, float]) -> tuple[float, float]:
        return x + (place[0] - left) * scale, y + (high - place[1]) * scale

    with pdf.drawing_context() as context:
        for area in drawing.areas:
            path = PaintedPath()
            for ring in area.rings:
                path.move_to(*at(ring[0]))
                for place in ring[1:]:
                    path.line_to(*at(place))
                path.close()
            path.style.fill_color = color_from_hex_string(area.fill) if area.fill else None
            path.style.stroke_color = color_from_hex_string(area.line) if area.line else None
            path.style.stroke_width = max(area.width * scale, 0.08)
            path.style.paint_rule = PathPaintRule.STROKE_FILL_EVENODD
            context.add_item(path)
    for dot in drawing.dots:
        pdf.set_fill_color(dot.fill)
        center = at(dot.at)
        pdf.circle(center[0], center[1], max(dot.radius * scale, 0.15), style="F")
    for words in drawing.words:
        pdf.set_font(_FAMILY, "B", max(words.size * scale / _POINT_MM, 5))
        pdf.set_text_color(words.color)
        across, down = at((words.at[0], words.at[1] - 0.35 * words.size))
        pdf.text(across - pdf.get_string_width(words.text) / 2, down, words.text)
    pdf.set_font(_FAMILY, "", 8)
    pdf.set_text_color(*_MUTED)
    pdf.text(x, y + (high - low) * scale + 4, drawing.title)


def _marked(drawing: TicketDrawing, number: int) -> TicketDrawing:
    """The plan with the number of one part large and in colour."""
    words = tuple(
        one.model_copy(update={"size": 1.9 * one.size, "color": "#9B2C3F"}) if one.text == str(number) else one
        for one in drawing.words
    )
    return drawing.model_copy(update={"title": "Where it stands, from above", "words": words})


def _findings(pdf: _Ticket, contents: TicketContents) -> None:
    pdf.part_line("Findings")
    if not contents.findings:
        pdf.plain("None.")
    for one in contents.findings:
        pdf.plain(f"{one.severity}: {one.part}: {one.message}", _SEVERITY.get(one.severity, _INK))
        if one.place:
            pdf.plain(one.place, _MUTED, indent=6)
        if one.waiver:
            pdf.plain(f"waived by {one.waiver}", _INK, indent=6)
    _after(pdf, contents)
    if contents.files:
        pdf.part_line("Files sent")
        for file in contents.files:
            pdf.plain(f"{file.name}, {file.bytes:,} bytes")
            pdf.plain(f"SHA-256 {file.sha256}", _MUTED, indent=6)


def _after(pdf: _Ticket, contents: TicketContents) -> None:
    if contents.after:
        pdf.part_line("After the build")
        for number, step in enumerate(contents.after, start=1):
            pdf.plain(f"{number}.  {step}")


def _part(pdf: _Ticket, contents: TicketContents, part: TicketPart) -> None:
    pdf.title_line(f"{part.number} · {part.name}")
    pdf.pairs(part_facts(part))
    if contents.drawings:
        pdf.ln(3)
        top = pdf.get_y()
        where = _marked(contents.drawings[0], part.number)
        _draw(pdf, where, _MARGIN, top, _SMALL_PLAN)
        pdf.set_y(top + _height_at(where, _SMALL_PLAN) + 7)
    pdf.part_line("Supports")
    if not part.supports:
        pdf.plain("None.")
    for support in part.supports:
        pdf.plain(support_words(support))
        for line in difference_words(support):
            pdf.plain(line, _MUTED, indent=6)
    mine = [one for one in contents.findings if one.number == part.number]
    if mine:
        pdf.part_line("Findings")
        for one in mine:
            waived = f" (waived by {one.waiver})" if one.waiver else ""
            pdf.plain(f"{one.severity}: {one.message}{waived}", _SEVERITY.get(one.severity, _INK))
    _after(pdf, contents)


def _fitting(pdf: _Ticket, text: str, width: float) -> str:
    """As much of a text as a line holds."""
    if pdf.get_string_width(text) <= width:
        return text
    while text and pdf.get_string_width(text + " …") > width:
        text = text[:-1]
    return text + " …"
