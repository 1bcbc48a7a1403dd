"""A candidate's answers: its file, joined on id, as scores, probabilities or classes."""

from __future__ import annotations

from typing import Any

import numpy as np
import polars as pl

from skarlo import core
from skarlo.core import FloatArray, IntArray, several

from .account import Answered
from .columns import Files, Loading, at, codes_of, one_of, read_ids
from .joining import places
from .labels import merged
from .problems import Problem
from .read import Source, as_number, as_text
from .spec import CandidateSpec, RuleSpec, StudySpec

NO_ANSWER = "has no answer for this row"
SUM_ERROR, SUM_FINDING = 1e-3, 1e-6


def read_candidate(
    c: CandidateSpec, spec: StudySpec, holdout: pl.DataFrame, ids: pl.Series | None, home: Source,
    classes: list[str], files: Files, doing: Loading,
) -> Answered | None:  # fmt: skip
    """One candidate over all rows of the hold-out, or None with its problems named."""
    source = files(c.path) if c.path else home
    table = doing.table(source)
    if table is None or not _consistent(c, classes, doing):
        return None
    names = [c.score or c.predicted or ""] if c.probabilities is None else [c.probabilities[k] for k in classes]
    what = "predicted class" if c.predicted else "probability" if c.probabilities else "score"
    columns = [doing.column(table, name, source.name, what) for name in names]
    own, order = ids, np.arange(holdout.height) if not c.path else None
    if c.path:
        own, order = _join(c, spec, table, ids, holdout.height, source, doing)
    found = [column for column in columns if column is not None]
    if len(found) < len(columns):
        return None
    # the cells are looked at in their file's own order, so that their faults are named whether or not the ids join
    read = _Reading(c, own, source.name, classes, spec.holdout.merge, doing)
    reasons = None if c.reason is None else doing.column(table, c.reason, source.name, "stated reason")
    price = _price(c, table, source, own, doing)
    about: dict[str, Any] = {
        "runs_now": c.runs_now, "version": c.version, "made_with": c.made_with,
        "no_answer": c.no_answer, "price_per_1000": price, "latency_ms": c.latency_ms,
        "ranking_only": c.score_is == "ranking",
    }  # fmt: skip
    answers: dict[str, Any]
    if c.predicted is not None:
        answers = {"predicted": _taken(read.labels(found[0]), order, -1)}
    elif c.probabilities is not None:
        answers = {"probabilities": _taken(read.probabilities(found), order, np.nan)}
    else:
        answers = {"score": _taken(read.scores(found[0], "score"), order, np.nan)}
    if order is None:
        return None
    cutoff = _cutoff(c) if len(classes) == 2 and c.predicted is None else None
    reason = None if reasons is None else _stated(reasons, order)
    return Answered(core.Candidate(c.name, cutoff=cutoff, **answers, **about), order, source, reason)


def _stated(column: pl.Series, order: IntArray) -> pl.Series:
    """Reasons in the order of the hold-out; null where there is none."""
    text = as_text(column).gather(np.maximum(order, 0))
    return text.set((text == "") | pl.Series(order < 0), None)


def _price(
    c: CandidateSpec, table: pl.DataFrame, source: Source, ids: pl.Series | None, doing: Loading
) -> float | None:
    """The price of 1,000 rows: as it is said, or the mean of a column with the price of each answer."""
    if c.price is None:
        return c.price_per_1000
    if c.price_per_1000 is not None:
        doing.misasked(f"candidate {c.name}: give price or price_per_1000, not both")
    column = doing.column(table, c.price, source.name, "price")
    if column is None:
        return None
    prices, _ = as_number(column)
    text = as_text(column)
    for i in np.flatnonzero(~(prices >= 0) & (text != "").to_numpy()).tolist():
        doing.problems.append(Problem("the price is not an amount", source.name, i + 2, at(ids, i), c.price, text[i],
                                      "a number of 0 or more, or nothing"))  # fmt: skip
    known = prices[prices >= 0]
    return 1000.0 * float(np.add.reduce(known)) / len(known) if len(known) else None


def _taken(values: Any, order: IntArray | None, gap: float) -> Any:
    """Rows of an array in the order of the hold-out; the rows of index -1, which were not answered, as a gap."""
    if order is None:
        return None
    if len(order) == len(values) and np.array_equal(order, np.arange(len(order))):
        return values
    out = values[order]
    out[order < 0] = gap
    return out


def _cutoff(c: CandidateSpec) -> core.Cutoff:
    if isinstance(c.cutoff, RuleSpec):
        return core.Cutoff(rule=c.cutoff.rule, parameters=c.cutoff.parameters())
    by = c.cutoff_chosen_by.told() if c.cutoff_chosen_by else {}
    return core.Cutoff(0.5 if c.cutoff is None else float(c.cutoff), c.cutoff_chosen_on, chosen_by=by)


def _consistent(c: CandidateSpec, classes: list[str], doing: Loading) -> bool:
    """Whether what a candidate says of itself fits together and fits the classes."""
    before = len(doing.problems)

    def wrong(message: str, found: str | None = None, expected: str | None = None) -> None:
        doing.misasked(f"candidate {c.name}: {message}", found, expected)

    if sum(x is not None for x in (c.score, c.predicted, c.probabilities)) != 1:
        wrong("give exactly one of score, predicted and probabilities")
    if c.predicted is not None and c.cutoff is not None:
        wrong("a cutoff needs a score, and it gives classes")
    if len(classes) > 2 and c.score is not None:
        wrong("one score cannot speak of more than two classes", expected="probabilities or predicted")
    if len(classes) > 2 and c.cutoff is not None:
        wrong("a cutoff needs two classes", found=f"{len(classes)} classes")
    if c.probabilities is not None and set(c.probabilities) != set(classes):
        wrong("probabilities must name a column for each class", ", ".join(c.probabilities), ", ".join(classes))
    if c.score_is is not None and c.score is None:
        wrong("score_is needs a score")
    return len(doing.problems) == before


class _Reading:
    """Columns of one candidate in the order of its file; what is wrong with a cell is named with its row."""

    def __init__(self, c: CandidateSpec, ids: pl.Series | None, file: str, classes: list[str],
                 merge: dict[str, str], doing: Loading) -> None:  # fmt: skip
        self.c, self.ids, self.file, self.classes, self.doing = c, ids, file, classes, doing
        self.merge = merge
        self.strict = c.no_answer == "error"

    def _problem(self, message: str, i: int, column: str, found: str, expected: str) -> None:
        self.doing.problems.append(Problem(message, self.file, i + 2, at(self.ids, i), column, found, expected))

    def labels(self, column: pl.Series) -> IntArray:
        text = merged(as_text(column), self.merge)
        codes = codes_of(text, self.classes)
        strange = 0
        for i in np.flatnonzero(codes < 0).tolist():
            if text[i] == "":
                if self.strict:
                    self._problem(NO_ANSWER, i, column.name, "", one_of(self.classes))
            elif self.strict:
                self._problem("the answer is not a class of the study", i, column.name, text[i], one_of(self.classes))
            else:
                strange += 1
        if strange:
            of = "no class of this study and count"
            said = several(strange, f"answer names {of}s", f"answers name {of}")
            self.doing.findings.append({
                "level": "warning", "code": "answer_is_no_class", "message": f"{self.c.name}: {said} as no answer",
                "where": {"candidate": self.c.name, "file": self.file, "column": column.name, "rows": strange},
            })  # fmt: skip
        return codes

    def scores(self, column: pl.Series, what: str) -> FloatArray:
        values, bad = as_number(column)
        text = as_text(column[bad]) if bad else None
        for k, i in enumerate(bad):
            found = text[k] if text is not None else ""
            if found == "":
                if self.strict:
                    self._problem(NO_ANSWER, i, column.name, "", "a finite number")
            else:
                self._problem(f"the {what} is not a number", i, column.name, found, "a finite number")
        if column.dtype == pl.Float32:
            self._near(values, column.name)
        return values

    def _near(self, values: FloatArray, column: str) -> None:
        """Scores kept in single precision that stand so near the cutoff that widening may have moved them."""
        value = 0.5 if self.c.cutoff is None else self.c.cutoff
        if isinstance(value, RuleSpec):
            return
        near = int(np.count_nonzero(np.abs(values - value) <= 1e-6))
        if near:
            self.doing.findings.append({
                "level": "note", "code": "single_precision_near_cutoff",
                "message": f"{self.c.name}: {near:,} single-precision scores lie within 1e-6 of the cutoff",
                "where": {"candidate": self.c.name, "file": self.file, "column": column, "rows": near},
            })  # fmt: skip

    def probabilities(self, columns: list[pl.Series]) -> FloatArray:
        p = np.stack([self.scores(column, "probability") for column in columns], axis=1)
        some, every = np.isnan(p).any(axis=1), np.isnan(p).all(axis=1)
        for i in np.flatnonzero(some & ~every).tolist():
            if not self.strict:
                self._problem("some of the probabilities are missing", i, columns[0].name, "", "all or none of them")
        given = np.flatnonzero(~some)
        for i in given[((p[given] < 0) | (p[given] > 1)).any(axis=1)].tolist():
            k = int(np.argmax((p[i] < 0) | (p[i] > 1)))
            self._problem("the probability lies outside 0 to 1", i, columns[k].name, repr(float(p[i, k])), "0 to 1")
        off = np.abs(np.add.reduce(p[given], axis=1) - 1.0)
        for i in given[off > SUM_ERROR].tolist():
            self._problem("the probabilities do not sum to 1", i, columns[0].name, f"{float(p[i].sum()):.6g}",
                          "a sum of 1; nothing is renormalised")  # fmt: skip
        slight = int(np.count_nonzero((off > SUM_FINDING) & (off <= SUM_ERROR)))
        if slight:
            said = f"the probabilities of {several(slight, 'row')} miss a sum of 1 by more than 1e-6"
            self.doing.findings.append({
                "level": "note", "code": "probabilities_miss_one",
                "message": f"{self.c.name}: {said}; nothing is renormalised",
                "where": {"candidate": self.c.name, "file": self.file, "rows": slight},
            })  # fmt: skip
        p[some] = np.nan
        return p


def _join(
    c: CandidateSpec, spec: StudySpec, table: pl.DataFrame, ids: pl.Series | None, rows: int, source: Source,
    doing: Loading,
) -> tuple[pl.Series | None, IntArray | None]:  # fmt: skip
    """The candidate's own ids, and the index into its rows for each hold-out row (None with the problems named)."""
    if spec.holdout.id is None:
        if table.height != rows:
            doing.problems.append(Problem("without ids every file must have the same number of rows", source.name,
                                          found=f"{table.height:,} rows", expected=f"{rows:,} rows"))  # fmt: skip
            return None, None
        return None, np.arange(rows)
    before = len(doing.problems)
    id_name = c.id or spec.holdout.id
    own = read_ids(table, id_name, source.name, doing, None if doing.problems else ids)
    if own is None or ids is None:
        return None, None
    order = None
    if len(doing.problems) == before:
        order = np.arange(rows) if own is ids else places(ids, own)
    unanswered = rows if order is None else int(np.count_nonzero(order < 0))
    if order is None or rows - unanswered < len(own):
        for i in (~own.is_in(ids.implode()) & (own != "")).arg_true().to_list():
            doing.problems.append(Problem("the id is not in the hold-out", source.name, i + 2, own[i], id_name,
                                          expected="ids of the hold-out only"))  # fmt: skip
    if unanswered and c.no_answer == "error":
        for i in (~ids.is_in(own.implode()) & (ids != "")).arg_true().to_list():
            doing.problems.append(Problem(f"has no answer for this hold-out row (row {i + 2} there)", source.name,
                                          id=ids[i], column=id_name, expected="an answer for every id"))  # fmt: skip
    return own, order if len(doing.problems) == before else None
