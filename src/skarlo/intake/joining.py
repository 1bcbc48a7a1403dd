"""The account of a join on id: which rows found their answer, which did not, and which answers found no row."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import polars as pl

from skarlo.core import IntArray

SETS = ("matched", "missing", "extra", "doubled")


@dataclass(frozen=True)
class Match:
    """Ids by what became of them, each in the order of its file.

    matched : rows of the hold-out with exactly one answer
    missing : rows of the hold-out without one
    extra : ids of the answers that are not rows of the hold-out
    doubled : ids that stand more than once in the answers
    """

    matched: pl.Series
    missing: pl.Series
    extra: pl.Series
    doubled: pl.Series

    def counts(self) -> dict[str, int]:
        """How many of each."""
        return {name: len(getattr(self, name)) for name in SETS}


def match(rows: pl.Series, answers: pl.Series) -> Match:
    """Match the ids of a join.

    Parameters
    ----------
    rows : the hold-out's ids as text, each once
    answers : the answers' ids as text

    Examples
    --------
    >>> match(pl.Series(["a", "b", "c"]), pl.Series(["c", "d", "a", "a"])).counts()
    {'matched': 1, 'missing': 1, 'extra': 1, 'doubled': 1}
    """
    twice = answers.filter(answers.is_duplicated()).unique(maintain_order=True)
    found = rows.is_in(answers.implode())
    return Match(
        matched=rows.filter(found & ~rows.is_in(twice.implode())),
        missing=rows.filter(~found),
        extra=answers.filter(~answers.is_in(rows.implode())).unique(maintain_order=True),
        doubled=twice,
    )


def repeats(ids: pl.Series) -> bool:
    """Whether any id stands more than once; an equal hash is only a reason to look."""
    key = np.sort(ids.hash().to_numpy())
    return bool((key[1:] == key[:-1]).any()) and ids.n_unique() < len(ids)


def places(rows: pl.Series, answers: pl.Series) -> IntArray:
    """Where each row's id stands among the answers, -1 where it does not.

    Parameters
    ----------
    rows, answers : ids as text, each once in its own series

    Examples
    --------
    >>> places(pl.Series(["a", "b", "c"]), pl.Series(["c", "a"])).tolist()
    [1, -1, 0]
    """
    if not len(rows) or not len(answers):
        return np.full(len(rows), -1)
    low = np.uint64((1 << (max(len(rows), len(answers)) - 1).bit_length()) - 1)
    sought, there = _in_order(rows, low), _in_order(answers, low)
    key, wanted = there & ~low, sought & ~low
    at = np.arange(len(key))
    if len(key) != len(wanted) or not np.array_equal(key, wanted):
        at = np.minimum(np.searchsorted(key, wanted), len(key) - 1)
    found = key[at] == wanted
    out = np.full(len(rows), -1)
    out[(sought & low)[found].view(np.int64)] = (there & low)[at[found]].view(np.int64)
    # an equal hash is only a reason to compare the ids
    same = rows.filter(pl.Series(out >= 0)) == answers.gather(out[out >= 0])
    if bool((key[1:] == key[:-1]).any()) or not same.all():
        return _joined(rows, answers)
    return out


def _in_order(ids: pl.Series, low: np.uint64) -> IntArray:
    """The upper bits of each id's hash with its place in the lower ones, ascending: one sort and no argsort."""
    return np.sort((ids.hash().to_numpy() & ~low) | np.arange(len(ids), dtype=np.uint64))


def _joined(rows: pl.Series, answers: pl.Series) -> IntArray:
    table = pl.DataFrame({"id": answers, "at": np.arange(len(answers))})
    found = pl.DataFrame({"id": rows}).join(table, on="id", how="left", maintain_order="left")["at"]
    return found.fill_null(-1).to_numpy(writable=True).astype(np.int64)
