"""Candidates against each other and against the baselines, and who is not told apart from the best."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from . import measure, paired
from .answers import Answers
from .approximate import DIFFERENCE, mark_difference
from .definitions import MANY_CLASSES, TWO_CLASSES
from .measure import Reading
from .more_rows import Standing, clearing
from .results import Lead, PairResult
from .values import Difference, Metric

ON_SCORES = ("roc_auc", "average_precision", "ks", "brier", "brier_skill", "log_loss", "ece", "mce",
             "calibration_intercept", "calibration_slope", "roc_auc_macro")  # fmt: skip


@dataclass(frozen=True)
class Entrant:
    """A candidate on the reported split: all its rows, those it is judged on, and its numbers there."""

    name: str
    whole: Answers
    left_out: bool
    metrics: dict[str, Metric]
    reading: Reading


def names_of(reading: Reading) -> tuple[str, ...]:
    """The metrics that pairs and leads are given for: the study's own stand last."""
    return (*(TWO_CLASSES if reading.positive is not None else MANY_CLASSES), *(m.name for m in reading.own))


def difference(name: str, a: Entrant, b: Entrant) -> paired.Compared | str:
    """One metric's paired difference, or why there is none."""
    for one in (a, b):
        value = one.metrics[name]
        if value["value"] is None:
            return f"{one.name}: {value['why']}"
    first, second = _common(name, a, b)
    values = (a.metrics[name]["value"], b.metrics[name]["value"])
    if len(first.actual) < len(a.whole.actual):
        again = [measure.metrics(x, e.reading)[name] for x, e in ((first, a), (second, b))]
        values = again[0]["value"], again[1]["value"]
        if values[0] is None or values[1] is None:
            return "the rows that both answered give no number"
    assert values[0] is not None
    assert values[1] is not None
    positive = 0 if a.reading.positive is None else a.reading.positive
    return paired.compare(name, first, second, (values[0], values[1]), positive, a.reading.own_named(name))


def _on_scores(name: str, e: Entrant) -> bool:
    """Whether a metric is over the rows with an answer alone."""
    found = e.reading.own_named(name)
    return name in ON_SCORES if found is None else found.measure not in (None, "expected_cost", "top_k_accuracy")


def _common(name: str, a: Entrant, b: Entrant) -> tuple[Answers, Answers]:
    """Both candidates on the rows where neither is left out; for metrics of scores, on those both answered."""
    keep = None
    scores = _on_scores(name, a)
    if a.left_out or b.left_out or scores:
        keep = (a.whole.answered | (not a.left_out and not scores)) & (
            b.whole.answered | (not b.left_out and not scores)
        )
        if keep.all():
            keep = None
    return (a.whole, b.whole) if keep is None else (a.whole.take(keep), b.whole.take(keep))


def pairs(
    entrants: Sequence[Entrant], split: str, confidence: float, names: Sequence[str] | None = None
) -> list[PairResult]:
    """All pairs in study order, first minus second, each metric's p-values adjusted together.

    `names` are the metrics wanted; all of them where left out.
    """
    chosen = list(combinations(entrants, 2))
    out: list[PairResult] = [
        {"a": a.name, "b": b.name, "split": split, "rows": len(_common("accuracy", a, b)[0].actual), "metrics": {}}
        for a, b in chosen
    ]
    if not entrants:
        return out
    for name in names_of(entrants[0].reading) if names is None else names:
        family = paired.family([difference(name, a, b) for a, b in chosen], confidence)
        for entry, d, (a, b) in zip(out, family, chosen, strict=True):
            marked = mark_difference(name, d, DIFFERENCE)
            entry["metrics"][name] = _with_more_rows(marked, name, _common(name, a, b)[0], a.reading)
    return out


def _with_more_rows(d: Difference, name: str, a: Answers, reading: Reading) -> Difference:
    """The same, with about how many more rows would tell the two apart where these rows do not."""
    gap, low, high = d["difference"], d.get("low_adjusted"), d.get("high_adjusted")
    if not gap or low is None or high is None:
        return d
    found = clearing(abs(gap), gap - low if gap > 0 else high - gap, standing(a, reading), name)
    return d if found is None else {**d, "more_rows": found}


def standing(a: Answers, reading: Reading) -> Standing:
    """The rows that a number rests on, as `more_rows` takes them."""
    n = len(a.actual)
    if reading.positive is None:
        return Standing(n)
    positives = int((a.actual == reading.positive).sum())
    return Standing(n, (n - positives, positives), (reading.names["negative"], reading.names["positive"]))


def against_baselines(
    entrants: Sequence[Entrant], baselines: Sequence[Entrant], confidence: float
) -> dict[str, dict[str, dict[str, Difference]]]:
    """Each candidate minus each baseline, adjusted over the candidates."""
    out: dict[str, dict[str, dict[str, Difference]]] = {e.name: {b.name: {} for b in baselines} for e in entrants}
    for baseline in baselines:
        for name in names_of(baseline.reading):
            family = paired.family([difference(name, e, baseline) for e in entrants], confidence)
            for e, d in zip(entrants, family, strict=True):
                out[e.name][baseline.name][name] = mark_difference(name, d, DIFFERENCE)
    return out


def best(
    entrants: Sequence[Entrant], found: list[PairResult], confidence: float, names: Sequence[str] | None = None
) -> dict[str, Lead]:
    """For each metric of the pairs who leads, and who is not told apart from the best.

    Hsu 1984, Ann. Stat. 12:1136; Edwards and Hsu 1983, J. Am. Stat. Assoc. 78:965.
    """
    out: dict[str, Lead] = {}
    if not entrants:
        return out
    for name in names_of(entrants[0].reading) if names is None else names:
        sign = entrants[0].reading.improves(name)
        ranked = {
            e.name: v for e in entrants
            if (v := e.metrics[name]["value"]) is not None and not e.metrics[name].get("thin")
        }  # fmt: skip
        if sign == 0 or not ranked:
            continue
        leader = max(ranked, key=lambda n: sign * ranked[n])
        apart: set[str] = set()
        for pair in found:
            d = pair["metrics"][name]
            p, gap = d.get("p"), d["difference"]
            if p is None or not gap or pair["a"] not in ranked or pair["b"] not in ranked:
                continue
            if min(1.0, (len(ranked) - 1) * p / 2) <= 1 - confidence:
                apart.add(pair["b"] if sign * gap > 0 else pair["a"])
        out[name] = {"leader": leader, "not_told_apart": [n for n in ranked if n != leader and n not in apart]}
    return out
