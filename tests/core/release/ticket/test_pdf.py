"""The ticket as PDF, read by another library."""

from __future__ import annotations

import base64
import io

import pytest
from PIL import Image
from pypdf import PdfReader

from lean_trellis.core.release.ticket.pdf import ticket_pdf


def pages(contents):
    return [page.extract_text() for page in PdfReader(io.BytesIO(ticket_pdf(contents))).pages]


def test_a_page_for_each_part_with_part_and_owner_at_its_head(plain):
    found = pages(plain)
    assert len(found) == 5
    assert "Otterbank 1; Tern 2" in found[0]
    assert "Build ticket: Friday <b>" in found[0]
    assert "Part 1 · Bracket & <co> · Otterbank · FW-1" in found[3]
    assert "Metal, general, version 3" in found[3]
    assert "Part 2 · Tile · Tern" in found[4]
    assert "waived by A. Rowan: cut off" in found[2]
    assert "ab" * 32 in found[2]


def test_the_same_contents_give_the_same_bytes(plain):
    assert ticket_pdf(plain) == ticket_pdf(plain)


def test_forty_parts_are_forty_pages_and_long_names_fit(plain):
    part = plain.parts[0]
    many = tuple(part.model_copy(update={"number": n, "name": f"part {n} " + "long " * 40}) for n in range(1, 41))
    found = pages(plain.model_copy(update={"parts": many}))
    assert sum(text.startswith("Part ") for text in found) == 40


@pytest.mark.parametrize("name", ["Ünïcode ✓", "日本", "a" * 300])
def test_names_of_any_letters(plain, name):
    assert pages(plain.model_copy(update={"job": name}))


def test_a_picture_is_taken_in(plain):
    stream = io.BytesIO()
    Image.new("RGB", (40, 30), "#2F6B57").save(stream, "PNG")
    with_one = plain.model_copy(update={"picture": base64.b64encode(stream.getvalue()).decode()})
    images = [image for page in PdfReader(io.BytesIO(ticket_pdf(with_one))).pages for image in page.images]
    assert len(images) == 1
