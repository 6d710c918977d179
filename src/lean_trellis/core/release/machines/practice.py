"""A practice machine: a queue, states and layers that pass by a clock, and faults that can be provoked.

What it has accepted it writes down before it answers, so that it knows every build again after it was switched off.
"""

from __future__ import annotations

import bisect
import itertools
import json
import os
import tempfile
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from pathlib import Path

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.release.machines.inspection import Refused, inspected
from lean_trellis.core.release.machines.protocol import (
    ACTIVE,
    OVER,
    Fault,
    Manifest,
    Reply,
    SentBuild,
    SentState,
    Status,
)
from lean_trellis.core.shop.machine import Machine

_MOST_KNOWN = 500
_KNOWN = "known.json"


@dataclass
class _Accepted:
    """One build that was accepted: what it is, and how far it is, in seconds of its own time."""

    key: str
    job: str
    material: str
    grams: float
    layer_seconds: list[float]
    state: SentState = "waiting"
    warmed_s: float = 0.0
    built_s: float = 0.0
    message: str = ""
    before_pause: SentState = "building"
    ends: list[float] = field(default_factory=list, repr=False)

    def __post_init__(self) -> None:
        self.ends = list(itertools.accumulate(self.layer_seconds))

    @property
    def layer(self) -> int:
        """How many layers are built."""
        return bisect.bisect_right(self.ends, self.built_s + 1e-9)

    def sent(self, warm_up_s: float) -> SentBuild:
        left = 0.0 if self.state in OVER else warm_up_s - self.warmed_s + self.ends[-1] - self.built_s
        return SentBuild(
            key=self.key, job=self.job, state=self.state, layer=self.layer, layers=len(self.layer_seconds),
            elapsed_s=self.warmed_s + self.built_s, left_s=max(left, 0.0), message=self.message,
        )  # fmt: skip


class PracticeMachine:
    """A machine of a kind. `clock` gives seconds; its own time runs `speed` times as fast.

    `material` is what is loaded, "" for whatever a build asks for; `loaded_grams` how much, None for enough.
    """

    def __init__(
        self,
        machine: Machine,
        folder: Path,
        clock: Callable[[], float],
        *,
        material: str = "",
        loaded_grams: float | None = None,
        speed: float = 1.0,
    ) -> None:
        self.machine, self.material, self.loaded_grams, self.speed = machine, material, loaded_grams, speed
        self._folder, self._clock = folder, clock
        self._then = clock()
        self._warm_up_s = 60.0 * machine.rates.warm_up
        self._stop_at: int | None = None
        self._runs_out = False
        self.faults: list[Fault] = []
        """What the next answers will be like, one after the other."""
        folder.mkdir(parents=True, exist_ok=True)
        self._entries = self._remembered()

    # --- what a program asks ---

    def status(self) -> Status:
        """What it says of itself."""
        self.pass_time()
        current = self._current()
        state = "idle" if current is None else current.state
        last = next((entry for entry in reversed(list(self._entries.values())) if entry.state in OVER), None)
        if current is None and last is not None and last.state in ("done", "failed"):
            state = last.state
        return Status(
            machine=self.machine.id, name=f"{self.machine.name}, practice", process=self.machine.process,
            state=state, material=self.material, loaded_grams=self.loaded_grams, speed=self.speed,
            current="" if current is None else current.key, builds=tuple(
                entry.sent(self._warm_up_s) for entry in list(self._entries.values())[-_MOST_KNOWN:]
            ), message="" if current is None else current.message,
        )  # fmt: skip

    def take(self, key: str, package: Path) -> Reply:
        """Take a build into the queue after looking at it; one that it knows is not taken a second time."""
        self.pass_time()
        known = self._entries.get(key)
        if known is not None:
            return Reply(accepted=True, build=known.sent(self._warm_up_s))
        if "refuse" in self.faults:
            self.faults.remove("refuse")
            return Reply(accepted=False, reasons=("the machine is being serviced",))
        try:
            with tempfile.TemporaryFile(dir=self._folder) as scratch:
                manifest = inspected(package, self.machine, self.material, scratch)
        except Refused as refusal:
            return Reply(accepted=False, reasons=tuple(reason[:400] for reason in refusal.reasons[:50]))
        if self.loaded_grams is not None and manifest.grams > self.loaded_grams:
            words = f"{self.loaded_grams:,.0f} g are loaded, the build needs {manifest.grams:,.0f} g"
            return Reply(accepted=False, reasons=(words,))
        entry = _entry_of(key, manifest)
        self._entries[key] = entry
        self._write_down()
        return Reply(accepted=True, build=entry.sent(self._warm_up_s))

    def control(self, key: str, what: str) -> Reply:
        """Pause, resume or cancel a build."""
        self.pass_time()
        entry = self._entries.get(key)
        if entry is None:
            return Reply(accepted=False, reasons=("no build of that key is here",))
        if entry.state in OVER:
            return Reply(accepted=False, reasons=(f"the build is {entry.state}",), build=entry.sent(self._warm_up_s))
        match what:
            case "pause" if entry.state in ("warming", "building"):
                entry.before_pause, entry.state, entry.message = entry.state, "paused", "paused"
            case "resume" if entry.state == "paused":
                entry.state, entry.message = entry.before_pause, ""
            case "cancel":
                entry.state, entry.message = "cancelled", "cancelled by the operator"
            case _:
                return Reply(accepted=False, reasons=(f"a build that is {entry.state} cannot {what}",))
        self._write_down()
        return Reply(accepted=True, build=entry.sent(self._warm_up_s))

    def provoke(self, fault: Fault, layer: int = 0) -> None:
        """Have a fault: at once, at a layer, or with the next answer."""
        match fault:
            case "stop_at_layer":
                self._stop_at = max(layer, 1)
            case "out_of_material":
                self._runs_out = True
            case _:
                self.faults.append(fault)

    # --- time ---

    def pass_time(self) -> None:
        """Bring everything up to now."""
        now = self._clock()
        spent, self._then = max(now - self._then, 0.0) * self.speed, now
        before = [(entry.state, entry.message) for entry in self._entries.values()]
        while spent > 0:
            entry = self._current()
            if entry is None or entry.state == "paused":
                break
            spent = self._spend(entry, spent)
        if before != [(entry.state, entry.message) for entry in self._entries.values()]:
            self._write_down()

    def _current(self) -> _Accepted | None:
        """The build at work; the first one that waits is begun where there is none."""
        for entry in self._entries.values():
            if entry.state in ACTIVE:
                return entry
        for entry in self._entries.values():
            if entry.state == "waiting":
                entry.state = "warming"
                return entry
        return None

    def _spend(self, entry: _Accepted, spent: float) -> float:
        """Work on a build for some seconds; what is left of them."""
        if entry.state == "warming":
            used = min(spent, self._warm_up_s - entry.warmed_s)
            entry.warmed_s += used
            if entry.warmed_s >= self._warm_up_s - 1e-9:
                entry.state = "building"
            return spent - used
        if self._runs_out:
            self._runs_out = False
            entry.before_pause, entry.state, entry.message = "building", "paused", "out of material: load more, resume"
            return 0.0
        end = entry.ends[-1]
        stop = entry.ends[min(self._stop_at, len(entry.ends)) - 1] if self._stop_at is not None else end
        used = min(spent, max(stop - entry.built_s, 0.0))
        entry.built_s += used
        if entry.built_s >= stop - 1e-9:
            if self._stop_at is not None:
                entry.state, entry.message = "failed", f"stopped at layer {entry.layer}"
                self._stop_at = None
            else:
                entry.state = "done"
                if self.loaded_grams is not None:
                    self.loaded_grams = max(self.loaded_grams - entry.grams, 0.0)
        return spent - used

    # --- memory ---

    def _remembered(self) -> dict[str, _Accepted]:
        try:
            kept = json.loads((self._folder / _KNOWN).read_text("utf-8"))
            return {one["key"]: _Accepted(**one) for one in kept}
        except (OSError, ValueError, TypeError, KeyError):
            return {}

    def _write_down(self) -> None:
        entries = [{key: value for key, value in asdict(entry).items() if key != "ends"}
                   for entry in self._entries.values()]  # fmt: skip
        with written_whole(self._folder / _KNOWN) as file:
            file.write(json.dumps(entries).encode())
            file.flush()
            os.fsync(file.fileno())


def _entry_of(key: str, manifest: Manifest) -> _Accepted:
    return _Accepted(key, manifest.job, manifest.material, manifest.grams, list(manifest.layer_seconds))
