"""Notes of machines that run."""

from __future__ import annotations

import os
import stat

import pytest

from lean_trellis.core.release.machines.register import FOLDER, Known, known_machines, memory_folder, noted


@pytest.fixture(autouse=True)
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv(FOLDER, str(tmp_path / "machines"))
    return tmp_path / "machines"


def known(process):
    return Known("vat-150", "Vat 150", "http://127.0.0.1:7000", "secret", process)


def test_a_note_is_there_while_a_machine_runs_and_its_user_alone_reads_it(folder):
    assert known_machines() == ()
    with noted(known(os.getpid())) as path:
        assert known_machines() == (known(os.getpid()),)
        assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert known_machines() == ()


def test_the_note_of_a_process_that_has_ended_is_cleared_away(folder):
    with noted(known(2**22 + 7)) as path:
        assert known_machines() == ()
        assert not path.exists()


def test_rubbish_is_passed_over(folder):
    folder.mkdir(parents=True)
    (folder / "a.machine.json").write_text("{]")
    (folder / "b.machine.json").write_text('{"machine": 1}')
    assert known_machines() == ()


def test_each_kind_remembers_by_itself(folder):
    assert memory_folder("vat-150") == folder / "vat-150"
