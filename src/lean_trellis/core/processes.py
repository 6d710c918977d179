"""Many tasks done by processes of this computer: one that crashes costs its own task and nothing else.

Workers are programs of their own, so they can be started from wherever: from the command line, from a window's worker.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import queue
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterable, Iterator
from typing import Any, Generic, TypeVar

Task = TypeVar("Task")
Answer = TypeVar("Answer")
_TICK_S = 0.1
_ONE_THREAD = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS")


def processors() -> int:
    """How many processes this computer runs at once."""
    return len(os.sched_getaffinity(0))


class _Worker(Generic[Task, Answer]):
    """A process that does one task after the other, and is started anew where it has died."""

    def __init__(self, act: Callable[[Any, Task], Answer], common: Any) -> None:
        self._begin = pickle.dumps((act, common))
        self.is_ended = False
        self._start()

    def _start(self) -> None:
        paths = os.pathsep.join(path for path in sys.path if path)
        alone = {**os.environ, "PYTHONPATH": paths, **dict.fromkeys(_ONE_THREAD, "1")}
        program = [sys.executable, "-m", "lean_trellis.core.processes"]
        self.process = subprocess.Popen(program, stdin=subprocess.PIPE, stdout=subprocess.PIPE, env=alone)
        self._send(self._begin)

    def _send(self, content: bytes) -> None:
        assert self.process.stdin is not None
        self.process.stdin.write(content)
        self.process.stdin.flush()

    def do(self, task: Task, lost: Callable[[Task, str], Answer]) -> Answer:
        """What came of a task; where the process dies over it, what `lost` makes of that."""
        assert self.process.stdout is not None
        try:
            self._send(pickle.dumps(task))
            answer: Answer = pickle.load(self.process.stdout)
        except (EOFError, OSError, pickle.UnpicklingError):
            died = self.process.wait()
            self._close()
            if not self.is_ended:
                self._start()
            return lost(task, f"by signal {-died}" if died < 0 else f"with status {died}")
        return answer

    def end(self) -> None:
        """End the process, whatever it does."""
        self.is_ended = True
        self.process.kill()
        self.process.wait()
        self._close()

    def _close(self) -> None:
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                with contextlib.suppress(BrokenPipeError):
                    pipe.close()


def done_apart(
    act: Callable[[Any, Task], Answer],
    tasks: Iterable[tuple[int, Task]],
    workers: int,
    *,
    lost: Callable[[Task, str], Answer],
    common: Any = None,
    tick: Callable[[], None] = lambda: None,
) -> Iterator[tuple[int, Answer]]:
    """Do numbered tasks by `act(common, task)` in processes and give the answers in the order in which they end.

    `act` is a function of a module; `common` travels to each process once. `tick` is called some ten times a second and
    may raise. Where the caller stops listening, or `tick` raises, the processes end at once.
    """
    answers: queue.Queue[tuple[int, Answer] | BaseException | None] = queue.Queue()
    source, taking = iter(tasks), threading.Lock()
    crew: list[_Worker[Task, Answer]] = [_Worker(act, common) for _ in range(workers)]

    def work(worker: _Worker[Task, Answer]) -> None:
        try:
            while not worker.is_ended:
                with taking:
                    numbered = next(source, None)
                if numbered is None:
                    break
                answers.put((numbered[0], worker.do(numbered[1], lost)))
        except Exception as problem:  # noqa: BLE001 - it is raised where the answers are waited for
            answers.put(problem)
        finally:
            answers.put(None)

    for number, worker in enumerate(crew, start=1):
        threading.Thread(target=work, args=(worker,), daemon=True, name=f"tasks {number}").start()
    left = len(crew)
    try:
        while left:
            try:
                answer = answers.get(timeout=_TICK_S)
            except queue.Empty:
                tick()
                continue
            if answer is None:
                left -= 1
            elif isinstance(answer, BaseException):
                raise answer
            else:
                yield answer
    finally:
        for worker in crew:
            worker.end()


def _serve() -> None:
    """Do what comes through standard input, until it ends; what is printed goes where errors go."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    source = sys.stdin.buffer
    act, common = pickle.load(source)
    while True:
        try:
            task = pickle.load(source)
        except EOFError:
            return
        answer = act(common, task)
        try:
            pickle.dump(answer, out)
            out.flush()
        except BrokenPipeError:  # whoever wanted it has been killed
            os._exit(0)


if __name__ == "__main__":
    _serve()
