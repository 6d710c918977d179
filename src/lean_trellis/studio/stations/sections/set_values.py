"""The settings of the current support, in the form of its family."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QVBoxLayout, QWidget

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job.edits import change_support
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import families, require_buildable
from lean_trellis.studio.forms.fields import NumberField, muted
from lean_trellis.studio.forms.parameter_form import ParameterForm
from lean_trellis.studio.session import Session


class SetValuesSection(QWidget):
    """One form a family. `entered` gives the value whose field has the focus, `left` that none has any more."""

    entered = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.heading = muted()
        self.heading.setObjectName("supports.settings")
        column.addWidget(self.heading)
        self._forms: dict[type[FamilyParameters], ParameterForm] = {}
        self._place = QVBoxLayout()
        column.addLayout(self._place)
        column.addStretch(1)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._focus_moved)

    def _focus_moved(self, _old: QWidget | None, new: QWidget | None) -> None:
        if new is None:
            return  # another window has the focus, or a field has just been left with Return
        shown = self.shown
        key = "" if shown is None else shown.key_of(new)
        if key:
            self.entered.emit(key)
        else:
            self.left.emit()

    def put_at_heading(self, beside: QWidget, below: QWidget) -> None:
        """What is shown beside the heading, and between it and the form."""
        column = self.layout()
        assert isinstance(column, QVBoxLayout)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(self.heading, 1)
        line.addWidget(beside)
        column.insertLayout(0, line)
        column.insertWidget(1, below)

    def form(self, model: type[FamilyParameters]) -> ParameterForm:
        """The form of a family's parameters, made when it is first asked for."""
        form = self._forms.get(model)
        if form is None:
            form = self._forms[model] = ParameterForm(model)
            form.changed.connect(self._change)
            form.hide()
            self._place.addWidget(form)
        return form

    def make_ready(self) -> bool:
        """Make one form that is not there yet; False when all are."""
        missing = next((spec.model for spec in families() if spec.model not in self._forms), None)
        if missing is not None:
            self.form(missing)
        return missing is not None

    @property
    def shown(self) -> ParameterForm | None:
        """The form on show."""
        support = self.session.support
        return None if support is None else self.form(type(support.parameters))

    def show_support(self, support: Support | None, chosen: ParameterSet) -> None:
        """Show a support's values against those of its set; without one the values of the set that is chosen."""
        parameters = chosen.parameters if support is None else support.parameters
        form = self.form(type(parameters))
        for other in self._forms.values():
            other.setVisible(other is form)
        form.setEnabled(support is not None)
        if support is None:
            form.show_parameters(parameters, parameters)
            self.heading.setText(f"{chosen.title}: what the next support is made with")
            return
        origin = self.session.job.set_of(support) or self.session.sets.every().get(support.set_name)
        same = origin is not None and type(origin.parameters) is type(parameters)
        base = origin.parameters if origin is not None and same else parameters
        made, problem = self.session.structure(support), self.session.problem_of(support)
        form.show_parameters(parameters, base, None if made is None else made.derived_values)
        if isinstance(problem, ParameterError) and problem.subject in type(parameters).model_fields:
            field = form.field(problem.subject)
            if isinstance(field, NumberField):
                field.mark_wrong()
        count = len(parameters.differences(base))
        title = support.set_name if origin is None else origin.title
        now = self.session.sets.every().get(support.set_name)
        later = f" · version {now.version} is saved" if now and now.version > support.set_version else ""
        changed = f" · {count} changed" if count else ""
        self.heading.setText(f"{title}, version {support.set_version}{changed}{later}")

    def _change(self, key: str, value: Any) -> None:
        """One value of the current support; a wrong one is refused in words beside the field."""
        session, support = self.session, self.session.support
        if support is None or key not in type(support.parameters).model_fields:
            return  # a field of another family's form that was left behind
        try:
            changed = support.parameters.with_value(key, value)
            require_buildable(changed, session.job.critical_angle(session.job.part(support.part_id)))
        except ParameterError as problem:
            field = self.form(type(support.parameters)).field(key)
            if isinstance(field, NumberField):
                field.show_wrong(str(problem))
            else:
                session.said.emit("stop", str(problem))
            return
        session.do(lambda job: change_support(job, support.id, key, value))
