"""Numbers around a cutoff unfold with the counts of the rows: drift, cost, a band, a base rate, answers withheld."""

from __future__ import annotations

import pytest

import brute
from files import rows_of
from skarlo.core import as_set, count, shown


@pytest.fixture
def told(signed_in, study_id):
    def ask(metric, of, **more):
        asked = {"candidate": "Scores", "split": "test", "metric": metric, "of": of, **more}
        return signed_in("ana")("GET", f"/studies/{study_id}/unfold", query_string=asked)

    return ask


@pytest.fixture(scope="module")
def test_rows():
    return [(float(r["p"]), r["actual"] == "yes") for r in rows_of() if r["split"] == "test"]


def test_a_band_unfolds_with_its_counts(told, test_rows):
    above = [y for p, y in test_rows if p >= 0.6]
    between = [y for p, y in test_rows if 0.2 <= p < 0.6]
    below = [y for p, y in test_rows if p < 0.2]
    left = len(below) - sum(below)
    positives = sum(y for _, y in test_rows)
    counts = {
        "precision_above": (sum(above), len(above)), "npv_below": (left, len(below)),
        "share_reviewed": (len(between), len(test_rows)), "below": (len(below), len(test_rows)),
        "recall_with_review": (sum(above) + sum(between), positives),
        "accuracy_decided": (sum(above) + left, len(above) + len(below)),
    }  # fmt: skip
    for metric, (k, n) in counts.items():
        found = told(metric, "band", band="0.2,0.6").json
        assert f"{count(k)} / {count(n)} = {shown(k / n)}." in found["sentence"], metric
        assert found["metric"]["value"] == pytest.approx(k / n)
        assert "Wilson" in found["interval"]


def test_a_cost_unfolds_at_its_prices(told, signed_in, study_id, test_rows):
    kept = signed_in("ana")("GET", f"/studies/{study_id}").json["candidates"]
    cutoff = next(c["cutoff"] for c in kept if c["name"] == "Scores")
    tp, fp, fn, tn = brute.outcomes([y for _, y in test_rows], [p >= cutoff for p, _ in test_rows])
    found = told("cost", "cost", prices="1,10,0.5,0.25").json
    per_row = (fp + 10 * fn + 0.5 * tp + 0.25 * tn) / len(test_rows)
    assert found["metric"]["value"] == pytest.approx(per_row)
    assert shown(per_row) in found["sentence"]
    rate = told("cost", "expected base rate 0.123456789", prices="1,10", base_rate=0.123456789).json
    r, f = tp / (tp + fn), fp / (fp + tn)
    assert rate["metric"]["value"] == pytest.approx(0.123456789 * (1 - r) * 10 + (1 - 0.123456789) * f)


def test_drift_unfolds_with_both_values(told, signed_in, study_id):
    results = signed_in("ana")("GET", f"/studies/{study_id}/results").json
    one = next(c for c in results["candidates"] if c["name"] == "Scores")
    (on, since), found = (one["splits"][s]["metrics"]["recall"]["value"] for s in ("test", "tuning")), None
    found = told("recall", "drift").json
    assert found["metric"]["value"] == pytest.approx(on - since)
    assert f"({shown(on)} less {shown(since)})" in found["sentence"]
    assert found["metric"]["low"] < on - since < found["metric"]["high"]


@pytest.mark.parametrize(
    ("metric", "of", "more"),
    [
        ("recall", "band", {"band": "0.2,0.6"}), ("luck", "drift", {}), ("recall", "cost", {"prices": "1,2"}),
        ("selective_accuracy", "withheld", {"least": "1:0.5"}), ("recall", "bandage", {}),
    ],
)  # fmt: skip
def test_what_is_not_there_is_told(told, metric, of, more):
    found = told(metric, of, **more)
    assert found.status_code == 404
    assert "there is no" in found.json["detail"] or "has no" in found.json["detail"]


def test_a_band_or_prices_that_cannot_be_are_refused(told):
    for more in ({"band": "0.6,0.2"}, {"prices": "1,2,3"}):
        assert told("recall", "band", **more).status_code == 422


def test_sentences_say_ends_as_they_were_set(told):
    assert f"between {as_set(0.2)} and {as_set(0.6)}" in told("below", "band", band="0.2,0.6").json["sentence"]
