"""What a simple recalibration, learned on one split, does on another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import scipy

from ..compare import paired
from ..counting.answers import Answers, Probable, Scored
from ..counting.tally import Tally
from ..metrics import logistic, panel, reliability
from ..metrics.logistic import expit, logit
from ..metrics.losses import CLIP
from ..metrics.panel import Reading
from ..number import FloatArray, clean, total
from ..results import Recalibrated, Recalibration
from ..stats import tests

TWO = ("brier", "brier_skill", "log_loss", "ece", "mce", "calibration_intercept", "calibration_slope", "roc_auc")
MANY = ("brier", "brier_skill", "log_loss", "ece", "roc_auc_macro")
LOSSES = ("brier", "log_loss")
METHODS = ("logistic", "temperature", "isotonic")
Learned = tuple[dict[str, float], Callable[[FloatArray], FloatArray]]


class NotLearnedError(ValueError):
    """A recalibration that these rows cannot teach, with the reason."""


def learn(method: str, a: Answers) -> Learned:
    """Learn a recalibration.

    Parameters
    ----------
    method : "logistic" (Platt 1999: intercept and slope on the logit of a probability, or on a score that only ranks),
        "temperature" (one factor on the logit, or on the log of each class's probability; Guo, Pleiss, Sun and
        Weinberger 2017), "isotonic" (least-squares monotone steps; Zadrozny and Elkan 2002)
    a : the rows to learn from

    Returns
    -------
    What was learned, by name, and the function from scores (or class probabilities) to new ones.

    Raises
    ------
    NotLearnedError
        When the rows cannot teach it.
    """
    if a.positive is None:
        return _many(method, a)
    t = a.tally
    if t is None:
        raise NotLearnedError("it answers classes only, with no score")
    if t.positives <= 0 or t.negatives <= 0:
        raise NotLearnedError("a class has no rows to learn from")
    if method == "isotonic":
        return _isotonic(t)
    why = logistic.no_fit(t)
    if why:
        raise NotLearnedError(why)
    if method == "temperature" and not a.is_probability:
        raise NotLearnedError("its scores only rank, and have no logit")
    try:
        return _temperature(t) if method == "temperature" else _logistic(t, a.is_probability)
    except (ValueError, np.linalg.LinAlgError) as e:
        raise NotLearnedError("the logistic fit does not converge") from e


def _logistic(t: Tally, probability: bool) -> Learned:
    beta = logistic.fit(t)[0] if probability else logistic.fit_ranking(t)
    a, b = float(beta[0]), float(beta[1])
    told = {"intercept": clean(a), "slope": clean(b)}
    return told, lambda s: expit(a + b * (logit(s) if probability else s))


def _temperature(t: Tally) -> Learned:
    slope = float(logistic.fit(t, fixed_intercept=True)[0][0])
    if slope <= 0:
        raise NotLearnedError("its scores are in reverse order, so no temperature fits")
    return {"temperature": clean(1 / slope)}, lambda s: expit(slope * logit(s))


def _isotonic(t: Tally) -> Learned:
    first, _, share = reliability.isotonic(t)
    start = t.score[first]

    def apply(s: FloatArray) -> FloatArray:
        return np.asarray(share[np.clip(np.searchsorted(start, s, side="right") - 1, 0, None)])

    return {"steps": float(len(share))}, apply


def _many(method: str, a: Answers) -> Learned:
    if a.probabilities is None:
        raise NotLearnedError("it answers classes only, with no probabilities")
    if method != "temperature":
        raise NotLearnedError(f"{method} recalibration is for two classes")
    b = a.with_answer
    assert b.probabilities is not None
    if not len(b.actual):
        raise NotLearnedError("there are no rows to learn from")
    weight = np.ones(len(b.actual)) if b.weight is None else b.weight
    logs = np.log(np.clip(b.probabilities, CLIP, 1.0))
    own = logs[np.arange(len(logs)), b.actual]

    def slope(beta: float) -> float:
        return total(weight * (np.add.reduce(_sharpened(logs, beta) * logs, axis=1) - own))

    if slope(1e-3) >= 0 or slope(1e3) <= 0:
        raise NotLearnedError("no temperature fits these rows best")
    beta = float(scipy.optimize.brentq(slope, 1e-3, 1e3, xtol=1e-13, rtol=1e-13))
    return {"temperature": clean(1 / beta)}, lambda p: _sharpened(np.log(np.clip(p, CLIP, 1.0)), beta)


def _sharpened(logs: FloatArray, beta: float) -> FloatArray:
    x = beta * logs
    e = np.exp(x - x.max(axis=1, keepdims=True))
    return np.asarray(e / np.add.reduce(e, axis=1)[:, None])


@dataclass(frozen=True)
class Repaired:
    """Answers after a recalibration: what was learned, each row's score (or class probabilities), NaN for no answer,
    and where a cutoff of the scores as they came has gone. Of steps `begins` and `shares` are the whole map."""

    learned: dict[str, float]
    score: FloatArray | None
    probabilities: FloatArray | None
    cutoff: float | None
    begins: list[float]
    shares: list[float]


def repair(method: str, learn_on: Answers, a: Answers, cutoff: float | None = None) -> Repaired:
    """Learn a recalibration on some rows and apply it to others. Raises NotLearnedError.

    Examples
    --------
    >>> actual, score = np.array([0, 1, 0, 1, 0, 1]), np.array([0.2, 0.9, 0.4, 0.6, 0.6, 0.3])
    >>> found = repair("isotonic", Answers.of_scores(actual, score), Answers.of_scores(actual, score), 0.5)
    >>> found.score.round(2).tolist(), round(found.cutoff, 2)
    ([0.0, 1.0, 0.5, 0.5, 0.5, 0.5], 0.5)
    """
    learned, apply = learn(method, learn_on)
    steps: tuple[list[float], list[float]] = ([], [])
    if method == "isotonic" and learn_on.tally is not None:
        first, _, share = reliability.isotonic(learn_on.tally)
        steps = learn_on.tally.score[first].tolist(), share.tolist()
    after = _applied(a, apply)
    moved = None if cutoff is None or a.positive is None else float(apply(np.array([cutoff]))[0])
    return Repaired(learned, after.score if a.positive is not None else None, after.probabilities, moved, *steps)


def judge(learn_on: Answers, judge_on: Answers, reading: Reading) -> dict[str, Recalibrated]:
    """Each method, learned on some rows and judged on others: its metrics, and its losses less those as they came.

    The area of a step function falls where steps tie rows that were in order.
    """
    return {method: _judged(method, learn_on, judge_on, reading) for method in METHODS}


def _judged(method: str, learn_on: Answers, judge_on: Answers, reading: Reading) -> Recalibrated:
    try:
        learned, apply = learn(method, learn_on)
    except NotLearnedError as e:
        return {"why": str(e)}
    if not len(judge_on.with_answer.actual):
        return {"why": "there are no rows to judge it on"}
    after = _applied(judge_on, apply)
    told = TWO if judge_on.positive is not None else MANY
    found = panel.score_metrics(after, replace(reading, ranking_only=False), told)
    out: Recalibrated = {
        "learned": learned,
        "metrics": {name: found[name] for name in told},
    }
    if judge_on.is_probability:
        changes = [paired.losses(name, paired.Both(after.with_answer, judge_on.with_answer)) for name in LOSSES]
        families = [tests.family([d], reading.settings.confidence)[0] for d in changes]
        out["change"] = dict(zip(LOSSES, families, strict=True))
    return out


def _applied(a: Answers, apply: Callable[[FloatArray], FloatArray]) -> Answers:
    answered = a.answered
    if a.positive is not None:
        assert a.score is not None
        score = np.full(len(a.score), np.nan)
        score[answered] = apply(a.score[answered])
        return replace(a, scored=Scored(score, a.is_positive, True, a.weight), predicted=None, counted=None)
    assert a.probabilities is not None
    p = np.full(a.probabilities.shape, np.nan)
    p[answered] = apply(a.probabilities[answered])
    probable = Probable(p, a.actual, a.weight)
    return replace(a, probable=probable, predicted=probable.largest, counted=None)


def of_candidate(
    learn_on: Answers | None, judge_on: Answers, reading: Reading, splits: tuple[str | None, str]
) -> Recalibration:
    """What stands in the results: by method, or why there is none."""
    if learn_on is None or splits[0] is None:
        return {"learned_on": None, "judged_on": splits[1], "why": "there is no tuning split to learn it on"}
    return {"learned_on": splits[0], "judged_on": splits[1], "methods": judge(learn_on, judge_on, reading)}
