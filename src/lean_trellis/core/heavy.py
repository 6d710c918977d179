"""Where work begins that takes longer the larger a part is, an audit event tells whoever cares which thread does it.

`sys.addaudithook` listens; the window's tests do.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")
EVENT = "lean_trellis.heavy"


def begins(what: str) -> None:
    """Tell that heavy work begins: the event's one argument names it."""
    sys.audit(EVENT, what)


def heavy(function: Callable[P, T]) -> Callable[P, T]:
    """Mark a function as heavy: the window never calls it on its own thread."""

    @wraps(function)
    def begun(*args: P.args, **kwargs: P.kwargs) -> T:
        begins(function.__qualname__)
        return function(*args, **kwargs)

    return begun
