"""A report's content is made without records, and what an earlier version froze is still drawn as it was."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from core.test_evaluate import study
from core.test_features import three
from skarlo import core
from skarlo.report import render, revisions
from skarlo.report.content import EARLIER, Decided, Exhibited, as_today, content
from skarlo.report.exhibits import EXHIBITS
from skarlo.report.scope import Scope


def made(s, views, split, **own):
    ready = core.prepare(s)
    results = core.evaluate(ready)
    every = tuple(range(1, len(s.candidates) + 1))

    def tallies():
        return {c.name: ready.on_split(i, split).judged.tally for i, c in enumerate(s.candidates)}

    scope = Scope(split, every, own=own)
    exhibits = [
        Exhibited(view=v, caption=f"of {v}", scope=scope, results=results, tallies=tallies,
                  further=lambda kinds: results) for v in views
    ]  # fmt: skip
    decision = Decided(candidate=s.candidates[0].name, position=1, positions=(), cutoff=0.3, note="as it is",
                       sha256="0" * 64, differs=(), results=results)  # fmt: skip
    inputs = [{"role": "hold-out", "file": "h.csv", "sha256": "1" * 64, "columns": {}}]
    return content(study={"id": 1, "title": s.title}, heading="", summary="*All* of it.", decision=decision,
                   inputs=inputs, exhibits=exhibits, kept=results, said={})  # fmt: skip


@pytest.fixture(scope="module")
def two():
    return made(study(), EXHIBITS, "test", mode="each")


@pytest.fixture(scope="module")
def many():
    views = [v for v, e in EXHIBITS.items() if not e.refused]
    return made(replace(three(), title="of three"), views, "all", mode="each")


@pytest.mark.parametrize("which", ["two", "many"])
def test_a_page_comes_of_results_alone(which, request):
    frozen = request.getfixturevalue(which)
    page = render.to_page(json.loads(json.dumps(frozen)), revisions.DRAFT)
    for e in frozen["exhibits"]:
        assert e["sentence"].replace("“", "").split(",")[0][:20] in page.replace("“", "").replace("&#39;", "'")
        for block in e["blocks"]:
            if block["kind"] == "table":
                assert len({len(row["cells"]) for row in block["rows"]} | {len(block["head"])}) == 1
    assert "<em>All</em> of it." in page
    assert len(frozen["results"]) == 1, "one evaluation, shown by all"


def test_every_kind_of_block_stands_in_the_page(two):
    kinds = {b["kind"] for e in two["exhibits"] for b in e["blocks"]}
    assert kinds == {"table", "matrices", "figure", "note"}
    page = render.to_page(two, revisions.DRAFT)
    (matrix,) = (e["blocks"][0]["matrices"][0] for e in two["exhibits"] if e["view"] == "matrix")
    for row in matrix["rows"]:
        for cell in row["cells"]:
            assert f'<td class="{cell["tint"]}">{cell["count"]}<small>{cell["share"]}</small></td>' in page
    assert page.count('class="best"') == sum(
        c.get("edge", False) for e in two["exhibits"] for b in e["blocks"] if b["kind"] == "table"
        for row in b["rows"] for c in row["cells"]
    )  # fmt: skip


@pytest.mark.parametrize("which", ["two", "many"])
def test_what_was_frozen_with_figures_alone_is_drawn_as_it_was(which, request):
    now = request.getfixturevalue(which)
    then = json.loads(json.dumps(now)) | {"format": EARLIER}
    for e in then["exhibits"]:
        blocks = e.pop("blocks")
        e["scope"].pop("own")  # views had no choices that were kept
        e["figures"] = {b["name"]: b["svg"] for b in blocks if b["kind"] == "figure"}
    assert render.to_page(then, revisions.DRAFT) == render.to_page(now, revisions.DRAFT)
    assert "blocks" not in then["exhibits"][0], "what is frozen is not touched"
    assert as_today(now) == now
