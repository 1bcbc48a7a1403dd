"""The mid tails against sums of exact fractions, and against SciPy's tails on larger tables."""

from fractions import Fraction
from math import comb

import numpy as np
import pytest
from scipy.stats import hypergeom

from skarlo.core.stats.hypergeometric import mid_p, mid_tail
from skarlo.core.stats.tests import hypergeometric_midp


def exact(k, drawn, marked, rows):
    """The mid tail below, by counting."""
    ways = [comb(marked, i) * comb(rows - marked, drawn - i) if i <= drawn else 0 for i in range(k + 1)]
    return (Fraction(ways[-1], 2) + sum(ways[:-1])) / comb(rows, drawn)


def test_every_small_table():
    rows = [
        (k, drawn, marked, n)
        for n in range(10) for drawn in range(n + 1) for marked in range(n + 1)
        for k in range(max(0, drawn + marked - n), min(drawn, marked) + 1)
    ]  # fmt: skip
    found = mid_tail(*(np.array(x) for x in zip(*rows, strict=True)))
    assert found == pytest.approx([float(exact(*row)) for row in rows], rel=1e-12)


@pytest.mark.parametrize("most", [100, 3_000, 60_000])
def test_larger_tables(most):
    rng = np.random.default_rng(most)
    n1, n2 = rng.integers(1, most, 60), rng.integers(1, 3 * most, 60)
    p = rng.random(60)
    k1, k2 = rng.binomial(n1, p), rng.binomial(n2, np.clip(p + rng.normal(size=60) / np.sqrt(most), 0, 1))
    law = n1 + n2, k1 + k2, n1
    half = hypergeom.pmf(k1, *law) / 2
    wanted = np.minimum(1, 2 * np.minimum(hypergeom.cdf(k1, *law) - half, hypergeom.sf(k1, *law) + half))
    assert hypergeometric_midp(k1, n1, k2, n2) == pytest.approx(wanted, rel=1e-9)
    assert len({round(x, 3) for x in wanted.tolist()}) > 20


def test_a_tail_of_many_rows_adds_up_with_the_other():
    k, drawn, marked, rows = (np.array([x]) for x in (51_200, 102_000, 1_500_000, 3_000_000))
    below, above = mid_tail(k, drawn, marked, rows), mid_tail(drawn - k, drawn, rows - marked, rows)
    assert below + above == pytest.approx(1.0, abs=1e-9)
    assert 0 < mid_p(k, drawn, marked, rows) < 1


def test_many_tails_side_by_side_are_each_alone():
    rng = np.random.default_rng(4)
    rows = rng.integers(400, 90_000, 300)
    drawn, marked = (rng.random(300) * rows).astype(int), (rng.random(300) * rows).astype(int)
    k = np.maximum(0, drawn + marked - rows) + (rng.random(300) * (np.minimum(drawn, marked) * 0.02 + 2)).astype(int)
    k = np.where(np.arange(300) % 2, np.minimum(k, np.minimum(drawn, marked)), drawn * marked // rows)
    told = mid_tail(k, drawn, marked, rows)
    alone = [float(mid_tail(*(x[i : i + 1] for x in (k, drawn, marked, rows)))[0]) for i in range(300)]
    assert told == pytest.approx(alone, rel=1e-12)
    assert len(set(alone)) > 100


def test_what_cannot_be_otherwise_has_p_one():
    assert hypergeometric_midp(5, 5, 7, 7) == 1.0
    assert hypergeometric_midp(0, 5, 0, 7) == 1.0
