"""The server that worker processes are forked from: without threads or window, with everything imported.

It is begun before anything heavy is imported here, so that it imports beside us. This module imports nothing heavy.
"""

from __future__ import annotations

import multiprocessing
from multiprocessing import forkserver
from multiprocessing.context import ForkServerContext

_IMPORTED = [
    "lean_trellis.studio.requests",
    "lean_trellis.studio.part_requests",
    "lean_trellis.studio.release_requests",
    "scipy.sparse.csgraph",
    "scipy.spatial.transform",
]


def worker_context() -> ForkServerContext:
    """The context in which workers are made."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_IMPORTED)
    return context


def begin_server() -> None:
    """Start the server, where it does not run yet; it goes on by itself."""
    worker_context()
    forkserver.ensure_running()
