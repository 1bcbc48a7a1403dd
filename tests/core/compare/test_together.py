"""What is worked out for several pairs at once is what each pair gives alone."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo.core.compare import paired, pairs
from skarlo.core.compare.paired import Both
from skarlo.core.compare.pairs import Entrant
from skarlo.core.compare.together import TABLES, Together, of_one_score
from skarlo.core.counting import tally
from skarlo.core.counting.answers import Answers
from skarlo.core.counting.joint import MOST_MASKS, Joint
from skarlo.core.metrics import calibration, logistic, panel
from skarlo.core.metrics.panel import Reading
from skarlo.core.study import Settings

READING = Reading(("no", "yes"), 1, Settings())


def answers(n, k, seed=0, ties=3, **about):
    rng = np.random.default_rng(seed)
    y = (rng.random(n) < 0.3).astype(np.int64)
    scores = [np.clip(np.round(0.3 * y + 0.2 * i * rng.random(n) + 0.4 * rng.random(n), ties), 0, 1) for i in range(k)]
    return [Answers.of_scores(y, s, 0.4, **about) for s in scores]


@pytest.mark.parametrize("name", TABLES)
@pytest.mark.parametrize(("n", "ties"), [(7, 1), (300, 2), (40_000, 9)])
def test_every_pair_is_as_when_it_is_looked_at_alone(name, n, ties):
    several = answers(n, 4, seed=n, ties=ties)
    together = Together([a.scored for a in several])
    for i, a in enumerate(several):
        for b in several[:i] + several[i + 1 :]:
            values = [panel.value(name, x, READING) for x in (a, b)]
            alone = paired.compare(name, Both(a, b), values, 1)
            found = paired.compare(name, Both(a, b, together), values, 1)
            assert found.test == alone.test
            assert found.difference == pytest.approx(alone.difference, rel=1e-9, abs=1e-14)
            assert found.p == pytest.approx(alone.p, rel=1e-7, abs=1e-12)
            if alone.interval is not None:
                assert found.interval(0.95) == pytest.approx(alone.interval(0.95), rel=1e-8, abs=1e-12)


def test_a_pair_has_the_same_bits_whoever_else_is_there():
    several = answers(5000, 5)
    few, all_of_them = (Together([a.scored for a in some]) for some in (several[:2], several))
    for name in TABLES:
        one, other = (t.of(name, several[0].scored, several[1].scored) for t in (few, all_of_them))
        assert one.squared_gap.tolist() == other.squared_gap.tolist()
        assert one.gap.tolist() == other.gap.tolist()


def test_two_alike_differ_by_nothing():
    (a,) = answers(2000, 1)
    b = Answers.of_scores(a.actual, a.score.copy(), 0.4)
    together = Together([a.scored, b.scored])
    for name in TABLES:
        found = paired.compare(name, Both(a, b, together), (0.5, 0.5), 1)
        assert (found.difference, found.p) == (0.0, 1.0)


def gapped(a, rows):
    score = a.score.copy()
    score[rows] = np.nan
    return Answers.of_scores(a.actual, score, 0.4)


def test_who_is_weighted_is_looked_at_alone():
    plain = answers(60, 2)
    weighted = answers(60, 1, weight=np.full(60, 2.0))
    gone = gapped(plain[0], [3])
    entrants = [Entrant(str(i), a, False, {}, READING) for i, a in enumerate([*plain, *weighted, gone])]
    found = pairs.together(entrants)
    assert [s is a.scored for s, a in zip(found.scored, [*plain, gone], strict=True)] == [True, True, True]
    assert found.of("roc_auc", plain[0].scored, gone.scored) is None
    assert found.of("brier", plain[0].scored, gone.scored) is not None
    assert found.of("brier", plain[0].scored, weighted[0].scored) is None
    assert pairs.together([entrants[0], entrants[2]]) is None


@pytest.mark.parametrize("name", TABLES)
@pytest.mark.parametrize("seed", range(6))
def test_pairs_are_of_the_rows_that_both_have_a_score_for(name, seed):
    """Three with rows without a score, one with none, one that gives each row the same: as each pair read from fresh
    rows, and as they are told whoever else is there."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(40, 900))
    plain = answers(n, 4, seed=seed, ties=int(rng.integers(1, 6)))
    flat = Answers.of_scores(plain[0].actual, np.full(n, 0.3), 0.4)
    several = [*(gapped(a, rng.permutation(n)[: int(rng.integers(1, 4))]) for a in plain[:3]), plain[3], flat]
    entrants = [
        Entrant(str(i), a, False, {name: {"value": panel.value(name, a.with_answer, READING)}}, READING)
        for i, a in enumerate(several)
    ]  # fmt: skip
    together = pairs.together(entrants)
    for i, a in enumerate(entrants):
        for b in entrants[:i] + entrants[i + 1 :]:
            found = pairs.Pair(a, b, together).difference(name)
            keep = a.whole.answered & b.whole.answered
            fresh = [Answers.of_scores(e.whole.actual[keep], e.whole.score[keep], 0.4) for e in (a, b)]
            wanted = paired.compare(name, Both(*fresh), [panel.value(name, x, READING) for x in fresh], 1)
            assert found.difference == pytest.approx(wanted.difference, rel=1e-9, abs=1e-13)
            assert found.p == pytest.approx(wanted.p, rel=1e-7, abs=1e-12)
            assert found.test == wanted.test
            assert (found.interval is None) == (wanted.interval is None)
            if wanted.interval is not None:
                assert found.interval(0.9) == pytest.approx(wanted.interval(0.9), rel=1e-7, abs=1e-12)


@pytest.mark.parametrize("name", TABLES)
def test_one_score_for_all_rows_is_as_any_scores(name):
    (a,) = answers(500, 1, ties=2)
    flat = Answers.of_scores(a.actual, np.full(500, 0.3), 0.4)
    both = Together([a.scored, flat.scored])
    for one, other in ((a.scored, flat.scored), (flat.scored, a.scored)):
        found, wanted = of_one_score(name, one, other), both.of(name, one, other)
        assert found.rows == wanted.rows
        assert found.gap.tolist() == pytest.approx(wanted.gap.tolist(), rel=1e-9, abs=1e-11)
        assert found.squared_gap.tolist() == pytest.approx(wanted.squared_gap.tolist(), rel=1e-9, abs=1e-11)
        for mine, theirs in zip(found.squares, wanted.squares, strict=True):
            assert mine.tolist() == pytest.approx(theirs.tolist(), rel=1e-9, abs=1e-11)
        assert found.means == pytest.approx(wanted.means, rel=1e-12)
    assert of_one_score(name, a.scored, a.scored) is None


@pytest.mark.parametrize("seed", range(12))
def test_a_tally_of_rows_with_few_left_out_is_that_of_the_rows(seed):
    rng = np.random.default_rng(seed)
    n = int(rng.integers(9, 400)) if seed < 10 else 3000  # with more places gone than are stepped over one by one
    (a,) = answers(n, 1, seed=seed, ties=int(rng.integers(1, 6)) if seed < 10 else 9)
    score = a.score.copy()
    score[rng.permutation(n)[: n // 20]] = np.nan
    whole = Answers.of_scores(a.actual, score, 0.4).scored
    assert whole.tally is not None
    assert whole.place is not None
    rows = whole.answered.copy()
    rows[rng.permutation(n)[: max(1, n // 12)]] = False
    found = whole.take(rows)
    fresh = tally.make(score[rows], a.actual[rows] == 1)
    assert found.source is not None
    for name in ("score", "pos", "neg"):
        assert getattr(found.tally, name).tolist() == getattr(fresh, name).tolist()
    for name in ("score", "pos", "neg", "tp", "fp"):
        assert getattr(found.tally.steps, name).tolist() == getattr(fresh.steps, name).tolist()
    assert found.place.tolist() == np.searchsorted(fresh.score, score[rows] + 0.0).tolist()


def test_a_tally_of_few_rows_or_of_rows_without_a_score_is_made_anew():
    (a,) = answers(100, 1)
    assert a.scored.tally is not None
    rows = np.arange(100) < 40
    assert a.scored.take(rows).source is None
    gap = a.score.copy()
    gap[:5] = np.nan
    whole = Answers.of_scores(a.actual, gap, 0.4).scored
    assert whole.tally is not None
    assert whole.take(np.arange(100) >= 2).source is None


@pytest.mark.parametrize("classes", [2, 3, 5])
@pytest.mark.parametrize("gaps", [0, 4])
def test_rows_counted_by_bits_are_the_rows(classes, gaps):
    rng = np.random.default_rng(classes)
    n = 203
    y = rng.integers(0, classes, n)
    said = [rng.integers(0, classes, n) for _ in range(2)]
    said[1][rng.permutation(n)[:gaps]] = -1
    a, b = (Answers.of_classes(y, s, classes, none_counts=True) for s in said)
    cells = Joint.of(a, b).cells
    assert classes * cells.shape[1] ** 2 <= MOST_MASKS or classes == 5
    width = classes + (gaps > 0)
    assert cells.shape == (classes, width, width)
    for k in range(classes):
        for i in range(width):
            for j in range(width):
                first, second = (x == (v if v < classes else -1) for x, v in zip(said, (i, j), strict=True))
                assert cells[k, i, j] == ((y == k) & first & second).sum()


@pytest.mark.parametrize("seed", range(40))
def test_what_is_read_of_rows_with_few_left_out_is_what_these_rows_give(seed):
    """Losses, the fits (from one step, or anew where that lies too far off) and both areas."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(9, 60)) if seed % 2 else int(rng.integers(300, 900))
    actual = (rng.random(n) < 0.4).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.4 + 0.15 * actual, 0.25), 0.0, 1.0), int(rng.integers(1, 6)))
    whole = Answers.of_scores(actual, score, 0.4)
    assert whole.scored.tally is not None
    rows = np.ones(n, dtype=bool)
    rows[rng.permutation(n)[: max(1, n // 12)]] = False
    left, fresh = whole.take(rows), Answers.of_scores(actual[rows], score[rows], 0.4)
    assert left.scored.source is not None
    for name in READING.metrics:
        found, wanted = panel.value(name, left, READING), panel.value(name, fresh, READING)
        assert (found is None) == (wanted is None), name
        assert found is None or found == pytest.approx(wanted, rel=1e-9, abs=1e-11), name


def test_a_start_that_lies_too_far_off_is_left_for_the_plain_one(monkeypatch):
    actual = np.array([0, 1, 0, 1, 1, 0, 1, 0, 0, 1] * 3)
    score = np.linspace(0.05, 0.95, 30)
    whole = Answers.of_scores(actual, score, 0.4)
    assert whole.scored.tally is not None
    rows = np.arange(30) != 7
    plain = panel.value("calibration_slope", Answers.of_scores(actual[rows], score[rows], 0.4), READING)
    monkeypatch.setattr(calibration, "_start", lambda scored, name: logistic.Carried(np.array([1e6, -1e6]), 1.0))
    assert panel.value("calibration_slope", whole.take(rows), READING) == pytest.approx(plain, rel=1e-9)
