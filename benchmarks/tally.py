"""The tally against np.sort and against the plain way: ratios of medians measured in one run."""

from __future__ import annotations

import platform
import resource
import statistics
import sys
import time
from collections.abc import Callable
from functools import partial

import numpy as np

import plain
from skarlo.core import environment
from skarlo.core.counting import tally
from skarlo.core.decide import rules
from skarlo.core.metrics import ranking


def medians(works: dict[str, Callable[[], object]], times: int = 7) -> dict[str, float]:
    """Median seconds of each, taken in turns, so that what else the machine does falls on all alike."""
    taken: dict[str, list[float]] = {name: [] for name in works}
    for _ in range(times):
        for name, work in works.items():
            begin = time.perf_counter()
            work()
            taken[name].append(time.perf_counter() - begin)
    return {name: statistics.median(seconds) for name, seconds in taken.items()}


def ours(score: np.ndarray, positive: np.ndarray) -> tuple[float, ...]:
    """Tally, both areas, KS, and every cutoff rule."""
    t = tally.make(score, positive)
    out = [ranking.roc_area(t), ranking.average_precision_value(t), ranking.ks_value(t)]
    s = rules.Sweep(t, t.positives, t.negatives)
    for name, p in (
        ("best_f1", {}), ("best_youden", {}), ("least_cost", {"false_positive": 3.0, "false_negative": 40.0}),
        ("recall_at_least", {"value": 0.9}), ("precision_at_least", {"value": 0.3}), ("flag_at_most", {"share": 0.1}),
    ):  # fmt: skip
        out.append(rules.RULES[name].choose(s, p).value or 0.0)
    return tuple(out)


def main() -> None:
    sizes = [int(float(x)) for x in sys.argv[1:]] or [1_000_000, 10_000_000]
    print(f"{platform.processor() or platform.machine()}; {environment()}")
    rng = np.random.default_rng(0)
    for n in sizes:
        score = rng.random(n)
        positive = rng.random(n) < 0.05 + 0.4 * score
        weight = rng.random(n)
        took = medians({
            "sort": partial(np.sort, score),
            "tally": partial(tally.make, score, positive),
            "wide": partial(tally.make, score - 0.5, positive),
            "weighted": partial(tally.make, score, positive, weight),
            "ours": partial(ours, score, positive),
            "stable": partial(plain.everything, score, positive, "stable"),
            "default": partial(plain.everything, score, positive, None),
        })  # fmt: skip
        rows = {
            "tally, unweighted / np.sort": took["tally"] / took["sort"],
            "tally of scores of both signs / np.sort": took["wide"] / took["sort"],
            "tally, weighted / np.sort": took["weighted"] / took["sort"],
            "plain way (stable argsort) / tally, areas, KS, all rules": took["stable"] / took["ours"],
            "plain way (default argsort) / tally, areas, KS, all rules": took["default"] / took["ours"],
        }
        for name, ratio in rows.items():
            print(f"{n:>11,} rows  {name}: {ratio:.2f}")
        print(f"{n:>11,} rows  np.sort {took['sort']:.4f} s, ours {took['ours']:.4f} s")
        a, b = plain.everything(score, positive, "stable"), ours(score, positive)
        assert np.allclose(a[:3], b[:3], rtol=1e-9), (a, b)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"peak memory of the run {peak:,.0f} MiB")


if __name__ == "__main__":
    main()
