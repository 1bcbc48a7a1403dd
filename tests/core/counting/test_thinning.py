"""What is left of a curve: no dropped point lies off the drawn line, however the curve runs."""

from itertools import pairwise

import numpy as np
import pytest

from skarlo.core.counting import curves, tally

RNG = np.random.default_rng(8)


def off(x, y, kept):
    """How far each point lies from the line drawn between those that stay, at most."""
    most = 0.0
    for a, b in pairwise(kept):
        px, py = x[a : b + 1], y[a : b + 1]
        dx, dy = px[-1] - px[0], py[-1] - py[0]
        length = dx * dx + dy * dy
        along = np.clip(((px - px[0]) * dx + (py - py[0]) * dy) / length, 0, 1) if length else np.zeros(len(px))
        most = max(most, float(np.hypot(px - px[0] - along * dx, py - py[0] - along * dy).max()))
    return most


def rows(n, *, weights=False, ties=None):
    score = RNG.beta(0.7, 2.0, n)
    if ties:
        score = np.round(score * ties) / ties
    positive = RNG.random(n) < score
    weight = np.where(RNG.random(n) < 0.3, 0.0, RNG.exponential(1.0, n)) if weights else None
    return tally.make(score, positive, weight)


TALLIES = {
    "few": rows(700), "many": rows(40_000), "weighted": rows(40_000, weights=True), "tied": rows(90_000, ties=30_000),
    "first rows weigh nothing": tally.make(
        np.linspace(0, 1, 20_000), np.arange(20_000) % 3 == 0, (np.arange(20_000) < 15_000).astype(float)
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", curves.OF_SCORES)
@pytest.mark.parametrize("of", TALLIES)
def test_no_dropped_point_lies_off_the_drawn_line(of, name):
    t = TALLIES[of]
    whole, drawn = curves.whole(name, t), curves.drawn(name, t)
    assert list(drawn) == list(whole)
    cutoff = whole["cutoff"]
    kept = np.array([
        0 if np.isnan(c) else int(np.flatnonzero(cutoff == c)[0]) for c in drawn["cutoff"]
    ])  # fmt: skip
    for key, values in whole.items():
        np.testing.assert_array_equal(values[kept], drawn[key])
    x, y = list(whole.values())[:2]
    assert (kept[0], kept[-1]) == (0, len(x) - 1)
    assert off(x, y, kept) <= 1e-4 * (1 + 1e-9)
    assert len(kept) < len(x)


def test_a_line_that_turns_back_is_kept_where_it_turns():
    x = np.concatenate([np.linspace(0, 1, 8_000), np.linspace(1, 0.2, 8_000)])
    kept = curves.keep(x, np.zeros(len(x)))
    assert off(x, np.zeros(len(x)), kept) <= 1e-4
    assert {0, len(x) - 1} <= set(kept.tolist())
    assert len(kept) < 10
    assert x[kept].max() == 1.0


@pytest.mark.parametrize("n", [0, 1, 2, 3])
def test_so_few_points_all_stay(n):
    x = np.linspace(0, 1, n)
    assert curves.keep(x, x * x).tolist() == list(range(n))
