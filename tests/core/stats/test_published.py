"""Values that the sources of the methods printed themselves, worked out here from their own figures."""

from __future__ import annotations

import math

import numpy as np
import pytest

from skarlo.core.compare.rest import hypergeometric_midp
from skarlo.core.counting import tally
from skarlo.core.counting.answers import Answers
from skarlo.core.decide import rules
from skarlo.core.metrics import agreement, losses, ranking
from skarlo.core.stats import intervals, tests


def scored(score, positive):
    y = np.array(positive, dtype=np.int64)
    s = np.array(score, dtype=float)
    return Answers.of_scores(y, s, 0.5)


@pytest.mark.parametrize(
    ("k", "n", "ends"),
    [(81, 263, (0.2553, 0.3662)), (15, 148, (0.0624, 0.1605)), (0, 20, (0.0, 0.1611)), (1, 29, (0.0061, 0.1718))],
)
def test_wilson_in_newcombes_table(k, n, ends):
    """Newcombe 1998, Statistics in Medicine 17:857, table I, the score method."""
    assert intervals.wilson(k, n, 0.95) == pytest.approx(ends, abs=5e-5)


def test_two_shares_in_newcombes_table():
    """Newcombe 1998, Statistics in Medicine 17:873, table II, method 10: 9 of 10 against 3 of 10."""
    a, b = intervals.wilson(9, 10, 0.95), intervals.wilson(3, 10, 0.95)
    assert intervals.hybrid_difference(0.9, a, 0.3, b) == pytest.approx((0.1705, 0.8090), abs=5e-5)


def test_two_paired_shares_in_newcombes_table():
    """Newcombe 1998, Statistics in Medicine 17:2635, table II, method 10."""
    assert tests.paired_interval(36, 12, 2, 0, 0.95) == pytest.approx((0.0569, 0.3404), abs=5e-5)


def test_airways_before_and_after():
    """Twenty-one children before and after stem cell transplantation, their airways responsive or not: Fagerland,
    Lydersen and Laake 2013, BMC Medical Research Methodology 13:91, and 2014, Statistics in Medicine 33:2850."""
    assert tests.mcnemar_midp(1, 7) == pytest.approx(0.039, abs=5e-4)
    assert tests.paired_interval(1, 1, 7, 12, 0.95) == pytest.approx((-0.507, -0.026), abs=5e-4)


def test_cohens_table():
    """Cohen 1960, Educational and Psychological Measurement 20:37: kappa 0.492."""
    shares = np.array([[0.44, 0.07, 0.09], [0.05, 0.20, 0.05], [0.01, 0.03, 0.06]])
    assert float(agreement.kappa(shares)) == pytest.approx(0.492, abs=5e-4)


def test_hanley_and_mcneils_ratings():
    """Ratings 1 to 5 of 58 normal and 51 abnormal patients (Hanley and McNeil 1982, Radiology 143:29): 0.893, 0.032."""
    normal, abnormal = [33, 6, 6, 11, 2], [3, 2, 2, 11, 33]
    score = np.repeat(np.tile(np.arange(1.0, 6.0), 2), normal + abnormal)
    t = tally.make(score, np.repeat([False, True], [sum(normal), sum(abnormal)]))
    area = ranking.roc_area(t)
    assert area == pytest.approx(0.893, abs=5e-4)
    assert math.sqrt(ranking.delong_variance(t, area)) == pytest.approx(0.032, abs=2e-3)


def test_briers_ten_forecasts():
    """Ten forecasts of rain (Brier 1950, Monthly Weather Review 78:1, table 1): 0.19, half of it by ours."""
    rain = [0.7, 0.9, 0.8, 0.4, 0.2, 0.0, 0.0, 0.0, 0.0, 0.1]
    fell = [0, 1, 1, 1, 0, 0, 0, 0, 0, 0]
    assert 2 * losses.moments(scored(rain, fell), "brier").mean == pytest.approx(0.19, abs=1e-12)


def test_fawcetts_twenty_instances():
    """Twenty scored instances (Fawcett 2006, Pattern Recognition Letters 27:861, figure 3): no cutoff does better than
    0.54, which calls 70 % right, at the point (0.1, 0.5)."""
    score = [0.9, 0.8, 0.7, 0.6, 0.55, 0.54, 0.53, 0.52, 0.51, 0.505, 0.4, 0.39, 0.38, 0.37, 0.36, 0.35, 0.34, 0.33,
             0.3, 0.1]  # fmt: skip
    positive = np.array([c == "p" for c in "ppnpppnnpnpnpnnnpnpn"])
    t = tally.make(np.array(score), positive)
    chosen = rules.choose("least_cost", {"false_positive": 1.0, "false_negative": 1.0}, t, t.positives, t.negatives)
    assert chosen.value == 0.54
    said = np.array(score) >= chosen.value
    assert (said == positive).mean() == 0.7
    assert ((said & ~positive).sum() / 10, (said & positive).sum() / 10) == (0.1, 0.5)


def test_the_lady_tasting_tea():
    """Three of four cups right: the one-sided mid-p is 0.129 (Agresti 2007, An Introduction to Categorical Data
    Analysis, 2.6); this test takes both sides."""
    assert float(hypergeometric_midp(3, 4, 1, 4)) / 2 == pytest.approx(0.129, abs=5e-4)


def test_holm_on_the_example_of_benjamini_and_hochberg():
    """Fifteen p-values of a trial (Benjamini and Hochberg 1995, J. R. Stat. Soc. B 57:289): by steps three stand."""
    p = [0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.3240, 0.4262, 0.5719, 0.6528,
         0.7590, 1.0]  # fmt: skip
    adjusted = tests.holm(p)
    assert [a <= 0.05 for a in adjusted] == [True] * 3 + [False] * 12
    assert adjusted[2] == pytest.approx(13 * 0.0019)
