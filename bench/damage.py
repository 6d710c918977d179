"""Damaged files: true files of every format with bytes changed, and job files with other values in their fields.

Each is read, or refused in one line that names the file. Anything else is a fault of the program.
"""

from __future__ import annotations

import copy
import json
import random
import warnings
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from full_job import full_job
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats import amf, obj, ply, read_bodies, stl, three_mf
from lean_trellis.core.formats.body import Named
from lean_trellis.core.job.files import JOB_MEMBER, open_job, save_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.shop import shipped_library

STEP_FILE = Path(__file__).parent.parent / "tests" / "data"
ODD_VALUES: tuple[Any, ...] = (
    None, True, -1, 0, 1, 2**63, -(2**70), 1e308, -1e308, 1e-308, float("nan"), float("inf"), "", "x", "\u0000",
    "9" * 400, [], {}, [[]], [None], {"a": 1}, "face", "bars", "metal-260", [1, 2, 3], [1e308] * 3,
)  # fmt: skip


@dataclass(frozen=True)
class Fault:
    """A file that was neither read nor refused as it should be."""

    file: Path
    what: str


def true_files(folder: Path) -> dict[str, Path]:
    """One sound file of every format that is read, by its format."""
    bodies = [Named("ball", ball(5, subdivisions=1)), Named("box", box((4, 5, 6)))]
    files: dict[str, Path] = {}

    def keep(name: str, content: bytes | str) -> None:
        files[name] = folder / name
        files[name].write_bytes(content.encode() if isinstance(content, str) else content)

    for name, write in (("a.stl", stl.write), ("a.obj", obj.write), ("a.ply", ply.write), ("a.3mf", three_mf.write),
                        ("a.amf", amf.write)):  # fmt: skip
        files[name] = folder / name
        with files[name].open("wb") as file:
            write(file, bodies)
    mesh = bodies[0].mesh
    keep("text.stl", _text_stl(mesh))
    keep("text.ply", _text_ply(mesh))
    keep("a.off", _off(mesh))
    keep("b.amf", zipfile.ZipFile(files["a.amf"]).read("a.amf") if zipfile.is_zipfile(files["a.amf"]) else b"")
    return {name: path for name, path in files.items() if path.stat().st_size}


def _text_stl(mesh: Mesh) -> str:
    facets = [
        "facet normal 0 0 0\nouter loop\n" + "".join(f"vertex {x:.6g} {y:.6g} {z:.6g}\n" for x, y, z in corners)
        + "endloop\nendfacet\n"
        for corners in mesh.corners.tolist()
    ]  # fmt: skip
    return f"solid ball\n{''.join(facets)}endsolid ball\n"


def _rows(mesh: Mesh) -> str:
    places = "".join(f"{x:.6g} {y:.6g} {z:.6g}\n" for x, y, z in mesh.vertices.tolist())
    return places + "".join(f"3 {a} {b} {c}\n" for a, b, c in mesh.faces.tolist())


def _text_ply(mesh: Mesh) -> str:
    axes = "".join(f"property float {axis}\n" for axis in "xyz")
    return (f"ply\nformat ascii 1.0\nelement vertex {len(mesh.vertices)}\n{axes}element face {len(mesh.faces)}\n"
            f"property list uchar int vertex_indices\nend_header\n{_rows(mesh)}")  # fmt: skip


def _off(mesh: Mesh) -> str:
    return f"OFF\n{len(mesh.vertices)} {len(mesh.faces)} 0\n{_rows(mesh)}"


def mutated(content: bytes, chance: random.Random) -> bytes:
    """The content with a few bytes changed, cut out, doubled, cut off, or a number in it made another."""
    data = bytearray(content)
    for _ in range(chance.choice((1, 1, 2, 5))):
        at = chance.randrange(len(data)) if len(data) > 1 else 0
        match chance.randrange(6):
            case 0:
                data[at] ^= 1 << chance.randrange(8)
            case 1:
                data[at : at + chance.randrange(1, 20)] = chance.randbytes(chance.randrange(9))
            case 2:
                del data[at : at + chance.choice((1, 4, 50, len(data)))]
            case 3:
                data[at:at] = data[at : at + chance.choice((1, 16, 300))]
            case 4:
                data[at : at + 4] = chance.choice((b"\xff" * 4, b"\0" * 4, b"\xff\xff\xff\x7f", b"\0\0\xc0\x7f"))
            case _:
                data[at : at + 1] = chance.choice((b"-", b"nan", b"1e999", b"9999999999", b"", b" ", b"e"))
    return bytes(data)


def damage_files(folder: Path, each: int, *, seed: int = 1, step_too: bool = True) -> tuple[int, list[Fault]]:
    """Read `each` mutations of every format and of a job file; how many were tried, and the faults."""
    chance, faults, count = random.Random(seed), list[Fault](), 0
    readers: list[tuple[Path, Callable[[Path], object]]] = [(path, _read) for path in true_files(folder).values()]
    step = sorted(STEP_FILE.glob("*.st*p"))
    readers += [(path, _read) for path in step[:1] if step_too]
    job_path = folder / "true.trellis"
    save_job(full_job(), job_path)
    readers.append((job_path, _open))
    for source, read in readers:
        content = source.read_bytes()
        for number in range(each):
            damaged = folder / f"damaged-{number}{source.suffix}"
            damaged.write_bytes(mutated(content, chance))
            fault = _tried(damaged, read)
            count += 1
            if fault is None:
                damaged.unlink()
            else:
                faults.append(Fault(damaged.rename(folder / f"fault-{len(faults)}{source.suffix}"), fault))
    return count, faults


def _read(path: Path) -> object:
    """Read a file and take its measures, as every use of it does."""
    return [(body.mesh.bounds, body.mesh.area, body.mesh.volume) for body in read_bodies(path)]


def _open(path: Path) -> object:
    """Open a job and take its parts' places."""
    return [part.bounds() for part in open_job(path, shipped_library()).parts]


def damage_job(folder: Path, each: int, *, seed: int = 1) -> tuple[int, list[Fault]]:
    """Job files with odd values in fields chosen at random."""
    chance, faults = random.Random(seed), list[Fault]()
    source = folder / "sound.trellis"
    save_job(full_job(), source)
    with zipfile.ZipFile(source) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    content = json.loads(members[JOB_MEMBER])
    places = list(leaves(content))
    for number in range(each):
        changed = copy.deepcopy(content)
        spot = chance.choice(places)
        value = chance.choice(ODD_VALUES)
        _set(changed, spot, value)
        damaged = folder / f"odd-{number}.trellis"
        with zipfile.ZipFile(damaged, "w") as archive:
            for name, raw in members.items():
                archive.writestr(name, json.dumps(changed) if name == JOB_MEMBER else raw)
        fault = _tried(damaged, _open)
        damaged.unlink()
        if fault is not None:
            faults.append(Fault(Path(".".join(map(str, spot))), f"{value!r}: {fault}"[:300]))
    return each, faults


def leaves(content: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The paths of every value in JSON, the containers themselves too."""
    if path:
        yield path
    items = content.items() if isinstance(content, dict) else enumerate(content) if isinstance(content, list) else ()
    for key, value in items:
        yield from leaves(value, (*path, key))


def _set(content: Any, path: tuple[Any, ...], value: Any) -> None:
    for step in path[:-1]:
        content = content[step]
    content[path[-1]] = value


def _tried(path: Path, read: Callable[[Path], object]) -> str | None:
    """What is wrong with how a file was taken; None where it was read or properly refused."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            read(path)
    except TrellisError as problem:
        line = str(problem)
        if "\n" in line:
            return f"more than one line: {line!r}"
        return None if path.name in line else f"does not name the file: {line!r}"
    except Exception as problem:  # noqa: BLE001 - whatever it is, it is what we look for
        return f"{type(problem).__name__}: {problem}"
    return None
