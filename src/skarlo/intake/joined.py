"""The hold-out and all answers as one table: what a person looks rows up in.

Columns: `row`, the row's place in the hold-out file from 1; `split`; `actual`, the class's code; `field:NAME`, each
column of the hold-out as it was read; and for the i-th candidate, from 0, `i:place`, where its answer stands in its own
file, from 1 (0: it has none), with `i:score`, `i:predicted` (a class's code, -1: none) or `i:probability:k` for the
class of code k, and `i:reason`, why it says so, where it states that.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import polars as pl

from skarlo.core import BoolArray, IntArray

from .account import Answered

ROW, SPLIT, ACTUAL, FIELD = "row", "split", "actual", "field:"


def joined(
    table: pl.DataFrame,
    actual: IntArray,
    splits: Mapping[str, BoolArray],
    answered: Sequence[Answered],
    kept: BoolArray,
) -> pl.DataFrame:
    """The joined table of the rows that are in any split.

    Parameters
    ----------
    table : the hold-out as it was read; actual, splits, and the answers go along its rows
    kept : bool, shape (n,); which rows to keep
    """
    names = np.array([*splits, ""], dtype=object)
    at = np.full(len(actual), len(splits), dtype=np.int64)
    for i, rows in enumerate(splits.values()):
        at[rows] = i
    columns: dict[str, pl.Series] = {
        ROW: pl.Series(np.arange(1, len(actual) + 1)),
        SPLIT: pl.Series(names[at].tolist(), dtype=pl.Categorical),
        ACTUAL: pl.Series(actual.astype(np.int32)),
    }
    columns |= {f"{FIELD}{name}": table[name] for name in table.columns}
    for i, a in enumerate(answered):
        columns[f"{i}:place"] = pl.Series(a.order + 1)
        c = a.candidate
        if c.score is not None:
            columns[f"{i}:score"] = pl.Series(c.score).fill_nan(None)
        if c.predicted is not None:
            columns[f"{i}:predicted"] = pl.Series(c.predicted.astype(np.int32))
        if a.reason is not None:
            columns[f"{i}:reason"] = a.reason
        if c.probabilities is not None:
            for k in range(c.probabilities.shape[1]):
                columns[f"{i}:probability:{k}"] = pl.Series(c.probabilities[:, k]).fill_nan(None)
    out = pl.DataFrame([column.alias(name) for name, column in columns.items()])
    return out if kept.all() else out.filter(kept)
