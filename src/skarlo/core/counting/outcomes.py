"""What becomes of the rows when one class is read against the rest: the one place where cells turn into outcomes.

Every rate, every count under a number, every gate on a count and every own formula reads these. Rows without an answer
that count as wrong stand in a last column: they are rows of their actual class, found by nobody and flagged by nobody.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from ..number import BoolArray, clean
from ..results import Outcomes

Masks = dict[str, BoolArray]


@lru_cache(maxsize=256)
def masks(k: int, width: int, positive: int) -> Masks:
    """Which cells of a matrix, shape (k, width), each outcome counts.

    k : classes; width : k, or k + 1 with a last column for no answer; positive : the class read against the rest

    Examples
    --------
    Actual “no”, “yes” by predicted “no”, “yes”, none:

    >>> masks(2, 3, 1)["FN"].tolist()
    [[False, False, False], [True, False, True]]
    """
    row, column = np.indices((k, width))
    is_pos, said_pos, answered = row == positive, column == positive, column < k
    found = {
        "TP": is_pos & said_pos, "FP": ~is_pos & said_pos, "FN": is_pos & ~said_pos,
        "TN": ~is_pos & ~said_pos & answered, "P": is_pos, "N": ~is_pos, "rows": np.ones((k, width), dtype=bool),
        "flagged": said_pos, "passed": answered & ~said_pos, "no_answer": ~answered, "right": row == column,
        "union": is_pos | said_pos, "unanswered_P": is_pos & ~answered, "unanswered_N": ~is_pos & ~answered,
    }  # fmt: skip
    for mask in found.values():
        mask.flags.writeable = False
    return found


def counted(cells: npt.ArrayLike, positive: int) -> dict[str, Any]:
    """Every outcome of one matrix as plain numbers by name: whole ones where the cells are whole.

    cells : shape (K, L), rows actual, columns predicted, a last column for no answer where there is one

    Examples
    --------
    >>> found = counted([[15, 7, 4], [4, 8, 2]], 1)
    >>> [found[name] for name in ("TP", "FP", "FN", "TN", "P", "N", "unanswered_P")]
    [8, 7, 6, 15, 14, 26, 2]
    """
    c = np.asarray(cells)
    return {name: c[mask].sum().item() for name, mask in masks(c.shape[0], c.shape[1], positive).items()}


def of_table(cells: npt.ArrayLike, positive: int) -> Outcomes:
    """The outcomes of one matrix, as they stand in the results."""
    n = counted(cells, positive)
    whole = np.asarray(cells).dtype.kind in "iub"
    tp, fp, fn, tn, left_p, left_n = (
        n[name] if whole else clean(n[name]) for name in ("TP", "FP", "FN", "TN", "unanswered_P", "unanswered_N")
    )
    return {"tp": tp, "fp": fp, "fn": fn, "tn": tn, "unanswered_positive": left_p, "unanswered_negative": left_n}
