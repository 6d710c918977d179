"""Protected surfaces: painted with a brush, taken from the selected faces, or suggested."""

from __future__ import annotations

from typing import Any

from lean_trellis.core.arrays import Longs
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job.edits import protect_faces, protect_finer
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.part import Part
from lean_trellis.studio.face_requests import FacesUnderStroke, Painted, SuggestProtected
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, figure, number_row, row, when_taken
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.gestures import Stroke
from lean_trellis.studio.session import Session

_LEVELS = [("1", "Keep off: no contact"), ("2", "Avoid: contact only if needed"), ("0", "Not protected")]
_DETAIL_HINT = "Select the faces of features smaller than this; look at them, then protect them"
_INNER_HINT = "Select the faces that face the part itself, such as the inside of a splint"
_MODES = (("brush", "Paint", "Drag over the part, here or on the map. Shift and drag turns the view. Escape ends."),)


class ProtectSection(Section):
    """Surfaces that fit or show. They are kept with the part and drawn hatched."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Protected surfaces", is_open=False)
        self.level = ChoiceField()
        self.level.setObjectName("protect.level")
        self.level.offer(_LEVELS, "1")
        self.level.setMinimumContentsLength(24)
        self.body.addWidget(row("As", self.level, 1))
        self.brush = NumberField("mm")
        self.brush.setObjectName("protect.brush")
        self.brush.show_value(4)
        when_taken(self.brush, lambda _: self.modes.changed.emit(self.modes.mode))
        self.body.addWidget(number_row("Brush", self.brush, help_text="Diameter of the brush."))
        self.modes = ModeButtons(_MODES, "protect")
        self.take = button(
            "Protect selected faces", self._take, "The faces selected by hand or suggested", name="protect.selected"
        )
        self.body.addWidget(self.modes)
        self.body.addWidget(row(self.take, 1))
        self.size_field = NumberField("mm", width=62)
        self.size_field.setObjectName("protect.size")
        self.size_field.show_value(3)
        self.detail = button(
            "Select detail under", lambda: self._suggest("detail"), _DETAIL_HINT, name="protect.detail"
        )
        self.body.addWidget(row(self.detail, self.size_field, "mm", 1, spacing=6))
        self.inner = button("Select inner faces", lambda: self._suggest("inner"), _INNER_HINT, name="protect.inner")
        self.body.addWidget(row(self.inner, 1))
        self.words = figure()
        self.body.addWidget(self.words)

    @property
    def _level(self) -> int:
        return int(str(self.level.currentData()))

    @property
    def diameter(self) -> float:
        """The brush's diameter, mm; nothing while it is no number."""
        try:
            return self.brush.value
        except ParameterError:
            return 0.0

    def take_drawn(self, drawn: Stroke) -> None:
        """A stroke of the brush: one step."""
        part = self.part
        if part is None:
            return
        stroke = [(pick.face, pick.place) for pick in drawn.picks if pick.part == part.id and pick.place is not None]
        stroke += [(-1, (x, y, -1.0)) for x, y in drawn.places]
        if stroke:
            request = FacesUnderStroke(part, tuple(stroke), self.diameter / 2)
            self.session.ask("Painting", request, lambda painted: self._painted(part, painted))

    def _painted(self, part: Part, painted: Painted) -> None:
        level = self._level
        if not len(painted.faces):
            return
        if all(known.mesh is not part.mesh for known in self.session.job.parts if known.id == part.id):
            self.session.said.emit("note", f"{part.name} has changed meanwhile: nothing was painted")
            return
        self.session.do(lambda job: protect_finer(job, part.id, painted.refined, painted.faces, level))

    def _take(self) -> None:
        part, faces, level = self.part, self.session.selected_faces, self._level
        if part is not None and self.session.do(lambda job: protect_faces(job, part.id, faces, level)):
            self.session.pick_faces(faces[:0])

    def _suggest(self, what: Any) -> None:
        part = self.part
        if part is None:
            return

        def take(faces: Longs) -> None:
            if part.id != self.session.selection.part:
                return
            self.session.pick_faces(faces)
            area = float(part.mesh.areas_of(faces).sum())
            hint = f"{len(faces):,} faces, {area:,.1f} mm², selected; protect them, or select others"
            self.session.said.emit("note", hint if len(faces) else "No such faces found")

        self.session.ask(f"Searching {part.name}", SuggestProtected(part, what, self.size_field.value), take)

    def leave(self) -> None:
        """Painting ends."""
        self.modes.end()

    def refresh(self) -> None:
        """How much is protected."""
        part = self.part
        self.modes.allow(part is not None)
        for widget in (self.detail, self.inner):
            widget.setEnabled(part is not None)
        self.take.setEnabled(len(self.session.selected_faces) > 0)
        marks = None if part is None else part.marks.protected
        if part is None or marks is None:
            self.words.setText("Nothing is protected.")
            return
        areas = {name: float(part.mesh.areas_of(marks.faces(level)).sum()) for level, name in
                 ((KEEP_OFF, "keep off"), (AVOID, "avoid"))}  # fmt: skip
        sentences = [f"{name} {area:,.1f} mm²" for name, area in areas.items() if area]
        self.words.setText(", ".join(sentences))
