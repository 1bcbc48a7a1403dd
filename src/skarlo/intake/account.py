"""A look at what came in, beside its numbers: the fields, and how each candidate's answers joined."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import polars as pl
from typing_extensions import TypedDict

from skarlo.core import Candidate, IntArray, Study

from .fields import FieldSummary
from .read import Source

SHOWN = 20


class Joined(TypedDict):
    """How one candidate's answers joined the rows: counts, and the first ids that did not match."""

    candidate: str
    matched: int
    missing: int
    extra: int
    doubled: int
    first_missing: list[str]


class Account(TypedDict):
    """What came in."""

    fields: list[FieldSummary]
    joins: list[Joined]


@dataclass(frozen=True)
class Read:
    """A study's files, read: the arrays to evaluate, the look at them, and all rows as one table.

    joined : makes that table (`skarlo.intake.joined`) of what was read; None where it was let go of
    """

    study: Study
    account: Account
    joined: Callable[[], pl.DataFrame] | None = None


@dataclass(frozen=True)
class Answered:
    """A candidate over all rows of the hold-out, and where in its file each row's answer stands (-1: nowhere).

    reason : why it says what it says, text along the rows, null where nothing is stated; None where it states none
    """

    candidate: Candidate
    order: IntArray
    source: Source
    reason: pl.Series | None = None

    def joined(self, ids: pl.Series) -> Joined:
        """How its answers joined; those that found no row, or stood twice, were errors and are none now."""
        missing = np.flatnonzero(self.order < 0)
        return {"candidate": self.candidate.name, "matched": len(ids) - len(missing), "missing": len(missing),
                "extra": 0, "doubled": 0, "first_missing": [str(ids[int(i)]) for i in missing[:SHOWN]]}  # fmt: skip
