"""A study made ready: everything that no cutoff changes, made when first asked for and then shared.

Answers at several cutoffs are read off one `Prepared`, by as many threads as like: its values are never changed once
they are made.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from .counting.answers import Answers, Probable, Scored
from .decide import rules
from .number import BoolArray, FloatArray
from .once import Once
from .results import BaselineResult, CutoffResult
from .study import BASE_RATE, Candidate, Cutoff, Field, FieldsOf, Study


@dataclass(frozen=True)
class OnSplit:
    """A candidate on one split: all its rows, those it is judged on, and which of the split's rows these are."""

    whole: Answers
    judged: Answers
    kept: BoolArray

    @staticmethod
    def of(whole: Answers, left_out: bool = False) -> OnSplit:
        """Judged on all rows, or on those with an answer alone."""
        if left_out:
            return OnSplit(whole, whole.with_answer, whole.answered)
        return OnSplit(whole, whole, np.ones(len(whole.actual), dtype=bool))

    def at(self, cutoff: float) -> OnSplit:
        """With classes predicted at a cutoff."""
        whole = self.whole.at(cutoff)
        return OnSplit(whole, whole if self.judged is self.whole else self.judged.at(cutoff), self.kept)


@dataclass(frozen=True)
class Placed:
    """A candidate's cutoff: the number (infinity flags nothing; None where there is none), what is told of it, and why
    there is none if so."""

    value: float | None
    told: CutoffResult | None
    why: str = ""


def told_of(c: Cutoff) -> CutoffResult:
    """A cutoff that was set, as it stands in the results: with where and how it was chosen.

    Examples
    --------
    >>> told_of(Cutoff(0.3, "tuning", chosen_by={"rule": "recall_at_least", "value": 0.8}))
    {'value': 0.3, 'rule': 'recall_at_least', 'chosen_on': 'tuning', 'parameters': {'value': 0.8}}
    """
    by = dict(c.chosen_by)
    told: CutoffResult = {"value": c.value, "rule": str(by.pop("rule", "fixed")), "chosen_on": c.chosen_on}
    if by:
        told["parameters"] = by
    return told


class Prepared:
    """A study, and what no cutoff changes of it.

    Attributes
    ----------
    study : the rows, candidates and settings
    fields : those of the hold-out, where they are at hand
    once : what was made of it so far, by what it is about
    """

    def __init__(self, study: Study, fields: FieldsOf | None = None) -> None:
        self.study, self.fields = study, study.fields if fields is None else fields
        self.once = Once()

    def field(self, asked: str) -> Field:
        """A field cut as asked for, along the study's rows: "girth", "girth:4", "seen:month". Raises KeyError for what
        there is not."""
        fields = self.fields
        if fields is None:
            raise KeyError(f"the study has no field {asked} to slice by")
        return self.once.get(("field", asked), lambda: fields.cut(asked))

    def whole(self, i: int) -> Answers:
        """The i-th candidate over all rows; of two classes with no class predicted yet."""
        return self.once.get(("whole", i), lambda: _answers(self.study, self.study.candidates[i]))

    def on_split(self, i: int, split: str) -> OnSplit:
        """The i-th candidate on a split, with no cutoff yet."""
        left_out = self.study.candidates[i].no_answer == "left_out"
        return self.once.get(
            ("split", i, split), lambda: OnSplit.of(self.whole(i).take(self.study.splits[split]), left_out)
        )

    def at(self, i: int, split: str, cutoff: Placed) -> OnSplit:
        """The same with the cutoff put."""
        part = self.on_split(i, split)
        return part if part.whole.scored is None or cutoff.value is None else part.at(cutoff.value)

    def placed(self, i: int, cutoff: Cutoff | None) -> Placed:
        """Where the i-th candidate's cutoff is: as it was set, or chosen by its rule on the tuning split."""
        if self.whole(i).scored is None:
            return Placed(None, None)
        wanted = cutoff or Cutoff()
        if wanted.rule is None:
            return Placed(wanted.value, told_of(wanted))
        key = ("chosen", i, wanted.rule, tuple(sorted(wanted.parameters.items())))
        return self.once.get(key, lambda: self._chosen(i, wanted.rule or "", wanted))

    def _chosen(self, i: int, rule: str, wanted: Cutoff) -> Placed:
        split = self.study.tune_on or self.study.report_on
        looked = self.on_split(i, split).judged
        if looked.scored is None:
            raise ValueError("a rule chooses among scores")
        positives, negatives = looked.class_rows
        chosen = rules.choose(rule, wanted.parameters, looked.scored.tally, positives, negatives)
        told: CutoffResult = {
            "value": chosen.value, "rule": rule, "parameters": dict(wanted.parameters), "chosen_on": split,
        }  # fmt: skip
        if chosen.value is None:
            told["why"] = chosen.why
            return Placed(None, told, f"no cutoff satisfies {rule}: {chosen.why}")
        if math.isinf(chosen.value):
            return Placed(math.inf, {**told, "value": None, "flags": "nothing"})
        return Placed(chosen.value, told)

    @property
    def baselines(self) -> tuple[str, str]:
        """What needs no model: always the class that is commonest on the reported split, and the base rate."""
        s = self.study
        return f"always {s.classes[_commonest(s, self._reported)]}", BASE_RATE

    def about_baseline(self, name: str) -> BaselineResult:
        """Which one it is."""
        if name == BASE_RATE:
            return {"kind": "base_rate"}
        return {"kind": "always", "label": self.study.classes[_commonest(self.study, self._reported)]}

    @property
    def _reported(self) -> BoolArray:
        return self.study.splits[self.study.report_on]

    def baseline(self, name: str, split: str) -> OnSplit:
        """A baseline, whose class and base rate are those of the split it stands in."""
        return self.once.get(("baseline", name, split), lambda: OnSplit.of(_stand_in(self.study, name, split)))


def prepare(study: Study, fields: FieldsOf | None = None) -> Prepared:
    """Make a study ready to be evaluated at any cutoffs; nothing is computed until it is asked for.

    fields : those of the hold-out along its rows, where the study does not hold them itself

    Examples
    --------
    >>> import numpy as np
    >>> actual, score = np.array([0, 1, 0, 1]), np.array([0.2, 0.9, 0.7, 0.6])
    >>> one = Candidate("net", score=score, cutoff=Cutoff(0.5))
    >>> study = Study("q", ("no", "yes"), actual, 1, {"all": np.ones(4, dtype=bool)}, "all", None, (one,))
    >>> prepare(study).on_split(0, "all").at(0.65).judged.table.cells.tolist()
    [[1, 1], [1, 1]]
    """
    return Prepared(study, fields)


def _rows(study: Study, none_counts: bool = False) -> Answers:
    """The rows with nobody's answers."""
    return Answers(
        len(study.classes), study.positive, study.actual, none_counts=none_counts, weight=study.weight,
        group=study.group, numbers=study.numbers,
    )  # fmt: skip


def _answers(study: Study, c: Candidate) -> Answers:
    base = _rows(study, c.no_answer == "wrong")
    if c.predicted is not None:
        return replace(base, predicted=c.predicted)
    if c.probabilities is not None and study.positive is None:
        return _likely(base, c.probabilities)
    score = c.score if c.probabilities is None else c.probabilities[:, study.positive or 0]
    if score is None or study.positive is None:
        raise ValueError(f"candidate {c.name} gives nothing that can be read")
    given = score[~np.isnan(score)]
    return _scored(base, score, not c.ranking_only and bool(((given >= 0) & (given <= 1)).all()))


def _scored(base: Answers, score: FloatArray, probable: bool = True) -> Answers:
    return replace(base, scored=Scored(score, base.is_positive, probable, base.weight))


def _likely(base: Answers, probabilities: FloatArray) -> Answers:
    probable = Probable(probabilities, base.actual, base.weight)
    return replace(base, probable=probable, predicted=probable.largest)


def _stand_in(study: Study, name: str, split: str) -> Answers:
    rows = study.splits[split]
    base = _rows(study).take(rows)
    n = len(base.actual)
    if name != BASE_RATE:
        return replace(base, predicted=np.full(n, _commonest(study, rows), dtype=np.int64))
    found = np.bincount(base.actual, weights=base.weight, minlength=len(study.classes))
    share = found / found.sum() if found.sum() > 0 else np.full(len(study.classes), 1.0 / len(study.classes))
    if study.positive is None:
        return _likely(base, np.tile(share, (n, 1)))
    return _scored(base, np.full(n, float(share[study.positive]))).at(0.5)


def _commonest(study: Study, rows: BoolArray) -> int:
    weight = None if study.weight is None else study.weight[rows]
    return int(np.bincount(study.actual[rows], weights=weight, minlength=len(study.classes)).argmax())
