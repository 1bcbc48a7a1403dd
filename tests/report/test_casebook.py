"""Labels in doubt, and cutoffs for groups, as exhibits of the report."""

from __future__ import annotations

from core.compare.test_alike import unequal
from core.compare.test_doubt import study
from one_field import of_fields
from skarlo import core
from skarlo.report.exhibits import EXHIBITS, Reading, sentence
from skarlo.report.scope import Scope, candidates


def exhibited(view, ready, split, show, **own):
    """The sentence and the blocks."""
    evaluation = core.Evaluation(ready, "none")
    scope, exhibit = Scope(split, show, own=own), EXHIBITS[view]
    results = evaluation.results()
    further = evaluation.results(exhibit.shows(results, scope))
    made = exhibit.blocks(Reading(
        results=results, scope=scope, chosen=candidates(results, scope), tallies=dict, further=lambda: further,
    ))  # fmt: skip
    return sentence(view, further, scope), made


def texts(table):
    return [[cell["text"] for cell in row["cells"]] for row in table["rows"]]


def test_labels_in_doubt_and_what_would_follow():
    s, turned = study()
    said, (listed, bounds, note) = exhibited("casebook", s, "all", (1, 2), read="labels", wrong="4")
    told = core.Evaluation(s, "none").part(core.Part("doubt", doubted=(4, "flipped")))
    assert said.startswith(f"A and B both speak against {len(turned)} labels")
    assert [row[0] for row in texts(listed)] == [one["id"] for one in told["listed"]]
    of = told["candidates"]["A"]["accuracy"]
    assert texts(bounds)[0][1] == f"{core.shown(of['low'])} to {core.shown(of['high'])}"
    assert f"at most 4 labels of the {len(turned)} in doubt are wrong, turned" in note["text"].lower()


def test_what_cutoffs_for_groups_would_change():
    s, field = unequal()
    own = {"by": "ward", "read": "alike", "rule": "recall", "gap": "0.05", "prices": "1,4"}
    _, blocks = exhibited("slices", core.prepare(s, of_fields(field)), "test", (1,), **own)
    table, note = blocks[2:]
    part = core.Part("alike", "test", fields=("ward",), rule="recall", rate=0.05, prices=(1.0, 4.0))
    told = core.Evaluation(core.prepare(s, of_fields(field)), "none").part(part)["net"]["alike"]["cutoffs"]
    for row, (group, cutoff) in zip(texts(table), told["by_group"].items(), strict=True):
        assert row[:2] == [group, f"≥ {core.shown(cutoff['value'])}"]
        assert row[4] == core.count(sum(told["changed"]["by_group"][group].values()))
    assert "found alike, chosen on tuning: read, not applied" in note["text"]
    _, without = exhibited("slices", core.prepare(s, of_fields(field)), "test", (1,), by="ward", read="alike")
    assert len(without) == 2
