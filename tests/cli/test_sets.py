"""`sets import`, `export`, `compare` and sets of one's own, as they are typed."""

from __future__ import annotations

import pytest

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def own(call, tmp_path):
    """A set of one's own, exported from a shipped one, changed and taken in."""
    status, written, _ = call("sets", "export", "bars-metal", "-o", tmp_path / "close-bars.toml", "--json")
    assert status == 0
    assert written["files"] == [str(tmp_path / "close-bars.toml")]
    path = tmp_path / "close-bars.toml"
    text = path.read_text("utf-8")
    assert "spacing = 1.9 # mm" in text
    path.write_text(text.replace("spacing = 1.9", "spacing = 1.6").replace("Metal, general", "Close bars"), "utf-8")
    status, taken, err = call("sets", "import", path, "--why", "lids sagged", "--json")
    assert status == 0, err
    assert (taken[0]["name"], taken[0]["version"], taken[0]["parameters"]["spacing"]) == ("close-bars", 1, 1.6)
    return path


def test_an_own_set_is_listed_shown_compared_and_used(call, own, tmp_path):
    assert "close-bars" in {entry["name"] for entry in call("sets", "list", "--json")[1]}
    assert call("sets", "show", "close-bars", "--json")[1]["title"] == "Close bars"
    assert call("sets", "compare", "bars-metal", "close-bars", "--json")[1] == {
        "spacing": {"bars-metal": 1.9, "close-bars": 1.6}
    }
    part = tmp_path / "plate.stl"
    part.write_bytes(stl_bytes(box((12, 9, 2))))
    counts = [
        call("prepare", part, "-o", tmp_path / "x.trellis", "--set", name, "--json")[1]["parts"][0]["supports"][0][
            "count"
        ]
        for name in ("bars-metal", "close-bars")
    ]
    assert counts[1] > counts[0]


def test_taken_in_again_it_is_the_next_version_and_unchanged_it_stays(call, own):
    assert call("sets", "import", own, "--json")[1][0]["version"] == 1
    own.write_text(own.read_text("utf-8").replace("spacing = 1.6", "spacing = 1.5"), "utf-8")
    assert call("sets", "import", own, "--json")[1][0]["version"] == 2


def test_all_are_exported_to_a_folder_and_can_be_read_again(call, tmp_path):
    written = call("sets", "export", "-o", tmp_path / "all", "--json")[1]["files"]
    assert len(written) == len(shipped_sets())
    status, taken, err = call("sets", "import", *written, "--json")
    assert status == 0, err
    assert {entry["version"] for entry in taken} == {one.version for one in shipped_sets().values()}, "nothing is new"


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("spacing = 1.6", "spacing = -1", "line"),
        ("spacing = 1.6", "spaceing = 2", "spaceing"),
        ("[parameters]", "[", "TOML"),
    ],
)
def test_a_file_with_something_wrong_is_refused_in_one_line(call, own, old, new, words):
    own.write_text(own.read_text("utf-8").replace(old, new, 1), "utf-8")
    status, _, err = call("sets", "import", own)
    assert status == 2
    assert err.count("\n") == 1
    assert "close-bars.toml" in err
    assert words in err


def test_a_shipped_name_with_other_values_and_other_families_are_refused(call, own):
    wrong = own.with_name("bars-metal.toml")
    wrong.write_text(own.read_text("utf-8"), "utf-8")
    status, _, err = call("sets", "import", wrong)
    assert (status, "the name of a set that ships" in err) == (2, True)
    status, _, err = call("sets", "compare", "bars-metal", "wall-line")
    assert (status, "of another family" in err) == (2, True)
    status, _, err = call("sets", "export", "bars-mettle")
    assert (status, "bars-metal" in err) == (2, True)


def test_a_library_that_cannot_be_read_is_passed_over_with_a_word(call, monkeypatch, tmp_path):
    (tmp_path / "broken.db").write_bytes(b"no tables at all, " * 80)
    monkeypatch.setenv("LEAN_TRELLIS_LIBRARY", f"sqlite:///{tmp_path / 'broken.db'}")
    status, known, err = call("sets", "list", "--json")
    assert status == 0
    assert {entry["name"] for entry in known} == set(shipped_sets())
    assert "passed over" in err
    assert "broken.db" in err
