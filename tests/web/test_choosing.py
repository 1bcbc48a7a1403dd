"""Cutoffs chosen by a rule over the HTTP interface, and what is told of the choice."""

from __future__ import annotations

import pytest

from files import rows_of
from skarlo.core import RULES


def least_cost(rows, price):
    """The cutoff of least cost on the tuning rows, counted by hand; the highest of equals."""
    tuning = [(float(r["p"]), r["actual"] == "yes") for r in rows if r["split"] == "tuning"]
    best = None
    for cutoff in sorted({p for p, _ in tuning}, reverse=True):
        needless = sum(p >= cutoff and not yes for p, yes in tuning)
        missed = sum(p < cutoff and yes for p, yes in tuning)
        cost = price[0] * needless + price[1] * missed
        if best is None or cost < best[0]:
            best = (cost, cutoff)
    return best[1]


def test_a_rule_chooses_on_tuning_and_is_kept(signed_in, study_id):
    ana = signed_in("ana")
    asked = {"rule": "least_cost", "false_positive": 1, "false_negative": 4}
    told = ana("PUT", f"/studies/{study_id}/cutoffs", asked)
    assert told.status_code == 200, told.json
    wanted = least_cost(rows_of(), (1, 4))
    assert told.json["chosen_on"] == "tuning"
    assert [(c["position"], c["value"]) for c in told.json["chosen"]] == [(1, wanted)]
    (kept, classes) = told.json["study"]["candidates"]
    assert (kept["cutoff"], kept["cutoff_chosen_on"], classes["cutoff"]) == (wanted, "tuning", None)
    assert "by the rule least cost (false positive 1, false negative 4)" in kept["cutoff_chosen"]
    results = ana("GET", f"/studies/{study_id}/results").json
    assert results["candidates"][0]["cutoff"] == {
        "value": wanted, "rule": "least_cost", "chosen_on": "tuning",
        "parameters": {"false_positive": 1.0, "false_negative": 4.0},
    }  # fmt: skip


def test_the_stretch_of_a_chosen_cutoff_and_what_catches_cost(signed_in, study_id):
    ana = signed_in("ana")
    chosen = ana("PUT", f"/studies/{study_id}/cutoffs", {"rule": "best_f1"}).json["chosen"][0]["value"]
    at = f"/studies/{study_id}/parts?kinds=choice&kinds=drift&split=tuning"
    told, classes = ana("GET", at).json["candidates"][:2]
    stretch = told["splits"]["tuning"]["stretch"]
    assert stretch["rule"] == "best_f1"
    assert (stretch["low"] or 0.0) <= chosen <= (1.0 if stretch["high"] is None else stretch["high"])
    assert told["splits"]["tuning"]["next_catch"]["catches"] >= 1
    assert set(told["drift"]["recall"]) == {"difference", "low", "high", "p"}
    assert "drift" not in classes
    moved = ana("GET", f"{at}&cutoffs=1:0.123").json["candidates"][0]["splits"]["tuning"]
    assert moved["stretch"]["why"] == "no rule chose it"
    assert moved["last_catch"]["cutoff"] > 0.123


def test_a_rule_that_no_cutoff_meets_leaves_the_cutoff_as_it_was(signed_in, study_id):
    ana = signed_in("ana")
    before = ana("GET", f"/studies/{study_id}").json["candidates"][0]["cutoff"]
    told = ana("PUT", f"/studies/{study_id}/cutoffs", {"rule": "precision_at_least", "value": 0.9999}).json
    (chosen,) = told["chosen"]
    if chosen["value"] is None:
        assert "greatest precision" in chosen["why"]
        assert told["study"]["candidates"][0]["cutoff"] == before
    nothing = ana("PUT", f"/studies/{study_id}/cutoffs", {"rule": "flag_at_most", "rows": 0}).json
    assert (nothing["chosen"][0]["value"], nothing["chosen"][0]["flags"]) == (None, "nothing")
    assert nothing["study"]["candidates"][0]["cutoff"] == told["study"]["candidates"][0]["cutoff"]


@pytest.mark.parametrize(
    "body", [{"rule": "most_profit"}, {"rule": "least_cost", "false_positive": 1}, {"rule": "flag_at_most", "share": 2}]
)
def test_a_rule_that_is_none_is_refused(signed_in, study_id, body):
    ana = signed_in("ana")
    assert ana("PUT", f"/studies/{study_id}/cutoffs", body).status_code == 422
    assert signed_in("vic")("PUT", f"/studies/{study_id}/cutoffs", {"rule": "best_f1"}).status_code == 403


def test_a_sweep_in_the_steps_that_are_asked_for(signed_in, study_id):
    ana = signed_in("ana")
    at = f"/studies/{study_id}/parts?kinds=sweep&split=test"
    for step, places in (("0.1", 11), ("0.02", 51)):
        told = ana("GET", f"{at}&step={step}").json["candidates"][0]["splits"]["test"]["sweep"]
        assert len(told["cutoff"]) == len(told["recall"]["value"]) == places
        rows = [r for r in rows_of() if r["split"] == "test" and r["actual"] == "yes"]
        assert told["recall"]["value"][places // 2] == pytest.approx(
            sum(float(r["p"]) >= 0.5 for r in rows) / len(rows)
        )
    refused = ana("GET", f"{at}&step=0.3")
    assert refused.status_code == 422
    assert "a whole number of times" in refused.json["detail"]


def test_a_study_says_which_rules_there_are(signed_in, study_id):
    rules = signed_in("ana")("GET", f"/studies/{study_id}").json["rules"]
    assert [r["name"] for r in rules] == list(RULES)
    assert {r["name"]: r["takes"] for r in rules}["least_cost"] == ["false_positive", "false_negative"]
