"""What the library has newer than the job holds; nothing changes until it is taken."""

from __future__ import annotations

from typing import Any

from lean_trellis.core.job.edits.updates import NewerValue, newer_values, take_newer
from lean_trellis.core.shop.values import flat_values
from lean_trellis.core.shop.words import text_of, words_of
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.session import Session

_MOST_SHOWN = 12


class NewerSection(Section):
    """Shown while there is something newer."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Newer values in the library")
        self.list = muted()
        self.body.addWidget(self.list)
        self.take = button("Use newer values", self._take, "Machine, material and parameter sets as the library has "
                           "them now; values changed by hand stay", name="setup.newer")  # fmt: skip
        self.body.addWidget(row(self.take, 1))
        self._of: tuple[object, ...] = ()

    def _take(self) -> None:
        library = self.session.library
        self.session.do(lambda job: take_newer(job, library, self.session.sets.every()))

    def refresh(self) -> None:
        """List what is newer."""
        job, library = self.session.job, self.session.library
        sets = self.session.sets.every()
        now = (job.machine, job.material, job.sets, library, sets)
        if self._of and all(one is other for one, other in zip(now, self._of, strict=True)):
            return
        self._of = now
        newer = newer_values(job, library, sets)
        self.setVisible(bool(newer) and not job.is_released)
        more = f"\nand {len(newer) - _MOST_SHOWN} more" if len(newer) > _MOST_SHOWN else ""
        values = flat_values(library.materials.get(job.material.id, job.material))
        values |= flat_values(library.machines.get(job.machine.id, job.machine))
        self.list.setText("\n".join(_words(one, values) for one in newer[:_MOST_SHOWN]) + more)


def _words(one: NewerValue, values: dict[str, Any]) -> str:
    if one.key not in values:
        return f"{one.of}: {one.key.replace('_', ' ')} {one.here} here, {one.there} in the library"
    here, there = text_of(one.key, one.here, values), text_of(one.key, one.there, values)
    return f"{one.of}: {words_of(one.key, values).label} {here} here, {there} in the library"
