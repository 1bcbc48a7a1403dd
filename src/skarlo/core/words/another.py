"""Why do I get another number? A value got elsewhere is held against other definitions, averages, splits, cutoffs and
candidates; those that reproduce it, to the digits given, are named."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
from typing_extensions import TypedDict

from ..counting.answers import Answers
from ..counting.tally import Tally
from ..metrics import calibration, ranking
from ..metrics.definitions import METRICS
from ..metrics.losses import mean_of_losses
from ..metrics.panel import Reading
from ..number import FloatArray, total
from ..results import Results

EXACT = 1e-12
BY_CHANCE = 0.05  # from which on it is told how many values would match by chance
MOST = 12
MEANS = {
    "macro": "the plain mean of the classes", "weighted": "the mean of the classes, weighted by their rows",
    "micro": "all classes pooled",
}  # fmt: skip


class Match(TypedDict):
    """A number that is the one asked about: whose, and in what it differs from the number here."""

    candidate: str
    split: str
    title: str
    how: str
    value: float


class Another(TypedDict):
    """What reproduces a number. `by_chance`: how many of the values tried would match it by chance, where that is above
    0.05."""

    matches: list[Match]
    tried: int
    by_chance: float | None


# Metrics that are often told on another scale.
SCALED: tuple[tuple[str, str, Callable[[float], float]], ...] = (
    ("roc_auc", "2 x less 1", lambda x: 2 * x - 1), ("brier", "its square root", math.sqrt),
)  # fmt: skip
Try = tuple[str, str, str, str, float]  # candidate, split, title, how, value


def another(
    results: Results, text: str, candidate: str, split: str,
    elsewhere: Mapping[str, Results] | None = None, otherwise: Mapping[str, float] | None = None,
) -> Another:  # fmt: skip
    """Name what reproduces a number.

    Parameters
    ----------
    results : the candidates' metrics, classes and averages, on all splits
    text : the number as it was got: its digits say how near a value has to be; with a percent sign, or as a share
    candidate, split : whose number it should have been
    elsewhere : the same of other cutoffs, by what they are called
    otherwise : of the candidate on the split, numbers by other definitions, by what they are called

    Raises
    ------
    ValueError
        When the text is no number.

    Examples
    --------
    >>> from skarlo import evaluate
    >>> results = evaluate(["y", "n", "y", "n"], {"net": [0.9, 0.2, 0.6, 0.7]}, positive="y")
    >>> another(results, "0.67", "net", "all")["matches"][0]["title"]
    'Precision'
    """
    number, digits = _read(text)
    tried = 0
    found: dict[tuple[str, str, str, float], Match] = {}
    for who, where, title, how, value in _tries(results, candidate, split, elsewhere or {}, otherwise or {}):
        tried += 1
        if _same(number, digits, value):
            match = Match(candidate=who, split=where, title=title, how=how, value=value)
            found.setdefault((who, where, title, value), match)
    chance = tried * 10.0**-digits
    return {
        "matches": list(found.values())[:MOST], "tried": tried,
        "by_chance": chance if chance > BY_CHANCE else None,
    }  # fmt: skip


def _read(text: str) -> tuple[float, int]:
    """A number and its digits after the point, as a share where a percent sign stands behind it."""
    found = re.fullmatch(r"\s*([-+−]?)(\d*)[.,]?(\d*)\s*(%?)\s*", text)
    if not found or not (found[2] or found[3]):
        raise ValueError(f"{text.strip() or 'nothing'} is no number")
    value = float(f"{found[2] or 0}.{found[3] or 0}") * (-1 if found[1] in ("-", "−") else 1)
    digits = len(found[3])
    return (value / 100, digits + 2) if found[4] else (value, digits)


def _same(number: float, digits: int, value: float) -> bool:
    near = abs(number - value) <= 0.5 * 10.0**-digits + EXACT
    return near or abs(number / 100 - value) <= 0.5 * 10.0 ** -(digits + 2) + EXACT


def _tries(
    results: Results, candidate: str, split: str, elsewhere: Mapping[str, Results],
    otherwise: Mapping[str, float],
) -> Iterator[Try]:  # fmt: skip
    """Every value, the likeliest reason first."""
    splits = {c["name"]: c["splits"] for c in results["candidates"]}
    mine = splits[candidate][split]
    yield from _of_part(candidate, split, mine, "")
    yield from ((candidate, split, title, "another definition", x) for title, x in otherwise.items())
    for other, part in splits[candidate].items():
        if other != split:
            yield from _of_part(candidate, other, part, f"on {other}")
    for called, found in elsewhere.items():
        there = next((c["splits"].get(split) for c in found["candidates"] if c["name"] == candidate), None)
        if there is not None:
            yield from _of_part(candidate, split, there, called)
    for _, _, title, how, x in _of_part(candidate, split, mine, ""):
        for turned, value in (("with its sign turned", -x), ("1 less it", 1 - x)):
            yield candidate, split, title, ", ".join(y for y in (how, turned) if y), value
    for name, turned, of in SCALED:
        known = mine["metrics"][name]["value"] if name in mine["metrics"] else None
        if known is not None:
            yield candidate, split, METRICS[name].title, turned, of(known)
    for who, each in splits.items():
        if who != candidate and split in each:
            yield from _of_part(who, split, each[split], "")


def _of_part(candidate: str, split: str, part: Any, how: str) -> Iterator[Try]:
    def told(name: str, of: str, x: Any) -> Iterator[Try]:
        if isinstance(x, dict) and x.get("value") is not None:
            title = METRICS[name].title if name in METRICS else name
            yield candidate, split, title, ", ".join(y for y in (of, how) if y), float(x["value"])

    for name, m in part["metrics"].items():
        yield from told(name, "", m)
    for label, one in part.get("per_class", {}).items():
        for name, m in one.items():
            yield from told(name, f"of “{label}” against the rest", m)
    for kind, means in part.get("averages", {}).items():
        for name, m in means.items():
            yield from told(name, MEANS.get(kind, kind), m)


def other_definitions(a: Answers, reading: Reading) -> dict[str, float]:
    """Numbers of a candidate on some rows by definitions that are not ours, where these are known to be used."""
    out: dict[str, float | None] = {}
    t, scores = a.table, a.tally
    if t is not None and reading.positive is not None:
        k = reading.positive
        tp, fp, fn = float(t.cells[k, k]), float(t.cells[1 - k, k]), float(t.cells[k].sum() - t.cells[k, k])
        for beta in (0.5, 2.0):
            below = (1 + beta**2) * tp + beta**2 * fn + fp
            out[f"F with β = {beta:g}"] = (1 + beta**2) * tp / below if below > 0 else None
    if t is not None and t.classes > 2:
        for power, called in ((1, "linear"), (2, "squared")):
            out[f"Cohen’s kappa with {called} weights"] = _weighted_kappa(t.cells.astype(np.float64), power)
    if scores is not None and scores.positives > 0 and scores.negatives > 0:
        out["area under precision-recall by straight lines"] = ranking.trapezoid_area(scores)
        if a.is_probability:
            assert a.scored is not None
            brier, logs = mean_of_losses(a.scored, "brier"), mean_of_losses(a.scored, "log_loss")
            out |= {
                "Brier score summed over both classes": 2 * brier, "Log loss to base 2": logs / math.log(2),
                "Log loss to base 10": logs / math.log(10),
                "ECE over bins of equal rows": _equal_mass(a, scores, reading.settings.bins),
            }  # fmt: skip
    return {title: x for title, x in out.items() if x is not None}


def _equal_mass(a: Answers, t: Tally, bins: int) -> float:
    sums = calibration.sums_in(t, calibration.mass_edges(calibration.rows_at(a, t), bins))
    return total(np.abs(sums.score - sums.pos)) / float(t.rows)


def _weighted_kappa(cells: FloatArray, power: int) -> float | None:
    """Cohen 1968, Psychol. Bull. 70:213; over the rows with an answer."""
    square = cells[:, : len(cells)]
    n = total(square.ravel())
    if n <= 0:
        return None
    i, j = np.indices(square.shape)
    off = np.abs(i - j) ** power
    chance = np.outer(square.sum(axis=1), square.sum(axis=0)) / n
    expected = total((off * chance).ravel())
    return None if expected <= 0 else 1.0 - total((off * square).ravel()) / expected
