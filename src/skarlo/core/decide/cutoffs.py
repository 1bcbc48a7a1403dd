"""How wide the choice of a cutoff is: metrics over all of them, those not separable from the best, and what the next
catches cost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import scipy

from ..counting.answers import Answers, effective_rows
from ..counting.tally import Counts, Tally
from ..metrics import panel
from ..metrics.calibration import mass_edges, rows_at
from ..metrics.panel import Reading
from ..number import FloatArray, IntArray, clean
from ..results import Catch, Stretch, SweepResult
from ..stats import intervals
from ..stats.draws import generator, resampled

RUNS = 64  # runs of neighbouring scores, at most, among which a stretch is looked for, and one more at the best cutoff
LEAST_SD = 0.3  # of the largest, to which the spread of a difference between two cutoffs is raised
Params = Mapping[str, float]


def steps(step: float) -> FloatArray:
    """0, step … 1. Raises ValueError where 1 is not a whole number of steps."""
    m = round(1 / step)
    if m < 1 or abs(m * step - 1) > 1e-9:
        raise ValueError(f"the step {step:g} does not go into 1 a whole number of times")
    return np.arange(m + 1) / m


def places(a: Answers, step: float) -> FloatArray:
    """The cutoffs of a sweep: 0, step … 1; of scores that only rank as many quantiles of them.

    Raises ValueError where 1 is not a whole number of steps.
    """
    k = steps(step)
    if a.is_probability:
        return k
    given = a.with_answer.score
    assert given is not None
    return np.unique(np.quantile(given, k)) if len(given) else np.zeros(0)


def sweep(a: Answers, reading: Reading, step: float) -> SweepResult:
    """Every metric of counts at each place of a sweep, with intervals; None where one is not defined."""
    at = places(a, step)
    found = [panel.of_counts(a.at(float(c)), reading) for c in at]
    out: dict[str, Any] = {"cutoff": [clean(c) for c in at]}
    for name in reading.metrics:
        if not reading.needs_class(name) or name == "prevalence":
            continue
        told = [f[name] for f in found]
        out[name] = {key: [m.get(key) for m in told] for key in ("value", "low", "high")}
    return out


# What the next catches cost.


def next_catch(a: Answers, cutoff: float, catches: int, confidence: float) -> Catch | None:
    """Going down from a cutoff until so many more positives are flagged: what that costs; None with none left."""
    t = a.tally
    assert t is not None
    tp, fp = t.at(cutoff)
    left = t.positives - tp
    if left <= 0:
        return None
    wanted = min(catches, left)
    at = len(t.score) - 1 - int(np.argmax(t.tp[::-1] >= tp + wanted))
    return _catch(a, float(t.score[at]), t.tp[at].item() - tp, t.fp[at].item() - fp, left < catches, confidence)


def last_catch(a: Answers, cutoff: float, catches: int, confidence: float) -> Catch | None:
    """Going up from a cutoff until so many fewer positives are flagged: what the last ones cost; None with none."""
    t = a.tally
    assert t is not None
    tp, fp = t.at(cutoff)
    if tp <= 0:
        return None
    above = np.flatnonzero(t.tp <= tp - min(catches, tp))
    if not above.size:  # until nothing is flagged
        return _catch(a, None, tp, fp, tp < catches, confidence)
    at = int(above[0])
    return _catch(a, float(t.score[at]), tp - t.tp[at].item(), fp - t.fp[at].item(), tp < catches, confidence)


def _catch(a: Answers, cutoff: float | None, hits: float, needless: float, all_left: bool, confidence: float) -> Catch:
    """Inverse sampling: Haldane 1945, Biometrika 33:222."""
    low = high = None
    if not a.designed:
        tail = (1 - confidence) / 2
        least = float(scipy.special.betaincinv(hits, needless + 1, tail))
        most = 1.0 if needless == 0 else float(scipy.special.betaincinv(hits, needless, 1 - tail))
        low, high = (1 - most) / most, (1 - least) / least
    return {
        "catches": hits, "needless": needless, "cutoff": cutoff, "all_left": all_left,
        "price": {"value": clean(needless / hits), "low": low, "high": high},
    }  # fmt: skip


# Cutoffs that the rows cannot separate from the best.

Score = Callable[[Counts, Counts, Any, Any], FloatArray]


def _f1(tp: Counts, fp: Counts, p: Any, n: Any) -> FloatArray:
    below = np.asarray(tp + fp + p, dtype=np.float64)
    return np.asarray(np.divide(2.0 * tp, below, out=np.zeros(np.shape(below)), where=below > 0))


def _youden(tp: Counts, fp: Counts, p: Any, n: Any) -> FloatArray:
    return np.asarray(tp / p - fp / n)


def _cost(prices: Params) -> Score:
    def worth(tp: Counts, fp: Counts, p: Any, n: Any) -> FloatArray:
        return np.asarray(-(prices["false_positive"] * fp + prices["false_negative"] * (p - tp)) / (p + n))

    return worth


def stretch(a: Answers, reading: Reading, rule: str, parameters: Params) -> Stretch:
    """The cutoffs that these rows cannot separate from the one that the rule likes best; open ends are None.

    Of a rule with a floor or a cap, the cutoffs whose interval's nearer end meets it. Else each cutoff, at one of at
    most 65 runs of neighbouring scores, against the best by a studentised maximum over joint draws (Hsu 1984, Ann.
    Stat. 12:1136; Hansen, Lunde and Nason 2011, Econometrica 79:453).
    """
    t = a.tally
    assert t is not None
    if t.positives <= 0 or t.negatives <= 0:
        return {"low": None, "high": None, "rule": rule, "steps": 0, "why": "a class has no rows"}
    if rule in FLOORS:
        return _meeting(a, t, reading, rule, parameters)
    if rule not in BEST:
        return {"low": None, "high": None, "rule": rule, "steps": 0, "why": "no rule chose it"}
    worth = BEST[rule](parameters)
    starts = _starts(a, t, worth)
    pos, neg = (np.add.reduceat(x, starts) for x in (t.pos, t.neg))
    drawn_pos, drawn_neg = _drawn(a, t, starts, pos, neg, reading)
    m = worth(_above(pos), _above(neg), pos.sum(), neg.sum())
    p, n = drawn_pos.sum(axis=1), drawn_neg.sum(axis=1)
    there = (p > 0) & (n > 0)
    drawn = worth(_above(drawn_pos[there]), _above(drawn_neg[there]), p[there, None], n[there, None])
    kept = _not_separable(m, drawn - m, 1 - reading.settings.confidence)
    first, last = int(kept[0]), int(kept[-1])
    return {
        "low": float(t.score[starts[first]]) if first > 0 else None,
        "high": float(t.score[starts[last]]) if last < len(starts) - 1 else None,
        "rule": rule, "steps": len(starts),
    }  # fmt: skip


def _above(x: Counts) -> Counts:
    """Running sums from the last place down."""
    return np.cumsum(x[..., ::-1], axis=-1)[..., ::-1]


def _starts(a: Answers, t: Tally, worth: Score) -> IntArray:
    """Where each run begins: cuts of equal mass, and one at the best cutoff."""
    best = len(t.score) - 1 - int(np.argmax(worth(t.tp, t.fp, t.positives, t.negatives)[::-1]))
    return np.unique(np.append(mass_edges(rows_at(a, t), RUNS)[:-1], best))


def _drawn(
    a: Answers, t: Tally, starts: IntArray, pos: Counts, neg: Counts, reading: Reading
) -> tuple[FloatArray, FloatArray]:
    """The runs' rows drawn again: of each class, shape (draws, G)."""
    s, b, g = reading.settings, a.with_answer, len(starts)
    rng = generator(s.seed, "stretch", (g,), np.concatenate((pos, neg)))
    if b.group is not None:
        run = np.searchsorted(starts, b.place, side="right") - 1
        _, cluster = np.unique(b.group, return_inverse=True)
        cell = (cluster * 2 + b.is_positive) * g + run
        sums = np.bincount(cell, weights=b.weight, minlength=2 * g * (int(cluster.max()) + 1)).reshape(-1, 2 * g)
        drawn = resampled(sums, rng, s.draws)
        return drawn[:, g:], drawn[:, :g]
    cells = np.concatenate((pos, neg)).astype(np.float64)
    n = max(1, round(effective_rows(b.weight, None, len(b.actual))))
    drawn = rng.multinomial(n, cells / cells.sum(), size=s.draws).astype(np.float64)
    return drawn[:, :g], drawn[:, g:]


def _not_separable(m: FloatArray, dev: FloatArray, alpha: float) -> IntArray:
    """Which places cannot be separated from the best, by what they are worth and what draws deviate from that."""
    out = []
    for c in range(len(m)):
        apart = dev - dev[:, c : c + 1]
        sd = apart.std(axis=0, ddof=1) if len(dev) > 1 else np.zeros(len(m))
        sd = np.maximum(sd, LEAST_SD * sd.max())
        if sd.max() <= 0:
            if m[c] >= m.max():
                out.append(c)
            continue
        statistic = float(((m - m[c]) / sd).max())
        if ((apart / sd).max(axis=1) >= statistic - 1e-12).mean() > alpha:
            out.append(c)
    return np.array(out)


FLOORS: dict[str, tuple[str, bool]] = {
    "recall_at_least": ("recall", True), "precision_at_least": ("precision", True),
    "flag_at_most": ("flagged_share", False),
}  # fmt: skip
BEST: dict[str, Callable[[Params], Score]] = {
    "best_f1": lambda p: _f1, "best_youden": lambda p: _youden, "least_cost": _cost,
}  # fmt: skip


def _meeting(a: Answers, t: Tally, reading: Reading, rule: str, parameters: Params) -> Stretch:
    """The cutoffs whose interval meets a floor with its low end, or a cap with its high end."""
    name, floor = FLOORS[rule]
    p, n = float(t.positives), float(t.negatives)
    tp, flagged = t.tp.astype(np.float64), (t.tp + t.fp).astype(np.float64)
    of, among = {
        "recall": (tp, np.full(len(tp), p)), "precision": (tp, flagged),
        "flagged_share": (flagged, np.full(len(tp), p + n)),
    }[name]  # fmt: skip
    rows = effective_rows(a.with_answer.weight, a.with_answer.group, len(a.with_answer.actual)) / (p + n)
    low, high = intervals.wilson_shares(of / among, among * rows, reading.settings.confidence)
    needed = parameters["value"] if floor else parameters.get("share", parameters.get("rows", 0.0) / (p + n))
    meets = np.flatnonzero(low >= needed if floor else high <= needed)
    told: Stretch = {"low": None, "high": None, "rule": rule, "steps": len(t.score)}
    if not meets.size:
        return {**told, "why": "no cutoff meets it with its whole interval"}
    first, last = int(meets[0]), int(meets[-1])
    told["low"] = float(t.score[first]) if first > 0 else None
    told["high"] = float(t.score[last]) if last < len(t.score) - 1 else None
    return told
