"""The ticket as one HTML file that needs nothing else."""

from __future__ import annotations

from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from lean_trellis.core.release.ticket.contents import TicketContents
from lean_trellis.core.release.ticket.svg import svg_of
from lean_trellis.core.release.ticket.words import difference_words, facts, head_of, part_facts, support_words


def ticket_html(contents: TicketContents) -> str:
    """The ticket; everything in it is escaped, its drawings are in the text itself."""
    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined, trim_blocks=True,
    )  # fmt: skip
    drawings = [{"title": drawing.title, "svg": svg_of(drawing)} for drawing in contents.drawings]
    return environment.get_template("ticket.html").render(
        c=contents, facts=facts(contents), drawings=drawings, part_facts=part_facts, support_words=support_words,
        difference_words=difference_words, head_of=head_of,
    )  # fmt: skip
