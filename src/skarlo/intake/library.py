"""Skarlo as a library: arrays or data frames in, the results object out."""

from __future__ import annotations

import html
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import polars as pl

from skarlo import core
from skarlo.core import HEADLINE, METRICS, BoolArray, FloatArray, IntArray, several, with_interval

from .columns import codes_of, in_order
from .problems import refuse
from .read import as_number, as_text

COLUMNS = (*HEADLINE, "balanced_accuracy")


class Evaluation(dict[str, Any]):
    """The results, as `skarlo evaluate` writes them; shown as a readable table."""

    def _rows(self) -> tuple[list[str], list[list[str]]]:
        split = self["holdout"]["report_on"]
        parts = [(c["name"], c["splits"][split]["metrics"]) for c in self["candidates"]]
        names = [m for m in COLUMNS if any(m in metrics for _, metrics in parts)]
        header = ["candidate", *(METRICS[m].title for m in names)]
        return header, [[name, *(with_interval(metrics[m]) for m in names)] for name, metrics in parts]

    def __repr__(self) -> str:
        header, rows = self._rows()
        widths = [max(len(row[i]) for row in [header, *rows]) for i in range(len(header))]
        return "\n".join(
            "  ".join(x.ljust(w) for x, w in zip(row, widths, strict=True)).rstrip() for row in [header, *rows]
        )

    def _repr_html_(self) -> str:
        header, rows = self._rows()
        head = "".join(f"<th>{html.escape(x)}</th>" for x in header)
        body = "".join("<tr>" + "".join(f"<td>{html.escape(x)}</td>" for x in row) + "</tr>" for row in rows)
        return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"

    def unfold(self, candidate: str, metric: str, split: str | None = None) -> str:
        """One number's sentence and how its interval was made."""
        told = core.unfold(self, candidate, split or self["holdout"]["report_on"], metric)  # type: ignore[arg-type]
        return f"{told['sentence']} {told['interval']}".strip()


def evaluate(
    truth: Any, candidates: Mapping[str, Any], *, positive: Any = None, cutoffs: Mapping[str, float] | None = None,
    split: Any = None, report_on: str | None = None, weight: Any = None, group: Any = None,
    slices: Mapping[str, Any] | None = None, title: str = "", confidence: float = 0.95, seed: int = 1,
) -> Evaluation:  # fmt: skip
    """Evaluate candidates on held-out rows.

    Parameters
    ----------
    truth : the actual class of each row: a sequence, a NumPy array, or a column of any data frame that speaks Arrow
    candidates : by name, scores for `positive` (numbers), or class probabilities (a table with a column named for each
        class, or an array of shape (n, K) in class order), or predicted classes (anything else)
    positive : the class that scores speak of; needed with two classes
    cutoffs : by candidate name; 0.5 where left out
    split, report_on : the split of each row, and the one that is reported
    weight, group : sampling weights, and what rows belong together
    slices : by field name, each row's value

    Raises
    ------
    InputError
        When lengths differ, a score is not a number, or a class does not exist.

    Examples
    --------
    >>> from skarlo import evaluate
    >>> results = evaluate(["yes", "no", "yes", "no"], {"ours": [0.9, 0.2, 0.6, 0.7]}, positive="yes")
    >>> results["candidates"][0]["splits"]["all"]["matrix"]
    [[1, 1], [0, 2]]
    """
    labels = as_text(_series(truth, "truth"))
    n = len(labels)
    classes = in_order(sorted(set(labels.to_list())))
    if "" in classes:
        raise refuse("truth has rows without an actual class")
    if len(classes) < 2:
        raise refuse("all rows have one actual class", found=", ".join(classes), expected="two classes or more")
    index = _positive(classes, positive)
    if index == 0:
        classes, index = classes[::-1], 1
    splits = _splits(split, report_on, n)
    study = core.Study(
        title=title, classes=tuple(classes), actual=codes_of(labels, classes), positive=index, splits=splits,
        report_on=report_on or "all", tune_on=None,
        candidates=tuple(_candidate(name, x, classes, n, (cutoffs or {}).get(name)) for name, x in candidates.items()),
        settings=core.Settings(confidence=confidence, seed=seed),
        weight=None if weight is None else _numbers(weight, "weight", n),
        group=None if group is None else _codes(group, "group", n)[0],
        slices=tuple((_field(name, x, n),) for name, x in (slices or {}).items()),
    )  # fmt: skip
    return Evaluation(core.evaluate(study))


def _series(x: Any, name: str) -> pl.Series:
    if isinstance(x, pl.Series):
        return x
    if hasattr(x, "__arrow_c_stream__") or hasattr(x, "__arrow_c_array__"):
        return pl.Series(name, x)
    return pl.Series(name, np.asarray(x).tolist(), strict=False)


def _sized(series: pl.Series, name: str, n: int) -> pl.Series:
    if len(series) != n:
        raise refuse(f"{name} has {several(len(series), 'row')} and truth has {n:,}")
    return series


def _numbers(x: Any, name: str, n: int) -> FloatArray:
    values, bad = as_number(_sized(_series(x, name), name, n))
    if bad:
        raise refuse(f"{name}: row {bad[0]} is not a finite number")
    return values


def _codes(x: Any, name: str, n: int) -> tuple[IntArray, tuple[str, ...]]:
    text = as_text(_sized(_series(x, name), name, n))
    values = in_order([str(v) for v in text.unique().to_list()])
    return codes_of(text, values), tuple(values)


def _field(name: str, x: Any, n: int) -> core.Field:
    codes, values = _codes(x, name, n)
    return core.Field(name, values, codes)


def _positive(classes: Sequence[str], positive: Any) -> int | None:
    if len(classes) != 2:
        return None
    if positive is None:
        raise refuse(
            "positive is missing: which class do the scores speak of?", expected=f"one of {', '.join(classes)}"
        )
    label = as_text(pl.Series([positive]))[0]
    if label not in classes:
        raise refuse("positive is not a class of truth", found=label, expected=f"one of {', '.join(classes)}")
    return list(classes).index(label)


def _splits(split: Any, report_on: str | None, n: int) -> dict[str, BoolArray]:
    if split is None:
        return {"all": np.ones(n, dtype=bool)}
    text = as_text(_sized(_series(split, "split"), "split", n))
    names = [str(x) for x in text.unique(maintain_order=True).to_list() if x]
    if report_on not in names:
        raise refuse("report_on names no split", found=str(report_on), expected=f"one of {', '.join(names)}")
    ordered = [report_on, *(x for x in names if x != report_on)]
    return {name: (text == name).to_numpy() for name in ordered}


def _candidate(name: str, x: Any, classes: list[str], n: int, cutoff: float | None) -> core.Candidate:
    table = _table(x, classes)
    if table is not None:
        if table.shape != (n, len(classes)):
            raise refuse(f"{name}: probabilities have shape {table.shape}, expected ({n}, {len(classes)})")
        if not np.isfinite(table).all() or (np.abs(table.sum(axis=1) - 1) > 1e-3).any():
            raise refuse(f"{name}: probabilities must be numbers that sum to 1 in every row; nothing is renormalised")
        return core.Candidate(
            name, probabilities=table, cutoff=None if len(classes) > 2 else core.Cutoff(cutoff or 0.5)
        )
    series = _sized(_series(x, name), name, n)
    if series.dtype.is_float() and len(classes) == 2:
        return core.Candidate(
            name, score=_numbers(series, name, n), cutoff=core.Cutoff(0.5 if cutoff is None else cutoff)
        )
    said = codes_of(as_text(series), classes)
    if (said < 0).any():
        row = int(np.argmax(said < 0))
        raise refuse(f"{name}: row {row} answers no class of truth", found=as_text(series)[row])
    return core.Candidate(name, predicted=said)


def _table(x: Any, classes: list[str]) -> FloatArray | None:
    """Class probabilities as an array in class order, if that is what x holds."""
    if isinstance(x, np.ndarray) and x.ndim == 2:
        return x.astype(np.float64)
    if isinstance(x, Mapping) or hasattr(x, "columns") or hasattr(x, "column_names"):
        frame = pl.DataFrame(x)
        missing = [c for c in classes if c not in frame.columns]
        if missing:
            raise refuse("a table of probabilities needs a column for each class", found=", ".join(frame.columns),
                         expected=", ".join(classes))  # fmt: skip
        return frame.select(classes).to_numpy().astype(np.float64)
    return None


__all__ = ["Evaluation", "evaluate"]
