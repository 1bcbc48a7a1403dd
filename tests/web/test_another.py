"""A number got elsewhere, asked about over the HTTP interface."""

from __future__ import annotations

import pytest


def test_a_number_of_another_metric_is_named(signed_in, study_id):
    vic = signed_in("vic")
    metrics = vic("GET", f"/studies/{study_id}/results").json["candidates"][0]["splits"]["test"]["metrics"]
    at = f"/studies/{study_id}/another?candidate=Scores&split=test"
    told = vic("GET", f"{at}&value={metrics['mcc']['value']:.7f}").json
    assert told["matches"][0]["title"] == "Matthews correlation"
    assert told["matches"][0]["value"] == metrics["mcc"]["value"]
    moved = vic("GET", f"{at}&value={metrics['recall']['value']:.7f}&cutoffs=1:0.9").json["matches"]
    assert moved[0]["how"] == "at the cutoff 0.5"
    assert vic("GET", f"{at}&value=0.123456789").json["matches"] == []


@pytest.mark.parametrize(
    ("query", "status"),
    [("candidate=Scores&split=test&value=high", 422), ("candidate=Nobody&split=test&value=0.5", 404),
     ("candidate=Scores&split=moon&value=0.5", 404), ("candidate=Scores&split=test", 422)],
)  # fmt: skip
def test_what_cannot_be_asked_is_refused(signed_in, study_id, query, status):
    answer = signed_in("vic")("GET", f"/studies/{study_id}/another?{query}")
    assert answer.status_code == status
    assert answer.json["detail"]
