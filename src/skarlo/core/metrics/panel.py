"""Every metric of one candidate on some rows: a split, or a slice of it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache, partial

import numpy as np

from ..counting.answers import Answers, Scored
from ..counting.table import Table
from ..counting.tally import Tally
from ..language.formula import parse
from ..number import Metric, absent, point
from ..once import lazy
from ..results import ClassResult
from ..study import OwnMetric, Settings
from . import calibration, classes, counts, own, ranking
from .counts import Names
from .definitions import METRICS
from .losses import brier_skill, mean_loss, mean_of_losses, moments, skill
from .own import NO_PROBABILITIES, NO_SCORE
from .trust import mark

OUTSIDE = "its scores are not probabilities: some lie outside 0 to 1"
RANKING = "its scores are said to rank only, and are not probabilities"


@dataclass(frozen=True)
class Reading:
    """How a study's rows are read: labels, settings, own metrics, why a candidate has no cutoff, and why no difference
    of its numbers is tested."""

    classes: tuple[str, ...]
    positive: int | None
    settings: Settings
    own: tuple[OwnMetric, ...] = ()
    no_cutoff: str = ""
    ranking_only: bool = False
    untested: str = ""

    @property
    def metrics(self) -> tuple[str, ...]:
        """The names of all metrics, in the documented order; the study's own stand last."""
        return (*(METRICS.two if self.positive is not None else METRICS.many), *(m.name for m in self.own))

    @property
    def formulas(self) -> tuple[OwnMetric, ...]:
        """All that are nothing but a formula or a measure: the house's own, then the study's."""
        if self.positive is None or not METRICS.expressions:
            return self.own
        return (*(_spelled(name) for name in METRICS.expressions), *self.own)

    def needs_class(self, name: str) -> bool:
        """Whether a metric reads the predicted class, so that a cutoff changes it."""
        mine = self.own_named(name)
        return METRICS[name].needs == "counts" if mine is None else mine.measure in (None, "expected_cost")

    def over_answered(self, name: str) -> bool:
        """Whether a metric is over the rows with an answer alone, however the others count."""
        mine = self.own_named(name)
        return not self.needs_class(name) and (mine is None or mine.measure != "top_k_accuracy")

    def own_named(self, name: str) -> OwnMetric | None:
        """The formula or measure of that name, if it is one."""
        return self._by_name.get(name)

    @lazy
    def _by_name(self) -> dict[str, OwnMetric]:
        return {m.name: m for m in reversed(self.formulas)}

    def improves(self, name: str) -> int:
        """+1 when higher is better, -1 when lower is, 0 when neither."""
        found = self.own_named(name)
        return {"higher": 1, "lower": -1, "neither": 0}[found.better if found else METRICS[name].better]

    @property
    def names(self) -> Names:
        """Labels of the positive and the negative class, for the reasons of absent numbers."""
        return self.named(1 if self.positive is None else self.positive)

    def named(self, k: int) -> Names:
        """The same with class k as the positive one."""
        rest = [c for i, c in enumerate(self.classes) if i != k]
        one = f"“{self.classes[k]}”"
        return {"positive": one, "negative": f"“{rest[0]}”" if len(rest) == 1 else f"other than {one}"}


@lru_cache(maxsize=64)
def _spelled(name: str) -> OwnMetric:
    """A metric of the house that is a formula, as own metrics are."""
    d = METRICS[name]
    return OwnMetric(name, parse(d.expression), d.better)


def metrics(a: Answers, reading: Reading, scores: Mapping[str, Metric] | None = None) -> dict[str, Metric]:
    """All metrics of a candidate on some rows, in the documented order; own metrics last.

    `scores` is what `of_scores` gave, where it is known already: no cutoff changes it.
    """
    return in_order({**of_counts(a, reading), **(of_scores(a, reading) if scores is None else scores)}, reading)


def in_order(found: Mapping[str, Metric], reading: Reading) -> dict[str, Metric]:
    """Metrics in the documented order, those whose interval is approximate marked."""
    return {name: mark(name, found[name]) for name in reading.metrics}


def of_scores(a: Answers, reading: Reading) -> dict[str, Metric]:
    """The metrics that read scores or probabilities and no predicted class, own ones among them."""
    return score_metrics(a, reading) | _own(a, reading, needs_class=False)


def of_counts(a: Answers, reading: Reading, counted: dict[str, Metric] | None = None) -> dict[str, Metric]:
    """The metrics that read the predicted class, own ones among them; `counted` are the others, where known already."""
    return (_counts(a, reading) if counted is None else counted) | _own(a, reading, needs_class=True)


def score_metrics(a: Answers, reading: Reading, wanted: Collection[str] | None = None) -> dict[str, Metric]:
    """The metrics of scores or probabilities alone, none of the study's own; `wanted` are all where left out."""
    ways = _two_scores(a, reading) if reading.positive is not None else _many_scores(a, reading)
    return {name: ways[name]() for name in ways if wanted is None or name in wanted}


def _own(a: Answers, reading: Reading, needs_class: bool) -> dict[str, Metric]:
    return {
        m.name: own.metric(m, a, reading.settings, reading.no_cutoff)
        for m in reading.formulas if reading.needs_class(m.name) == needs_class
    }  # fmt: skip


def _counts(a: Answers, reading: Reading) -> dict[str, Metric]:
    t = a.table
    if t is None and reading.positive is not None:
        whole = counts.count_metrics(_nothing_said(a), reading.positive, reading.settings.sampling, reading.names)
        return {k: m if k == "prevalence" else absent(reading.no_cutoff) for k, m in whole.items()}
    assert t is not None
    return of_table(t, reading)


def of_table(t: Table, reading: Reading) -> dict[str, Metric]:
    """The metrics that a matrix alone tells."""
    sampling = reading.settings.sampling
    if reading.positive is not None:
        return counts.count_metrics(t, reading.positive, sampling, reading.names)
    whole_table = {"accuracy": counts.rate("accuracy", t, 0, sampling, reading.names)}
    whole_table["balanced_accuracy"] = counts.mean_recall(t, sampling)
    return whole_table | counts.agreement_metrics(t, sampling)


def _nothing_said(a: Answers) -> Table:
    """The table of a candidate without a cutoff, for what needs no prediction."""
    made = replace(a, predicted=np.zeros(len(a.actual), dtype=np.int64), none_counts=False).table
    assert made is not None
    return made


Ways = dict[str, Callable[[], Metric]]


def _all(names: tuple[str, ...], why: str) -> Ways:
    return dict.fromkeys(names, partial(absent, why))


def _two_scores(a: Answers, reading: Reading) -> Ways:
    t = a.tally
    if t is None or a.scored is None:
        return _all(METRICS.of_scores, NO_SCORE)
    sampling, confidence, names = reading.settings.sampling, reading.settings.confidence, reading.names
    out: Ways = {
        "roc_auc": partial(ranking.roc_auc, a, confidence, names),
        "average_precision": partial(ranking.average_precision, a, confidence, names),
        "ks": partial(ranking.ks, a, sampling, names),
    }
    if not a.is_probability:
        return out | _all(METRICS.of_probabilities, RANKING if reading.ranking_only else OUTSIDE)
    if len(a.with_answer.actual) == 0 or t.rows <= 0:
        return out | _all(METRICS.of_probabilities, "there are no rows")
    squares, fitted = (
        lru_cache(partial(moments, a, "brier")),
        lru_cache(partial(calibration.fit_metrics, a, a.scored, confidence)),
    )
    bins = reading.settings.bins
    return out | {
        "brier": lambda: mean_loss(a, squares(), confidence),
        "brier_skill": lambda: brier_skill(a, squares()),
        "log_loss": lambda: mean_loss(a, moments(a, "log_loss"), confidence),
        "ece": partial(calibration.ece, a, t, bins, sampling),
        "mce": lambda: calibration.mce(a, t, bins),
        "calibration_intercept": lambda: fitted()["calibration_intercept"],
        "calibration_slope": lambda: fitted()["calibration_slope"],
    }


def _many_scores(a: Answers, reading: Reading) -> Ways:
    if a.probable is None:
        return _all(METRICS.of_class_probabilities, NO_PROBABILITIES)
    b, confidence = a.with_answer, reading.settings.confidence
    if len(b.actual) == 0 or (b.weight is not None and not b.weight.any()):
        return _all(METRICS.of_class_probabilities, "there are no rows")
    squares, likely = lru_cache(partial(moments, a, "brier")), a.probable.likely
    settings = reading.settings
    return {
        "roc_auc_macro": partial(_macro_area, a, confidence),
        "roc_auc_micro": lambda: ranking.roc_auc(classes.pooled(a), confidence, PAIRS),
        "average_precision_micro": lambda: ranking.average_precision(classes.pooled(a), confidence, PAIRS),
        "brier": lambda: mean_loss(a, squares(), confidence),
        "brier_skill": lambda: brier_skill(a, squares()),
        "log_loss": lambda: mean_loss(a, moments(a, "log_loss"), confidence),
        "ece_classwise": lambda: point(calibration.ece_classwise(a, settings.bins), NO_GAP_INTERVAL),
        "ece_by_answer": lambda: calibration.ece_by_answer(a, settings.bins, settings.sampling),
        "ece": lambda: calibration.ece(
            classes.against_rest(likely, b), likely.tally, settings.bins, settings.sampling
        ),
    }  # fmt: skip


def value(name: str, a: Answers, reading: Reading) -> float | None:
    """One metric's value alone, without its interval; None where there is none."""
    mine = reading.own_named(name)
    if mine is not None:
        return own.metric(mine, a, replace(reading.settings, draws=2), reading.no_cutoff)["value"]
    if METRICS[name].needs == "counts":
        cells = _nothing_said(a) if a.table is None and name == "prevalence" else a.table
        return None if cells is None else counts.value(name, cells, reading.positive or 0)
    if reading.positive is None and a.probable is None:
        return None
    if name in ("brier", "log_loss", "brier_skill") and a.scored is not None and not a.designed:
        if not (a.is_probability and a.scored.tally.rows):
            return None
        mean = mean_of_losses(a.scored, "log_loss" if name == "log_loss" else "brier")
        return skill(a, mean)["value"] if name == "brier_skill" else mean
    if name in ("brier", "log_loss", "brier_skill"):
        squares = moments(a, "log_loss" if name == "log_loss" else "brier") if a.is_probability else None
        return brier_skill(a, squares)["value"] if name == "brier_skill" else None if squares is None else squares.mean
    if a.probable is not None and name in OF_MANY:
        return OF_MANY[name](a, reading.settings.bins) if len(a.with_answer.actual) else None
    scored = a.scored if a.probable is None else a.probable.likely
    if scored is None or scored.tally.rows <= 0:
        return None
    t, bins = scored.tally, reading.settings.bins
    if METRICS[name].needs == "scores":
        known = {
            "roc_auc": ranking.roc_area,
            "average_precision": ranking.average_precision_value,
            "ks": ranking.ks_value,
        }
        return known[name](t) if t.positives > 0 and t.negatives > 0 else None
    if not scored.probable:
        return None
    if name == "ece":
        return calibration.ece_value(t, bins)
    return calibration.mce(a, t, bins)["value"] if name == "mce" else calibration.fit_value(scored, name)


PAIRS: Names = {"positive": "of the class", "negative": "of another class"}
NO_GAP_INTERVAL = "the mean of gaps of classes has no interval here"


def _mean_area(a: Answers, bins: int) -> float | None:
    found = classes.class_areas(a)
    return None if found is None else found.mean


# The values alone of what only probabilities of several classes have.
OF_MANY: dict[str, Callable[[Answers, int], float | None]] = {
    "roc_auc_macro": _mean_area,
    "roc_auc_micro": lambda a, bins: ranking.roc_area(pooled_tally(a)),
    "average_precision_micro": lambda a, bins: ranking.average_precision_value(pooled_tally(a)),
    "ece_classwise": calibration.ece_classwise,
    "ece_by_answer": calibration.ece_by_answer_value,
}


def pooled_tally(a: Answers) -> Tally:
    """Of all pairs of a row and a class."""
    t = classes.pooled(a).tally
    assert t is not None
    return t


def averaged(a: Answers, confidence: float) -> Metric:
    """The plain mean of the classes' average precisions."""
    found = classes.macro_area(a, "average_precision") if len(a.with_answer.actual) else None
    return absent(classes.NONE) if found is None else found.metric(confidence)


def _macro_area(a: Answers, confidence: float) -> Metric:
    found = classes.macro_area(a)
    return absent(classes.NONE) if found is None else found.metric(confidence)


def class_areas(a: Answers, reading: Reading) -> list[tuple[Metric, Metric]]:
    """roc_auc and average_precision of each class against the rest."""
    out = []
    for k in range(len(reading.classes)):
        names, one, confidence = reading.named(k), _one(a, k), reading.settings.confidence
        if one is None:
            why = absent(NO_SCORE if reading.positive is not None else NO_PROBABILITIES)
            out.append((why, why))
        else:
            out.append((ranking.roc_auc(one, confidence, names), ranking.average_precision(one, confidence, names)))
    return out


def per_class(a: Answers, reading: Reading, areas: list[tuple[Metric, Metric]]) -> dict[str, ClassResult]:
    """Each class against the rest."""
    sampling, t, out = reading.settings.sampling, a.table, counted_classes(a, reading)
    cells = _nothing_said(a) if t is None else t
    for k, entry in enumerate(out.values()):
        names = reading.named(k)
        for name in ("precision", "recall", "f1"):
            entry[name] = absent(reading.no_cutoff) if t is None else counts.rate(name, t, k, sampling, names)
        entry["prevalence"] = counts.rate("prevalence", cells, k, sampling, names)
        entry["roc_auc"], entry["average_precision"] = areas[k]
    return out


OF_CLASS = ("precision", "recall", "f1", "prevalence", "roc_auc", "average_precision")


def counted_classes(a: Answers, reading: Reading, why: str = "") -> dict[str, ClassResult]:
    """The counts of each class alone; with `why`, that there is no metric of it."""
    out: dict[str, ClassResult] = {}
    for k, label in enumerate(reading.classes):
        said = None if a.predicted is None else int(np.count_nonzero(a.predicted == k))
        out[label] = {"actual_rows": int(np.count_nonzero(a.actual == k)), "predicted_rows": said}
        if why:
            for name in OF_CLASS:
                out[label][name] = absent(why)  # type: ignore[literal-required]
    return out


def _one(a: Answers, k: int) -> Answers | None:
    """Class k's score against the rest, as two-class answers."""
    b = a.with_answer
    if a.probable is not None:
        return classes.against_rest(a.probable.of_class[k], b)
    if b.scored is None or k == a.positive:
        return a if b.scored is not None else None
    score = 1.0 - b.scored.score if a.is_probability else -b.scored.score
    known = None if b.weight is not None else a.one_against_rest(k)
    one = classes.against_rest(Scored(score + 0.0, b.actual == k, a.is_probability, b.weight, counted=known), b)
    ranking.same_area(a, one)
    return one
