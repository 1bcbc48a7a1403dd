"""What is kept of the display of a study, and parts that are asked for with numbers of one's own."""

from __future__ import annotations

import pytest

import brute
from files import rows_of
from skarlo.core import METRICS


def test_what_is_shown_is_kept_and_changes_no_number(signed_in, study_id):
    ana, vic = signed_in("ana"), signed_in("vic")
    before = ana("GET", f"/studies/{study_id}/results").json
    usual = ana("GET", f"/studies/{study_id}").json
    told = ana("PUT", f"/studies/{study_id}/shown", {"metrics": ["recall", "roc_auc"], "across": "actual"})
    assert told.status_code == 200, told.json
    seen = vic("GET", f"/studies/{study_id}").json
    assert (seen["headline"], seen["across"], seen["usual"]) == (["recall", "roc_auc"], "actual", usual["usual"])
    assert ana("GET", f"/studies/{study_id}/results").json == before
    ana("PUT", f"/studies/{study_id}/shown", {"metrics": usual["usual"]})
    assert ana("GET", f"/studies/{study_id}").json == usual


@pytest.mark.parametrize("body", [{"metrics": ["luck"]}, {"across": "up"}, {"colour": "red"}])
def test_what_is_not_there_is_not_kept(signed_in, study_id, body):
    ana = signed_in("ana")
    assert ana("PUT", f"/studies/{study_id}/shown", body).status_code in (400, 422)
    assert ana("GET", f"/studies/{study_id}").json["across"] == "predicted"
    assert signed_in("vic")("PUT", f"/studies/{study_id}/shown", {}).status_code == 403


def test_a_band_a_base_rate_and_a_part_of_the_area_are_told_on_request(signed_in, study_id):
    ana = signed_in("ana")
    kinds = "&".join(f"kinds={k}" for k in ("review", "expected", "areas", "optimism"))
    asked = f"/studies/{study_id}/parts?{kinds}&split=test&band=0.2,0.6&base_rate=0.02&fpr_at_most=0.1"
    part = ana("GET", asked).json["candidates"][0]["splits"]["test"]
    test = [(float(r["p"]), r["actual"] == "yes") for r in rows_of() if r["split"] == "test"]
    between = [y for p, y in test if 0.2 <= p < 0.6]
    (band,) = part["bands"]
    assert (band["low"], band["high"]) == (0.2, 0.6)
    assert (band["between"]["rows"], band["between"]["positives"]) == (len(between), sum(between))
    assert part["at_expected_base_rate"]["base_rate"] == 0.02
    assert 0 <= part["areas"]["partial_area"]["value"] <= 1
    rates = brute.rates([y for _, y in test], [p >= 0.6 for p, _ in test])
    assert band["metrics"]["precision_above"]["value"] == pytest.approx(rates["precision"])
    assert set(part["at_expected_base_rate"]["metrics"]) <= set(METRICS)


@pytest.mark.parametrize(
    ("query", "field"),
    [
        ("kinds=review&split=test&band=0.6,0.2", "band"),
        ("kinds=review&split=test&band=0.6", "band"),
        ("kinds=cells&split=test&pair=1", "pair"),
        ("kinds=cells&split=test&pair=1,1", "pair"),
        ("kinds=cells&split=test&pair=1,9", "pair"),
        ("kinds=merged&split=test&merge=0,1", "merge"),
        ("kinds=cost&split=test", "prices"),
        ("kinds=cost&split=test&prices=1", "prices"),
        ("kinds=cost&split=test&prices=1,-1", "prices"),
        ("kinds=cost&split=test&prices=1,2,3", "prices"),
    ],
)
def test_what_does_not_fit_is_refused_with_its_place(signed_in, study_id, query, field):
    told = signed_in("ana")("GET", f"/studies/{study_id}/parts?{query}")
    assert told.status_code in (400, 404, 422)
    assert field in str(told.json)
