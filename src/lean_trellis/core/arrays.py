"""Names for the array types that the core passes around."""

from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

Floats: TypeAlias = NDArray[np.float64]
Ints: TypeAlias = NDArray[np.int32]
Longs: TypeAlias = NDArray[np.int64]
Bools: TypeAlias = NDArray[np.bool_]
Bytes: TypeAlias = NDArray[np.uint8]
AnyArray: TypeAlias = NDArray[Any]


def frozen(array: AnyArray) -> AnyArray:
    """The same array, made read-only, C-contiguous."""
    result = np.ascontiguousarray(array)
    if result is array and array.flags.writeable and array.base is not None:
        result = array.copy()
    result.flags.writeable = False
    return result


def counted_out(counts: Longs) -> tuple[Longs, Longs]:
    """Of things that each have `counts` (n,) others, all of these in a row: whose each is, and its number there."""
    owners = np.repeat(np.arange(len(counts)), counts)
    return owners, np.arange(len(owners)) - np.repeat(np.cumsum(counts) - counts, counts)
