"""Pieces done on a cluster, by dask.distributed: the same function, the same answers.

Each piece travels with its content and comes back as one, so no worker needs the folders of this computer; a worker
that is lost costs time and no piece, since its pieces are done by another.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice

from lean_trellis.core.batch.piece import BatchPiece, Done, do_piece
from lean_trellis.core.errors import EditError

_PATIENCE_S = 10
_AHEAD = 4
"""As many pieces wait on the cluster for each of its processors: no more are held in memory."""


def done_on(scheduler: str, pieces: Iterable[tuple[int, BatchPiece]]) -> Iterator[tuple[int, Done]]:
    """Do numbered pieces on a cluster and give what came of each, in the order in which they end.

    Raises `EditError` where dask.distributed is not installed, or where no scheduler answers.
    """
    try:
        from distributed import Client, Future, as_completed
    except ImportError:
        raise EditError("--scheduler", "dask.distributed is not installed", "install lean-trellis[cluster]") from None
    try:
        client = Client(scheduler, timeout=_PATIENCE_S, set_as_default=False)
    except (OSError, ValueError) as problem:
        raise EditError(
            "--scheduler", f"{scheduler} does not answer ({problem})", "see whether it runs, or leave the option out"
        ) from None
    with client:
        numbers: dict[str, int] = {}

        def sent(numbered: tuple[int, BatchPiece]) -> Future:
            number, piece = numbered
            future = client.submit(do_piece, piece, pure=False, key=f"piece-{number}-{piece.path.name}")
            numbers[future.key] = number
            return future

        source = iter(pieces)
        width = max(sum(client.nthreads().values()), 1) * _AHEAD
        running = as_completed([sent(one) for one in islice(source, width)], loop=client.loop)
        for future in running:
            yield numbers[future.key], _answer(future)
            for one in islice(source, 1):
                running.add(sent(one))


def _answer(future: object) -> Done:
    """What a piece came to; one over which workers keep dying is its failure."""
    problem = future.exception()  # type: ignore[attr-defined]
    if problem is not None:
        return Done(ok=False, reason=f"{type(problem).__name__}: {problem}".splitlines()[0])
    done: Done = future.result()  # type: ignore[attr-defined]
    return done
