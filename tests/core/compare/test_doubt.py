"""Labels in doubt, against the definition written out row by row."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare.doubt import Judge, doubted, others


def log_q(judge, i, label):
    """How likely a judge takes a row to be of a class, as a logarithm."""
    if judge.chance is not None:
        p = min(max(judge.chance[i], 1e-6), 1 - 1e-6)
        return math.log(p if label == judge.positive else 1 - p)
    j = judge.predicted[i]
    column = [judge.counts[y][j] + 0.5 for y in range(len(judge.counts))]
    return math.log(column[label] / sum(column))


def listed_if(judges, i, label, classes):
    """(other, mean evidence) where the row would be listed with that label, else None."""
    votes = [sum(j.predicted[i] == k for j in judges) if k != label else -1 for k in range(classes)]
    best = max(votes)
    among = [k for k in range(classes) if votes[k] == best]
    evidence = {k: [log_q(j, i, k) - log_q(j, i, label) for j in judges] for k in among}
    other = max(among, key=lambda k: (sum(evidence[k]), -k))
    mean = sum(evidence[other]) / len(judges)
    if best * 2 > len(judges) and (best >= 2 or len(judges) == 1) and mean > 0:
        return other, mean, min(evidence[other])
    return None


def chances(judges, i, prior, power, classes):
    raw = [prior[y] * math.prod((math.exp(log_q(j, i, y)) / prior[y]) ** power for j in judges) for y in range(classes)]
    return [x / sum(raw) for x in raw]


def made(seed, n=60, classes=2, many=3, by_class=False):
    rng = np.random.default_rng(seed)
    actual = rng.integers(0, classes, n)
    judges = []
    for i in range(many):
        predicted = np.where(rng.random(n) < 0.75, actual, rng.integers(0, classes, n))
        if by_class or i == many - 1:
            cells = np.zeros((classes, classes), dtype=np.int64)
            np.add.at(cells, (actual, predicted), 1)
            judges.append(Judge(f"c{i}", predicted, counts=cells))
        else:
            chance = np.clip(0.5 + (predicted - 0.5) * rng.random(n) + 0.1 * rng.normal(size=n), 0, 1)
            judges.append(Judge(f"s{i}", (chance >= 0.5).astype(np.int64), chance))
    return actual, judges


@pytest.mark.parametrize(
    ("seed", "classes", "many"), [(0, 2, 1), (1, 2, 2), (2, 2, 3), (3, 3, 2), (4, 4, 5), (5, 3, 1)]
)
def test_rows_in_doubt_and_how_many_are_expected_are_as_defined(seed, classes, many):
    actual, judges = made(seed, classes=classes, many=many, by_class=classes > 2)
    found = doubted(actual, judges, classes)
    n = len(actual)
    wanted = [(i, *told) for i in range(n) if (told := listed_if(judges, i, actual[i], classes))]
    wanted.sort(key=lambda x: (-x[2], -x[3], x[0]))
    assert found.rows.tolist() == [i for i, *_ in wanted]
    assert found.other.tolist() == [o for _, o, *_ in wanted]
    assert found.evidence.tolist() == pytest.approx([e for *_, e, _ in wanted])

    prior = [(int((actual == y).sum()) + 0.5) / (n + classes / 2) for y in range(classes)]
    expected = sum(
        q for i in range(n) for y, q in enumerate(chances(judges, i, prior, found.power, classes))
        if listed_if(judges, i, y, classes)
    )  # fmt: skip
    assert found.expected_if_right == pytest.approx(expected)

    def likelihood(power):
        return sum(math.log(chances(judges, i, prior, power, classes)[actual[i]]) for i in range(n))

    best = likelihood(found.power)
    for near in (found.power - 0.01, found.power + 0.01):
        if 0 <= near <= 2:
            assert likelihood(near) < best


def test_with_every_label_right_about_as_many_are_listed_as_expected():
    rng = np.random.default_rng(1)
    listed, expected = [], []
    for _ in range(40):
        truth = rng.random(600) ** 2
        actual = (rng.random(600) < truth).astype(np.int64)
        judges = []
        for _ in range(3):
            chance = 1 / (1 + np.exp(-(np.log(truth / (1 - truth)) + 0.3 * rng.normal(size=600))))
            judges.append(Judge("j", (chance >= 0.5).astype(np.int64), chance))
        found = doubted(actual, judges, 2)
        listed.append(len(found.rows))
        expected.append(found.expected_if_right)
    assert np.mean(expected) == pytest.approx(np.mean(listed), rel=0.1)


def test_the_class_that_a_marked_row_may_be_instead():
    judges = [Judge("a", np.array([1, 2, 0]), counts=np.eye(3) * 9), Judge("b", np.array([2, 2, 0]), counts=np.eye(3))]
    assert others(np.array([0, 0, 0]), np.arange(3), judges, 3).tolist() == [1, 2, -1]
    assert others(np.array([0, 1]), np.arange(2), judges, 2).tolist() == [1, 0]


def study(n=400, wrong=12):
    """Two candidates that know, one that guesses; some labels are turned."""
    rng = np.random.default_rng(5)
    actual = (rng.random(n) < 0.4).astype(np.int64)
    score = [np.clip(0.15 + 0.7 * actual + 0.12 * rng.normal(size=n), 0.01, 0.99) for _ in range(2)]
    turned = rng.permutation(n)[:wrong]
    actual[turned] = 1 - actual[turned]
    candidates = (
        core.Candidate("A", score=score[0], cutoff=core.Cutoff(0.5)),
        core.Candidate("B", score=score[1], cutoff=core.Cutoff(0.5)),
        core.Candidate("coin", predicted=rng.integers(0, 2, n)),
    )
    whole = np.ones(n, dtype=bool)
    return core.Study("q", ("no", "yes"), actual, 1, {"all": whole}, "all", None, candidates), np.sort(turned)


def asked(at_most=0, how="flipped", marked=None):
    return core.Part("doubt", doubted=(at_most, how), marked=marked)


def test_turned_labels_are_found_and_who_guesses_does_not_judge():
    s, turned = study()
    found = core.Evaluation(s, "none").part(asked())
    assert found["judges"] == ["A", "B"]
    assert "better than chance" in found["not_judges"]["coin"]
    assert sorted(one["row"] for one in found["listed"]) == turned.tolist()
    assert found["beyond"] == max(1, round(12 - found["expected_if_right"]))
    assert found["at_most"] == found["beyond"]
    for name in ("A", "B", "coin"):
        low, high = (found["candidates"][name]["recall"][end] for end in ("low", "high"))
        assert low <= found["candidates"][name]["recall"]["value"] <= high
    assert found["candidates"]["A"]["accuracy"]["high"] > found["candidates"]["A"]["accuracy"]["value"]


def test_marked_rows_stand_in_for_the_listed_ones():
    s, turned = study()
    evaluation = core.Evaluation(s, "none")
    found = evaluation.part(asked(2, "dropped", tuple(turned[:5].tolist())))
    assert (found["of"], found["doubted"], found["at_most"], found["how"]) == ("marked", 5, 2, "dropped")
    assert evaluation.part(asked(50, "dropped", (1, 2)))["at_most"] == 2
    with pytest.raises(ValueError, match="flipped or dropped"):
        evaluation.part(asked(1, "turned"))


def test_of_rows_with_weights_labels_are_listed_and_nothing_is_bounded():
    s, _ = study()
    found = core.Evaluation(replace(s, weight=np.linspace(0.5, 2, len(s.actual))), "none").part(asked())
    assert found["listed"]
    assert found["candidates"] == {}
    assert set(found["left_out"]) == {"A", "B", "coin"}
    assert found["lead"] == {}


def test_the_results_hold_it_where_the_study_asks():
    s, _ = study()
    assert "doubt" not in core.evaluate(s, "none")
    told = core.evaluate(replace(s, doubt=core.DoubtStudy(3)), "none")["doubt"]
    assert told["at_most"] == 3
    assert told["lead"]["accuracy"]["leader"] in ("A", "B")


def test_rows_without_an_answer_of_a_judge_speak_neither_way():
    s, _ = study()
    score = s.candidates[0].score.copy()
    score[:40] = np.nan
    first = replace(s.candidates[0], score=score, no_answer="left_out")
    found = core.Evaluation(replace(s, candidates=(first, *s.candidates[1:])), "none").part(asked())
    assert all(one["row"] >= 40 for one in found["listed"])  # two judges, and both must predict the other class
    assert "A" not in found["lead"]["recall"]["ranks"]
