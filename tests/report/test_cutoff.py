"""The Cutoff exhibit holds how wide each choice is, in the numbers of the results, and what a signer must be told."""

from __future__ import annotations

import numpy as np
import pytest

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


def read(s, scope=SCOPE):
    evaluation = core.Evaluation(s, "none")
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
