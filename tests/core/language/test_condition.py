"""The language of conditions: its grammar, three values, and errors that point at their place."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo.core.language import condition
from skarlo.core.language.condition import ConditionError, Names, parse
from skarlo.core.language.truth import Numbers, Table, Texts, Truth, seconds

NAMES = Names(
    {"ward": "text", "age": "number", "seen": "date", "in": "number", "soil type": "text"}, ("no", "yes"),
    ("A", "B", "Neural net"), frozenset(("A", "Neural net")), frozenset(("bad label",)),
    named=frozenset(('old "ones"',)),
)  # fmt: skip
WARD = ["North", None, "South", "North", None]
AGE = [3.0, 10.0, None, 3.5, 7.0]
ACTUAL, SAID = [0, 1, 1, 0, 1], [0, 1, 0, None, 0]
SEEN = ["2026-01-30", None, "2026-02-01", "2026-01-31", "2025-12-31"]


def texts(values):
    there = sorted({v for v in values if v is not None})
    return Texts(there, np.array([-1 if v is None else there.index(v) for v in values]))


def numbers(values):
    return Numbers(np.array([np.nan if v is None else v for v in values], dtype=float))


def table():
    columns = {
        "ward": texts(WARD), "age": numbers(AGE), "in": numbers([1, 2, 3, 4, 5]), "soil type": texts(["clay"] * 5),
        "seen": numbers([None if s is None else seconds(s) for s in SEEN]),
    }  # fmt: skip
    said = Texts(("no", "yes"), np.array([-1 if k is None else k for k in SAID]))
    return Table(5, columns.__getitem__, lambda: Texts(("no", "yes"), np.array(ACTUAL)), lambda of: said,
                 lambda of: numbers([0.1, 0.9, 0.4, None, 0.2]), lambda mark: np.arange(5) == 2,
                 lambda name: Truth(np.arange(5) == 4, np.arange(5) == 1))  # fmt: skip


def rows(text):
    found = parse(text, NAMES).evaluate(table())
    assert not (found.true & found.unknown).any()
    return np.flatnonzero(found.true).tolist(), np.flatnonzero(found.unknown).tolist()


@pytest.mark.parametrize(("text", "true", "unknown"), [
    ('ward = "North"', [0, 3], [1, 4]),
    ('not ward = "North"', [2], [1, 4]),
    ("ward is absent", [1, 4], []),
    ("not ward is absent", [0, 2, 3], []),
    ('ward in ("North", "South", "East")', [0, 2, 3], [1, 4]),
    ('ward < "South"', [0, 3], [1, 4]),
    ("age between 3 and 7", [0, 3, 4], [2]),
    ("3.25 <= age", [1, 3, 4], [2]),
    ("age = age", [0, 1, 3, 4], [2]),
    ('ward = "North" and age > 3', [3], [1, 4]),
    ('ward = "North" and age > 20', [], []),
    ('ward = "North" or age > 3', [0, 1, 3, 4], [2]),
    ("predicted != actual", [2, 4], [3]),
    ("right", [0, 1], [3]),
    ("not right(A)", [2, 4], [3]),
    ('predicted(B) = "yes"', [1], [3]),
    ("predicted is absent", [3], []),
    ("score >= 0.4", [1, 2], [3]),
    ('score("Neural net") < 0.2', [0], [3]),
    ('seen < "2026-01-31"', [0, 4], [1]),
    ('seen between "2026-01-30" and "2026-01-31"', [0, 3], [1]),
    ('`in` = 3 or `soil type` = "sand"', [2], []),
    ('mark "bad label"', [2], []),
    ('actual = "yes" and not predicted(A) = "yes"', [2, 4], []),
    ('named "old \\"ones\\""', [4], [1]),
    ('not named "old \\"ones\\"" and age > 3', [3], [1, 2]),
])  # fmt: skip
def test_which_rows_are_meant(text, true, unknown):
    assert rows(text) == (true, unknown)


def test_not_binds_closer_than_and_and_and_closer_than_or():
    one = parse('not right and age > 3 or ward = "x"', NAMES)
    assert str(one) == 'not right and age > 3 or ward = "x"'
    assert one.tree == parse('(((not right) and (age > 3)) or (ward = "x"))', NAMES).tree
    other = parse('not (right and (age > 3 or ward = "x"))', NAMES)
    assert str(other) == other.text
    assert other.tree != one.tree


@pytest.mark.parametrize(("text", "at", "why"), [
    ("", 0, "a field"),
    ("age", 3, "a comparison"),
    ("age >", 5, "a field"),
    ("1 < age < 3", 8, "does not go on"),
    ('age = "old"', 6, "age is a number"),
    ("ward = 3", 7, "ward is a text"),
    ('seen = "soon"', 7, "seen is a date"),
    ("height = 3", 0, "there is no field height"),
    ('Ward = "x"', 0, "ward is one"),
    ('actual = "maybe"', 9, "there is no class maybe"),
    ("score(B) > 1", 0, "B gives no score"),
    ("predicted(C) = actual", 10, "there is no candidate C"),
    ("in = 3", 0, "backquotes"),
    ("age in 3", 7, "“(”"),
    ("age in (3, ward)", 11, "a number or a text"),
    ("age between 3", 13, "“and”"),
    ("(age = 3", 8, "“)”"),
    ("age = 3 age = 4", 8, "“and”, “or”"),
    ('ward = "North', 7, "has no end"),
    ("age = 3 & right", 8, "“&” is not understood"),
    ("age is 3", 7, "“absent”"),
    ("mark 3", 5, "the name of a mark"),
    ("named", 5, "the name of a condition"),
    ('named "new ones"', 6, "no condition is named new ones"),
    ("1 = 2", 0, "one side"),
    ("age = 1e999", 6, "too large"),
    ("(" * 200 + "right" + ")" * 200, 101, "deep"),
    ("not " * 200 + "right", 404, "deep"),
])  # fmt: skip
def test_a_fault_is_told_at_its_place(text, at, why):
    with pytest.raises(ConditionError) as e:
        parse(text, NAMES)
    assert e.value.at == at
    assert why in str(e.value)
    assert "⟨here⟩" in str(e.value)


def test_what_is_too_long_is_refused():
    with pytest.raises(ConditionError, match="at most 10,000"):
        parse("right or " * 2_000 + "right", NAMES)


def test_without_marks_none_is_spoken_of():
    with pytest.raises(ConditionError, match="no rows are marked"):
        parse('mark "x"', Names({}))


def test_where_none_has_a_name_none_is_spoken_of():
    with pytest.raises(ConditionError, match="no other condition is spoken of"):
        parse('named "x"', Names({}))


@pytest.mark.parametrize(("text", "told"), [
    ("right and not predicted = actual", "right(B) and not predicted(B) = actual"),
    ("score(A) > 1 or score < 0.5", "score(A) > 1 or score(B) < 0.5"),
    ("age   = 3", "age   = 3"),
])  # fmt: skip
def test_a_condition_can_say_whose_answers_it_means(text, told):
    one = parse(text, NAMES).told_of("B")
    assert one.text == told
    assert {of for _, of in one.answers} <= {"A", "B"}


@pytest.mark.parametrize(("text", "reads"), [
    ("age = 3", False), ("not (age = 3 or right)", True), ("score > 1", True), ('actual = "no"', False),
])  # fmt: skip
def test_whether_answers_are_read(text, reads):
    assert parse(text, NAMES).reads_answers == reads


ATOMS = st.sampled_from([
    "right", "right(B)", "age = 3", "age between -1.5 and 2", 'ward in ("a", "b \\"c\\" \\\\")', "score(A) >= 0.25",
    'predicted("Neural net") != actual', "`soil type` is absent", 'seen > "2026-01-31T10:00"', 'mark "bad label"',
    'named "old \\"ones\\""', "`in` = 1e-9",
])  # fmt: skip
TREES = st.recursive(ATOMS, lambda inner: st.one_of(
    inner.map(lambda x: f"not ({x})"), st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(
        lambda x: f"({x[0]}) {x[1]} ({x[2]})")
), max_leaves=12)  # fmt: skip


@given(TREES)
def test_what_is_written_is_read_again_as_the_same(text):
    one = parse(text, NAMES)
    again = parse(str(one), NAMES)
    assert again.tree == one.tree
    assert str(again) == str(one)


@given(st.text(alphabet='aà 1."\\`()=<>!,-_\n\x00\u202e', max_size=40) | st.text(max_size=40))
def test_no_text_does_more_than_fail_with_a_place(text):
    try:
        parse(text, NAMES)
    except ConditionError as e:
        assert 0 <= e.at <= len(text)


@given(TREES)
def test_three_values_row_by_row(text):
    """Against a plain reading of the tree, one row at a time: not turns, and is the least, or the greatest."""
    one, t = parse(text, NAMES), table()
    found = one.evaluate(t)

    def value(n, i):
        if n.op in ("and", "or"):
            each = [value(p, i) for p in n.parts]
            return min(each) if n.op == "and" else max(each)
        if n.op == "not":
            return 1 - value(n.parts[0], i)
        leaf = condition.Condition("", n, one.dates).evaluate(t)
        return 0.5 if leaf.unknown[i] else float(leaf.true[i])

    for i in range(5):
        assert value(one.tree, i) == (0.5 if found.unknown[i] else float(found.true[i]))


def test_the_published_grammar_is_the_one_that_is_read():
    page = (Path(__file__).parents[3] / "docs" / "conditions.md").read_text(encoding="utf-8")
    published = page.split("## Grammar")[1].split("```")[1].strip().splitlines()
    told = [line.strip() for line in (condition.__doc__ or "").splitlines()]
    assert len(published) > 8
    for line in published:
        assert line.strip() in told
