"""Setup: the machine, the material, the layer height, and its values."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import (
    change_machine,
    change_material,
    choose_mode,
    fit,
    set_first_layer,
    set_layer_height,
    set_loaded,
    set_lot,
    set_support_every,
)
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.shop.machine import PROCESS_WORDS, Machine
from lean_trellis.core.shop.words import CONSTANTS, UNIT_WORDS
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, figure, head, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.another import AnotherSection
from lean_trellis.studio.stations.sections.coupons import CouponSection
from lean_trellis.studio.stations.sections.newer import NewerSection
from lean_trellis.studio.stations.sections.values import ValuesSection
from lean_trellis.studio.stations.station import Fact, Station


def _mode_words(job: Job, mode: str) -> str:
    """A mode, and whether it is proven on the job's machine."""
    return mode if job.material.is_proven(mode, job.machine.id) else f"{mode} · not proven here"


class SetupStation(Station):
    """Machine, material and layer height of the job."""

    key = "setup"
    deletes_parts = True
    name = "Setup"
    codes = frozenset({"fitting_not_validated", "mode_not_validated"})

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.machine, self.material, self.layer = ChoiceField(), ChoiceField(), ChoiceField()
        for label, field, name in (
            ("Machine", self.machine, "setup.machine"),
            ("Material", self.material, "setup.material"),
            ("Layer height", self.layer, "setup.layer"),
        ):
            field.setObjectName(name)
            field.setAccessibleName(label)
            self.page.addWidget(head(label))
            self.page.addWidget(field)
        self.machine.chosen.connect(self._choose_machine)
        self.material.chosen.connect(self._choose_material)
        self.layer.chosen.connect(lambda text: session.do(lambda job: set_layer_height(job, float(text))))
        self.first_layer, self.support_every = NumberField("mm", may_be_empty=True), NumberField("layers")
        for number, name, label, tip in (
            (self.first_layer, "setup.first_layer", "First layer", "Height of the lowest layer. Empty: as the others."),
            (self.support_every, "setup.support_every", "Supports every", "Supports are built at every so many-th "
             "layer: 2 is every second one."),
        ):  # fmt: skip
            number.setObjectName(name)
            number.setAccessibleName(label)
            number.setToolTip(tip)
        self.first_layer.taken.connect(lambda height: session.do(lambda job: set_first_layer(job, height)))
        self.first_layer.emptied.connect(lambda: session.do(lambda job: set_first_layer(job, None)))
        self.support_every.taken.connect(lambda count: session.do(lambda job: set_support_every(job, round(count))))
        self.page.addWidget(row("First layer", self.first_layer, QLabel("mm; empty: as the others"), 1))
        self._every_row = row("Supports every", self.support_every, QLabel("layers"), 1)
        self.page.addWidget(self._every_row)
        self.demos = {
            name: button(name.capitalize(), partial(self.wanted.emit, f"demo_{name}"), demo.story, name=f"demo.{name}")
            for name, demo in DEMOS.items()
        }
        self._demo_row = row("Demos", *self.demos.values(), 1, spacing=5)
        self.page.addWidget(self._demo_row)
        self.lot = TextField()
        self.lot.setObjectName("setup.lot")
        self.lot.setPlaceholderText("lot number of powder, resin or filament")
        self.lot.editingFinished.connect(lambda: session.do(lambda job: set_lot(job, self.lot.text())))
        self.page.addWidget(row("Lot", self.lot))
        self.loaded = NumberField("g", may_be_empty=True)
        self.loaded.setObjectName("setup.loaded")
        self.loaded.setAccessibleName("Material loaded, g")
        self.loaded.setToolTip("How much powder, resin or filament is loaded for this build; empty: nobody knows")
        self.loaded.taken.connect(lambda grams: session.do(lambda job: set_loaded(job, grams)))
        self.loaded.emptied.connect(lambda: session.do(lambda job: set_loaded(job, None)))
        self.practice = button("Practice machine", self._practise, "Start a simulated machine of this kind here",
                               name="setup.practice")  # fmt: skip
        self.page.addWidget(row("Loaded", self.loaded, QLabel("g"), 1, self.practice))
        self.mode, self.surface, self.fitting = ChoiceField(), ChoiceField(), ChoiceField()
        self.mode.setObjectName("setup.mode")
        self.mode.chosen.connect(lambda key: session.do(lambda job: choose_mode(job, key)))
        self._mode_row = row("Mode", self.mode, 1)
        self.page.addWidget(self._mode_row)
        self.surface.setObjectName("setup.surface")
        self.fitting.setObjectName("setup.fitting")
        self.surface.chosen.connect(lambda key: session.do(lambda job: fit(job, surface=key)))
        self.fitting.chosen.connect(lambda key: session.do(lambda job: fit(job, fitting=key)))
        self._surface_row = row("Plate surface", self.surface, 1)
        self._fitting_row = row("Fitted", self.fitting, 1)
        self.page.addWidget(self._surface_row)
        self.page.addWidget(self._fitting_row)
        self.machine_values = ValuesSection(session, "Change machine values", "machine",
                                            lambda job: job.machine, change_machine)  # fmt: skip
        self.material_values = ValuesSection(session, "Change material values", "material",
                                             lambda job: job.material, change_material)  # fmt: skip
        self.another, self.newer = AnotherSection(session), NewerSection(session)
        self.coupons = CouponSection(session)
        self.sections = (self.newer, self.machine_values, self.material_values, self.coupons, self.another)
        for section in self.sections:
            section.asks.connect(self.asks)
            self.page.addWidget(section)
        self.page.addWidget(head("Machine"))
        self._machine_facts = figure()
        self.page.addWidget(self._machine_facts)
        self.page.addWidget(head("Material values"))
        self._facts = QWidget()
        self._grid = QGridLayout(self._facts)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(0, 1)
        self.page.addWidget(self._facts)
        self.page.addWidget(muted("○ assumed: measure it in your shop.  ● has a source, shown in the tooltip."))
        self.page.addStretch(1)
        self._shown: object = None

    def refresh(self) -> None:
        """Show the job's machine and material."""
        job, library = self.session.job, self.session.library
        self._surface_row.setVisible(bool(job.machine.surfaces))
        self._fitting_row.setVisible(bool(job.machine.fittings))
        self.surface.offer([(name, name) for name in job.machine.surfaces], job.surface)
        self._mode_row.setVisible(len(job.material.modes) > 1)
        self.mode.offer([(mode, _mode_words(job, mode)) for mode in job.material.modes], job.mode)
        self.fitting.offer([("", "none"), *((name, name) for name in job.machine.fittings)], job.fitting)
        if not self.lot.hasFocus():
            self.lot.setText(job.lot)
        self.loaded.show_value(job.loaded_grams)
        for section in self.sections:
            section.refresh()
        self._demo_row.setVisible(self.session.path is None and not self.session.undo_title)
        machines = [(m.id, _machine_words(m)) for m in library.machines.values()]
        self.machine.offer(machines, job.machine.id)
        self.material.offer([(m.id, m.name) for m in library.materials_for(job.machine)], job.material.id)
        layers = [(f"{layer.height:g}", f"{layer.height:g} mm · {layer.purpose}") for layer in job.material.layers]
        if f"{job.layer_height:g}" not in {key for key, _ in layers}:
            layers.append((f"{job.layer_height:g}", f"{job.layer_height:g} mm · typed"))
        self.layer.offer(layers, f"{job.layer_height:g}")
        self.first_layer.show_value(job.first_layer)
        self.support_every.show_value(float(job.support_every))
        self._every_row.setVisible(job.machine.process != "vat")
        plate = job.machine.plate
        size = (
            f"round plate of {plate.width:g} mm"
            if plate.shape == "round"
            else f"plate {plate.width:g} × {plate.depth:g} mm"
        )
        zones = f"\nKept free: {', '.join(zone.name for zone in job.machine.zones)}" if job.machine.zones else ""
        self._machine_facts.setText(f"{size}, {job.machine.height:g} mm high\n{job.machine.note}{zones}")
        shown = (job.material, job.machine.id, job.layer_height, job.surface)
        if self._shown != shown:
            self._shown = shown
            self._fill_facts()

    def _fill_facts(self) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        material = self.session.job.material
        detection, span = material.detection, material.free_span
        rows = [
            ("Build offset", f"{material.build_offset:g} mm", "set for this library"),
            (
                "Pose range",
                f"{material.pose_range[0]:g}° to {material.pose_range[1]:g}°",
                "a guide, never a ban",
            ),
            ("Critical angle", f"{detection.critical_angle:g}°", detection.source_of("critical_angle")),
            ("Watch angle", f"{detection.watch_angle:g}°", detection.source_of("watch_angle")),
            ("Bridges up to", f"{detection.bridge_span:g} mm", detection.source_of("bridge_span")),
            ("Ledges up to", f"{detection.ledge_limit:g} mm", detection.source_of("ledge_limit")),
            ("Smallest region", f"{detection.smallest_region:g} mm²", detection.source_of("smallest_region")),
            ("Free span, flat", f"{span.at(0):g} mm", span.source),
            ("Free span at critical", f"{span.at(detection.critical_angle):g} mm", span.source),
        ]
        for key, constant in self.session.job.constants.items():
            unit = UNIT_WORDS.get(constant.unit, constant.unit)
            label = CONSTANTS[key].label if key in CONSTANTS else key
            rows.append((label, f"{constant.value:,g} {unit}".rstrip(), constant.source))
        for place, (words, value, source) in enumerate(rows):
            is_assumed = source.startswith("assumed")
            cells = (QLabel(words), QLabel(value), QLabel("○" if is_assumed else "●"))
            for column, cell in enumerate(cells):
                cell.setToolTip(source)
                self._grid.addWidget(cell, place, column)

    def _practise(self) -> None:
        kind = self.session.job.machine
        self.session.machines.start_practice(kind.id)
        self.session.said.emit("fine", f"Starting a practice {kind.name}: Release can send builds to it")

    def _choose_machine(self, key: str) -> None:
        self.session.choose_shop(key, self.session.job.material.id)

    def _choose_material(self, key: str) -> None:
        self.session.choose_shop(self.session.job.machine.id, key)

    def findables(self) -> list[tuple[str, Callable[[], object]]]:
        """The machines and materials to choose, then the values of those that are chosen."""
        library, job = self.session.library, self.session.job
        machines = [
            (f"Machine: {_machine_words(m)}", partial(self._choose_machine, m.id)) for m in library.machines.values()
        ]
        materials = [
            (f"Material: {m.name}", partial(self._choose_material, m.id)) for m in library.materials_for(job.machine)
        ]
        return [*machines, *materials, *self._value_findables()]

    def _value_findables(self) -> list[tuple[str, Callable[[], object]]]:
        return [
            (f"{label}: {kind} value", partial(section.show_key, key))
            for kind, section in (("machine", self.machine_values), ("material", self.material_values))
            for key, label in section.labels().items()
        ]

    def fact(self) -> Fact:
        """Machine, material, layer."""
        job = self.session.job
        words = f"{job.machine.name}, {job.layer_height:g} mm"
        return Fact(self.mark() if job.parts else "fine", words)


def _machine_words(machine: Machine) -> str:
    """A machine's name and process; those that ship are for practice."""
    is_for_practice = shipped_library().machines.get(machine.id) == machine
    return f"{machine.name} · {PROCESS_WORDS[machine.process]}{' · practice machine' if is_for_practice else ''}"
