"""One prepared study, evaluated at many cutoffs and by many threads: always what a fresh evaluation gives."""

from __future__ import annotations

import json
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest

from skarlo import core
from skarlo.core.counting import answers, tally
from skarlo.core.language.formula import parse
from skarlo.core.once import Once
from skarlo.core.study import Field, Gate, OwnMetric


def study_of(n=240, seed=3, gaps=0.0, how="wrong", weighted=False, grouped=False):
    """Three candidates over two splits, with slices, gates and own metrics; of the scores some are missing."""
    rng = np.random.default_rng(seed)
    y = (rng.random(n) < 0.4).astype(np.int64)
    scores = [np.clip(0.3 * y + 0.7 * rng.random(n) ** (1 + i), 0, 1) for i in range(2)]
    for s in scores:
        s[rng.random(n) < gaps] = np.nan
    test = np.arange(n) % 3 > 0
    said = np.where(rng.random(n) < 0.2, 1 - y, y)
    said[rng.random(n) < gaps] = -1
    about = {"no_answer": how} if gaps else {}
    return core.Study(
        title="t", classes=("no", "yes"), actual=y, positive=1, splits={"test": test, "tuning": ~test},
        report_on="test", tune_on="tuning",
        candidates=(
            core.Candidate("A", score=scores[0], cutoff=core.Cutoff(0.5), **about),
            core.Candidate("B", score=scores[1], cutoff=core.Cutoff(rule="best_f1"), **about),
            core.Candidate("C", predicted=said, **about),
        ),
        settings=core.Settings(draws=100, min_slice=5), weight=rng.choice([1.0, 2.0], n) if weighted else None,
        group=rng.integers(0, n // 3, n) if grouped else None,
        slices=((Field("f", ("u", "v"), rng.integers(0, 2, n)),),),
        metrics=(OwnMetric("cost", parse("(40*FN + 3*FP) / rows"), "lower"),
                 OwnMetric("benefit", None, "higher", {}, "net_benefit", {"threshold": 0.3})),
        gates=(Gate("recall", at_least=0.5, every=("f",)), Gate("benefit", at_least=0.1, every=("f",)),
               Gate("recall", against="C", margin=0.1)),
    )  # fmt: skip


def told(results):
    return json.dumps(results)


def at(study, *cutoffs):
    chosen = [None if c is None else core.Cutoff(c, "tuning") for c in cutoffs]
    return chosen, replace(
        study, candidates=tuple(replace(c, cutoff=k) for c, k in zip(study.candidates, chosen, strict=True))
    )


@pytest.mark.parametrize(
    "about", [{}, {"gaps": 0.1}, {"gaps": 0.1, "how": "left_out"}, {"weighted": True}, {"grouped": True}]
)
def test_a_prepared_study_gives_at_each_cutoff_what_a_fresh_one_gives(about):
    study = study_of(**about)
    ready = core.prepare(study)
    assert told(core.evaluate(ready)) == told(core.evaluate(study))
    for pair in ((0.3, 0.7), (0.5, 0.2), (0.3, 0.7)):
        cutoffs, fresh = at(study, *pair, None)
        assert told(core.evaluate(ready, cutoffs=cutoffs)) == told(core.evaluate(fresh)), pair


def test_overlapping_evaluations_of_one_prepared_study_do_not_disturb_one_another():
    study = study_of(gaps=0.05)
    wanted = [at(study, c, 1 - c, None) for c in (0.2, 0.35, 0.5, 0.65)]
    alone = [told(core.evaluate(fresh, "none")) for _, fresh in wanted]
    for _ in range(3):
        ready, together = core.prepare(study), threading.Barrier(len(wanted))

        def run(cutoffs, ready=ready, together=together):
            together.wait()
            return told(core.evaluate(ready, "none", cutoffs))

        with ThreadPoolExecutor(len(wanted)) as pool:
            assert list(pool.map(run, [cutoffs for cutoffs, _ in wanted])) == alone


def test_another_cutoff_sorts_no_row_again(monkeypatch):
    made = []
    plain = tally.make
    monkeypatch.setattr(tally, "make", lambda *rows: made.append(len(rows[0])) or plain(*rows))
    study = study_of(gaps=0.1)
    ready = core.prepare(study)
    core.evaluate(ready, "none")
    first = len(made)
    core.evaluate(ready, "none", at(study, 0.3, 0.6, None)[0])
    assert first > 0
    assert len(made) == first


@pytest.mark.parametrize("how", ["wrong", "left_out"])
def test_rows_without_an_answer_do_not_multiply_the_work(monkeypatch, how):
    """What is sorted for a pair is sorted once for it, not once for each of its metrics."""
    made = []
    plain = tally.make
    monkeypatch.setattr(tally, "make", lambda *rows: made.append(len(rows[0])) or plain(*rows))
    core.evaluate(study_of(), "none")
    whole = len(made)
    made.clear()
    core.evaluate(study_of(gaps=0.1, how=how), "none")
    assert len(made) <= whole + 2 * 3  # both sides of three pairs


def test_gates_over_slices_take_no_rows_anew(monkeypatch):
    """What a gate reads of a slice, the slice has found already."""
    taken = []
    plain = answers.Answers.take
    monkeypatch.setattr(answers.Answers, "take", lambda a, *rest: taken.append(1) or plain(a, *rest))
    study = study_of()
    core.evaluate(replace(study, gates=()), "none")
    without = len(taken)
    taken.clear()
    core.evaluate(study, "none")
    assert len(taken) == without


def test_the_net_benefit_of_a_slice_is_counted_at_its_own_threshold():
    study = study_of()
    results = core.evaluate(at(study, 0.9, 0.9, None)[1], "none")
    rows = study.splits["test"]
    for s in results["candidates"][0]["splits"]["test"]["slices"]:
        field = study.slices[0][0]
        here = rows & (field.codes == field.values.index(s["by"]["f"]))
        y, score = study.actual[here] == 1, study.candidates[0].score[here]
        tp, fp = (y & (score >= 0.3)).sum(), (~y & (score >= 0.3)).sum()
        assert s["metrics"]["benefit"]["value"] == pytest.approx((tp - fp * 0.3 / 0.7) / here.sum())
        gate = next(g for g in results["gates"] if g["metric"] == "benefit" and g["by"] == s["by"])
        assert gate["value"] == s["metrics"]["benefit"]["value"]


def test_the_work_can_be_stopped_between_steps_and_taken_up_again():
    ready = core.prepare(study_of())

    class StopError(Exception):
        pass

    def stop(done, of, what):
        if done == 4:
            raise StopError

    with pytest.raises(StopError):
        core.evaluate(ready, progress=stop)
    assert told(core.evaluate(ready)) == told(core.evaluate(study_of()))


def test_a_value_is_made_once_however_many_ask_together():
    once, made, together = Once(), [], threading.Barrier(8)

    def ask(_):
        together.wait()
        return once.get("k", lambda: made.append(1) or len(made))

    with ThreadPoolExecutor(8) as pool:
        assert set(pool.map(ask, range(8))) == {1}
    assert made == [1]


def test_what_fails_is_not_kept_and_can_be_tried_again():
    once = Once()

    def fail():
        raise ValueError("not now")

    with pytest.raises(ValueError, match="not now"):
        once.get("k", fail)
    assert not once.holds("k")
    assert once.get("k", lambda: 5) == 5
    assert once.holds("k")
