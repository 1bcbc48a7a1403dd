"""The account of a join on id: which rows found their answer, which did not, and which answers found no row."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

SETS = ("matched", "missing", "extra", "doubled")


@dataclass(frozen=True)
class Account:
    """Ids by what became of them, each in the order of its file.

    matched : rows of the hold-out with exactly one answer
    missing : rows of the hold-out without one
    extra : ids of the answers that are no row of the hold-out
    doubled : ids that stand more than once in the answers
    """

    matched: pl.Series
    missing: pl.Series
    extra: pl.Series
    doubled: pl.Series

    def counts(self) -> dict[str, int]:
        """How many of each."""
        return {name: len(getattr(self, name)) for name in SETS}


def account(rows: pl.Series, answers: pl.Series) -> Account:
    """Account for a join.

    Parameters
    ----------
    rows : the hold-out's ids as text, each once
    answers : the answers' ids as text

    Examples
    --------
    >>> account(pl.Series(["a", "b", "c"]), pl.Series(["c", "d", "a", "a"])).counts()
    {'matched': 1, 'missing': 1, 'extra': 1, 'doubled': 1}
    """
    twice = answers.filter(answers.is_duplicated()).unique(maintain_order=True)
    found = rows.is_in(answers.implode())
    return Account(
        matched=rows.filter(found & ~rows.is_in(twice.implode())),
        missing=rows.filter(~found),
        extra=answers.filter(~answers.is_in(rows.implode())).unique(maintain_order=True),
        doubled=twice,
    )
