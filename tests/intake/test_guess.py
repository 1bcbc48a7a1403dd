"""The guess about columns: only what the values speak for."""

from __future__ import annotations

import polars as pl

from asking import guessed
from files import rows_of
from skarlo.intake.columns_seen import describe
from skarlo.intake.guess import guess
from skarlo.sample.leaf_condition import leaf_condition
from skarlo.sample.limb_failure import limb_failure
from skarlo.sample.residents_messages import residents_messages


def test_guesses_the_columns_of_a_holdout():
    table = pl.DataFrame(rows_of()).select("id", "actual", "split")
    found = {role: name for role, name in guessed(describe([table]), table.height).items() if name}
    assert found == {"id": "id", "truth": "actual", "split": "split", "predicted": "actual"}


def test_guesses_the_sample_world():
    tables = limb_failure()
    columns = describe([tables["holdout.csv"]])
    found = guessed(columns, 9000)
    assert (found["id"], found["truth"], found["split"]) == ("tree_id", "failed", "split")
    assert next(c for c in columns if c["name"] == "failed")["values"] == ["no", "yes"]
    assert guessed(describe([tables["net.csv"]]), 9000)["score"] == "p_failed"
    assert guessed(describe([tables["checklist.csv"]]), 9000)["predicted"] == "decision"


def test_guesses_what_labellers_give_and_asks_which_of_two_fields_is_the_class():
    tables = residents_messages()
    found = guess(describe([tables["holdout.jsonl"]]), 1500)
    assert (found["truth"]["column"], found["truth"]["also"]) == ("channel", ["topic"])
    assert (found["id"]["column"], found["text"]["column"]) == ("message_id", "message")
    labelled = guessed(describe([tables["large.jsonl"]]), 1500)
    assert {role: labelled[role] for role in ("score", "predicted", "reason", "price")} == {
        "score": None, "predicted": "answer", "reason": "why", "price": "price",
    }  # fmt: skip


def test_guesses_pictures_and_embeddings_of_leaves():
    tables = leaf_condition()
    columns = describe([tables["holdout.csv"]])
    found = guess(columns, tables["holdout.csv"].height)
    assert {role: found[role]["column"] for role in ("group", "picture", "embedding")} == {
        "group": "tree_id", "picture": "picture", "embedding": "e1",
    }  # fmt: skip
    assert "condition" in found["truth"]["also"], "one of several, and a person says which"


def test_does_not_guess_where_nothing_speaks_for_it():
    table = pl.DataFrame({"note": ["a b", "c d", "c d"]})
    assert guessed(describe([table]), 3)["id"] is None
    assert guessed(describe([table]), 3)["score"] is None


def test_two_readings_are_both_named_with_the_reason():
    table = pl.DataFrame({
        "id": [f"t{i}" for i in range(60)], "tree_id": [f"x{i}" for i in range(60)],
        "p_yes": [i / 100 for i in range(60)], "p_no": [1 - i / 100 for i in range(60)],
    })  # fmt: skip
    found = guess(describe([table]), 60)
    assert found["id"] == {"column": "id", "why": "every row has one of its own, and its name ends in id",
                           "also": ["tree_id"]}  # fmt: skip
    assert (found["score"]["column"], found["score"]["also"]) == ("p_yes", ["p_no"])
    assert found["truth"] == {"column": None, "why": "", "also": []}


def test_what_stands_beside_the_answer():
    n = 120
    table = pl.DataFrame({
        "id": [f"t{i}" for i in range(n)], "street_id": [f"s{i // 2}" for i in range(n)], "weight": [1.5] * n,
        "report": [f"a branch has come down on the path, number {i}" for i in range(n)],
        "photo": [f"pictures/{i}.png" for i in range(n)], "reason": ["it said so"] * n, "price": [0.1] * n,
        "e1": [i / 7 for i in range(n)], "e2": [i / 9 for i in range(n)],
    })  # fmt: skip
    left = ("truth", "score", "predicted")
    found = {role: name for role, name in guessed(describe([table]), n).items() if role not in left}
    assert found == {"id": "id", "split": None, "weight": "weight", "group": "street_id", "reason": "reason",
                     "price": "price", "text": "report", "picture": "photo", "embedding": "e1"}  # fmt: skip


def test_labels_with_their_counts_and_which_are_nearly_alike():
    (column,) = describe([pl.DataFrame({"actual": ["yes", "Yes ", "no", "no", ""]})])
    assert (column["values"], column["counts"]) == (["Yes ", "no", "yes"], [1, 2, 1])
    assert column["alike"] == [["Yes ", "yes"]]
