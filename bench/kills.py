"""Two windows at work are killed, again and again: what they did more than five seconds before must be there."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

from lean_trellis.core.job.recovery import LeftCopy, copies_left, open_copy
from lean_trellis.core.shop import shipped_library

OLDER_S = 5.0
_SCRIPT = Path(__file__).parent / "window_at_work.py"


@dataclass(frozen=True)
class Kill:
    """One killed window: the last edit older than five seconds, the last of all, and the one that is in the copy."""

    window: str
    needed: int
    last: int
    kept: int

    @property
    def is_lossless(self) -> bool:
        return self.kept >= self.needed


def kill_windows(folder: Path, kills: int, *, at_once: int = 2, seed: int = 1, most_s: float = 9.0) -> list[Kill]:
    """Kill `kills` windows, `at_once` at a time; every other round goes on with the copies of the round before."""
    chance = random.Random(seed)
    environment = os.environ | {
        name: str(folder / name.lower()) for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME")
    }
    root = folder / "xdg_state_home" / "lean-trellis" / "recovery"
    done: list[Kill] = []
    for number in range(-(-kills // at_once)):
        recovers = number % 2 == 1
        pair = f"{number // 2}"
        names = [f"window-{pair}-{which}" for which in range(min(at_once, kills - len(done)))]
        windows = [_start(name, folder, environment, recovers=recovers) for name in names]
        _wait_for_work([folder / f"{name}.log" for name in names], windows)
        time.sleep(OLDER_S + 0.5)
        for name, window in zip(names, windows, strict=True):
            time.sleep(chance.uniform(0, (most_s - OLDER_S - 0.5) / at_once))
            moment = time.time()
            os.killpg(window.pid, signal.SIGKILL)
            window.wait()
            done.append(_looked_at(name, folder / f"{name}.log", moment, root))
    return done


def _start(name: str, folder: Path, environment: dict[str, str], *, recovers: bool) -> subprocess.Popen[bytes]:
    log = folder / f"{name}.log"
    log.write_text("")
    words = [sys.executable, str(_SCRIPT), name, str(log), *(["--recover"] if recovers else [])]
    with (folder / f"{name}.err").open("ab") as errors:
        return subprocess.Popen(words, env=environment, start_new_session=True, stderr=errors)


def _wait_for_work(logs: list[Path], windows: list[subprocess.Popen[bytes]]) -> None:
    while not all(log.stat().st_size for log in logs):
        assert all(window.poll() is None for window in windows), "a window ended by itself; see its .err"
        time.sleep(0.05)


def _looked_at(name: str, log: Path, moment: float, root: Path) -> Kill:
    edits = [line.split() for line in log.read_text().splitlines()]
    numbers = [(int(number), float(at)) for number, at in (words for words in edits if len(words) == 2)]
    needed = max((number for number, at in numbers if at < moment - OLDER_S), default=0)
    mine = [copy for copy in copies_left(root) if copy.parts and copy.parts[0].startswith(f"{name} ")]
    assert len(mine) <= 1, f"{name} has {len(mine)} copies"
    kept = _number_in(mine[0]) if mine else -1
    return Kill(name, needed, max(number for number, _ in numbers), kept)


def _number_in(copy: LeftCopy) -> int:
    return int(open_copy(copy, shipped_library()).parts[0].name.split()[-1])
