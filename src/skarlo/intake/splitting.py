"""Making a split where none exists: at random by class, by group, or by time. The same rows give the same split."""

from __future__ import annotations

import hashlib

import numpy as np
import polars as pl

from skarlo.core import BoolArray, IntArray

from .fields import is_date
from .problems import refuse
from .read import as_number
from .spec import SplitSpec

TUNING, TEST = "tuning", "test"


def make_split(spec: SplitSpec, labels: pl.Series, field: pl.Series | None, ids: pl.Series | None) -> pl.Series:
    """Name each row's split, "tuning" or "test".

    Parameters
    ----------
    labels : actual classes as text, shape (n,)
    field : what rows that must stay together share, or when each row was; as text; None by class
    ids : row ids as text, where there are any: the order of the rows then changes nothing

    Raises
    ------
    InputError
        When the field cannot order the rows, or leaves a side without rows.
    """
    by_id = np.arange(len(labels)) if ids is None else ids.arg_sort().to_numpy()
    if spec.by == "class":
        tuning = _by_class(spec, labels, by_id)
    else:
        assert field is not None
        tuning = _by_group(spec, field) if spec.by == "group" else _by_time(spec, field)
    if tuning.all() or not tuning.any():
        what = "one value only" if field is not None and field.n_unique() == 1 else f"{len(labels):,} rows"
        raise refuse("a split needs rows on both sides", column=spec.field, found=what)
    return pl.Series("split", np.where(tuning, TUNING, TEST))


def _shuffled(seed: int, about: str, n: int) -> IntArray:
    words = np.frombuffer(hashlib.sha256(about.encode()).digest(), "<u8")
    return np.random.Generator(np.random.PCG64(np.random.SeedSequence([seed, *map(int, words)]))).permutation(n)


def _by_class(spec: SplitSpec, labels: pl.Series, by_id: IntArray) -> BoolArray:
    """Of each class the same share, rounded to whole rows."""
    text = labels.to_numpy()[by_id]
    tuning = np.zeros(len(labels), dtype=bool)
    for label in sorted(labels.unique().to_list()):
        rows = by_id[np.flatnonzero(text == label)]
        tuning[rows[_shuffled(spec.seed, label, len(rows))][: round(spec.tuning * len(rows))]] = True
    return tuning


def _by_group(spec: SplitSpec, field: pl.Series) -> BoolArray:
    """Whole groups in random order, up to the one that comes nearest to the share."""
    groups = np.array(sorted(field.unique().to_list()), dtype=object)
    groups = groups[_shuffled(spec.seed, "groups", len(groups))]
    size = dict(field.value_counts().iter_rows())
    reached = np.cumsum([size[g] for g in groups])
    most = int(np.abs(reached - spec.tuning * len(field)).argmin()) + 1
    return field.is_in(groups[:most].tolist()).to_numpy()


def _by_time(spec: SplitSpec, field: pl.Series) -> BoolArray:
    """The earliest rows, up to the end of the moment that reaches the share."""
    at, bad = as_number(field)
    if bad and is_date(field):
        at, bad = np.unique(field.to_numpy().astype(str), return_inverse=True)[1].astype(np.float64), []
    if bad or bool((field == "").any()):
        raise refuse("holds neither dates nor numbers, so rows have no order in time", column=spec.field,
                     found=field[bad[0]] if bad else "", expected="dates such as 2026-03-14, or numbers")  # fmt: skip
    last = np.sort(at)[max(0, round(spec.tuning * len(at)) - 1)]
    return np.asarray(at <= last)
