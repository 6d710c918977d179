"""Answers that no machine gives, and places where none is."""

from __future__ import annotations

import socket
import threading
from contextlib import contextmanager

import pytest
from sent_builds import package

from lean_trellis.core.release.machines.client import (
    MachineClient,
    MachineError,
    Patience,
    machine_at,
)
from lean_trellis.core.release.machines.register import FOLDER, Known, noted


@contextmanager
def answering(content: bytes):
    """Something at an address that says `content` to whoever comes."""
    listening = socket.create_server(("127.0.0.1", 0))

    def answer():
        while True:
            try:
                one, _ = listening.accept()
            except OSError:
                return
            with one:
                one.settimeout(5)
                one.recv(4096)
                one.sendall(content)

    thread = threading.Thread(target=answer, daemon=True)
    thread.start()
    try:
        yield Known("x", "the thing", f"http://127.0.0.1:{listening.getsockname()[1]}", "t")
    finally:
        listening.shutdown(socket.SHUT_RDWR)
        listening.close()
        thread.join(timeout=5)


def http(body: bytes, code: str = "200 OK") -> bytes:
    return f"HTTP/1.1 {code}\r\ncontent-length: {len(body)}\r\nconnection: close\r\n\r\n".encode() + body


@pytest.mark.parametrize(("content", "words"), [
    (http(b"{}"), "answers nonsense"), (http(b"[1, 2"), "answers nonsense"), (http(b"\xff" * 900), "answers nonsense"),
    (http(b" " * 300_000), "more than any machine"), (b"rubbish", "cannot be reached"), (b"", "cannot be reached"),
    (http(b'{"format": "lean-trellis-machine", "version": 9}'), "answers nonsense"),
    (http(b'{"machine": "../../etc", "name": "x", "process": "vat", "state": "idle"}'), "answers nonsense"),
    (http(b'{"machine": "x", "name": "x", "process": "vat", "state": "idle", "speed": NaN}'), "answers nonsense"),
    (http(b"{}", "302 Found\r\nlocation: http://127.0.0.1:1/"), "answers nonsense"),
    (http(b"{}", "401 Unauthorized"), "does not know the token"),
])  # fmt: skip
def test_what_no_machine_says(content, words):
    with answering(content) as known, pytest.raises(MachineError, match=words):
        MachineClient(known, Patience(3.0, 3.0)).status()


def test_nobody_is_there(tmp_path):
    with socket.create_server(("127.0.0.1", 0)) as listening:
        port = listening.getsockname()[1]
    client = MachineClient(Known("x", "the thing", f"http://127.0.0.1:{port}", "t"), Patience(2.0, 2.0))
    package(tmp_path / "p.zip")
    with pytest.raises(MachineError, match="the thing: cannot be reached"):
        client.sent_surely("0" * 64, tmp_path / "p.zip")


def test_machines_are_found_by_kind_and_by_address(tmp_path, monkeypatch):
    import os

    monkeypatch.setenv(FOLDER, str(tmp_path))
    with pytest.raises(MachineError, match=r"no machine of that name runs here \(running: none\)"):
        machine_at("vat-150")
    known = Known("vat-150", "Vat 150, practice", "http://127.0.0.1:7000", "t", os.getpid())
    with noted(known):
        assert machine_at("vat-150") == machine_at("http://127.0.0.1:7000/") == known
        with pytest.raises(MachineError, match="running: vat-150"):
            machine_at("vat-200")
    assert machine_at("http://127.0.0.1:7001", "mine").token == "mine"
