"""The command line as a script uses it: documents, exit statuses, one line for what is wrong."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.shop import shipped_library


@pytest.fixture
def prepared(call, stl, tmp_path):
    path = tmp_path / "slab.trellis"
    status, document, _ = call("prepare", stl, "-o", path, "--set", "bars-metal", "--json")
    assert status == 0
    return path, document


def test_inspect_gives_the_promised_keys_and_figures(call, stl):
    status, (found,), err = call("inspect", stl, "--json")
    assert (status, err) == (0, "")
    assert found["volume_mm3"] == pytest.approx(2000)
    assert (found["triangles"], found["vertices"], found["shells"], found["watertight"]) == (12, 8, 1, True)
    assert found["bounds_mm"] == [[0, 0, 0], [20, 20, 5]]
    keys = {"open_edges", "non_manifold_edges", "degenerate_faces", "duplicate_faces", "inward_shells"}
    assert keys <= set(found["defects"])
    assert {"file", "name", "area_mm2"} <= set(found)


def test_units_are_taken_where_the_file_names_none(call, stl):
    assert call("inspect", stl, "--units", "in", "--json")[1][0]["volume_mm3"] == pytest.approx(2000 * 25.4**3)


def test_overhangs_of_a_turned_and_lifted_slab(call, stl):
    status, found, _ = call(
        "overhangs", stl, "--critical-angle", 45, "--rotate", 0, 30, 0, "--build-offset", 3, "--json"
    )
    assert status == 0
    assert found["critical_area_mm2"] == pytest.approx(400)
    assert found["projected_area_mm2"] == pytest.approx(400 * np.cos(np.radians(30)))
    (region,) = found["regions"]
    assert (region["kind"], region["lowest_mm"]) == ("face", pytest.approx(3))
    assert region["min_angle_deg"] == pytest.approx(30)
    (island,) = found["islands"]
    assert island["z_mm"] == pytest.approx(3)


def test_overhangs_tell_outline_span_and_what_holds_itself(call, tmp_path):
    block = to_manifold(box((40, 20, 12))) - to_manifold(box((20, 1.0, 3), corner=(10, 9.5, 0)))
    path, table = tmp_path / "slot.stl", tmp_path / "slot.csv"
    path.write_bytes(stl_bytes(from_manifold(block)))
    plain = call("overhangs", path, "--critical-angle", 45, "--json")[1]
    assert [region["left_out"] for region in plain["regions"]] == [None]
    steel = call("overhangs", path, "--critical-angle", 45, "--material", "steel-316l", "--csv", table, "--json")[1]
    (slot,) = steel["regions"]
    assert "bridges" in slot["left_out"]
    assert steel["critical_area_mm2"] == pytest.approx(20), "no filter on the sum"
    assert slot["greatest_span_mm"] == pytest.approx(1, rel=0.02)
    assert slot["beneath"] == "plate"
    assert slot["rim_mm"] == pytest.approx({"free": 0, "wall": 42, "fading": 0})
    (loop,) = slot["outline"]
    assert len(loop["places_mm"]) == len(loop["edges"])
    assert set(loop["edges"]) == {"wall"}
    resin = call("overhangs", path, "--critical-angle", 45, "--material", "resin-model", "--json")[1]
    assert resin["regions"][0]["left_out"] is None, "nothing self-supporting in a vat"
    assert "left_out" in table.read_text().splitlines()[0]
    assert len(table.read_text().splitlines()) == 2


def test_overhangs_rest_on_the_plate_by_default_and_the_belt_tilts(call, stl):
    assert call("overhangs", stl, "--critical-angle", 45, "--json")[1]["regions"] == []
    belt = call("overhangs", stl, "--critical-angle", 46, "--machine", "belt-260", "--build-offset", 5, "--json")[1]
    assert belt["critical_area_mm2"] == pytest.approx(400 + 100)


def test_prepare_gives_figures_that_add_up_and_a_job_that_opens(prepared, call):
    path, document = prepared
    (part,) = document["parts"]
    (support,) = part["supports"]
    assert document["job"] == str(path)
    assert (part["name"], part["regions"]) == ("slab", 1)
    assert (support["family"], support["set"], support["count"]) == (
        "bars",
        "bars-metal",
        len(support["contacts"]),
    )
    contacts = np.array(support["contacts"])
    assert contacts[:, 2] == pytest.approx(4.0)
    assert {"read", "overhangs", "supports", "total"} <= set(document["seconds"])
    status, checked, _ = call("check", path, "--json")
    assert (status, checked["releasable"]) == (0, True)
    assert {finding["code"] for finding in checked["findings"]} == {"pose_out_of_range"}  # the slab lies flat


def test_prepare_without_a_set_makes_none_and_check_says_what_is_not_held(call, stl, tmp_path):
    path = tmp_path / "bare.trellis"
    _, document, _ = call("prepare", stl, "-o", path, "--json")
    assert document["parts"][0]["supports"] == []
    status, found, _ = call("check", path, "--json")
    assert (status, found["releasable"]) == (1, False)
    assert {"code", "severity", "part", "message", "at_mm", "value", "limit"} <= set(found["findings"][0])
    assert {"in_the_air", "region_not_held"} <= {f["code"] for f in found["findings"]}


def test_parameters_go_over_the_sets_values(call, stl, tmp_path, prepared):
    base = prepared[1]["parts"][0]["supports"][0]["count"]
    options = ("prepare", stl, "-o", tmp_path / "b.trellis", "--json", "--set", "bars-metal")
    wide = call(*options, "--param", "spacing=6", "--param", "rim_row=off")[1]["parts"][0]["supports"][0]["count"]
    assert wide < base / 2
    both = call(*options, "--set", "bars-metal-braced", "--param", "bars-metal:spacing=6")[1]["parts"][0]["supports"]
    assert [entry["set"] for entry in both] == ["bars-metal", "bars-metal-braced"]
    assert both[0]["count"] < base


def test_position_offset_and_arrangement(call, stl, tmp_path):
    options = ("prepare", stl, "-o", tmp_path / "k.trellis", "--json", "--set", "bars-metal")
    beyond = (*options, "--machine", "metal-120", "--keep-position", "--build-offset", 7.5)  # of its round plate
    kept = call(*beyond)[1]["parts"][0]["supports"][0]["contacts"]
    assert np.array(kept).mean(axis=0) == pytest.approx([10, 10, 7.5], abs=0.5)
    middle = call(*options)[1]["parts"][0]["supports"][0]["contacts"]
    assert np.array(middle).mean(axis=0) == pytest.approx([130, 110, 4], abs=0.5)


def test_recipes_and_lists(call, stl, tmp_path):
    _, document, _ = call("prepare", stl, "-o", tmp_path / "r.trellis", "--material", "resin-model", "--recipe",
                          "vat-standard", "--json")  # fmt: skip
    assert [s["set"] for s in document["parts"][0]["supports"]] == ["bars-resin-regular"]
    machines = call("machines", "--json")[1]
    assert {"metal-260", "belt-260"} <= {entry["id"] for entry in machines}
    assert len(call("materials", "--json")[1]) == 12
    assert "bars-metal" in {entry["name"] for entry in call("sets", "list", "--json")[1]}
    assert call("sets", "show", "bars-metal", "--json")[1]["parameters"]["spacing"] == 1.9
    assert "Metal, general" in call("sets", "list")[1]


def test_machine_and_material_follow_from_the_set_when_none_is_named(call, stl, tmp_path):
    path = tmp_path / "v.trellis"
    contacts = call("prepare", stl, "-o", path, "--set", "bars-resin-fine", "--json")[1]["parts"][0]["supports"][0]
    assert np.array(contacts["contacts"])[:, 2] == pytest.approx(5.0)  # the model resin's own offset
    assert open_job(path, shipped_library()).machine.id == "vat-150"


def test_export_writes_what_it_says(prepared, call, tmp_path):
    job = prepared[0]
    status, document, _ = call("export", job, "-o", tmp_path / "out.stl", "--json")
    assert (status, document["files"]) == (0, [str(tmp_path / "out.stl")])
    assert trimesh.load(tmp_path / "out.stl").volume > 2000
    files = call("export", job, "-o", tmp_path / "all", "--separate", "--format", "3mf", "--json")[1]["files"]
    assert len(files) == 2
    only = call("export", job, "-o", tmp_path / "s.3mf", "--what", "supports", "--json")[1]["files"]
    assert call("inspect", only[0], "--json")[1][0]["name"] == "slab support 1"


def bad_calls(tmp_path):
    good = tmp_path / "good.stl"
    good.write_bytes(stl_bytes(box((5, 5, 5))))
    cut = tmp_path / "cut.stl"
    cut.write_bytes(good.read_bytes()[:-10])
    empty = tmp_path / "empty.stl"
    empty.touch()
    newer = tmp_path / "newer.trellis"
    with zipfile.ZipFile(newer, "w") as archive:
        archive.writestr("job.json", json.dumps({"format": "lean-trellis-job", "version": 9}))
    out = tmp_path / "o.trellis"
    return {
        str(cut): ["inspect", cut],
        str(empty): ["inspect", good, empty, "--json"],
        str(tmp_path / "no.stl"): ["overhangs", tmp_path / "no.stl", "--critical-angle", 45],
        str(newer): ["check", newer],
        "bars-metl": ["prepare", good, "-o", out, "--set", "bars-metl"],
        "spacing": ["prepare", good, "-o", out, "--set", "bars-metal", "--param", "spacing=-1"],
        "spacin": ["prepare", good, "-o", out, "--set", "bars-metal", "--param", "spacin=2"],
        "--param": ["prepare", good, "-o", out, "--param", "spacing=2"],
        "lean_limit": ["prepare", good, "-o", out, "--set", "bars-metal", "--param", "lean_limit=55"],
        "--critical-angle": ["overhangs", good, "--critical-angle", 200],
        "--units": ["inspect", good, "--units", "furlong"],
        "metal-26": ["prepare", good, "-o", out, "--machine", "metal-26"],
        "resin-model": ["prepare", good, "-o", out, "--machine", "metal-260", "--material", "resin-model"],
        "o.stl": ["prepare", good, "-o", tmp_path / "o.stl"],
        "--format": ["export", newer, "-o", out, "--format", "docx"],
        "'foo'": ["foo"],
        "--bogus": ["inspect", good, "--bogus"],
        "FILE...": ["inspect"],
        "--build-offset": ["overhangs", good, "--critical-angle", 45, "--build-offset", "-1"],
    }


def test_what_cannot_be_done_gets_one_line_and_exit_2(call, tmp_path):
    for subject, arguments in bad_calls(tmp_path).items():
        status, out, err = call(*arguments)
        assert status == 2, arguments
        assert out == ""
        assert subject in err
        assert err.count("\n") == 1, err
        assert "Traceback" not in err
    assert not (tmp_path / "o.trellis").exists()


def program(*arguments, **options):
    command = [sys.executable, "-m", "lean_trellis", *map(str, arguments)]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, **options)


def test_it_answers_in_a_plain_ascii_terminal_and_never_imports_qt(stl):
    environment = {**os.environ, "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONIOENCODING": "ascii"}
    out, err = program("inspect", stl, env=environment).communicate()
    assert "mm³" in out.decode("utf-8")
    assert err == b""
    code = "import sys; import lean_trellis.cli.main; print([m for m in sys.modules if m.startswith(('PyQt', 'vtk'))])"
    assert subprocess.check_output([sys.executable, "-c", code]).strip() == b"[]"


def _computed_s(process):
    """Computing time of a process until now."""
    fields = Path(f"/proc/{process.pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def test_ctrl_c_exits_130_and_leaves_no_half_file(tmp_path):
    path, out = tmp_path / "big.stl", tmp_path / "big.trellis"
    path.write_bytes(stl_bytes(ball(50, subdivisions=7)))
    process = program("prepare", path, "-o", out, "--set", "bars-metal", "--param", "spacing=1.5")
    while _computed_s(process) < 2.0:  # by then it reads or generates
        assert process.poll() is None
        time.sleep(0.05)
    process.send_signal(signal.SIGINT)
    _, err = process.communicate()
    assert process.returncode == 130
    assert b"Traceback" not in err
    assert [p.name for p in tmp_path.iterdir()] == ["big.stl"]


@pytest.mark.parametrize("suffix", ["stl", "3mf", "amf", "ply", "obj"])
def test_export_writes_every_format_by_the_name_of_the_file(call, prepared, tmp_path, suffix):
    path, _ = prepared
    out = tmp_path / f"out.{suffix}"
    status, document, _ = call("export", path, "-o", out, "--what", "parts", "--json")
    assert (status, document["files"]) == (0, [str(out)])
    status, found, _ = call("inspect", out, "--json")
    assert status == 0
    assert sum(entry["volume_mm3"] for entry in found) == pytest.approx(prepared_volume(call, path), rel=1e-5)


def prepared_volume(call, path):
    out = path.with_name("whole.stl")
    call("export", path, "-o", out, "--what", "parts", "--json")
    return sum(entry["volume_mm3"] for entry in call("inspect", out, "--json")[1])


def test_an_assembly_is_inspected_and_prepared_as_named_bodies(call, tmp_path):
    clamp = Path(__file__).parents[1] / "data" / "clamp.step"
    status, found, _ = call("inspect", clamp, "--json")
    assert status == 0
    assert [(entry["name"], entry["watertight"]) for entry in found] == [("Jaw", True), ("Pin", True)]
    status, document, _ = call("prepare", clamp, "-o", tmp_path / "c.trellis", "--json")
    assert status == 0
    assert [part["name"] for part in document["parts"]] == ["Jaw", "Pin"]


def test_prepare_tells_what_contacts_carry_the_most_loaded_first(call, stl, tmp_path):
    _, document, _ = call("prepare", stl, "-o", tmp_path / "l.trellis", "--set", "bars-metal", "--json")
    (support,) = document["parts"][0]["supports"]
    most = support["most_loaded"]
    assert 0 < len(most) <= 10
    assert [one["used"] for one in most] == sorted((one["used"] for one in most), reverse=True)
    assert most[0]["used"] == support["strength_used"] > 0
    assert most[0]["by"] in ("tip tension", "buckling", "bending")
    assert all(len(one["at_mm"]) == 3 and one["load_n"] >= 0 <= one["gives_mm"] for one in most)
    assert support["deflection_mm"] > 0
    assert support["plate_hold_used"] > 0
    assert support["warp_used"] >= 0 and support["tipping_used"] > 0
    assert "thermal lift" in support["constants"] and "assumed" in support["constants"]
