"""Odd data is noticed, with the rows that show it; plain data is left in peace."""

from __future__ import annotations

import random
from collections import Counter
from itertools import permutations

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from files import STUDY, write_csv
from skarlo import intake
from skarlo.core.stats import association
from skarlo.intake.fields import summaries


def rows_of(n=400, seed=5):
    rng = random.Random(seed)
    out = []
    for i in range(n):
        yes = rng.random() < 0.4
        out.append({
            "id": f"r{rng.randrange(10**9):09d}", "actual": "yes" if yes else "no",
            "split": "test" if i % 2 else "tuning",
            "girth": f"{rng.gauss(50 + 5 * yes, 10):.3f}", "soil": rng.choice(["clay", "loam", "sand"]),
            "day": f"2025-{1 + 6 * (i % 2) + rng.randrange(6):02d}-10", "p": f"{rng.random():.4f}", "said": "yes",
        })  # fmt: skip
    return out


def findings(folder, rows, toml=STUDY):
    folder.mkdir(parents=True, exist_ok=True)
    columns = [c for c in rows[0] if c not in ("p", "said")]
    write_csv(folder / "holdout.csv", rows, columns)
    write_csv(folder / "scores.csv", rows, ["id", "p"])
    write_csv(folder / "labels.csv", rows, ["id", "said"])
    (folder / "study.toml").write_text(toml, encoding="utf-8")
    spec = intake.read_spec(folder / "study.toml")
    return {f["code"]: f for f in intake.load(spec, lambda name: intake.Source(folder / name, name)).findings}


def test_plain_data_is_left_in_peace(tmp_path):
    assert findings(tmp_path, rows_of()) == {}


def change(rows, name, make):
    return [row | {name: make(i, row)} for i, row in enumerate(rows)]


@pytest.mark.parametrize(
    ("code", "mend", "where"),
    [
        ("field_gives_class_away", lambda rows: change(rows, "decided", lambda i, r: "AB"[r["actual"] == "yes"]),
         {"column": "decided"}),
        ("field_gives_class_away", lambda rows: change(rows, "after", lambda i, r: i + 9999 * (r["actual"] == "yes")),
         {"column": "after"}),
        ("field_is_constant", lambda rows: change(rows, "city", lambda i, r: "here"), {"column": "city"}),
        ("field_mostly_absent", lambda rows: change(rows, "crown", lambda i, r: str(i % 9) if i % 5 == 0 else ""),
         {"column": "crown", "rows": 320}),
        ("ids_carry_class", lambda rows: change(rows, "id", lambda i, r: f"{r['actual']}-{i * 7919 % 4000}"),
         {"column": "id"}),
        ("ids_carry_class", lambda rows: change(rows, "id", lambda i, r: f"t{i + 5000 * (r['actual'] > 'no')}"),
         {"column": "id"}),
        ("splits_differ_in_balance", lambda rows: change(rows, "actual", lambda i, r: ("no", "yes")[i % 6 in (1, 5)]),
         {"split": "tuning", "class": "no"}),
        ("reported_rows_are_earlier", lambda rows: change(rows, "day", lambda i, r: f"202{4 - i % 2}-01-01"),
         {"column": "day", "rows": 200}),
        ("percent_for_probability", lambda rows: change(rows, "p", lambda i, r: str(100 * float(r["p"]))),
         {"candidate": "Scores"}),
        ("looks_like_group", lambda rows: change(rows, "street_id", lambda i, r: f"s{i // 8}-{r['actual']}"),
         {"column": "street_id"}),
    ],
)  # fmt: skip
def test_each_oddity_is_noticed(tmp_path, code, mend, where):
    found = findings(tmp_path, mend(rows_of()))
    assert code in found
    assert where.items() <= found[code]["where"].items()


def test_rows_that_stand_twice(tmp_path):
    rows = rows_of()
    again = [row | {"id": f"again{i}"} for i, row in enumerate(rows[1:8:2])]
    found = findings(tmp_path / "test", rows + again)
    assert found["repeated_rows"]["where"] == {
        "split": "test", "rows": 4, "first_ids": ["again0", "again1", "again2", "again3"],
    }  # fmt: skip
    leaked = [row | {"id": f"leak{i}", "split": "test"} for i, row in enumerate(rows[:6:2])]
    found = findings(tmp_path / "leak", rows + leaked)
    assert found["rows_in_two_splits"]["where"]["also_in"] == "tuning"
    assert found["rows_in_two_splits"]["where"]["first_ids"] == ["leak0", "leak1", "leak2"]


def plain_bits(xs, ys):
    """Mutual information from joint shares."""
    n, both, x_of, y_of = len(xs), Counter(zip(xs, ys, strict=True)), Counter(xs), Counter(ys)
    return sum(k / n * np.log2(k * n / x_of[x] / y_of[y]) for (x, y), k in both.items())


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2)), min_size=2, max_size=6))
def test_bits_by_definition(pairs):
    """What a field tells, less what it tells on the mean over every order of the classes, kept inside what there is."""
    xs, ys = (list(x) for x in zip(*pairs, strict=True))
    n = len(pairs)
    most = max(0.0, -sum(k / n * np.log2(k / n) for k in Counter(ys).values()))
    chance = np.mean([plain_bits(xs, order) for order in permutations(ys)])
    code, actual = (np.array(x, dtype=np.int64) for x in (xs, ys))
    found = association.told(association.contingency(code, 4, actual, 3))
    bits = min(max(plain_bits(xs, ys) - chance, 0), most)
    assert found.bits == pytest.approx(bits, abs=1e-9)
    assert found.share == pytest.approx(bits / (most - chance) if most - chance > 1e-9 else 0, abs=1e-6)


def test_of_many_rows_the_first_order_term_is_enough():
    """The exact mean and Miller's term meet where one gives way to the other."""
    rng = np.random.default_rng(1)
    rows, classes = (np.bincount(rng.integers(0, k, association.EXACT)) for k in (9, 3))
    exact = association.by_chance(rows, classes)
    assert exact == pytest.approx(8 * 2 / (2 * association.EXACT * np.log(2)), rel=0.02)


def test_a_value_of_its_own_in_every_row_tells_nothing():
    assert association.told(np.array([[1, 0], [0, 1]] * 6)).share == 0
    assert association.told(np.array([[1, 0], [0, 1]] * 6)).bits == 0


def test_what_chance_tells_is_about_nothing():
    rng = np.random.default_rng(1)
    bits = [
        association.told(association.contingency(rng.integers(0, 20, 300), 20, rng.integers(0, 2, 300), 2)).bits
        for _ in range(200)
    ]
    assert np.mean(bits) < 0.012


def test_the_data_at_a_glance():
    n = 600
    y = np.arange(n) % 2
    table = pl.DataFrame({
        "id": [str(i) for i in range(n)], "actual": y, "number": [f"{i % 50}.5" for i in range(n)],
        "gaps": [None if i % 3 else i % 7 for i in range(n)], "soil": [["clay", "loam"][i // 2 % 2] for i in range(n)],
        "tells": y, "empty": [""] * n, "note": [f"words {i}" for i in range(n)],
        "day": ["2025-01-02", "2025-01-03"] * 300,
        "whole": [i % 5 for i in range(n)],
    })  # fmt: skip
    fields = {f["name"]: f for f in summaries(table, y, 2, 1, {"id", "actual"})}
    kinds = {name: f["kind"] for name, f in fields.items()}
    assert kinds == {
        "number": "number", "gaps": "number", "soil": "category", "tells": "category", "empty": "constant",
        "note": "text", "day": "date", "whole": "number",
    }  # fmt: skip
    assert fields["gaps"]["absent"] == 400
    assert fields["gaps"]["distinct"] == 7
    assert fields["tells"]["share"] > 0.99
    assert fields["soil"]["share"] < 0.02
    assert fields["number"]["area"] == pytest.approx(0.5, abs=0.05)
    for name in ("number", "soil", "whole"):
        assert np.array(sum(np.array(b["rows"]) for b in fields[name]["bars"])).tolist() == [300, 300]
    assert [b["label"] for b in fields["whole"]["bars"]] == ["0", "1", "2", "3", "4"]


def test_labels_spelled_two_ways(tmp_path):
    rows = rows_of()
    rows[7]["actual"] = "Yes "
    toml = STUDY.replace('positive = "yes"\n', "").split("[[candidates]]")
    found = findings(tmp_path / "three", rows, f"{toml[0]}[[candidates]]{toml[2]}")["labels_nearly_alike"]
    assert found["where"]["classes"] == ["Yes ", "yes"]
    with pytest.raises(intake.InputError, match="“Yes ” and “yes” differ only in case or spaces"):
        findings(tmp_path / "two", rows)
