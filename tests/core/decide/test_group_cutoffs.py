"""Cutoffs for groups, against every combination of cutoffs."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from skarlo.core.counting import tally
from skarlo.core.decide.group_cutoffs import LEAST_COST, RATES, Options, choose, options


def by_rows(actual, score, cutoff, rate, prices):
    """(rate, cost) of one cutoff, by looking at each row; the rate is None where there is none."""
    tp = sum(a and s >= cutoff for a, s in zip(actual, score, strict=True))
    fp = sum((not a) and s >= cutoff for a, s in zip(actual, score, strict=True))
    p, n = sum(actual), len(actual) - sum(actual)
    below = {"recall": p, "fpr": n, "flagged_share": p + n, "precision": tp + fp}[rate]
    top = {"recall": tp, "fpr": fp, "flagged_share": tp + fp, "precision": tp}[rate]
    return (top / below if below else None), prices[0] * fp + prices[1] * (p - tp)


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("seed", range(8))
def test_the_least_cost_under_a_gap_is_that_of_all_combinations(rate, seed):
    rng = np.random.default_rng(seed)
    prices, gap = (float(rng.integers(1, 4)), float(rng.integers(1, 9))), float(rng.choice([0.02, 0.1, 0.3]))
    groups = []
    for _ in range(int(rng.integers(2, 4))):
        n = int(rng.integers(4, 8))
        actual = np.concatenate(([0, 1], rng.integers(0, 2, n - 2)))
        groups.append((actual, rng.integers(1, 9, n) / 9))
    every = []
    for cutoffs in itertools.product(*([math.inf, *sorted(set(s), reverse=True)] for _, s in groups)):
        told = [by_rows(a, s, c, rate, prices) for (a, s), c in zip(groups, cutoffs, strict=True)]
        if all(r is not None for r, _ in told):
            rates = [r for r, _ in told]
            every.append((sum(c for _, c in told), max(rates) - min(rates)))
    fitting = [x for x in every if x[1] <= gap + 1e-12]
    narrowest = min(g for _, g in every)
    wanted = min(fitting) if fitting else min(x for x in every if x[1] <= narrowest + 1e-12)
    found = choose([
        options(tally.make(s, a == 1), float((a == 1).sum()), float((a == 0).sum()), rate, prices) for a, s in groups
    ], gap)  # fmt: skip
    assert found.cost == pytest.approx(wanted[0])
    assert found.gap <= (gap if fitting else narrowest) + 1e-12
    assert found.fits == bool(fitting)


def test_of_least_cost_each_group_has_its_own():
    rng = np.random.default_rng(2)
    groups = [(rng.integers(0, 2, 9), rng.random(9)) for _ in range(3)]
    prices = (1.0, 3.0)
    found = choose([
        options(tally.make(s, a == 1), float(a.sum()), float(9 - a.sum()), LEAST_COST, prices) for a, s in groups
    ])  # fmt: skip
    for (a, s), cutoff in zip(groups, found.cutoffs, strict=True):
        costs = {c: by_rows(a, s, c, "flagged_share", prices)[1] for c in [math.inf, *s]}
        assert cutoff == max(c for c, cost in costs.items() if cost == min(costs.values()))


def test_equal_costs_take_the_higher_cutoff_then_the_smaller_gap():
    one = Options(np.array([0.9, 0.5]), np.array([0.5, 0.6]), np.array([4.0, 4.0]))
    two = Options(np.array([0.8]), np.array([0.6]), np.array([1.0]))
    found = choose([one, two], 0.2)
    assert found.cutoffs == (0.5, 0.8)  # a stretch that begins at 0.6 costs the same and lies nearer together
    assert found.gap == 0.0
