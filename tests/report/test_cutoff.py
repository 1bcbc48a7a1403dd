"""The Cutoff exhibit holds how wide each choice is, in the numbers of the results, and what a signer must be told."""

from __future__ import annotations

import numpy as np
import pytest

from core.test_features import three
from skarlo import core
from skarlo.report.exhibits import EXHIBITS
from skarlo.report.exhibits.entry import Reading
from skarlo.report.scope import Scope, candidates

SCOPE = Scope("test", (1,))


def study(shift=0.0, n=800, lift=0.2):
    rng = np.random.default_rng(5)
    actual = (rng.random(n) < 0.3).astype(np.int64)
    tuning = np.arange(n) < n // 2
    score = np.clip(rng.normal(0.4 + lift * actual - shift * ~tuning, 0.15), 0, 1)
    one = core.Candidate("net", score=score, cutoff=core.Cutoff(rule="best_f1"))
    return core.Study("q", ("no", "yes"), actual, 1, {"tuning": tuning, "test": ~tuning}, "test", "tuning", (one,),
                      core.Settings(draws=200))  # fmt: skip


def read(s, scope=SCOPE, curves="none"):
    evaluation = core.Evaluation(s, curves)
    results = evaluation.results()
    parts = EXHIBITS["cutoff"].shows(results, scope)
    return results, evaluation.results(parts), Reading(
        results=results, scope=scope, chosen=candidates(results, scope), further=lambda: evaluation.results(parts),
        tallies=lambda: {"net": evaluation.ready.on_split(0, scope.split).judged.tally},
    )  # fmt: skip


def texts(blocks):
    return [[[c["text"] for c in row["cells"]] for row in b["rows"]] for b in blocks if b["kind"] == "table"]


def test_how_wide_the_choice_is_stands_in_the_numbers_of_the_parts():
    _, further, reading = read(study())
    _, wide, drifted = texts(EXHIBITS["cutoff"].blocks(reading))
    c = further["candidates"][0]
    part, o = c["splits"]["test"], c["optimism"]["f1"]
    (row,) = wide
    price = part["next_catch"]
    assert row[1].startswith(f"{core.count(price['needless'])} for {core.count(price['catches'])}, ≥")
    low, high = (core.as_set(part["stretch"][end]) for end in ("low", "high"))
    assert row[3] == f"{low} to {high}"
    assert row[4] == f"F1 {core.shown(o['value'])}, chosen over {core.shown(o['cross_chosen'])}"
    d = c["drift"]["recall"]
    assert core.shown(d["difference"]) in drifted[0][1]
    assert f"({core.shown(d['low'])} to {core.shown(d['high'])})" in drifted[0][1]


def test_the_drift_stands_where_the_reported_rows_are_read():
    scope = Scope("tuning", (1,))
    tables = texts(EXHIBITS["cutoff"].blocks(read(study(), scope)[2]))
    assert len(tables) == 2


@pytest.mark.parametrize(
    ("shift", "lift", "said"), [(0.25, 0.2, "differ by more than choosing"), (0, 0.05, "do not fix")]
)
def test_what_a_signer_must_be_told(shift, lift, said):
    blocks = EXHIBITS["cutoff"].blocks(read(study(shift, lift=lift))[2])
    notes = " ".join(b["text"] for b in blocks if b["kind"] == "note")
    assert said in notes
    plain = EXHIBITS["cutoff"].blocks(read(study(lift=0.45, n=3000))[2])
    assert "choosing explains" not in str(plain)
    assert "do not fix" not in str(plain)


def test_what_the_view_was_asked_for_besides():
    own = {"band": "0.3:0.5", "base": "0.08", "costs": "1:12", "sweep": "yes", "step": "0.1", "trace": "mcc"}
    s = study()
    _, further, reading = read(s, Scope("test", (1,), own=own))
    blocks = EXHIBITS["cutoff"].blocks(reading)
    tables = [b for b in blocks if b["kind"] == "table"]

    def row(start, at=0):
        found = next(b for b in tables if any(c["text"].startswith(start) for c in b["head"]))
        return [c["text"] for c in found["rows"][at]["cells"]]

    swept, cost = row("Cutoff of", 4), row("Cost of a row, needless")
    band, restated = row("for review"), row("With 0.08")
    test, score = s.splits["test"], s.candidates[0].score
    actual, flagged = s.actual[test] == 1, score[test] >= 0.4
    assert swept[0] == "≥ 0.4"
    assert swept[2] == core.shown(np.mean(flagged[actual]))
    assert swept[3] == core.shown(np.mean(actual[flagged]))
    at = further["candidates"][0]["cutoff"]["value"]
    missed, needless = np.sum(actual & (score[test] < at)), np.sum(~actual & (score[test] >= at))
    assert cost[1].startswith(core.shown((12 * missed + needless) / np.sum(test)))
    assert band[1:4] == [core.count(int(np.sum(x))) for x in (
        score[test] < 0.3, (score[test] >= 0.3) & (score[test] < 0.5), score[test] >= 0.5)]  # fmt: skip
    r, f = np.mean(score[test][actual] >= at), np.mean(score[test][~actual] >= at)
    assert restated[1].startswith(core.shown(0.08 * r / (0.08 * r + 0.92 * f)))
    (drawn,) = [b for b in blocks if b["kind"] == "figure" and b["name"] == "trace"]
    assert "Matthews correlation" in drawn["svg"]


def test_what_makes_no_sense_in_an_address_is_left_out():
    plain = EXHIBITS["cutoff"].blocks(read(study())[2])
    for own in ({"band": "0.5:0.3"}, {"band": "x:1"}, {"base": "2"}, {"base": "nan"}, {"costs": "1"}, {"costs": "-1:2"},
                {"trace": "moon"}, {"sweep": "yes", "step": "0.3"}):  # fmt: skip
        assert EXHIBITS["cutoff"].blocks(read(study(), Scope("test", (1,), own=own))[2]) == plain, own


def test_answers_withheld_of_several_classes():
    s = three()
    evaluation, scope = core.Evaluation(s, "none"), Scope("all", (1, 2), own={"least": "A:0.6,Z:1,A:x"})
    results, exhibit = evaluation.results(), EXHIBITS["cutoff"]

    def blocks(scope):
        return exhibit.blocks(Reading(
            results=results, scope=scope, chosen=candidates(results, scope),
            further=lambda: evaluation.results(exhibit.shows(results, scope)),
            tallies=lambda: {"p": evaluation.ready.on_split(0, "all").judged.probable.likely.tally, "l": None},
        ))  # fmt: skip

    drawn, table, note = blocks(scope)
    p = s.candidates[0].probabilities
    kept, right = p.max(axis=1) >= 0.6, p.argmax(axis=1) == s.actual
    first, second = ([c["text"] for c in row["cells"]] for row in table["rows"])
    assert first[1] == "≥ 0.6"
    assert first[2].startswith(core.shown(np.mean(kept)))
    assert first[3].startswith(core.shown(np.mean(right[kept])))
    assert second[1] == "gives no probability"
    assert drawn["kind"] == "figure"
    assert "every answer is withheld" in note["text"].lower()
    of_class = Scope("all", (1,), of="y", own={"least": "A:0.6", "by": "class"})
    table, note = blocks(of_class)
    flagged = (p.argmax(axis=1) == 1) & kept
    assert table["rows"][0]["cells"][3]["text"].startswith(core.shown(np.mean(s.actual[flagged] == 1)))
    assert "“y” alone" in note["text"]


def test_net_benefit_is_traced():
    _, further, reading = read(study(), Scope("test", (1,), own={"trace": "net_benefit"}), "compact")
    (drawn,) = [b for b in EXHIBITS["cutoff"].blocks(reading) if b["kind"] == "figure" and b["name"] == "trace"]
    assert "Net benefit" in drawn["svg"]
    assert len(further["candidates"][0]["splits"]["test"]["net_benefit"]["threshold"]) > 10


@pytest.mark.parametrize(("own", "told"), [({}, "the square root of its share"), ({"height": "share"}, "a share"),
                                           ({"height": "??"}, "the square root of its share")])  # fmt: skip
def test_strips_are_as_tall_as_they_were_on_the_page(own, told):
    blocks = EXHIBITS["cutoff"].blocks(read(study(), Scope("test", (1,), own=own))[2])
    assert f"each as {told} of its class" in " ".join(b["text"] for b in blocks if b["kind"] == "note")
    plain = EXHIBITS["cutoff"].blocks(read(study(), Scope("test", (1,), own={"height": "share"}))[2])
    drawn, other = ([b["svg"] for b in some if b["kind"] == "figure"] for some in (blocks, plain))
    assert len(drawn) == len(other) > 0
    assert (drawn == other) == (told == "a share")
