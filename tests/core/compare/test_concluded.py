"""What is concluded from several numbers: who is best, what is adjusted together, what weights and groups do to a
difference and to a slice. Each is held against a second calculation, or against the same rows written out."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import brute
from skarlo import core
from skarlo.core.compare import pairs
from skarlo.core.compare.pairs import Entrant
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats import tests
from skarlo.core.study import Field, Gate

READING = Reading(("no", "yes"), 1, core.Settings(draws=100))
NAMES = ("roc_auc", "brier", "recall", "fpr")
VALUES = st.one_of(st.none(), st.integers(0, 6).map(lambda k: k / 6))
PS = st.sampled_from((None, 0.0, 0.001, 0.01, 0.02, 0.03, 0.0333, 0.04, 0.05, 0.06, 0.1, 0.2, 1.0))


@given(st.data(), st.integers(1, 5), st.sampled_from(NAMES))
def test_the_best_set_by_looking_at_each_pair(data, k, name):
    """From three up, p of 0.04 one way and 0.0333 the other lie on the two sides of one-sided and of two-sided."""
    who = [f"C{i}" for i in range(k)]
    values = {n: data.draw(VALUES) for n in who}
    entrants = [Entrant(n, None, False, {name: {"value": v}}, READING) for n, v in values.items()]
    tests, found_pairs = {}, []
    for i, first in enumerate(who):
        for second in who[i + 1 :]:
            both = values[first] is not None and values[second] is not None
            gap = values[first] - values[second] if both else None
            p = data.draw(PS) if both else None
            found_pairs.append({"a": first, "b": second, "metrics": {name: {"difference": gap, "p": p}}})
            if both:
                tests[first, second] = gap, p
    found = pairs.best(entrants, found_pairs, 0.95, [name]).get(name)
    wanted = brute.best_set(values, READING.improves(name), tests, 0.05 + 1e-12)
    if wanted is None:
        assert found is None
    else:
        assert (found["leader"], found["not_separated"], found["not_tested"]) == wanted


@given(st.lists(st.one_of(st.none(), st.floats(0, 1)), max_size=7))
def test_holm_is_the_least_level_that_rejects(ps):
    assert tests.holm(ps) == pytest.approx(brute.holm(ps), abs=1e-15)


def test_adjusted_intervals_share_the_level_between_the_tests_made():
    ends = {}
    made = [tests.normal(0.1 * i, 0.01, "t") for i in (1, 2, 3)]
    gap = tests.Compared(0.7, None, "none", None, "there is none")
    for d in tests.family([*made, gap, "no such number"], 0.95):
        ends[d["difference"] and round(d["difference"], 9)] = d.get("low_adjusted"), d.get("high_adjusted")
    z = 2.3939797998185104  # of 1 - 0.05 / 3 / 2
    for d in made:
        assert ends[round(d.difference, 9)] == pytest.approx((d.difference - 0.1 * z, d.difference + 0.1 * z))
    assert ends[0.7] == (None, None)
    assert ends[None] == (None, None)


def test_a_number_of_few_rows_leads_nothing():
    thin = {"recall": {"value": 1.0, "thin": True}}
    one, other = (
        Entrant("a", None, False, thin, READING),
        Entrant("b", None, False, {"recall": {"value": 0.5}}, READING),
    )
    found = [{"a": "a", "b": "b", "metrics": {"recall": {"difference": 0.5, "p": 0.0}}}]
    assert pairs.best([one, other], found, 0.95, ["recall"])["recall"] == {
        "leader": "b", "not_separated": [], "not_tested": [],
    }  # fmt: skip


def rows(n=360, seed=4):
    """Three candidates of scores on rows of two classes, of which one is much better and two are close."""
    rng = np.random.default_rng(seed)
    y = (rng.random(n) < 0.35).astype(np.int64)
    scores = [np.round(np.clip(rng.normal(0.35 + k * y, 0.2), 0.02, 0.98), 2) for k in (0.3, 0.28, 0.1)]
    code = rng.integers(0, 3, n)
    return y, scores, code


def study_of(y, scores, code, cutoffs=(0.5, 0.5, 0.5), **changes):
    made = tuple(
        core.Candidate(name, score=s, cutoff=core.Cutoff(c)) for name, s, c in zip("abc", scores, cutoffs, strict=True)
    )
    field = Field("f", ("u", "v", "w"), code)
    study = core.Study("s", ("no", "yes"), y, 1, {"all": np.ones(len(y), dtype=bool)}, "all", None, made,
                       core.Settings(draws=100, min_slice=5), slices=((field,),))  # fmt: skip
    return replace(study, **changes)


def written_out(y, scores, code, times, **changes):
    """The same study with each row standing as often as said."""
    each = np.repeat(np.arange(len(y)), times)
    return study_of(y[each], [s[each] for s in scores], code[each], **changes), each


def told(results):
    """Every difference of pairs, against baselines and of slices against the rest, by where it stands."""
    out = {(p["a"], p["b"], m): d for p in results["pairs"] for m, d in p["metrics"].items()}
    out |= {
        (c, b, m): d
        for c, by in results["against_baseline"]["all"].items() for b, ds in by.items() for m, d in ds.items()
    }  # fmt: skip
    for c in results["candidates"][:3]:
        for s in c["splits"]["all"]["slices"]:
            out |= {(c["name"], s["by"]["f"], m): d for m, d in s["rest"].items()}
    return out


def test_the_best_set_of_a_study_is_that_of_its_pairs():
    y, scores, code = rows()
    results = core.evaluate(study_of(y, scores, code))
    leads = results["best"]["all"]
    by_name = {c["name"]: c["splits"]["all"]["metrics"] for c in results["candidates"][:3]}
    shut_out = 0
    for name, lead in leads.items():
        tests = {
            (p["a"], p["b"]): (p["metrics"][name]["difference"], p["metrics"][name].get("p"))
            for p in results["pairs"] if p["metrics"][name]["difference"] is not None
        }  # fmt: skip
        values = {n: m[name]["value"] for n, m in by_name.items()}
        wanted = brute.best_set(values, READING.improves(name), tests, 1 - 0.95)
        assert (lead["leader"], lead["not_separated"], lead["not_tested"]) == wanted, name
        shut_out += "c" not in (lead["leader"], *lead["not_separated"], *lead["not_tested"])
    assert {"roc_auc", "brier", "log_loss"} <= {n for n, lead in leads.items() if "c" not in lead["not_separated"]}
    assert shut_out > 5


def test_weights_are_rows_that_stand_several_times_in_differences_and_slices():
    y, scores, code = rows()
    times = np.random.default_rng(0).integers(1, 4, len(y))
    long, _ = written_out(y, scores, code, times)
    weighted, plain = (told(core.evaluate(s)) for s in (study_of(y, scores, code, weight=times.astype(float)), long))
    assert weighted.keys() == plain.keys()
    compared = 0
    for key, d in weighted.items():
        other = plain[key]["difference"]
        if key[2] == "mce":  # its bins hold rows, not weights
            continue
        assert (d["difference"] is None) == (other is None), key
        if other is not None:
            compared += 1
            assert d["difference"] == pytest.approx(other, abs=1e-9), key
            if d.get("low") is not None:
                assert d["low"] <= d["difference"] <= d["high"], key
    assert compared > 200


@pytest.mark.parametrize("how", ["one weight", "groups of two"])
def test_a_design_that_adds_no_information_leaves_differences_and_slices_as_they_are(how):
    """One weight for all rows, or every row twice in a group of its own: the width of each interval stays."""
    y, scores, code = rows(n=900)
    plain = told(core.evaluate(study_of(y, scores, code)))
    if how == "one weight":
        same = told(core.evaluate(study_of(y, scores, code, weight=np.full(len(y), 2.5))))
    else:
        doubled, each = written_out(y, scores, code, 2)
        same = told(core.evaluate(replace(doubled, group=each)))
    compared = 0
    for key, d in same.items():
        was = plain[key]
        if d.get("low") is None or was.get("low") is None or was["low"] == was["high"]:
            continue
        if key[2] in ("precision", "npv") and key[1] not in (
            "u",
            "v",
            "w",
        ):  # another test, not the same one with a design
            continue
        compared += 1
        assert d["high"] - d["low"] == pytest.approx(was["high"] - was["low"], rel=0.04), key
        if was["p"] is not None and d["p"] is not None and 0.01 < was["p"] < 0.9:
            assert d["p"] == pytest.approx(was["p"], abs=0.08), key
    assert compared > 100


def test_rates_of_a_weighted_slice_against_the_rest_by_hand():
    """The variances of both sides, each over Kish's effective rows."""
    y, scores, code = rows(n=400)
    weight = np.random.default_rng(1).choice([0.5, 1.0, 3.0], 400)
    found = core.evaluate(study_of(y, scores, code, weight=weight))["candidates"][0]["splits"]["all"]["slices"]
    flagged = scores[0] >= 0.5
    for i, s in enumerate(found):
        spread, shares = 0.0, []
        for side in (code == i, code != i):
            w, hit = weight[side & (y == 1)], flagged[side & (y == 1)]
            share = (w * hit).sum() / w.sum()
            spread += share * (1 - share) * (w**2).sum() / w.sum() ** 2
            shares.append(share)
        d = s["rest"]["recall"]
        assert d["difference"] == pytest.approx(shares[0] - shares[1], abs=1e-12)
        z = abs(shares[0] - shares[1]) / math.sqrt(spread)
        assert d["p"] == pytest.approx(math.erfc(z / math.sqrt(2)), rel=1e-9)


@pytest.mark.parametrize("name", ["average_precision", "brier", "f1", "roc_auc"])
def test_a_grouped_slice_against_the_rest_carries_both_variances(name):
    """A slice that is a tenth of the rows has nearly all the variance; one that is nine tenths has little of it."""
    y, scores, _ = rows(n=1000)
    code = (np.arange(1000) % 10 == 0).astype(np.int64)
    each = {"plain": {}, "weighted": {"weight": np.full(1000, 2.0)}, "clustered": {"group": np.arange(1000)}}
    widths = {}
    for how, design in each.items():
        slices = core.evaluate(study_of(y, scores, code, **design))["candidates"][0]["splits"]["all"]["slices"]
        ends = [s["rest"][name] for s in slices]
        widths[how] = [d["high"] - d["low"] for d in ends]
        assert widths[how][0] == pytest.approx(widths[how][1], rel=1e-9)  # one difference, read from either side
    assert widths["weighted"] == pytest.approx(widths["plain"], rel=0.02)
    assert widths["clustered"] == pytest.approx(widths["plain"], rel=0.02)


def test_the_variance_of_an_area_where_a_group_has_rows_of_both_classes():
    """A positive and a negative row of one group share their luck, so their placements pull in opposite directions."""
    rng = np.random.default_rng(6)
    group = np.repeat(np.arange(60), 4)
    y = np.tile([1, 0, 0, 1], 60).astype(np.int64)
    luck = np.repeat(rng.normal(0, 0.3, 60), 4)
    scores = [np.clip(0.5 + k * y + luck + rng.normal(0, 0.15, 240), 0, 1) for k in (0.2, 0.1, 0.15)]
    study = study_of(y, scores, np.zeros(240, dtype=np.int64), group=group, slices=())
    results = core.evaluate(study)
    m = results["candidates"][0]["splits"]["all"]["metrics"]["roc_auc"]
    assert m["interval"] == "delong_logit_clustered"
    area = brute.area(y.tolist(), scores[0].tolist())
    se = math.sqrt(brute.clustered_area_variance(y.tolist(), scores[0].tolist(), group.tolist()))
    half = 1.959963984540054 * se / (area * (1 - area))
    at = math.log(area / (1 - area))
    assert (m["low"], m["high"]) == pytest.approx(tuple(1 / (1 + math.exp(-x)) for x in (at - half, at + half)))
    plain = core.evaluate(replace(study, group=None))["candidates"][0]["splits"]["all"]["metrics"]["roc_auc"]
    assert m["high"] - m["low"] < 0.8 * (plain["high"] - plain["low"])


def gated(**gate):
    y, scores, code = rows(n=900)
    study = study_of(y, scores, code, gates=(Gate("recall", **gate),))
    results = core.evaluate(study)
    return results, {g["candidate"]: g for g in results["gates"]}


def test_a_gate_is_passed_at_exactly_what_it_asks():
    results, _ = gated(at_least=0.5)
    m = results["candidates"][0]["splits"]["all"]["metrics"]["recall"]
    for needed, passed in ((m["low"], True), (m["low"] + 1e-6, False), (m["low"] - 1e-6, True)):
        _, found = gated(at_least=needed)
        assert (found["a"]["status"] == "pass") == passed, needed
    for needed, passed in ((m["high"], True), (m["high"] - 1e-6, False)):
        _, found = gated(at_most=needed)
        assert (found["a"]["status"] == "pass") == passed, needed


def test_a_gate_against_another_candidate_reads_the_adverse_end_less_the_margin():
    """c is far worse than a: within a wide margin it passes, within a narrow one it fails."""
    results, found = gated(against="a", margin=0.02)
    (d,) = (p["metrics"]["recall"] for p in results["pairs"] if (p["a"], p["b"]) == ("a", "c"))
    assert found["c"]["value"] == pytest.approx(-d["difference"])
    assert found["c"]["read"] == pytest.approx(-d["high"])
    assert (found["c"]["needed"], found["c"]["status"]) == (-0.02, "fail")
    wide = -found["c"]["read"]
    assert gated(against="a", margin=wide + 1e-9)[1]["c"]["status"] == "pass"
    assert gated(against="a", margin=wide - 1e-6)[1]["c"]["status"] == "fail"


@pytest.mark.parametrize(("least", "measured"), [(29, True), (30, True), (31, False)])
def test_a_slice_of_exactly_as_many_rows_as_asked_is_measured(least, measured):
    y, scores, code = rows(n=120)
    code[:] = 0
    code[:30] = 1
    study = study_of(y, scores, code, settings=core.Settings(draws=100, min_slice=least))
    small = core.evaluate(study)["candidates"][0]["splits"]["all"]["slices"][1]
    assert small["rows"] == 30
    assert (small["metrics"]["accuracy"]["value"] is not None) == measured
