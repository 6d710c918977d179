"""Talking to a machine: bounded, patient for a while and no longer, believing nothing.

A build is sent under a key that both sides remember: sending it again asks what became of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from pydantic import BaseModel, ValidationError

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.release.machines.protocol import MOST_ANSWER_BYTES, Reply, SentBuild, Status
from lean_trellis.core.release.machines.register import Known, known_machines

if TYPE_CHECKING:
    import httpx

_PIECE = 1 << 18
_TRIES = 3
T = TypeVar("T", bound=BaseModel)


class MachineError(TrellisError):
    """A machine is away, hangs, or answers nonsense; what it was sent may have arrived."""


@dataclass(frozen=True)
class Patience:
    """Seconds that a machine has to answer, and to look at a build."""

    answer_s: float = 5.0
    look_s: float = 900.0


class MachineClient:
    """One machine at an address. Every method raises `MachineError` where it does not answer sensibly."""

    def __init__(self, known: Known, patience: Patience | None = None) -> None:
        self.known = known
        self._patience = patience or Patience()

    def status(self) -> Status:
        """What the machine says of itself."""
        return self._asked("GET", "/", Status, self._patience.answer_s)

    def send(self, key: str, package: Path, watch: Watch = UNWATCHED) -> Reply:
        """Send a build. A machine that has it already says so and takes nothing: it may be sent again after a fault."""
        size = package.stat().st_size

        def pieces() -> Iterator[bytes]:
            sent = 0
            with package.open("rb") as file:
                while piece := file.read(_PIECE):
                    watch.at(0.9 * sent / max(size, 1), f"sending to {self.known.name}: {sent / 1e6:.1f} MB")
                    sent += len(piece)
                    yield piece
            watch.at(0.9, f"{self.known.name} looks at the build")

        headers = {"content-length": str(size), "content-type": "application/zip"}
        return self._asked("PUT", f"/builds/{key}", Reply, self._patience.look_s, content=pieces(), headers=headers)

    def sent_surely(self, key: str, package: Path, watch: Watch = UNWATCHED) -> Reply:
        """Send a build, and again where no sensible answer came; the key keeps it from being taken twice."""
        for number in range(_TRIES):
            try:
                return self.send(key, package, watch)
            except MachineError:
                if number == _TRIES - 1:
                    raise
        raise AssertionError("unreachable")

    def control(self, key: str, what: str) -> Reply:
        """Pause, resume or cancel a build."""
        return self._asked("POST", f"/builds/{key}/{what}", Reply, self._patience.answer_s)

    def provoke(self, fault: str, layer: int = 0) -> Reply:
        """Have a practice machine fail in some way."""
        wanted = {"fault": fault, "layer": layer}
        return self._asked("POST", "/faults", Reply, self._patience.answer_s, json=wanted)

    def build(self, key: str) -> SentBuild | None:
        """What became of a build; None where the machine does not know it."""
        return self.status().build(key)

    def _asked(self, method: str, path: str, kind: type[T], patience_s: float, **more: Any) -> T:
        import httpx  # a fifth of a second that nobody waits for who sends nothing

        name, headers = self.known.name or self.known.address, dict(more.pop("headers", {}))
        headers["authorization"] = f"Bearer {self.known.token}"
        limits = httpx.Timeout(patience_s, connect=self._patience.answer_s)
        is_secret = self.known.address.startswith("https:")  # reading certificates takes longer than all the rest
        try:
            with (
                httpx.Client(trust_env=False, follow_redirects=False, timeout=limits, verify=is_secret) as client,
                client.stream(method, self.known.address + path, headers=headers, **more) as response,
            ):
                content = _bounded(response, name)
                code = response.status_code
        except httpx.TimeoutException:
            raise MachineError(name, "does not answer", "see whether it runs, and try again") from None
        except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError) as problem:
            words = str(problem) or type(problem).__name__
            raise MachineError(name, f"cannot be reached ({words})", "see whether it runs, and try again") from None
        if code == 401:
            raise MachineError(name, "does not know the token", "start it anew, or give its token")
        try:
            return kind.model_validate_json(content)
        except ValidationError:
            raise MachineError(name, "answers nonsense", "see what runs at its address, and try again") from None


def _bounded(response: httpx.Response, name: str) -> bytes:
    content = b""
    for piece in response.iter_bytes(16_384):
        content += piece
        if len(content) > MOST_ANSWER_BYTES:
            raise MachineError(name, "answers with more than any machine has to say", "see what runs at its address")
    return content


def machine_at(wanted: str, token: str = "") -> Known:
    """The machine of an id or name that runs here, or the one at an http address.

    Raises `MachineError` where none of that name runs. An address that is not this computer's has to be given whole.
    """
    if wanted.startswith(("http://", "https://")):
        address = wanted.rstrip("/")
        noted = next((one for one in known_machines() if one.address == address), None)
        return noted or Known("", wanted, address, token)
    running = known_machines()
    matches = [one for one in running if wanted in (one.machine, one.name)]
    if not matches:
        there = ", ".join(one.machine for one in running) or "none"
        raise MachineError(wanted, f"no machine of that name runs here (running: {there})",
                           f"start it: lean-trellis simulate {wanted}")  # fmt: skip
    return matches[-1]
