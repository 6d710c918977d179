"""The values of the support in hand, in the form of its family."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job.edits import change_support
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import families, require_buildable
from lean_trellis.studio.forms.fields import NumberField
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.parameter_form import ParameterForm
from lean_trellis.studio.session import Session


class SetValuesSection(Fold):
    """One form a family."""

    entered = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__("Values")
        self.session = session
        self._forms = {spec.model: ParameterForm(spec.model) for spec in families()}
        for form in self._forms.values():
            form.changed.connect(self._change)
            form.entered.connect(self.entered)
            form.hide()
            self.body.addWidget(form)

    def form(self, model: type[FamilyParameters]) -> ParameterForm:
        """The form of a family's parameters."""
        return self._forms[model]

    @property
    def shown(self) -> ParameterForm | None:
        """The form on show."""
        support = self.session.support
        return None if support is None else self.form(type(support.parameters))

    def show_support(self, support: Support) -> None:
        """Show a support's values against those of its set."""
        form = self.form(type(support.parameters))
        for other in self._forms.values():
            other.setVisible(other is form)
        origin = self.session.job.set_of(support) or shipped_sets().get(support.set_name)
        same = origin is not None and type(origin.parameters) is type(support.parameters)
        base = origin.parameters if origin is not None and same else support.parameters
        made, problem = self.session.structure(support), self.session.problem_of(support)
        form.show_parameters(support.parameters, base, None if made is None else made.derived_values)
        if isinstance(problem, ParameterError) and problem.subject in type(support.parameters).model_fields:
            field = form.field(problem.subject)
            if isinstance(field, NumberField):
                field.mark_wrong()
        count = len(support.parameters.differences(base))
        words = f"Values of {support.set_name}, version {support.set_version}"
        self.set_words(words + (f" · {count} differ{'s' * (count == 1)}" if count else ""))

    def _change(self, key: str, value: Any) -> None:
        """One value of the support in hand; a wrong one is refused in words beside the field."""
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
