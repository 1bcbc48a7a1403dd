"""Definitions written out as plainly as can be, over lists of rows: what the arithmetic is held against."""

from __future__ import annotations

import math


def outcomes(actual, predicted):
    """(tp, fp, fn, tn) of two lists of booleans, by looking at each row."""
    tp = fp = fn = tn = 0
    for a, p in zip(actual, predicted, strict=True):
        if a and p:
            tp += 1
        elif p:
            fp += 1
        elif a:
            fn += 1
        else:
            tn += 1
    return tp, fp, fn, tn


def area(actual, score):
    """Share of (positive, negative) pairs in order, ties half."""
    order = total = 0.0
    for a, s in zip(actual, score, strict=True):
        for b, t in zip(actual, score, strict=True):
            if a and not b:
                total += 1
                order += 1.0 if s > t else 0.5 if s == t else 0.0
    return order / total


def average_precision(actual, score):
    """Sum over distinct scores, downwards, of (recall step) x precision."""
    positives = sum(actual)
    out, before = 0.0, 0
    for cutoff in sorted(set(score), reverse=True):
        tp, fp, _, _ = outcomes(actual, [s >= cutoff for s in score])
        out += (tp - before) / positives * tp / (tp + fp)
        before = tp
    return out


def brier(actual, score):
    """Mean of (score - actual) squared."""
    return sum((s - a) ** 2 for a, s in zip(actual, score, strict=True)) / len(score)


def log_loss(actual, score):
    """Mean of -ln(probability of the actual class), clipped."""
    out = 0.0
    for a, s in zip(actual, score, strict=True):
        out -= math.log(min(max(s if a else 1 - s, 1e-15), 1 - 1e-15))
    return out / len(score)


def delong_variance(actual, score):
    """DeLong's variance of the area from each row's placement."""

    def order(s, t):
        return 1.0 if s > t else 0.5 if s == t else 0.0

    pos = [s for a, s in zip(actual, score, strict=True) if a]
    neg = [s for a, s in zip(actual, score, strict=True) if not a]
    v10 = [sum(order(s, t) for t in neg) / len(neg) for s in pos]
    v01 = [sum(order(s, t) for s in pos) / len(pos) for t in neg]

    def variance(v):
        mean = sum(v) / len(v)
        return sum((x - mean) ** 2 for x in v) / (len(v) - 1)

    return variance(v10) / len(v10) + variance(v01) / len(v01)


def rates(actual, predicted):
    """The rates of a prediction, None where the denominator is 0."""
    tp, fp, fn, tn = outcomes(actual, predicted)

    def over(k, n):
        return k / n if n else None

    return {
        "accuracy": over(tp + tn, tp + fp + fn + tn),
        "precision": over(tp, tp + fp),
        "recall": over(tp, tp + fn),
        "specificity": over(tn, tn + fp),
        "npv": over(tn, tn + fn),
        "fpr": over(fp, fp + tn),
        "fnr": over(fn, tp + fn),
        "flagged_share": over(tp + fp, tp + fp + fn + tn),
        "prevalence": over(tp + fn, tp + fp + fn + tn),
        "f1": over(2 * tp, 2 * tp + fp + fn),
    }


def holm(ps):
    """Each test's adjusted p: the least level at which the step-down procedure rejects it; None stays None."""
    tested = [p for p in ps if p is not None]
    levels = sorted({min(1.0, k * p) for p in tested for k in range(1, len(tested) + 1)} | {1.0})

    def rejected(i, level):
        """Ordered from the least, test after test is rejected while p times those left stays under the level."""
        for left, p in zip(range(len(tested), 0, -1), sorted(tested), strict=True):
            if left * p > level:
                return False
            if p >= ps[i]:
                return True
        return False

    return [None if p is None else next((x for x in levels if rejected(i, x)), 1.0) for i, p in enumerate(ps)]


def best_set(values, improves, tests, alpha):
    """Who leads, whom the data cannot separate from the best, and of whom nothing is known.

    values : name to value, None where there is none; improves : 1 or -1
    tests : {(first, second): (difference of the first less the second, two-sided p or None)}

    One is behind when some other is better, and a one-sided test of it survives a correction for all its rivals.
    """
    ranked = [name for name in values if values[name] is not None]
    if not ranked:
        return None
    leader = ranked[0]
    for name in ranked:
        if improves * values[name] > improves * values[leader]:
            leader = name

    def behind(name):
        for other in ranked:
            for (first, second), (gap, p) in tests.items():
                if {first, second} != {name, other} or p is None or gap == 0:
                    continue
                better = gap if other == first else -gap
                if better * improves > 0 and p / 2 * (len(ranked) - 1) <= alpha:
                    return True
        return False

    def tested(name):
        return any({leader, name} == set(pair) and p is not None for pair, (_, p) in tests.items())

    left = [name for name in ranked if name != leader and not behind(name)]
    return leader, [n for n in left if tested(n)], [n for n in left if not tested(n)]


def clustered_area_variance(actual, score, group):
    """Variance of the area where groups of rows belong together (Obuchowski 1997), group by group."""

    def order(s, t):
        return 1.0 if s > t else 0.5 if s == t else 0.0

    rows = list(zip(actual, score, group, strict=True))
    pos, neg = [r for r in rows if r[0]], [r for r in rows if not r[0]]
    a = area(actual, score)
    x, y = dict.fromkeys(group, 0.0), dict.fromkeys(group, 0.0)
    for _, s, g in pos:
        x[g] += sum(order(s, t) for _, t, _ in neg) / len(neg) - a
    for _, t, g in neg:
        y[g] += sum(order(s, t) for _, s, _ in pos) / len(pos) - a
    i10, i01, i = len({r[2] for r in pos}), len({r[2] for r in neg}), len(set(group))
    out = i10 / (i10 - 1) * sum(v * v for v in x.values()) / len(pos) ** 2
    out += i01 / (i01 - 1) * sum(v * v for v in y.values()) / len(neg) ** 2
    return out + 2 * i / (i - 1) * sum(x[g] * y[g] for g in x) / len(pos) / len(neg)
