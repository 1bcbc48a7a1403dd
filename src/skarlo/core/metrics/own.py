"""A study's own metrics: a formula over the counts, or a measure with its parameters.

Each has a value with an interval, and the influence of every row on it, by which pairs, slices and gates compare it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..counting import outcomes, table
from ..counting.answers import Answers, effective_rows, mean_variance
from ..counting.table import Table
from ..counting.tally import Tally
from ..language.formula import COUNTS
from ..number import BoolArray, FloatArray, Metric, absent, bounded, clean, measured, point, total
from ..stats import intervals
from ..stats.draws import ends, generator
from ..stats.estimate import Estimate
from ..study import OwnMetric, Settings
from . import counts
from .influence import over_all_rows

NO_SCORE = "it answers classes only, with no score"
NO_PROBABILITIES = "it answers classes only, with no probabilities"
NO_PROBABILITY = "its scores are not probabilities"
DIVIDES = "its formula divides by zero"
SUMS = "a sum of a field over rows has no interval here"


@dataclass(frozen=True)
class Measure:
    """A kind of own metric: for how many classes ("two", "many" or "any"), what it takes, and how it is computed."""

    classes: str
    parameters: tuple[str, ...]
    better: Literal["higher", "lower", "neither"]
    metric: Callable[[OwnMetric, Answers, Settings], Metric]
    influence: Callable[[OwnMetric, Answers], FloatArray | None]


def metric(own: OwnMetric, a: Answers, settings: Settings, no_cutoff: str) -> Metric:
    """The metric with its interval. `no_cutoff` is why there is no predicted class, if there is none."""
    if own.measure:
        return _measure(own, a, settings, no_cutoff)
    if a.positive is None:
        return absent("own formulas are over the counts of two classes")
    t = a.table
    return absent(no_cutoff) if t is None else _formula(own, a, t, settings)


def _measure(own: OwnMetric, a: Answers, settings: Settings, no_cutoff: str) -> Metric:
    kind = MEASURES[own.measure or ""]
    if kind.classes == "two" and a.positive is None:
        return absent("this measure is for two classes")
    if kind.classes == "many" and a.positive is not None:
        return absent("this measure is for three classes or more")
    if not len(a.with_answer.actual) and not a.none_counts:
        return absent("there are no rows")
    if own.measure == "expected_cost" and a.predicted is None:
        return absent(no_cutoff)
    return kind.metric(own, a, settings)


def influence(own: OwnMetric, a: Answers) -> FloatArray | None:
    """Influence of each row, shape (n,), mean 0; None where there is none.

    The first-order change of the metric as rows like this one become commoner (Hampel 1974, J. Am. Stat. Assoc.
    69:383).
    """
    if own.measure:
        return MEASURES[own.measure].influence(own, a)
    t = a.table
    if t is None or a.positive is None:
        return None
    values = _values(own, a, t)
    if own.formula is None or own.formula.value(values) is None:
        return None
    whole = total(_weights(a))
    out = np.zeros(len(a.actual))
    parts = _indicators(a)
    for name, slope in own.formula.gradient(values).items():
        if name not in own.costs:
            field, _, cell = name[4:-1].partition(",") if name.startswith("sum(") else ("", "", name)
            row = parts[cell] * (a.numbers[field] if field else 1.0)
            out += slope * (whole * row - values[name])
    return out


def _weights(a: Answers) -> FloatArray:
    return np.ones(len(a.actual)) if a.weight is None else a.weight


def _indicators(a: Answers) -> dict[str, FloatArray]:
    """Which rows each count counts."""
    assert a.predicted is not None
    assert a.positive is not None
    width = a.classes + (0 if a.all_answered else 1)  # -1, no answer, is the last column
    which = outcomes.masks(a.classes, width, a.positive)
    return {name: which[name][a.actual, a.predicted].astype(np.float64) for name in COUNTS}


def _values(own: OwnMetric, a: Answers, t: Table) -> dict[str, float]:
    assert own.formula is not None
    assert a.positive is not None
    found = outcomes.counted(t.cells, a.positive)
    values = {name: float(found[name]) for name in COUNTS} | dict(own.costs)
    if own.formula.sums:
        parts, weight = _indicators(a), _weights(a)
        for field, cell in own.formula.sums:
            at = parts[cell] > 0
            values[f"sum({field},{cell})"] = float(np.add.reduce((a.numbers[field] * weight)[at]))
    return values


def _formula(own: OwnMetric, a: Answers, t: Table, settings: Settings) -> Metric:
    assert own.formula is not None
    assert a.positive is not None
    value = own.formula.value(_values(own, a, t))
    if value is None:
        return absent(DIVIDES)
    if own.formula.sums:
        return point(value, SUMS)
    draws = t.dirichlet(settings.sampling) * (1.0 if t.clusters is not None else t.total)
    drawn = _drawn_counts(draws, a.positive)
    with np.errstate(all="ignore"):
        spread = own.formula.evaluate(drawn | {k: np.asarray(float(v)) for k, v in own.costs.items()})
    spread = np.broadcast_to(spread, (settings.draws,))
    return counts.drawn(value, spread, t, settings.sampling, "")


def _drawn_counts(draws: FloatArray, positive: int) -> dict[str, FloatArray]:
    which = outcomes.masks(draws.shape[1], draws.shape[2], positive)
    return {name: np.add.reduce(draws * which[name], axis=(1, 2)) for name in COUNTS}


# Cost: each cell of the matrix at its price.


def _prices(own: OwnMetric, width: int) -> FloatArray:
    """Cost of each cell, shape (K, L); rows without an answer cost what is said, or their row's most."""
    cost = np.array(own.parameters["cost"], dtype=np.float64)
    if width > cost.shape[1]:
        none = own.parameters.get("no_answer")
        column = cost.max(axis=1) if none is None else np.full(len(cost), float(none))
        cost = np.column_stack((cost, column))
    return np.asarray(cost)


def _expected_cost(own: OwnMetric, a: Answers, settings: Settings) -> Metric:
    t = a.table
    assert t is not None
    return _linear(t, _prices(own, t.cells.shape[1]), settings)


def four_prices(prices: tuple[float, ...]) -> tuple[float, float, float, float]:
    """What a needless flag, a miss, a catch and a row rightly left cost; the last two nothing unless said."""
    needless, missed, caught, left = (*prices, 0.0, 0.0)[:4]
    return needless, missed, caught, left


def cost_of_outcomes(a: Answers, prices: tuple[float, ...], settings: Settings) -> Metric:
    """The mean cost of a row where each outcome has its price (see `four_prices`): positives without an answer are
    missed, others without one are left."""
    t, p = a.table, a.positive
    assert t is not None
    assert p is not None
    price = np.zeros(t.cells.shape)
    needless, price[p], caught, price[1 - p] = four_prices(prices)
    price[1 - p, p], price[p, p] = needless, caught
    return _linear(t, price, settings)


def _linear(t: Table, price: FloatArray, settings: Settings) -> Metric:
    """The mean of a price of each cell, with quantiles over draws of the table."""
    if t.total <= 0:
        return absent("there are no rows")
    value = total(np.asarray(t.cells * price).reshape(-1)) / float(t.total)
    draws = t.dirichlet(settings.sampling)
    spread = (draws * price).sum(axis=(1, 2)) / draws.sum(axis=(1, 2))
    return counts.drawn(value, spread, t, settings.sampling, "")


def _expected_cost_influence(own: OwnMetric, a: Answers) -> FloatArray | None:
    t = a.table
    if t is None or a.predicted is None or t.total <= 0:
        return None
    cost = _prices(own, t.cells.shape[1])[a.actual, a.predicted]
    return _centred(cost, a)


def _centred(x: FloatArray, a: Answers) -> FloatArray:
    weight = _weights(a)
    return np.asarray(x - total(weight * x) / total(weight))


# Net benefit at a threshold probability.


def at_threshold(own: OwnMetric, a: Answers) -> tuple[Table, FloatArray, Answers]:
    """The matrix with the threshold as cutoff, and the benefit of each of its cells."""
    at = float(own.parameters["threshold"])
    flagged = a.with_answer.at(at)
    t, positive = flagged.table, flagged.positive
    assert t is not None
    assert positive is not None
    benefit = np.zeros((2, 2))
    benefit[positive, positive], benefit[1 - positive, positive] = 1.0, -at / (1.0 - at)
    return t, benefit, flagged


def _net_benefit(own: OwnMetric, a: Answers, settings: Settings) -> Metric:
    if a.score is None:
        return absent(NO_SCORE)
    if not a.is_probability:
        return absent(NO_PROBABILITY)
    t, benefit, _ = at_threshold(own, a)
    return _linear(t, benefit, settings)


def _net_benefit_influence(own: OwnMetric, a: Answers) -> FloatArray | None:
    if a.score is None or not a.is_probability:
        return None
    _, benefit, flagged = at_threshold(own, a)
    assert flagged.predicted is not None
    return over_all_rows(_centred(benefit[flagged.actual, flagged.predicted], flagged), a)


# The actual class among the k likeliest.


def among_likeliest(a: Answers, k: int) -> BoolArray:
    """Whether each row's actual class is among its k largest probabilities; of equals the first in class order."""
    assert a.probabilities is not None
    p = np.nan_to_num(a.probabilities, nan=-1.0)
    own = p[np.arange(len(p)), a.actual]
    ahead = (p > own[:, None]).sum(axis=1)
    before = (p == own[:, None]) & (np.arange(p.shape[1])[None, :] < a.actual[:, None])
    return np.asarray((ahead + before.sum(axis=1) < k) & a.answered)


def _top_k(own: OwnMetric, a: Answers, settings: Settings) -> Metric:
    if a.probabilities is None:
        return absent(NO_PROBABILITIES)
    hit = among_likeliest(a, int(own.parameters["k"])).astype(np.int64)
    t = table.make(np.ones(len(hit), dtype=np.int64), hit, 2, weight=a.weight, group=a.group)
    return counts.rate("recall", t, 1, settings.sampling, {"positive": "", "negative": ""})


def _top_k_influence(own: OwnMetric, a: Answers) -> FloatArray | None:
    if a.probabilities is None:
        return None
    return _centred(among_likeliest(a, int(own.parameters["k"])).astype(np.float64), a)


# Parts of the ROC curve.


def partial_area_value(t: Tally, most: float) -> float:
    """Mean recall over the false-positive rates from 0 to `most`: the partial area over its width (Dodd and Pepe 2003).

    Examples
    --------
    >>> import numpy as np
    >>> from skarlo.core.counting import tally
    >>> t = tally.make(np.array([0.9, 0.8, 0.3, 0.1]), np.array([True, False, True, False]))
    >>> partial_area_value(t, 0.5), partial_area_value(t, 1.0)
    (0.5, 0.75)
    """
    return total(t.pos * _under_ramp(t, most)) / float(t.positives) / most


def _under_ramp(t: Tally, most: float) -> FloatArray:
    """For a positive at each score, the false-positive rates up to `most` at which it is caught, ties as a ramp."""
    x1 = t.fp / t.negatives
    x0 = (t.fp - t.neg) / t.negatives
    width = np.where(x1 > x0, x1 - x0, 1.0)
    inside = np.where(most >= x1, most - (x0 + x1) / 2, (most - x0) ** 2 / (2 * width))
    return np.where(most > x0, inside, 0.0)


def _partial_influence(t: Tally, most: float, area: float) -> tuple[FloatArray, FloatArray]:
    """Influence of a (positive, negative) row at each score on the mean recall up to `most`."""
    share = t.positives / t.rows
    on_pos = (_under_ramp(t, most) / most - area) / share
    y0, y1 = (t.tp - t.pos) / t.positives, t.tp / t.positives
    x0, x1 = (t.fp - t.neg) / t.negatives, t.fp / t.negatives
    part = np.clip((most - x0) / np.where(x1 > x0, x1 - x0, 1.0), 0.0, 1.0)
    at = int(np.flatnonzero(x0 < most)[0])  # the tie group in which `most` lies: scores ascend, rates fall
    end = y0[at] + part[at] * (y1[at] - y0[at])
    on_neg = np.where(x0 < most, (y0 + y1) / 2 - end, 0.0)
    on_neg[at] = part[at] * (y0[at] + part[at] / 2 * (y1[at] - y0[at]) - end)
    on_neg = (on_neg - total(t.neg * on_neg) / float(t.negatives)) / most / (1 - share)
    return on_pos, np.asarray(on_neg)


def _both_classes(a: Answers) -> tuple[Tally | None, str]:
    t = a.tally
    if t is None:
        return None, NO_SCORE
    if t.positives <= 0 or t.negatives <= 0:
        return None, "one class has no rows"
    return t, ""


def _partial_area(own: OwnMetric, a: Answers, settings: Settings) -> Metric:
    t, why = _both_classes(a)
    return absent(why) if t is None else partial_area_estimate(own, a, t).metric(settings.confidence)


def partial_area_estimate(own: OwnMetric, a: Answers, t: Tally) -> Estimate:
    """The mean recall, of a tally with rows of both classes, at any level."""
    value = partial_area_value(t, float(own.parameters["fpr_at_most"]))
    if len(t.score) == 1:
        return Estimate(value, why="every row has the same score")
    psi = _partial_area_influence(own, a)
    assert psi is not None
    variance = mean_variance(psi, a.weight, a.group)
    if not 0.0 < value < 1.0 or variance <= 0:
        return Estimate(value, why="a mean recall of 0 or 1 has no interval here")
    se = math.sqrt(variance)
    return Estimate(
        value, lambda z: bounded(value, *intervals.logit_interval(value, se, z), 0.0, 1.0), "influence_logit" + a.suffix
    )


def _partial_area_influence(own: OwnMetric, a: Answers) -> FloatArray | None:
    t, _ = _both_classes(a)
    if t is None:
        return None
    most = float(own.parameters["fpr_at_most"])
    on_pos, on_neg = _partial_influence(t, most, partial_area_value(t, most))
    return over_all_rows(a.of_rows(on_pos, on_neg), a)


def _recall_at_fpr(own: OwnMetric, a: Answers, settings: Settings) -> Metric:
    """The greatest recall of a cutoff whose false-positive rate is no more than a bound.

    Interval: quantiles over redrawn rows. Of N redrawn negatives the one that bounds the cutoff lies at a
    Beta-distributed rank of those seen; the positives caught above it are then binomial.
    """
    t, why = _both_classes(a)
    if t is None:
        return absent(why)
    most = float(own.parameters["fpr_at_most"])
    fpr = t.fp / t.negatives
    ok = np.flatnonzero(fpr <= most)
    value = float(t.tp[ok[0]] / t.positives) if ok.size else 0.0
    if a.designed:
        return point(value, "with weights or groups it has no interval")
    allowed = math.floor(most * t.negatives + 1e-9)
    if allowed >= t.negatives:
        return point(value, "every row may be flagged")
    rng = generator(settings.seed, "recall_at_fpr", (len(t.score), allowed), np.concatenate((t.pos, t.neg)))
    # The redrawn cutoff must stand above the (allowed + 1)-th highest of N redrawn negatives.
    rank = rng.beta(allowed + 1, t.negatives - allowed, settings.draws)
    above = np.append(t.fp, 0)[::-1] / t.negatives  # ascending false-positive rates, from flagging nothing
    caught = np.append(t.tp, 0)[::-1] / t.positives
    at = np.searchsorted(above, rank, side="right") - 1
    spread = rng.binomial(t.positives, caught[at]) / t.positives
    low, high = ends(spread, settings.confidence)
    return measured(value, *bounded(value, low, high, 0.0, 1.0), "bootstrap")


def _precision_at_top(own: OwnMetric, a: Answers, settings: Settings) -> Metric:
    """The share of positives among the rows with the highest scores; of tied rows at the edge each counts in part."""
    t, why = _both_classes(a)
    if t is None:
        return absent(why)
    share = own.parameters.get("share")
    k = float(own.parameters["rows"]) if share is None else float(share) * t.rows
    if k > t.rows:
        return absent(f"there are fewer than {clean(k):g} rows")
    flagged = t.tp + t.fp
    at = int(np.flatnonzero(flagged >= k - 1e-9)[-1])
    here = t.pos[at] + t.neg[at]
    inside = (k - (flagged[at] - here)) / here
    value = (t.tp[at] - t.pos[at] + inside * t.pos[at]) / k
    if a.designed:
        n = k / float(t.rows) * effective_rows(a.with_answer.weight, a.with_answer.group, len(a.with_answer.actual))
    else:
        n = k
    low, high = intervals.wilson_share(value, n, settings.confidence)
    found = measured(value, low, high, "wilson" + a.suffix)
    if n < settings.min_denominator:
        found["thin"] = True
    return found


def _none(own: OwnMetric, a: Answers) -> FloatArray | None:
    return None


MEASURES: Mapping[str, Measure] = {
    "expected_cost": Measure("any", ("cost", "no_answer"), "lower", _expected_cost, _expected_cost_influence),
    "net_benefit": Measure("two", ("threshold",), "higher", _net_benefit, _net_benefit_influence),
    "partial_area": Measure("two", ("fpr_at_most",), "higher", _partial_area, _partial_area_influence),
    "recall_at_fpr": Measure("two", ("fpr_at_most",), "higher", _recall_at_fpr, _none),
    "precision_at_top": Measure("two", ("rows", "share"), "higher", _precision_at_top, _none),
    "top_k_accuracy": Measure("many", ("k",), "higher", _top_k, _top_k_influence),
}
UNTESTED = tuple(name for name, kind in MEASURES.items() if kind.influence is _none)
