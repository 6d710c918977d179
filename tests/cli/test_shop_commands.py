"""Recipes, coupons and batches on the command line."""

from __future__ import annotations

import json

import pytest

from lean_trellis.cli.shop_commands import COUPONS
from lean_trellis.core.job.files import open_job
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.strength.coupons.kinds import KINDS


def test_recipes_go_out_are_changed_and_come_in_as_a_new_one_that_parts_are_prepared_by(call, stl, tmp_path):
    status, document, _ = call("recipes", "export", "metal-standard", "-o", tmp_path / "lids.toml", "--json")
    assert (status, document["files"]) == (0, [str(tmp_path / "lids.toml")])
    text = (tmp_path / "lids.toml").read_text(encoding="utf-8")
    text = text.replace('title = "Metal, standard"', 'title = "Lids"').replace(
        'set = "bars-metal"', 'set = "bars-metal"\nvalues = {spacing = 3.5}'
    )
    (tmp_path / "lids.toml").write_text(text, encoding="utf-8")
    status, (taken,), _ = call("recipes", "import", tmp_path / "lids.toml", "--json")
    assert (status, taken["name"], taken["version"]) == (0, "lids", 1)
    assert "lids" in [one["name"] for one in call("recipes", "list", "--json")[1]]
    out = tmp_path / "slab.trellis"
    status, _, _ = call("prepare", stl, "-o", out, "--recipe", "lids", "--json")
    assert status == 0
    (support,) = open_job(out, shipped_library()).supports
    assert (support.parameters.spacing, support.made_by.recipe, support.set_name) == (3.5, "lids", "bars-metal")
    status, _, err = call("recipes", "show", "lidz")
    assert (status, "lids" in err) == (2, True)
    assert "spacing 3.5" in call("recipes", "show", "lids")[1]


@pytest.mark.parametrize(("old", "new", "words"), [("spacing = 3.5", "spaceing = 3.5", "spacing"),
                                                   ("bars-metal", "bars-mettal", "bars-metal")])  # fmt: skip
def test_a_recipe_whose_rules_cannot_be_is_not_taken_in(call, tmp_path, old, new, words):
    path = tmp_path / "lids.toml"
    text = 'title = "Lids"\nprocess = "powder_bed"\n[[rules]]\nset = "bars-metal"\nvalues = {spacing = 3.5}\n'
    path.write_text(text.replace(old, new))
    status, _, err = call("recipes", "import", path)
    assert status == 2
    assert words in err
    assert err.count("\n") == 1
    assert "lids" not in [one["name"] for one in call("recipes", "list", "--json")[1]]


def test_every_coupon_is_a_command_and_its_outcomes_give_values_that_are_kept(call, tmp_path):
    assert tuple(KINDS) == COUPONS
    assert [one["kind"] for one in call("coupon", "list", "--json")[1]] == list(COUPONS)
    out, results = tmp_path / "ladder.stl", tmp_path / "out.json"
    status, made, _ = call("coupon", "angles", "-o", out, "--material", "titanium-64", "--outcomes", results, "--json")
    assert (status, made["files"], made["kind"]) == (0, [str(out)], "angles")
    assert call("inspect", out, "--json")[1][0]["watertight"]
    content = json.loads(results.read_text())
    for step in content["coupons"][0]["steps"]:
        step["held"] = step["angle"] >= made["sizes"][3]
    results.write_text(json.dumps(content))
    given = ("coupon", "fit", "angles", results, "--material", "titanium-64", "--json")
    status, document, _ = call(*given)
    found = document["values"]["critical_angle"]
    assert status == 0
    assert (found["low"], found["high"]) == (made["sizes"][2], made["sizes"][3])
    assert found["low"] < found["value"] < found["high"]
    status, document, _ = call(*given, "--save", "Our titanium", "--lot", "9", "--date", "2026-10-01")
    assert document["material"] == "our-titanium"
    (ours,) = (one for one in call("materials", "--json")[1] if one["id"] == "our-titanium")
    assert ours["detection"]["critical_angle"] == made["sizes"][3]
    assert ours["detection"]["sources"]["critical_angle"].endswith("2026-10-01, lot 9")


@pytest.mark.parametrize(
    ("arguments", "words"),
    [(("coupon", "angles", "-o", "x.txt"), "no mesh file by its name"),
     (("coupon", "peel", "-o", "x.stl", "--material", "pla"), "says nothing about"),
     (("coupon", "fit", "angels", "none.json"), "angles"), (("coupon", "fit", "angles", "none.json"), "none.json"),
     (("coupon", "angels", "-o", "x.stl"), "No such command"),
     (("batch", "metal-standard", "none", "-o", "out"), "none: cannot read it"),
     (("batch", "metal-standart", ".", "-o", "out"), "metal-standard"),
     (("batch", "metal-standard", ".", "-o", "out", "--material", "pla"), "not meant for"),
     (("batch", "metal-standard", ".", "-o", "out", "--workers", "-2"), "no number of processes")],
)  # fmt: skip
def test_what_cannot_be_done_is_one_line(call, tmp_path, monkeypatch, arguments, words):
    monkeypatch.chdir(tmp_path)
    status, _, err = call(*arguments)
    assert status == 2
    assert words in err
    assert err.count("\n") == 1
    assert list(tmp_path.iterdir()) == []


def test_a_batch_tells_its_failures_apart_and_resumes(call, stl, tmp_path):
    parts, out = tmp_path / "parts", tmp_path / "out"
    parts.mkdir()
    (parts / "slab.stl").write_bytes(stl.read_bytes())
    (parts / "bad.stl").write_text("solid nothing")
    given = ("batch", "metal-standard", parts, "-o", out, "--workers", "1", "--json")
    status, rows, _ = call(*given)
    assert status == 1
    bad, good = rows
    assert (bad["ok"], good["ok"]) == (False, True)
    assert "holds no mesh" in bad["reason"]
    assert {"file", "job", "ok", "reason", "parts", "regions", "supports", "not_supported", "seconds"} <= set(good)
    assert good["parts"][0]["supports"][0]["set"] == "bars-metal"
    written = (out / "slab.trellis").read_bytes()
    (parts / "bad.stl").unlink()
    status, again, _ = call(*given, "--resume")
    assert (status, again) == (0, [good])
    status, (anew,), _ = call(*given)
    assert (out / "slab.trellis").read_bytes() == written, "the same file and recipe, the same bytes"
    assert anew["seconds"] != good["seconds"]
