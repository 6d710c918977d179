"""Drawings as SVG."""

from __future__ import annotations

from xml.etree import ElementTree

from lean_trellis.core.release.ticket.contents import Words
from lean_trellis.core.release.ticket.svg import svg_of

NS = "{http://www.w3.org/2000/svg}"


def test_places_are_turned_upside_down_and_kept_to_scale(plain):
    root = ElementTree.fromstring(svg_of(plain.drawings[0]))
    assert root.get("viewBox") == "0 0 100 52"
    assert root.find(f"{NS}path").get("d").startswith("M10,40 L30,40 L30,20 Z M15,38")
    assert root.find(f"{NS}path").get("fill-rule") == "evenodd"
    dot = root.find(f"{NS}circle")
    assert (dot.get("cx"), dot.get("cy"), dot.get("r")) == ("20", "35", "0.5")
    assert root.find(f"{NS}text").text == "1"


def test_words_are_escaped(plain):
    drawing = plain.drawings[0].model_copy(
        update={"words": (Words(at=(0, 0), text="<a&b>", size=2.0),), "title": 'x"<'}
    )
    root = ElementTree.fromstring(svg_of(drawing))
    assert root.find(f"{NS}text").text == "<a&b>"
    assert root.get("aria-label") == 'x"<'
