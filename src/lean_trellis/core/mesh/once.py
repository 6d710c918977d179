"""What is worked out of a mesh once, and kept as long as the mesh is there."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TypeVar
from weakref import WeakKeyDictionary

from lean_trellis.core.mesh.mesh import Mesh

T = TypeVar("T")


def once_a_mesh(find: Callable[[Mesh], T]) -> Callable[[Mesh], T]:
    """The same function, which finds for each mesh once."""
    known: WeakKeyDictionary[Mesh, T] = WeakKeyDictionary()

    @wraps(find)
    def of_mesh(mesh: Mesh) -> T:
        if mesh not in known:
            known[mesh] = find(mesh)
        return known[mesh]

    return of_mesh
