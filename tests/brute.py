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
