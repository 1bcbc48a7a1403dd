"""Which rows are so, a bit each: rows that are so in several ways are counted without looking at any of them twice."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from ..number import BoolArray

Bits = npt.NDArray[np.uint64]


def packed(rows: BoolArray) -> Bits:
    """Rows as bits, 64 to a number, the last ones 0.

    Examples
    --------
    >>> import numpy as np
    >>> ones(packed(np.array([True, False, True]))), packed(np.ones(130, dtype=bool)).shape
    (2, (3,))
    """
    found = np.packbits(rows)
    return np.pad(found, (0, -len(found) % 8)).view(np.uint64)


def ones(bits: Bits) -> int:
    """How many rows are so."""
    return int(np.bitwise_count(bits).sum(dtype=np.int64))
