"""The plain textbook way in NumPy: what the tally is measured against."""

from __future__ import annotations

from typing import Literal

import numpy as np


def everything(
    score: np.ndarray, positive: np.ndarray, kind: Literal["stable"] | None
) -> tuple[float, float, float, float]:
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


def points(score: np.ndarray, positive: np.ndarray, bins: int = 10) -> dict[str, float]:
    """Every metric of one two-class candidate at cutoff 0.5 as a bare value, without any interval."""
    area, average, ks, _ = everything(score, positive, None)
    said = score >= 0.5
    tp, fp = int((said & positive).sum()), int((said & ~positive).sum())
    fn, tn = int((~said & positive).sum()), int((~said & ~positive).sum())
    n, p = tp + fp + fn + tn, tp + fn
    recall, specificity, accuracy = tp / p, tn / (tn + fp), (tp + tn) / n
    chance = ((tp + fp) * p + (fn + tn) * (fp + tn)) / n**2
    brier = float(((score - positive) ** 2).mean())
    clipped = np.clip(score, 1e-15, 1 - 1e-15)
    logs, logs_rest = np.log(clipped), np.log1p(-clipped)
    code = np.minimum((score * bins).astype(int), bins - 1)
    gap = np.abs(np.bincount(code, score, bins) - np.bincount(code, positive, bins))
    intercept, slope = fits(logs - logs_rest, positive)
    return {
        "accuracy": accuracy,
        "balanced_accuracy": (recall + specificity) / 2,
        "precision": tp / (tp + fp),
        "recall": recall,
        "specificity": specificity,
        "npv": tn / (tn + fn),
        "f1": 2 * tp / (2 * tp + fp + fn),
        "mcc": (tp * tn - fp * fn) / float((tp + fp) * p) ** 0.5 / float((tn + fp) * (tn + fn)) ** 0.5,
        "kappa": (accuracy - chance) / (1 - chance),
        "youden_j": recall + specificity - 1,
        "fpr": fp / (fp + tn),
        "fnr": fn / p,
        "flagged_share": (tp + fp) / n,
        "prevalence": p / n,
        "roc_auc": area,
        "average_precision": average,
        "ks": ks,
        "brier": brier,
        "brier_skill": 1 - brier / (p / n * (1 - p / n)),
        "log_loss": float(-np.where(positive, logs, logs_rest).mean()),
        "ece": float(gap.sum() / n),
        "mce": largest_gap(score, positive, bins),
        "calibration_intercept": intercept,
        "calibration_slope": slope,
    }


def largest_gap(score: np.ndarray, positive: np.ndarray, bins: int) -> float:
    """The largest gap between mean score and share of positives over bins of about as many rows each."""
    edges = np.quantile(score, np.arange(1, bins) / bins, method="inverted_cdf")
    code = np.searchsorted(edges, score)
    count = np.bincount(code, minlength=bins)
    return float(np.abs((np.bincount(code, score, bins) - np.bincount(code, positive, bins)) / count).max())


def fits(x: np.ndarray, positive: np.ndarray) -> tuple[float, float]:
    """Intercept (slope 1) and slope of the logistic regression of actual on the logit, by Newton from no effect."""
    a = 0.0
    for _ in range(50):
        q = 1 / (1 + np.exp(-(a + x)))
        step = (positive - q).sum() / (q * (1 - q)).sum()
        a += step
        if abs(step) < 1e-9:
            break
    beta, design = np.zeros(2), np.stack((np.ones(len(x)), x))
    for _ in range(50):
        q = 1 / (1 + np.exp(-(beta @ design)))
        step = np.linalg.solve((design * (q * (1 - q))) @ design.T, design @ (positive - q))
        beta += step
        if np.abs(step).max() < 1e-9:
            break
    return float(a), float(beta[1])
