"""The command `coupon`: test parts by code, and values from what came out."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from lean_trellis.cli.options import choose_shop
from lean_trellis.cli.output import say_json, say_table
from lean_trellis.core.formats.body import Named
from lean_trellis.core.release.export import write_bodies
from lean_trellis.core.shop import full_library, keep_own
from lean_trellis.core.shop.material import Material
from lean_trellis.core.shop.words import UNIT_WORDS
from lean_trellis.core.strength.coupons.kinds import KINDS, coupon_mesh, find_kind, fitted_values
from lean_trellis.core.strength.coupons.measured import with_measured
from lean_trellis.core.strength.coupons.outcomes import read_outcomes


def list_coupons(as_json: bool) -> None:
    """The kinds of coupons."""
    if as_json:
        say_json([{"kind": kind.key, "title": kind.title, "words": kind.words, "processes": list(kind.processes),
                   "size": kind.size, "outcome": kind.outcome} for kind in KINDS.values()])  # fmt: skip
        return
    say_table("Coupons", ("kind", "what it is", "what to look for"),
              [(kind.key, kind.title, kind.words) for kind in KINDS.values()])  # fmt: skip


def make_coupon(key: str, out: Path, material_id: str | None, outcomes: Path | None, as_json: bool) -> None:
    """Write a coupon as a mesh file, and a file of outcomes to be filled in where one is named."""
    material = _material(material_id, key)
    kind = find_kind(key)
    mesh = coupon_mesh(key, material)
    write_bodies(out, [Named(f"Coupon {key}", mesh)])
    template = kind.template(material)
    if outcomes is not None:
        _write_json(outcomes, template)
    if as_json:
        say_json({"files": [str(out)], "kind": key, "material": material.id, "unit": kind.unit,
                  "sizes": list(kind.sizes(material)), "outcomes": template})  # fmt: skip
        return
    steps = [(number, f"{size:g} {kind.unit}") for number, size in enumerate(kind.sizes(material), start=1)]
    say_table(kind.title, ("step", kind.size), steps)


def fit_coupon(
    key: str, results: Path, material_id: str | None, name: str | None, lot: str, machine: str, date: str, as_json: bool
) -> None:
    """Values of a material from what came out, kept as the shop's own material with a name."""
    material = _material(material_id, key)
    outcomes = read_outcomes(results)
    said = {"lot": lot or outcomes.lot, "machine": machine or outcomes.machine, "date": date or outcomes.date}
    outcomes = outcomes.model_copy(update=said)
    fitted = fitted_values(key, outcomes, material)
    kept = None
    if name is not None:
        measured = with_measured(material, fitted, key, outcomes)
        kept = keep_own(measured, name, why=f"{key}: {results.name}")
    if as_json:
        values = {_short(full): {"key": full, **asdict(one)} for full, one in fitted.items()}
        document: dict[str, Any] = {"values": values}
        say_json(document | ({} if kept is None else {"material": kept.id}))
        return
    rows = [(full, one.value, one.low, one.high, one.safe, UNIT_WORDS.get(one.unit, one.unit))
            for full, one in fitted.items()]  # fmt: skip
    words = "" if kept is None else f", kept as {kept.id}"
    say_table(f"{find_kind(key).title}, {material.name}{words}", ("value", "is", "from", "to", "rely on", ""), rows)


def _short(key: str) -> str:
    """What a value is called in answers: its own name, with the axis or place where it is one of several."""
    group, _, name = key.partition(".")
    if group == "shrinkage":
        return f"shrinkage_{'xyz'[int(name)]}"
    return "free_span" if group == "free_span" else name


def _material(material_id: str | None, key: str) -> Material:
    library = full_library()
    if material_id is not None:
        return library.material(material_id)
    return choose_shop(library, None, None, find_kind(key).processes[0])[1]


def _write_json(path: Path, document: dict[str, Any]) -> None:
    import json

    from lean_trellis.core.atomic import written_whole

    with written_whole(path) as file:
        file.write((json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
