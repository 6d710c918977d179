"""Pieces done in processes of this computer: one that crashes costs its own piece and nothing else."""

from __future__ import annotations

import multiprocessing
import os
import queue
import signal
import threading
from collections.abc import Callable, Iterable, Iterator
from multiprocessing.connection import Connection

from lean_trellis.core.batch.piece import Done, Piece, do_piece

_ONE_THREAD = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS")
_SPAWN = multiprocessing.get_context("spawn")


def processors() -> int:
    """How many processes this computer runs at once."""
    return len(os.sched_getaffinity(0))


class _Worker:
    """A process that does one piece after the other, and is started anew where it has died."""

    def __init__(self, serves: Callable[[Connection], None]) -> None:
        self._serves = serves
        self._start()

    def _start(self) -> None:
        self._ours, theirs = _SPAWN.Pipe()
        self.process = _SPAWN.Process(target=self._serves, args=(theirs,), daemon=True)
        self.process.start()
        theirs.close()

    def do(self, piece: Piece) -> Done:
        """What came of a piece; a process that dies over it is its failure."""
        try:
            self._ours.send(piece)
            done: Done = self._ours.recv()
        except (EOFError, OSError):
            self.process.join()
            self._ours.close()
            died = self.process.exitcode or 0
            self._start()
            how = f"by signal {-died}" if died < 0 else f"with status {died}"
            return Done(ok=False, reason=f"{piece.path}: its process ended {how}; mend or simplify the part")
        return done

    def end(self) -> None:
        """End the process, whatever it does."""
        self.process.terminate()
        self._ours.close()


def serve(pipe: Connection) -> None:
    """Do what comes through a pipe, until its other end is closed."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    while True:
        try:
            piece = pipe.recv()
        except EOFError:
            return
        pipe.send(do_piece(piece))


def done_here(
    pieces: Iterable[tuple[int, Piece]], workers: int, serves: Callable[[Connection], None] = serve
) -> Iterator[tuple[int, Done]]:
    """Do numbered pieces in `workers` processes and give what came of each, in the order in which they end.

    Where the caller stops listening the processes end at once.
    """
    for key in _ONE_THREAD:  # processes share the processors: numeric libraries in them start no threads
        os.environ.setdefault(key, "1")
    answers: queue.Queue[tuple[int, Done] | None] = queue.Queue()
    source, taking, crew = iter(pieces), threading.Lock(), [_Worker(serves) for _ in range(workers)]

    def work(worker: _Worker) -> None:
        try:
            while True:
                with taking:
                    numbered = next(source, None)
                if numbered is None:
                    break
                answers.put((numbered[0], worker.do(numbered[1])))
        finally:
            answers.put(None)

    for number, worker in enumerate(crew, start=1):
        threading.Thread(target=work, args=(worker,), daemon=True, name=f"batch {number}").start()
    try:
        for _ in crew:
            while (answer := answers.get()) is not None:
                yield answer
    finally:
        with taking:
            source = iter(())
        for worker in crew:
            worker.end()
