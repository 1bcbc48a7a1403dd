"""The plain textbook way in NumPy: what the tally is measured against."""

from __future__ import annotations

import numpy as np


def everything(score: np.ndarray, positive: np.ndarray, kind: str | None) -> tuple[float, float, float, float]:
    """Both areas, KS and the cutoff with the best F1, from an argsort of the scores, downwards."""
    order = np.argsort(score, kind=kind)[::-1]
    ordered, y = score[order], positive[order]
    last = np.append(np.flatnonzero(np.diff(ordered)), len(ordered) - 1)
    tp = np.cumsum(y)[last]
    fp = 1 + last - tp
    p, n = tp[-1], fp[-1]
    tpr, fpr = np.append(0, tp / p), np.append(0, fp / n)
    area = float(np.trapezoid(tpr, fpr))
    precision = tp / (tp + fp)
    average = float((np.diff(tpr) * precision).sum())
    ks = float((tpr - fpr).max())
    f1 = 2 * tp / (tp + fp + p)
    return area, average, ks, float(ordered[last][np.argmax(f1)])


def points(score: np.ndarray, positive: np.ndarray, bins: int = 10) -> tuple[float, ...]:
    """Point values of what is told of one two-class candidate, without any interval."""
    area, average, ks, _ = everything(score, positive, None)
    said = score >= 0.5
    tp, fp = int((said & positive).sum()), int((said & ~positive).sum())
    fn, tn = int((~said & positive).sum()), int((~said & ~positive).sum())
    brier = float(((score - positive) ** 2).mean())
    clipped = np.clip(score, 1e-15, 1 - 1e-15)
    log_loss = float(-np.where(positive, np.log(clipped), np.log1p(-clipped)).mean())
    code = np.minimum((score * bins).astype(int), bins - 1)
    count = np.bincount(code, minlength=bins)
    gap = np.abs(np.bincount(code, score, bins) - np.bincount(code, positive, bins))
    return (
        area,
        average,
        ks,
        brier,
        log_loss,
        float(gap.sum() / count.sum()),
        tp / (tp + fn),
        tp / (tp + fp),
        tn / (tn + fp),
    )
