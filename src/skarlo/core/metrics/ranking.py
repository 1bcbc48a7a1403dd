"""Metrics of the order that scores put the rows in, read from the tally."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np

from ..counting.answers import Answers, effective_rows, mean_variance
from ..counting.table import Sampling
from ..counting.tally import Tally, blocks, coarse, narrow
from ..number import FloatArray, IntArray, Metric, absent, bounded, measured, point, total
from ..stats import intervals
from ..stats.draws import NO_DRAW, generator
from ..stats.estimate import Estimate
from ..stats.intervals import Interval
from ..stats.mover import mover

Names = dict[str, str]
Influences = Iterator[tuple[slice, FloatArray, FloatArray]]


def missing_class(t: Tally, names: Names) -> str | None:
    """Why there is no order to measure, if a class has no rows."""
    if t.positives == 0:
        return "no row is actually {positive}".format(**names)
    return "no row is actually {negative}".format(**names) if t.negatives == 0 else None


def roc_area(t: Tally) -> float:
    """Area under the exact ROC curve: int64 pair counts, one division.

    Raises ValueError when either class has no rows.
    """
    if t.positives == 0 or t.negatives == 0:
        raise ValueError("the area needs rows of both classes")
    return t.once.get("roc area", lambda: _roc_area(t))


def _roc_area(t: Tally) -> float:
    s = t.steps
    twice = sum((s.pos[at] * (2 * (t.negatives - s.fp[at]) + s.neg[at])).sum().item() for at in blocks(len(s.pos)))
    return float(twice / (2 * t.positives * t.negatives))


def placements(t: Tally) -> tuple[FloatArray, FloatArray]:
    """For each distinct score, the share of the other class it is ranked right against, ties half.

    Returns (for a positive there: negatives below; for a negative there: positives above), each shape (k,).
    """
    out = np.empty((2, len(t.score)))
    for at, on_pos, on_neg in _placement_blocks(t):
        out[0, at], out[1, at] = on_pos, on_neg
    return out[0], out[1]


def _placement_blocks(t: Tally) -> Influences:
    """The same, block by block."""
    below, above = 0, t.positives
    width = narrow(2 * t.rows) if t.pos.dtype.kind == "i" else t.pos.dtype
    for at in blocks(len(t.score)):
        pos, neg = t.pos[at], t.neg[at]
        n, p = np.cumsum(neg, dtype=width), np.cumsum(pos, dtype=width)
        n += below
        np.subtract(above, p, out=p)
        below, above = n[-1].item(), p[-1].item()
        n *= 2
        n -= neg
        p *= 2
        p += pos
        yield at, n / (2 * t.negatives), p / (2 * t.positives)


def delong_variance(t: Tally, area: float) -> float:
    """Variance of the area (DeLong, DeLong and Clarke-Pearson 1988, Biometrics 44:837). Rows, not weights."""
    parts = []
    for at, v10, v01 in _placement_blocks(t):
        parts.append((
            np.add.reduce(t.pos[at] * np.square(v10 - area)), np.add.reduce(t.neg[at] * np.square(v01 - area))
        ))  # fmt: skip
    s10, s01 = np.add.reduce(np.array(parts), axis=0).tolist()
    return float(s10 / (t.positives - 1) / t.positives + s01 / (t.negatives - 1) / t.negatives)


def clustered_area_variance(
    on_pos: FloatArray, on_neg: FloatArray, weights: tuple[FloatArray | None, FloatArray | None],
    groups: tuple[IntArray, IntArray],
) -> float:  # fmt: skip
    """Variance of an area, or of a difference of areas, from the rows' centred placements.

    Groups of rows that belong together enter by their sums (Obuchowski 1997, Biometrics 53:567); where every row is a
    group of its own this is DeLong's variance.
    """
    w_pos = np.ones(len(on_pos)) if weights[0] is None else weights[0]
    w_neg = np.ones(len(on_neg)) if weights[1] is None else weights[1]
    names, code = np.unique(np.concatenate(groups), return_inverse=True)
    of_pos, of_neg = code[: len(on_pos)], code[len(on_pos) :]
    x = np.bincount(of_pos, weights=w_pos * on_pos, minlength=len(names)) / float(np.add.reduce(w_pos))
    y = np.bincount(of_neg, weights=w_neg * on_neg, minlength=len(names)) / float(np.add.reduce(w_neg))
    i10, i01, i = len(np.unique(of_pos)), len(np.unique(of_neg)), len(names)
    factor = [n / (n - 1) if n > 1 else 1.0 for n in (i10, i01, i)]
    return factor[0] * total(x * x) + factor[1] * total(y * y) + 2 * factor[2] * total(x * y)


def area_variance(a: Answers, t: Tally, area: float) -> float:
    """DeLong's variance, or with weights or groups the linearised, cluster-robust one."""
    if not a.designed:
        return delong_variance(t, area)
    b = a.with_answer
    pos = b.is_positive
    rows = np.arange(len(pos))
    group = rows if b.group is None else b.group
    w = (None, None) if b.weight is None else (b.weight[pos], b.weight[~pos])
    return clustered_area_variance(*placed_rows(a), w, (group[pos], group[~pos]))


def placed_rows(a: Answers) -> tuple[FloatArray, FloatArray]:
    """Each answered row's placement among the other class, less the area: of positives and of negatives, shapes (P,)
    and (N,); worked out once for all pairs that a candidate stands in."""
    assert a.scored is not None
    scored = a.scored.given

    def make() -> tuple[FloatArray, FloatArray]:
        (on_pos, on_neg), area = placements(scored.tally), roc_area(scored.tally)
        place, pos = scored.place, scored.positive
        return on_pos[place[pos]] - area, on_neg[place[~pos]] - area

    return scored.once.get("placed rows", make)


def area_estimate(area: float, variance: float, rows: tuple[float, float], distinct: int, suffix: str) -> Estimate:
    """An area with its interval: DeLong on the logit scale where it holds, else the wider with Newcombe's method 5.

    rows : effective numbers of positive and negative rows
    """
    if distinct == 1:
        return Estimate(area, why="every row has the same score")
    positives, negatives = rows
    if positives < 2 or negatives < 2:
        return Estimate(area, why="an interval needs two rows of each class")
    inside = 0.0 < area < 1.0 and variance > 0.0

    def delong(z: float) -> Interval:
        return bounded(area, *intervals.logit_interval(area, math.sqrt(variance), z), 0.0, 1.0)

    def wider(z: float) -> Interval:
        low, high = intervals.newcombe_area(area, positives, negatives, z)
        if inside:
            logit = intervals.logit_interval(area, math.sqrt(variance), z)
            low, high = min(low, logit[0]), max(high, logit[1])
        return bounded(area, low, high, 0.0, 1.0)

    if inside and min(positives, negatives) * min(area, 1.0 - area) >= 5.0:
        return Estimate(area, delong, "delong_logit" + suffix)
    return Estimate(area, wider, "newcombe5" + suffix)


def _effective_classes(a: Answers, t: Tally) -> tuple[float, float]:
    if not a.designed:
        return float(t.positives), float(t.negatives)
    b = a.with_answer
    out = []
    for mask in (b.is_positive, ~b.is_positive):
        weight = None if b.weight is None else b.weight[mask]
        group = None if b.group is None else b.group[mask]
        out.append(effective_rows(weight, group, int(mask.sum())))
    return out[0], out[1]


def roc_auc(a: Answers, confidence: float, names: Names) -> Metric:
    """The area of two-class scores with its interval."""
    return _told(a, confidence, names, roc_auc_estimate)


def _told(a: Answers, confidence: float, names: Names, estimate: Callable[[Answers, Tally], Estimate]) -> Metric:
    t = a.tally
    assert t is not None
    why = missing_class(t, names)
    return absent(why) if why else estimate(a, t).metric(confidence)


def roc_auc_estimate(a: Answers, t: Tally, variance: float | None = None) -> Estimate:
    """The same, of a tally with rows of both classes, at any level; worked out once for all that ask.

    variance : that of the rows' placements, where it is known already
    """
    return _once(a, "roc_auc", lambda: _roc_auc_estimate(a, t, variance))


def same_area(a: Answers, turned: Answers) -> None:
    """The area of the other class is the same, where turning the scores round let no two of them meet."""
    t, other = a.tally, turned.tally
    if t is not None and other is not None and len(t.score) == len(other.score) and t.positives and t.negatives:
        _once(turned, "roc_auc", lambda: roc_auc_estimate(a, t))


def _once(a: Answers, name: str, make: Callable[[], Estimate]) -> Estimate:
    assert a.scored is not None
    return a.scored.given.once.get(name, make)


def _roc_auc_estimate(a: Answers, t: Tally, variance: float | None) -> Estimate:
    area, rows = roc_area(t), _effective_classes(a, t)
    if min(rows) < 2 or len(t.score) == 1:
        return area_estimate(area, 0.0, rows, len(t.score), a.suffix)
    of_area = area_variance(a, t, area) if variance is None else variance
    return area_estimate(area, of_area, rows, len(t.score), a.suffix)


def average_precision_value(t: Tally) -> float:
    """Sum over distinct scores, downwards, of (recall step) x precision. Raises ValueError without positives."""
    if t.positives == 0:
        raise ValueError("average precision needs positive rows")
    return t.once.get("average precision", lambda: _average_precision_value(t))


def _average_precision_value(t: Tally) -> float:
    s = t.steps
    terms = np.asarray(s.pos * (s.tp / (s.tp + s.fp)), dtype=np.float64)
    return total(terms[::-1]) / float(t.positives)


def average_precision_influence(t: Tally, value: float) -> tuple[FloatArray, FloatArray]:
    """Influence of a (positive, negative) row at each distinct score on average precision, each shape (k,); 0 for a
    positive where none stands.

    With T, F the shares of all rows that are true and false positives at each score: the derivative of the
    sum in the direction of one more row.
    """
    on_pos, on_neg = _influence_at_steps(t, value)
    at, k = np.flatnonzero(t.pos > 0), len(t.score)
    out = np.zeros(k)
    out[at] = on_pos
    stretches = np.diff(at, prepend=0, append=k)  # a negative loses what the steps at and below its score lose
    return out, np.repeat(np.concatenate(([0.0], on_neg)), stretches)


def _influence_at_steps(t: Tally, value: float) -> tuple[FloatArray, FloatArray]:
    """Of a (positive, negative) row at the scores where a positive stands, from the lowest up."""
    out = np.empty((2, len(t.steps.score)))
    for at, on_pos, on_neg in _influence_blocks(t, value):
        out[0, at], out[1, at] = on_pos, on_neg
    return out[0], out[1]


def _influence_blocks(t: Tally, value: float) -> Influences:
    """The same, block by block."""
    s, share = t.steps, t.positives / t.rows
    gained = lost = 0.0
    for at in blocks(len(s.score)):
        pos, tp, fp = (x[::-1][at].astype(np.float64) for x in (s.pos, s.tp, s.fp))
        both = tp + fp
        step = pos / both / both
        up, down = np.cumsum(step * fp), np.cumsum(step * tp)
        up += gained
        down += lost
        yield at, (tp / both - value + up) / share, -down / share
        gained, lost = float(up[-1]), float(down[-1])


def average_precision_variance(a: Answers, t: Tally, value: float) -> float:
    """Variance of average precision by the rows' influence."""
    if not a.designed:
        s, parts = t.steps, []
        pos, fp = s.pos[::-1], s.fp[::-1]
        for at, on_pos, on_neg in _influence_blocks(t, value):
            below = fp[at.start + 1 : at.stop + 1]  # negatives from each step up to the next
            negatives = fp[at] - (below if len(below) == len(on_neg) else np.append(below, 0))
            parts.append(np.add.reduce(pos[at] * on_pos * on_pos) + np.add.reduce(negatives * on_neg * on_neg))
        return total(np.array(parts)) / float(t.rows) ** 2
    on_pos, on_neg = average_precision_influence(t, value)
    b = a.with_answer
    psi = a.of_rows(on_pos, on_neg)
    return mean_variance(psi, b.weight, b.group)


def average_precision(a: Answers, confidence: float, names: Names) -> Metric:
    """Average precision with its interval."""
    return _told(a, confidence, names, average_precision_estimate)


def average_precision_estimate(a: Answers, t: Tally, variance: float | None = None) -> Estimate:
    """The same, of a tally with rows of both classes, at any level; worked out once for all that ask.

    variance : that of the rows' influence, where it is known already
    """
    return _once(a, "average_precision", lambda: _average_precision_estimate(a, t, variance))


def _average_precision_estimate(a: Answers, t: Tally, variance: float | None) -> Estimate:
    value = average_precision_value(t)
    if not 0.0 < value < 1.0:
        return Estimate(value, why="the logit of 0 or 1 does not exist")
    positives, _ = _effective_classes(a, t)
    if positives < 20:
        se, name = math.sqrt(value * (1.0 - value) / positives), "binomial_logit"
    else:
        of_value = average_precision_variance(a, t, value) if variance is None else variance
        se, name = math.sqrt(of_value), "influence_logit"
    return Estimate(value, lambda z: bounded(value, *intervals.logit_interval(value, se, z), 0.0, 1.0), name + a.suffix)


def trapezoid_area(t: Tally) -> float:
    """Straight lines between the points of precision-recall, from (0, the first precision): too high (Davis and
    Goadrich 2006, ICML)."""
    tp, fp = t.tp[::-1].astype(np.float64), t.fp[::-1].astype(np.float64)
    there = tp + fp > 0
    recall, precision = tp[there] / t.positives, tp[there] / (tp + fp)[there]
    x, y = np.concatenate(([0.0], recall)), np.concatenate((precision[:1], precision))
    return total(np.diff(x) * (y[1:] + y[:-1]) / 2)


# The largest gap between the two classes' score distributions.

GRID = 96


def ks_value(t: Tally) -> float:
    """max(0, largest TP·N - FP·P) / (P·N), in integers. Raises ValueError when a class has no rows."""
    if t.positives == 0 or t.negatives == 0:
        raise ValueError("the distance needs rows of both classes")
    tp, fp = t.steps.tp, t.steps.fp
    most = max(((tp[at] * t.negatives - fp[at] * t.positives).max().item() for at in blocks(len(tp))), default=0)
    gap = max(0, most)
    return float(gap / (t.positives * t.negatives))


def ks(a: Answers, sampling: Sampling, names: Names) -> Metric:
    """The KS distance with its interval, and the bias of such a largest gap.

    The interval is the hybrid of the two rates' Wilson intervals at the best cutoff, its low end less the bias, which
    is that of the tally drawn again on at most 96 runs of neighbouring scores; the value is exact.
    """
    t = a.tally
    assert t is not None
    why = missing_class(t, names)
    if why:
        return absent(why)
    value = ks_value(t)
    drawn = _ks_clustered(a, t, sampling) if a.group is not None else _ks_drawn(a, t, sampling)
    if not len(drawn):
        return point(value, NO_DRAW)
    bias = float(np.add.reduce(drawn)) / len(drawn)
    bias -= value
    recall, fpr = _at_largest_gap(t)
    rows = _effective_classes(a, t)
    ends_ = [intervals.wilson_share(p, n, sampling.confidence) for p, n in zip((recall, fpr), rows, strict=True)]
    low, high = mover(recall, ends_[0], fpr, ends_[1])
    low = 0.0 if value == 0 else low - max(0.0, bias)
    metric = measured(value, *bounded(value, low, high, 0.0, 1.0), "mover_shifted" + a.suffix)
    metric["bias"] = bias
    return metric


def _at_largest_gap(t: Tally) -> tuple[float, float]:
    """Recall and false-positive rate at the highest of the best cutoffs; at "flag nothing" where no gap is above 0."""
    s = t.steps
    gap = s.tp * t.negatives - s.fp * t.positives
    best = gap.max(initial=0)
    if best <= 0:
        return 0.0, 0.0
    at = int(np.flatnonzero(gap == best)[-1])
    return float(s.tp[at] / t.positives), float(s.fp[at] / t.negatives)


def _ks_drawn(a: Answers, t: Tally, sampling: Sampling) -> FloatArray:
    _, pos, neg = coarse(t, GRID)
    rng = generator(sampling.seed, "ks", pos.shape, np.concatenate((pos, neg)))
    rows = [max(1, round(n)) for n in _effective_classes(a, t)]
    up = rng.multinomial(rows[0], pos / pos.sum(), size=sampling.draws)
    down = rng.multinomial(rows[1], neg / neg.sum(), size=sampling.draws)
    gap = np.cumsum(up[:, ::-1], axis=1) / rows[0] - np.cumsum(down[:, ::-1], axis=1) / rows[1]
    on_grid = np.maximum(gap.max(axis=1), 0.0)
    exact = np.cumsum(pos[::-1]) / pos.sum() - np.cumsum(neg[::-1]) / neg.sum()
    return np.asarray(on_grid + (ks_value(t) - max(0.0, float(exact.max()))))


def _ks_clustered(a: Answers, t: Tally, sampling: Sampling) -> FloatArray:
    b = a.with_answer
    assert b.group is not None
    _, code = np.unique(b.group, return_inverse=True)
    groups = int(code.max()) + 1
    rng = generator(sampling.seed, "ks clusters", (groups,), np.concatenate((t.pos, t.neg)))
    k = len(t.score)
    weight = np.ones(len(code)) if b.weight is None else b.weight
    out = np.full(sampling.draws, np.nan)
    for i in range(sampling.draws):
        times = np.bincount(rng.integers(0, groups, groups), minlength=groups)[code] * weight
        pos = np.bincount(a.place, weights=times * b.is_positive, minlength=k)
        neg = np.bincount(a.place, weights=times * ~b.is_positive, minlength=k)
        if pos.sum() > 0 and neg.sum() > 0:
            gap = np.cumsum(pos[::-1]) / pos.sum() - np.cumsum(neg[::-1]) / neg.sum()
            out[i] = max(0.0, float(gap.max()))
    return np.asarray(out[np.isfinite(out)])


VALUES = {"roc_auc": roc_area, "average_precision": average_precision_value, "ks": ks_value}
