"""A practice machine by a clock that the test turns."""

from __future__ import annotations

import json

import pytest
from sent_builds import LAYERS, package

from lean_trellis.core.release.machines.practice import PracticeMachine


class Clock:
    def __init__(self):
        self.now = 0.0

    def __call__(self):
        return self.now


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def make(library, tmp_path, clock):
    def made(**values):
        return PracticeMachine(library.machine("filament-320"), tmp_path / "machine", clock, **values)

    return made


@pytest.fixture
def warm_up(library):
    return 60 * library.machine("filament-320").rates.warm_up


def send(machine, tmp_path, name="cube", **said):
    key = package(tmp_path / f"{name}.zip", name, **said)
    return key, machine.take(key, tmp_path / f"{name}.zip")


def test_a_build_warms_up_passes_its_layers_and_is_done(make, tmp_path, clock, warm_up):
    machine = make()
    assert machine.status().state == "idle"
    key, reply = send(machine, tmp_path)
    assert reply.accepted
    assert machine.status().state == "warming"
    clock.now = warm_up + 150.0
    build = machine.status().build(key)
    assert (build.state, build.layer, build.layers) == ("building", 2, LAYERS)
    assert build.left_s == pytest.approx(60 * LAYERS - 150)
    clock.now = warm_up + 60 * LAYERS + 1
    assert machine.status().state == "done"
    assert machine.status().build(key).layer == LAYERS


def test_time_runs_as_fast_as_it_is_told(make, tmp_path, clock, warm_up):
    machine = make(speed=60.0)
    key, _ = send(machine, tmp_path)
    clock.now = (warm_up + 90) / 60
    assert machine.status().build(key).layer == 1


def test_builds_wait_their_turn(make, tmp_path, clock, warm_up):
    machine = make()
    first, _ = send(machine, tmp_path)
    second, _ = send(machine, tmp_path, "second")
    clock.now = warm_up
    assert machine.status().build(second).state == "waiting"
    clock.now = 2 * warm_up + 60 * LAYERS + 30
    assert machine.status().build(first).state == "done"
    assert machine.status().build(second).state == "building"


def test_a_build_sent_again_is_not_taken_again_even_by_a_machine_that_was_off(make, tmp_path):
    machine = make()
    key, _ = send(machine, tmp_path)
    assert machine.take(key, tmp_path / "cube.zip").accepted
    again = make()
    assert again.take(key, tmp_path / "cube.zip").accepted
    assert [build.key for build in again.status().builds] == [key]
    assert len(json.loads((tmp_path / "machine" / "known.json").read_text())) == 1


def test_pause_resume_cancel(make, tmp_path, clock, warm_up):
    machine = make()
    key, _ = send(machine, tmp_path)
    clock.now = warm_up + 60
    assert machine.control(key, "pause").build.state == "paused"
    clock.now += 1000
    assert machine.status().build(key).layer == 1
    assert not machine.control(key, "pause").accepted
    assert machine.control(key, "resume").build.state == "building"
    assert machine.control(key, "cancel").build.state == "cancelled"
    assert not machine.control(key, "resume").accepted
    assert not machine.control("0" * 64, "pause").accepted
    assert machine.status().state == "idle"


def test_it_stops_at_a_layer(make, tmp_path, clock, warm_up):
    machine = make()
    machine.provoke("stop_at_layer", 4)
    key, _ = send(machine, tmp_path)
    clock.now = warm_up + 60 * LAYERS
    build = machine.status().build(key)
    assert (build.state, build.layer, build.message) == ("failed", 4, "stopped at layer 4")


def test_it_runs_out_of_material_and_goes_on_when_resumed(make, tmp_path, clock, warm_up):
    machine = make()
    key, _ = send(machine, tmp_path)
    clock.now = warm_up + 60
    machine.status()
    machine.provoke("out_of_material")
    clock.now += 10
    assert machine.status().build(key).state == "paused"
    assert "out of material" in machine.status().build(key).message
    machine.control(key, "resume")
    clock.now += 60 * LAYERS
    assert machine.status().build(key).state == "done"


def test_what_is_loaded_has_to_be_enough_and_is_used_up(make, tmp_path, clock, warm_up):
    machine = make(loaded_grams=20.0)
    _, first = send(machine, tmp_path)
    assert first.accepted
    clock.now = warm_up + 60 * LAYERS + 1
    machine.status()
    _, second = send(machine, tmp_path, "second")
    assert second.reasons == ("8 g are loaded, the build needs 12 g",)


def test_a_machine_that_is_serviced_refuses_once(make, tmp_path):
    machine = make()
    machine.provoke("refuse")
    key, reply = send(machine, tmp_path)
    assert reply.reasons == ("the machine is being serviced",)
    assert machine.take(key, tmp_path / "cube.zip").accepted


def test_a_damaged_memory_is_an_empty_one(make, tmp_path):
    (tmp_path / "machine").mkdir()
    (tmp_path / "machine" / "known.json").write_text("{]")
    assert make().status().builds == ()
