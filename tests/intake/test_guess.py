"""The guess about columns: only what the values speak for."""

from __future__ import annotations

import polars as pl

from files import rows_of
from skarlo.intake.guess import describe, guess
from skarlo.sample.limb_failure import limb_failure


def test_guesses_the_columns_of_a_holdout():
    table = pl.DataFrame(rows_of()).select("id", "actual", "split")
    assert guess(describe(table), table.height) | {"score": None} == {
        "id": "id", "truth": "actual", "split": "split", "score": None, "label": "actual",
    }  # fmt: skip


def test_guesses_the_sample_world():
    tables = limb_failure()
    columns = describe(tables["holdout.csv"])
    found = guess(columns, 9000)
    assert (found["id"], found["truth"], found["split"]) == ("tree_id", "failed", "split")
    assert next(c for c in columns if c["name"] == "failed")["values"] == ["no", "yes"]
    assert guess(describe(tables["net.csv"]), 9000)["score"] == "p_failed"
    assert guess(describe(tables["checklist.csv"]), 9000)["label"] == "decision"


def test_does_not_guess_where_nothing_speaks_for_it():
    table = pl.DataFrame({"note": ["a b", "c d", "c d"]})
    assert guess(describe(table), 3)["id"] is None
    assert guess(describe(table), 3)["score"] is None
