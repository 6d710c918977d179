"""The ticket as HTML."""

from __future__ import annotations

from lxml import html

from lean_trellis.core.release.ticket.html import ticket_html


def test_every_page_names_part_and_owner_and_the_job(plain):
    page = html.fromstring(ticket_html(plain))
    heads = [" ".join(head.text_content().split()) for head in page.findall(".//div[@class='head']")]
    assert len(heads) == 5
    assert all("Friday <b>" in head for head in heads)
    assert all("Otterbank 1; Tern 2" in head for head in heads[:3])
    assert "Part 1 · Bracket & <co> · Otterbank" in heads[3]
    assert "Part 2 · Tile · Tern" in heads[4]


def test_nothing_of_a_name_becomes_markup(plain):
    text = ticket_html(plain)
    assert "<co>" not in text
    assert "Bracket &amp; &lt;co&gt;" in text
    assert "<b>" not in text


def test_it_needs_nothing_else_and_says_everything(plain):
    text = ticket_html(plain)
    assert "http" not in text.replace("http://www.w3.org/2000/svg", "")
    for words in ("waived by A. Rowan: cut off", "Spacing: 3.5, set 2.6", "ab" * 32, "Let it cool", "FW-1", "75 %"):
        assert words in text
    assert text.count("<svg") == 1
    assert ticket_html(plain) == text
    assert "data:image/png" not in text
    assert "data:image/png;base64,aGk=" in ticket_html(plain.model_copy(update={"picture": "aGk="}))
