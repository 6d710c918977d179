"""Measure a material: coupons to be built, what came out of them, the values that follow."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats.body import Body
from lean_trellis.core.job.edits import Edit, add_bodies, set_build_offset, take_from_regions
from lean_trellis.core.job.job import Job
from lean_trellis.core.shop import Library, Material, full_library, keep_own, shipped_library
from lean_trellis.core.shop.values import flat_values
from lean_trellis.core.shop.words import UNIT_WORDS, words_of
from lean_trellis.core.strength.coupons.fitted import Fitted
from lean_trellis.core.strength.coupons.kinds import KINDS, CouponKind, fitted_values
from lean_trellis.core.strength.coupons.measured import with_measured
from lean_trellis.core.strength.coupons.outcomes import Outcomes, read_outcomes
from lean_trellis.studio.coupon_requests import MakeCoupon
from lean_trellis.studio.forms.fields import ChoiceField, TextField, figure, muted, row
from lean_trellis.studio.forms.numbers import parse_number
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.session import Session

OWNER = "Witness coupon"
_TABLE_PX = 200
_HELD = {"held": True, "yes": True, "y": True, "1": True, "failed": False, "no": False, "n": False, "0": False}
_UNSAID = "–"
_Row = tuple[int, int]
"""Which coupon and which of its steps, from 0."""


class CouponSection(Section):
    """Coupons of the job's material. Outcomes stay until another kind or material is chosen, or in a file."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Measure the material", is_open=False)
        self._steps: list[list[dict[str, Any]]] = []
        self._of: tuple[str, str] = ("", "")
        self._fitted: dict[str, Fitted] = {}
        self.kind = ChoiceField()
        self.kind.setObjectName("coupon.kind")
        self.kind.setMinimumContentsLength(20)
        self.kind.chosen.connect(lambda _: self.refresh())
        self.words = muted()
        self.add = button("Add to the build", self._add, "As a part of its own, beside the others",
                          name="coupon.add")  # fmt: skip
        self.export = button("Export…", self._export, "Write the coupon as a mesh file", name="coupon.export")
        self.table = PickTable(("Coupon", "Step", "Size", "Outcome"), stretch=3, typed={3: "outcome"})
        self.table.setObjectName("coupon.steps")
        self.table.setAccessibleName("Steps of the coupons that were built, and what came out")
        self.table.setFixedHeight(_TABLE_PX)
        self.table.typed.connect(self._typed)
        self.held = button("Held", lambda: self._mark(held=True), "The selected steps came out", name="coupon.held")
        self.failed = button("Failed", lambda: self._mark(held=False), "The selected steps sagged, curled or tore",
                             name="coupon.failed")  # fmt: skip
        self.another = button("Another coupon", self._another, "One more of the same kind was built",
                              name="coupon.another")  # fmt: skip
        self.open, self.keep = (
            button(words, act, hint, name=name) for words, act, hint, name in (
                ("Open outcomes…", self._open, "Outcomes from a JSON file", "coupon.open"),
                ("Save outcomes…", self._save, "As a JSON file, to go on another day", "coupon.save"),
            )
        )  # fmt: skip
        self.fit = button("Fit", self._fit, "The values that follow from these outcomes", name="coupon.fit")
        self.fit.setProperty("role", "main")
        self.result = figure()
        self.result.setObjectName("coupon.result")
        self.own_name = TextField()
        self.own_name.setObjectName("coupon.name")
        self.own_name.setAccessibleName("Name of your own material")
        self.own_name.setPlaceholderText("Name of your own material")
        hint = "Into your own material, with date, lot and machine; this job uses it from now on"
        self.take = button("Save measured values", self._take, hint, name="coupon.take")
        for widget in (
            row("Coupon", self.kind, 1), self.words, row(self.add, self.export, 1, spacing=6), self.table,
            row(self.held, self.failed, self.another, 1, spacing=5), row(self.open, self.keep, 1, spacing=5),
            row(self.fit, 1), self.result, row(self.own_name, self.take, spacing=5),
        ):  # fmt: skip
            self.body.addWidget(widget)

    @property
    def chosen(self) -> CouponKind:
        """The kind that is chosen."""
        return KINDS[str(self.kind.currentData())]

    # --- the coupon ---

    def _add(self) -> None:
        """Add the coupon to the build, beside what is there."""
        job = self.session.job

        def made(body: Body) -> None:
            lot = f", lot {job.lot}" if job.lot else ""
            if self.session.do(lambda now: _with_coupon(now, body)):
                self.session.select(parts=(self.session.job.parts[-1].id,))
                self.session.said.emit("fine", f"{body.name} is in the build{lot}: give it room at Parts")

        self.session.ask(f"Making {self.chosen.title.lower()}", MakeCoupon(self.chosen.key, job.material), made)

    def _export(self) -> None:
        start = str(Path(self.session.folder) / f"coupon-{self.chosen.key}.3mf")
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Export the coupon", start, "Meshes (*.3mf *.stl *.ply *.obj *.amf)"
        )
        if chosen:
            request = MakeCoupon(self.chosen.key, self.session.job.material, Path(chosen))
            self.session.ask(
                "Exporting the coupon", request, lambda _: self.session.said.emit("fine", f"Wrote {chosen}")
            )

    # --- what came out ---

    def _fresh(self) -> list[dict[str, Any]]:
        template: Any = self.chosen.template(self.session.job.material)
        steps: list[dict[str, Any]] = template["coupons"][0]["steps"]
        return [{**step, self.chosen.outcome: None} for step in steps]

    def _another(self) -> None:
        self._steps.append(self._fresh())
        self._changed()

    def _mark(self, *, held: bool) -> None:
        for coupon, step in self.table.selected_keys():
            self._steps[coupon][step]["held"] = held
        self._changed()

    def _typed(self, key: _Row, _column: str, text: str) -> None:
        """An outcome as it was typed: held or failed, or what was measured."""
        outcome = self.chosen.outcome
        value: float | bool | None
        if not text or text == _UNSAID:
            value = None
        elif outcome == "held":
            value = _HELD.get(text.lower())
            if value is None:
                self.session.said.emit("stop", f"{text}: type held or failed")
                return
        else:
            try:
                value = parse_number(text, is_length=outcome != "force", unit="mm")
            except TrellisError as problem:
                self.session.said.emit("stop", str(problem))
                return
        self._steps[key[0]][key[1]][outcome] = value
        self._changed()

    def _changed(self) -> None:
        self._fitted = {}
        self.refresh()

    def _outcomes(self) -> Outcomes:
        """What was entered; steps that say nothing are left out. Raises `ValueError` where nothing was."""
        outcome = self.chosen.outcome
        said = [[step for step in steps if step[outcome] is not None] for steps in self._steps]
        job = self.session.job
        content = {"kind": self.chosen.key, "coupons": [{"steps": steps} for steps in said if steps]}
        content |= {"lot": job.lot, "machine": job.machine.id, "date": date.today().isoformat()}
        return Outcomes.model_validate(content)

    def _open(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Open outcomes", self.session.folder, "Outcomes (*.json)")
        if chosen:
            self.open_outcomes(Path(chosen))

    def open_outcomes(self, path: Path) -> None:
        """Show outcomes of a file."""
        try:
            read = read_outcomes(path)
            kind = read.kind or self.chosen.key
            if kind not in KINDS or self.session.job.machine.process not in KINDS[kind].processes:
                raise TrellisError(
                    path, f"holds outcomes of {kind}, which this material has not", "choose another file"
                )
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self.kind.setCurrentIndex(self.kind.findData(kind))
        self._of = (kind, self.session.job.material.id)
        sizes = self.chosen.sizes(self.session.job.material)
        self._steps = []
        for coupon in read.coupons:
            own = [{self.chosen.size: size, self.chosen.outcome: None} for size in sizes[: len(coupon.steps)]]
            own += [{self.chosen.size: None, self.chosen.outcome: None}] * (len(coupon.steps) - len(own))
            said = [{key: value for key, value in step.model_dump().items() if value is not None}
                    for step in coupon.steps]  # fmt: skip
            self._steps.append([{**known, **step} for known, step in zip(own, said, strict=True)])
        self._changed()

    def _save(self) -> None:
        start = str(Path(self.session.folder) / f"outcomes-{self.chosen.key}.json")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save outcomes", start, "Outcomes (*.json)")
        if chosen:
            content = {"kind": self.chosen.key, "coupons": [{"steps": steps} for steps in self._steps],
                       "lot": self.session.job.lot, "machine": self.session.job.machine.id}  # fmt: skip
            try:
                with written_whole(Path(chosen)) as file:
                    file.write((json.dumps(content, indent=1) + "\n").encode())
            except TrellisError as problem:
                self.session.said.emit("stop", str(problem))
                return
            self.session.said.emit("fine", f"Wrote {chosen}")

    # --- what follows ---

    def _fit(self) -> None:
        try:
            self._fitted = fitted_values(self.chosen.key, self._outcomes(), self.session.job.material)
        except ValueError:
            self.session.said.emit("note", "Enter what came out first")
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
        self.refresh()

    def _take(self) -> None:
        session, job, name = self.session, self.session.job, self.own_name.text()
        why = f"measured by {self.chosen.title.lower()}"
        try:
            measured = with_measured(job.material, self._fitted, self.chosen.key, self._outcomes())
        except TrellisError as problem:
            session.said.emit("stop", str(problem))
            return

        def done(saved: tuple[Material, Library]) -> None:
            kept, session.library = saved
            session.choose_shop(job.machine.id, kept.id)
            session.said.emit("fine", f"{kept.name} has the measured values, and this job uses it")

        session.library_work.ask(lambda: (keep_own(measured, name, why=why), full_library()), done)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the steps of the kind that is chosen, and what follows from them."""
        job = self.session.job
        offered = [(kind.key, kind.title) for kind in KINDS.values() if job.machine.process in kind.processes]
        current = str(self.kind.currentData())
        self.kind.offer(offered, current if current in dict(offered) else offered[0][0])
        kind = self.chosen
        if self._of != (kind.key, job.material.id):
            self._of, self._fitted = (kind.key, job.material.id), {}
            self._steps = [self._fresh()]
        if not self.own_name.text() and not self.own_name.hasFocus():
            self.own_name.setText(job.material.name if job.material.id not in shipped_library().materials else "")
        self.words.setText(f"{kind.words} Dots beside a step count it from the left.")
        by_held = kind.outcome == "held"
        self.held.setVisible(by_held)
        self.failed.setVisible(by_held)
        self.table.rename_column(3, "Outcome" if by_held else f"{kind.outcome.capitalize()}, {_unit(kind)}")
        rows = [((coupon, place), (coupon + 1, place + 1, _size(kind, step), _outcome(step.get(kind.outcome))))
                for coupon, steps in enumerate(self._steps) for place, step in enumerate(steps)]  # fmt: skip
        self.table.show_rows(rows, self.table.selected_keys())
        self.result.setText("\n".join(_in_words(self._fitted, flat_values(job.material))))
        self.result.setVisible(bool(self._fitted))
        self.own_name.setVisible(bool(self._fitted))
        self.take.setVisible(bool(self._fitted))


def _with_coupon(job: Job, body: Body) -> Edit:
    """The coupon on the plate as a part of its own, without supports: what it shows is how it does without."""
    job = add_bodies(job, [body], file="made by code", owner=OWNER).job
    part = job.parts[-1]
    job = set_build_offset(job, [part.id], 0.0).job
    return Edit(f"Add {body.name}", take_from_regions(job, part.id, np.arange(len(part.mesh.faces))).job)


def _unit(kind: CouponKind) -> str:
    return "N" if kind.outcome == "force" else "mm"


def _size(kind: CouponKind, step: dict[str, Any]) -> str:
    if kind.key == "scale":
        return f"{step.get('axis', '')} {step.get('of', '')} {step.get('nominal') or 0:g} mm"
    size = step.get(kind.size)
    return _UNSAID if size is None else f"{size:g}{'' if kind.unit == '°' else ' '}{kind.unit}"


def _outcome(value: float | bool | None) -> str:
    if isinstance(value, bool):
        return "held" if value else "failed"
    return _UNSAID if value is None else f"{value:g}"


def _in_words(fitted: dict[str, Fitted], values: dict[str, Any]) -> list[str]:
    """Each value with its interval and what the material has now."""
    lines = []
    for key, one in fitted.items():
        place = f"{key}.value" if key.split(".")[0] in ("constants", "shrinkage") else key
        words, unit = words_of(place, values), UNIT_WORDS.get(one.unit, one.unit)
        unit = unit if unit == "°" else f" {unit}".rstrip()
        now = values.get(place)
        was = "" if now is None else f"; {now:.4g} now"
        lines.append(f"{words.label}: {one.value:.4g}{unit} ({one.low:.4g} to {one.high:.4g}); "
                     f"relies on {one.safe:.4g}{was}")  # fmt: skip
    return lines
