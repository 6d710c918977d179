"""The real process: whatever goes wrong, a build is taken once, and a program hears of it in words."""

from __future__ import annotations

import os
import random
import signal
from pathlib import Path
from shutil import rmtree
from tempfile import mkdtemp

import httpx
import pytest
from running_machine import PATIENCE, running
from sent_builds import package

from lean_trellis.core.errors import EditError
from lean_trellis.core.release.machines.client import MachineClient, MachineError, Patience
from lean_trellis.core.release.machines.register import Known
from lean_trellis.core.release.machines.server import bound_socket

SEQUENCES = int(os.environ.get("TRELLIS_SEQUENCES", "60"))
"""`./trellis soak` takes 500."""
HASTE = Patience(answer_s=0.15, look_s=0.15)
FAULTS = ("refuse", "nonsense", "hang", "vanish", "killed", "out_of_material", "stop_at_layer")
WEIGHTS = (16, 20, 6, 1, 1, 8, 8)


@pytest.fixture(scope="module")
def machine(tmp_path_factory):
    """One in memory where there is such a folder: what it writes down 2,000 times need not reach a disk here."""
    memory = Path("/dev/shm")
    folder = Path(mkdtemp(dir=memory)) if memory.is_dir() else tmp_path_factory.mktemp("machine")
    with running(folder, "--speed", "1000000") as made:
        yield made
    rmtree(folder)


def sent_in_the_end(machine, key, path, haste):
    """Send as a person would: again after each trouble, starting the machine anew where it has ended."""
    troubles = []
    for number in range(12):
        if machine.has_ended:
            machine.start()
        try:
            return machine.client(haste).send(key, path), troubles
        except MachineError as trouble:
            troubles.append(str(trouble))
            if "cannot be reached" in str(trouble):
                machine.wait_for_end()
            haste = haste if number < 6 else PATIENCE
    raise AssertionError(f"never answered: {troubles}")


def provoked(machine, fault, layer):
    """Have a fault; a machine that is just ending is started anew first."""
    if fault == "killed":
        machine.end()
        return
    for _ in range(12):
        if machine.has_ended:
            machine.start()
        try:
            machine.client().provoke(fault, layer=layer)
        except MachineError:
            machine.wait_for_end()
            continue
        return
    raise AssertionError("it never took the fault")


def test_random_sequences_of_faults_and_nothing_is_taken_twice(machine, tmp_path):
    chance, taken, words = random.Random(12), [], set()
    for number in range(SEQUENCES):
        path = tmp_path / f"build-{number}.zip"
        key = package(path, f"build {number}")
        faults = chance.choices(FAULTS, WEIGHTS, k=chance.randint(0, 3))
        for fault in faults:
            provoked(machine, fault, chance.randint(1, 12))
        is_hasty = "hang" in faults
        for _ in range(1 + faults.count("refuse")):
            reply, troubles = sent_in_the_end(machine, key, path, HASTE if is_hasty else PATIENCE)
            words.update(troubles)
            if reply.accepted:
                break
            assert reply.reasons == ("the machine is being serviced",)
        assert reply.accepted
        again, troubles = sent_in_the_end(machine, key, path, HASTE if is_hasty else PATIENCE)
        words.update(troubles)
        assert again.accepted
        taken.append(key)
    if machine.has_ended:
        machine.start()
    known = [build.key for build in machine.client().status().builds]
    assert known == taken
    said = " ".join(words)
    assert "does not answer" in said
    assert "answers nonsense" in said
    assert "cannot be reached" in said


def test_a_wrong_token_is_refused_and_shows_nothing(machine):
    stranger = MachineClient(Known("filament-320", "it", machine.known.address, "guess"), PATIENCE)
    for ask in (stranger.status, lambda: stranger.control("0" * 64, "cancel"), lambda: stranger.provoke("vanish")):
        with pytest.raises(MachineError, match="does not know the token"):
            ask()
    assert machine.client().status().machine == "filament-320"


def test_a_key_that_is_none_and_a_path_that_is_none(machine, tmp_path):
    package(tmp_path / "p.zip")
    with pytest.raises(MachineError, match=r"answers nonsense|reached"):
        machine.client().send("../../x", tmp_path / "p.zip")
    assert not machine.client().send("z" * 64, tmp_path / "p.zip").accepted
    headers = {"authorization": "Bearer secret"}
    assert httpx.get(f"{machine.known.address}/../etc/passwd", headers=headers, trust_env=False).status_code == 404


def test_it_listens_on_this_computer_alone(machine):
    assert machine.known.address.startswith("http://127.0.0.1:")


def test_a_port_that_is_taken_is_said_in_a_line():
    taken = bound_socket()
    taken.listen()
    try:
        with pytest.raises(EditError, match="cannot be listened on"):
            bound_socket(taken.getsockname()[1])
    finally:
        taken.close()


def test_ctrl_c_ends_it_and_takes_its_note_away(tmp_path):
    with running(tmp_path) as made:
        assert len(list(tmp_path.glob("*.machine.json"))) == 1
        made._process.send_signal(signal.SIGINT)
        assert made.wait() == 130
        assert list(tmp_path.glob("*.machine.json")) == []
