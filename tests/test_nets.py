"""The slow studies can be started, and a small cell of each is run here: they are not found broken a month later."""

from __future__ import annotations

import json

import numpy as np
import pytest

import coverage_study as coverage
import same

EQUAL, BETTER = coverage.PAIRS["equal"], coverage.PAIRS["one better"]
WORLD = coverage.World(0.2, 1.5)


@pytest.fixture(autouse=True)
def smaller_populations(monkeypatch):
    monkeypatch.setattr(coverage, "POPULATION", 300_000)
    coverage.truth.cache_clear()
    yield
    coverage.truth.cache_clear()


def test_the_worlds_of_the_coverage_study_are_what_they_say():
    a, b = WORLD.draw(np.random.default_rng(1), 40_000, EQUAL, BETTER)
    assert np.array_equal(a.actual, b.actual)
    assert a.actual.mean() == pytest.approx(0.2, abs=0.01)
    truths = [coverage.truth(WORLD.other(way)) for way in (EQUAL, BETTER)]
    assert truths[1]["roc_auc"] - truths[0]["roc_auc"] == pytest.approx(0.056, abs=0.005)
    assert truths[0]["roc_auc"] == pytest.approx(0.8556, abs=0.002)  # Phi(1.5 / sqrt 2)
    slope = truths[0]["calibration_slope"]
    assert slope == pytest.approx(1.0, abs=0.01)
    rarer = WORLD.other(coverage.SLICES["rarer slice"])
    assert (rarer.rate, rarer.flagged_from) == (0.1, WORLD.flagged_from)


@pytest.mark.parametrize("way", ["equal", "both"])
def test_a_cell_of_the_coverage_study(way):
    """300 rows, 60 positive: plain intervals of pairs hold the true difference about as often as they say."""
    lines = coverage.work(coverage.Task(coverage.pair, WORLD, way, 300, 150))
    held = {(x.metric, x.kind): x.hits / x.made for x in lines if not x.test}
    for metric, kind in (("accuracy", "mcnemar_midp"), ("recall", "mcnemar_midp"), ("brier", "influence")):
        assert 0.9 <= held[metric, kind] <= 1.0, (metric, held)
    sizes = {x.metric: x.hits / x.made for x in lines if x.test}
    if way == "equal":
        assert all(size < 0.12 for size in sizes.values()), sizes
    else:
        assert not sizes


def test_the_set_of_the_coverage_study_holds_the_best_and_drops_the_rest():
    """One of three is much better: it leads or is named, and on areas and losses alike the others are dropped."""
    held = {h.metric: h for h in coverage.best_set((3, "one better", 40))}
    for name in ("roc_auc", "brier"):
        assert held[name].held >= 36, held[name]
        assert held[name].named < 2.6 * 40, held[name]


def test_the_tables_of_the_coverage_study_say_what_was_counted():
    line = coverage.Line(coverage.DIFFERENCE, False, "f1", "delta", "equal", 100, 0.1, 1.0, 93, 100, 0.2)
    lines = [line, line._replace(n=300, hits=97), line._replace(way="both", hits=89), line._replace(test=True, hits=6)]
    singles = [line._replace(of="", way="", metric="ks"), line._replace(of="", way="", metric="ks", share=0.01, hits=0)]
    text = "\n".join(coverage.tables([*lines, *singles], [coverage.Held(3, "all equal", "f1", 95, 210, 100)], 100))
    assert "| difference of f1 | delta | 0.950 / 0.930 |  |  | 0.890 / 0.890 | approximate |" in text
    assert "| ks | delta | 1 | 0.930 | 0.930 | 100, 0.1 | approximate |" in text
    assert "| test of f1 | delta | 1 | 0.060 | 0.060 | 100, 0.1 |" in text


def test_what_moved_is_found_to_the_last_bit(tmp_path):
    then, now = tmp_path / "then", tmp_path / "now"
    old = {"pairs": [{"a": "A", "metrics": {"f1": {"p": 0.1, "test": "delta"}}}], "gone": 1, "settings": {"seed": 1}}
    new = json.loads(json.dumps(old))
    new["pairs"][0]["metrics"]["f1"]["p"] = np.nextafter(0.1, 1)
    new["came"] = new.pop("gone")
    for folder, results in ((then, old), (now, new)):
        (folder / "one").mkdir(parents=True)
        (folder / "one" / "out").write_text(json.dumps(results))
        (folder / "one" / "said").write_text(json.dumps({"status": 0, "said": []}))
    moved = same.differences(then, now)
    assert set(moved) == {".pairs[].metrics.*.p", ".gone", ".came"}
    assert moved[".pairs[].metrics.*.p"].most == pytest.approx(1.4e-17, rel=0.1)
    (now / "one" / "out").write_text(json.dumps(old))
    assert same.differences(then, now) == {}
