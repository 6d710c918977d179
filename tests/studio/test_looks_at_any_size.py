"""Contrast of text in both themes, and the window on a screen of 150 %."""

from __future__ import annotations

import json
import os
import subprocess
import sys

import pytest
from PyQt6.QtGui import QColor

from lean_trellis.studio.theme import DAY, NIGHT, Tokens

_TEXT = (("ink", "muted"), ("paper", "card", "ivy_wash", "ground"))
_AT_150 = """
import json, sys

def main():
    from lean_trellis.studio.display import prepare_platform, virtual_display
    prepare_platform()
    with virtual_display("1920x1200"):
        from PyQt6.QtCore import QPointF
        from lean_trellis.core.formats import Body
        from lean_trellis.core.job import edits
        from lean_trellis.core.mesh.primitives import box
        from lean_trellis.studio.pictures import settle
        from lean_trellis.studio.settings import Settings
        from lean_trellis.studio.start import make_application, make_window
        settings = Settings(window=[1280, 800])
        application = make_application(settings)
        window = make_window(settings)
        window.move(0, 0)
        window.show()
        window.start()
        window.session.do(lambda job: edits.add_bodies(job, [Body("slab", box((40, 30, 8)), 12)]))
        settle(window)
        window.views.view.fit()
        settle(window)
        view = window.views.view
        picture = window.views.map._pictures()
        canvas, ratio = view.canvas, view.canvas.devicePixelRatioF()
        middle = view.pick_at(QPointF(canvas.width() / 2, canvas.height() / 2))
        corner = view.pick_at(QPointF(4, 4))
        drawn = canvas.GetRenderWindow().GetSize()
        print(json.dumps({"ratio": ratio, "middle": middle.part, "corner": corner.part, "drawn": list(drawn),
                          "asked": [round(canvas.width() * ratio), round(canvas.height() * ratio)],
                          "map": [picture.width(), picture.height()],
                          "map_asked": [window.views.map.width(), window.views.map.height()]}))
        sys.stdout.flush()
        window.session.replace_job(window.session.job, None)
        window.close()

if __name__ == "__main__":
    main()
"""


def _brightness(colour: str) -> float:
    """Relative luminance after WCAG 2.1."""
    made = QColor(colour)
    parts = [
        c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in (made.redF(), made.greenF(), made.blueF())
    ]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(one: str, other: str) -> float:
    """After WCAG 2.1: from 1 to 21."""
    low, high = sorted((_brightness(one), _brightness(other)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("tokens", [DAY, NIGHT], ids=["day", "night"])
def test_text_has_a_contrast_of_at_least_4_5_on_all_it_stands_on(tokens: Tokens):
    pairs = [(text, ground) for text in _TEXT[0] for ground in _TEXT[1]]
    pairs += [
        ("on_ivy", "ivy"),
        ("card", "note"),
        ("card", "stop"),
        ("stop", "card"),
        ("stop", "paper"),
        ("ivy", "paper"),
    ]
    poor = {
        pair: round(contrast(getattr(tokens, pair[0]), getattr(tokens, pair[1])), 2)
        for pair in pairs
        if contrast(getattr(tokens, pair[0]), getattr(tokens, pair[1])) < 4.5
    }
    assert poor == {}
    assert contrast("#000000", "#ffffff") == pytest.approx(21)


def test_on_a_screen_of_150_percent_what_is_clicked_is_what_is_seen(tmp_path):
    script = tmp_path / "at_150.py"
    script.write_text(_AT_150)
    surroundings = os.environ | {"QT_SCALE_FACTOR": "1.5", "XDG_STATE_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, str(script)], env=surroundings, capture_output=True, text=True, check=True)
    seen = json.loads(done.stdout.strip().splitlines()[-1])
    assert seen["ratio"] == 1.5
    assert (seen["middle"], seen["corner"]) == ("part-1", "")
    assert seen["drawn"] == pytest.approx(seen["asked"], abs=1)
    assert seen["map"] == pytest.approx([1.5 * side for side in seen["map_asked"]], abs=1)
