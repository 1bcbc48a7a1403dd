"""The ways that CONTRIBUTING names, each gone by its words alone: one entry more, and all the rest follows."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import polars as pl
import pytest

from conftest import PASSWORD
from files import STUDY, load, problems, rows_of, write_study
from skarlo import core, intake
from skarlo.core.decide import rules
from skarlo.core.decide.rules import Chosen, Rule
from skarlo.intake import read, schemas
from skarlo.intake.read import Binary
from skarlo.studies import accounts, records
from skarlo.web.routes.session import UserOut

CONTRIBUTING = (Path(__file__).parents[1] / "CONTRIBUTING.md").read_text(encoding="utf-8")


@pytest.mark.parametrize("what", ["metric", "view", "format of files", "cutoff rule", "role"])
def test_the_way_is_written_down(what):
    assert re.search(rf"^## To add a {what}$", CONTRIBUTING, re.MULTILINE)


def flags_the_highest(sweep, given):
    """Flag so many of the distinct scores, from the highest."""
    score = sweep.tally.score[::-1]
    return Chosen(float(score[min(len(score), int(given["rows"])) - 1]))


def test_a_rule_more(tmp_path, monkeypatch):
    monkeypatch.setitem(
        rules.RULES,
        "highest_scores",
        Rule("flag the highest scores", flags_the_highest, ("rows",), needs=("positive",)),
    )
    asked = STUDY.replace("cutoff = 0.5", 'cutoff = { rule = "highest_scores", rows = 12 }', 1)
    rows = rows_of(200)
    chosen = core.evaluate(load(write_study(tmp_path / "a", rows, asked)))["candidates"][0]["cutoff"]
    scores = sorted({float(r["p"]) for r in rows if r["split"] == "tuning"}, reverse=True)
    assert chosen == {"value": scores[11], "rule": "highest_scores", "parameters": {"rows": 12}, "chosen_on": "tuning"}
    wrong = problems(write_study(tmp_path / "b", rows, asked.replace("rows = 12", "value = 0.5")))
    assert any("highest_scores takes rows" in line for line in wrong)
    assert "highest_scores" in json.dumps(schemas.SCHEMAS["study"]())


AVRO = Binary("Avro", b"Obj\x01", lambda path: pl.read_avro(path).lazy())


def test_a_format_more(tmp_path, monkeypatch):
    path = write_study(tmp_path, rows_of(120))
    before = core.evaluate(load(path))
    table = pl.read_csv(tmp_path / "scores.csv")
    table.write_avro(tmp_path / "scores.csv")
    assert any("is not UTF-8 text" in line or "no known format" in line for line in problems(path))
    monkeypatch.setattr(read, "BINARY", [*read.BINARY, AVRO])
    found = core.evaluate(load(path))
    assert [c["splits"] for c in found["candidates"]] == [c["splits"] for c in before["candidates"]]
    pieces = list(read.read_pieces(intake.Source(tmp_path / "scores.csv", "scores.avro")))
    assert sum(len(p) for p in pieces) == len(table)
    assert "Avro" in read.formats()


def test_a_role_more(workspace, app, visitor, monkeypatch):
    monkeypatch.setitem(records.ROLES, "auditor", ("sign",))
    with workspace.writing() as session:
        accounts.add_user(session, "audrey", "auditor", PASSWORD)
    told = visitor.sign_in("audrey").json
    assert (told["user"]["role"], told["may"]) == ("auditor", ["sign"])
    asked = visitor("PUT", "/studies/1/candidates/1/cutoff", {"value": 0.4, "chosen_on": "test"})
    assert asked.status_code == 403
    assert UserOut.model_json_schema()["properties"]["role"]["enum"][-1] == "auditor"


def test_what_a_rule_needs_is_told(tmp_path):
    y = np.zeros(4, dtype=bool)
    from skarlo.core.counting import tally

    for name, rule in rules.RULES.items():
        given = {"value": 0.5, "false_positive": 1.0, "false_negative": 1.0, "share": 0.5}
        parameters = {k: given[k] for k in rule.takes if k in given}
        chosen = rules.choose(name, parameters, tally.make(np.array([0.1, 0.2, 0.3, 0.4]), y), 0, 4)
        assert ("positive rows" in chosen.why) == ("positive" in rule.needs)
