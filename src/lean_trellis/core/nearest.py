"""Trees of places, to find which are nearest: scipy's, imported when the first is made.

The window starts without any: importing them takes a third of a second that nobody needs to wait for.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, TypeAlias

from numpy.typing import ArrayLike

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

    PlaceTree: TypeAlias = cKDTree
else:
    PlaceTree = Any


def place_tree(places: ArrayLike) -> PlaceTree:
    """The tree of places (n, k)."""
    from scipy.spatial import cKDTree

    return cKDTree(places)
