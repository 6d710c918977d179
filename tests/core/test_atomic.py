"""Files are there whole or not at all."""

from __future__ import annotations

import os
import stat
import subprocess
import sys
from pathlib import Path

import pytest

from lean_trellis.core.atomic import discard_unfinished, written_whole
from lean_trellis.core.errors import (
    AccessError,
)


@pytest.fixture(params=["nameless", "named"])
def any_file_system(request, monkeypatch):
    """File systems that can keep a file without a name, and those that cannot."""
    if request.param == "named":
        monkeypatch.delattr(os, "O_TMPFILE")


@pytest.fixture
def file_system_without_nameless_files(monkeypatch):
    monkeypatch.delattr(os, "O_TMPFILE")


@pytest.mark.usefixtures("any_file_system")
def test_a_file_is_there_whole_or_not_at_all(tmp_path):
    path = tmp_path / "a.bin"
    with written_whole(path) as file:
        file.write(b"one")
        assert not path.exists()
    assert path.read_bytes() == b"one"
    with pytest.raises(KeyError), written_whole(path) as file:
        file.write(b"two")
        raise KeyError
    assert path.read_bytes() == b"one"
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.bin"]


@pytest.mark.usefixtures("any_file_system")
def test_a_replaced_file_keeps_its_permissions_and_a_new_one_takes_the_usual(tmp_path):
    path = tmp_path / "a.bin"
    path.write_bytes(b"old")
    path.chmod(0o640)
    with written_whole(path) as file:
        file.write(b"new")
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    with written_whole(tmp_path / "b.bin") as file:
        file.write(b"x")
    umask = os.umask(0)
    os.umask(umask)
    assert stat.S_IMODE((tmp_path / "b.bin").stat().st_mode) == 0o666 & ~umask


def test_a_process_that_is_killed_while_it_writes_leaves_the_old_file_and_nothing_else(tmp_path):
    path = tmp_path / "a.bin"
    path.write_bytes(b"old")
    code = (
        "import sys, time, pathlib; from lean_trellis.core.atomic import written_whole\n"
        "with written_whole(pathlib.Path(sys.argv[1])) as file:\n"
        "    file.write(b'x' * 1_000_000); file.flush(); print('written', flush=True); time.sleep(600)"
    )
    with subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE) as process:
        assert process.stdout is not None
        assert process.stdout.readline() == b"written\n"
        process.kill()
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.bin"]
    assert path.read_bytes() == b"old"


@pytest.mark.usefixtures("file_system_without_nameless_files")
def test_what_is_half_written_can_be_discarded_at_once(tmp_path):
    writing = written_whole(tmp_path / "a.bin")
    writing.__enter__().write(b"half")
    assert len(list(tmp_path.iterdir())) == 1
    discard_unfinished()
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(AccessError):
        writing.__exit__(None, None, None)


def test_a_place_that_cannot_be_written_is_named(tmp_path):
    with pytest.raises(AccessError) as caught, written_whole(tmp_path / "no" / "a.bin"):
        pass
    assert "no/a.bin" in str(caught.value)
    assert Path(tmp_path / "no").exists() is False
