"""The same build on another machine or in another material, as a second job."""

from __future__ import annotations

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.edits import same_on
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material
from lean_trellis.core.shop.values import differences, flat_values
from lean_trellis.core.shop.words import text_of, words_of
from lean_trellis.studio.forms.fields import ChoiceField, muted, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.messages import OpenSecond
from lean_trellis.studio.session import Session

_MOST_SAID = 14
_UNTOLD = ("name", "process", "layers.")


class AnotherSection(Section):
    """Make a second job of this one."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Copy build to another machine or material", is_open=False)
        self.machine, self.material = ChoiceField(), ChoiceField()
        self.machine.setObjectName("another.machine")
        self.material.setObjectName("another.material")
        self.machine.chosen.connect(lambda _: self.refresh())
        self.material.chosen.connect(lambda _: self.refresh())
        self.machine.setMinimumContentsLength(18)
        self.material.setMinimumContentsLength(18)
        self.body.addWidget(row("On", self.machine, 1))
        self.body.addWidget(row("In", self.material, 1))
        self.go = button("Copy build", self._make, "Poses and supports are kept; this job stays as it is",
                         name="another.go")  # fmt: skip
        self.body.addWidget(row(self.go, 1))
        self.note = muted()
        self.body.addWidget(self.note)
        self.heading.toggled.connect(lambda _: self.refresh())

    def _make(self) -> None:
        library, job = self.session.library, self.session.job
        machine = library.machine(str(self.machine.currentData()))
        material = library.material(str(self.material.currentData()))
        try:
            other = same_on(job, machine, material)
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self.asks.emit(OpenSecond(other))

    def _used_otherwise(self, machine: Machine, material: Material, said: set[str]) -> list[str]:
        """Constants that are others only as they are used: on that machine, at that layer height."""
        job = self.session.job
        try:
            other = same_on(job, machine, material)
        except TrellisError:
            return []
        here, there = job.constants, other.constants
        sentences = []
        for key, mine in here.items():
            if key in there and mine.value != there[key].value and f"constants.{key}.value" not in said:
                label = words_of(f"constants.{key}", {}).label
                sentences.append(f"{label} {mine.value:g} → {there[key].value:g} {there[key].unit}".strip())
        return sentences

    def refresh(self) -> None:
        """Offer what fits, and say which values will be others."""
        session, library = self.session, self.session.library
        chosen = str(self.machine.currentData() or session.job.machine.id)
        self.machine.offer([(m.id, m.name) for m in library.machines.values()], chosen)
        machine = library.machine(str(self.machine.currentData()))
        fitting = library.materials_for(machine)
        self.material.offer([(m.id, m.name) for m in fitting], str(self.material.currentData() or ""))
        material = library.material(str(self.material.currentData()))
        self.go.setEnabled(bool(session.job.parts))
        if not self.is_open:
            return  # what differs is worked out when somebody looks
        others = differences(material, session.job.material)
        values = flat_values(session.job.material) | flat_values(material)
        sentences = [
            f"{words_of(d.key, values).label} {text_of(d.key, d.there, values)} → {text_of(d.key, d.here, values)}"
            for d in others
            if not d.key.startswith(_UNTOLD) and not d.key.endswith(".unit")
        ]
        sentences += self._used_otherwise(machine, material, {d.key for d in others})
        more = f" and {len(sentences) - _MOST_SAID} more" if len(sentences) > _MOST_SAID else ""
        self.note.setText(
            f"Other values: {'; '.join(sentences[:_MOST_SAID])}{more}." if sentences else "All values are the same."
        )
