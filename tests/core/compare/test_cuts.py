"""Fields cut into groups: by hand, against counting over rows, and each group's condition is true of its rows alone."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo import core
from skarlo.core.compare.cuts import PERIODS, Cut, cut, parse_cut

EVERY = np.ones


def numbers(values):
    return core.Numbers(np.array(values, dtype=np.float64))


def means_the_same(found, values, kind):
    """Whether each group's condition, parsed and evaluated, is true of exactly the rows of the group."""
    f = found.field
    names = core.ConditionNames({f.name: kind}, ("no", "yes"), (), frozenset())
    table = core.ConditionTable(len(f.codes), lambda name: values, lambda: None, None, None, None)
    for k, text in enumerate(f.conditions):
        true = core.parse_condition(text, names).evaluate(table).true
        assert true.tolist() == (f.codes == k).tolist(), text


def test_quartiles_are_those_of_the_rows_inside():
    x = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 100, 200, np.nan]
    inside = np.arange(19) < 16
    found = cut("girth", numbers(x), "number", inside)
    assert found.edges == (4, 8, 12)
    assert found.field.values == ("", "<= 4", "> 4, <= 8", "> 8, <= 12", "> 12")
    assert np.bincount(found.field.codes).tolist() == [1, 4, 4, 4, 6]
    means_the_same(found, numbers(x), "number")


def test_few_numbers_are_a_group_each_and_edges_are_as_chosen():
    x = numbers([3, 1, 2, 2, np.nan])
    assert cut("n", x, "number", EVERY(5, dtype=bool)).field.values == ("", "1", "2", "3")
    found = cut("n", x, "number", EVERY(5, dtype=bool), Cut(edges=(2, 3)))
    assert found.field.values == ("", "< 2", "[2, 3)", ">= 3")
    assert found.field.codes.tolist() == [3, 1, 2, 2, 0]
    means_the_same(found, x, "number")


@given(
    st.lists(st.one_of(st.none(), st.floats(-1e6, 1e6), st.integers(-5, 5)), min_size=1, max_size=60),
    st.integers(2, 7),
)
def test_every_row_stands_in_the_group_whose_condition_it_meets(values, quantiles):
    x = numbers([np.nan if v is None else v for v in values])
    for how in (Cut(quantiles=quantiles), Cut(), Cut(edges=(-1, 0, 2.5))):
        found = cut("a field in `quotes`".replace("`", ""), x, "number", EVERY(len(values), dtype=bool), how)
        assert found.field.codes.min() >= 0
        assert found.field.codes.max() < len(found.field.values)
        means_the_same(found, x, "number")


@pytest.mark.parametrize("by", PERIODS)
def test_dates_are_cut_by_period(by):
    days = ["2023-12-31", "2024-01-01", "2024-02-29", "2024-03-31", "2024-12-30", "2025-01-05", "NaT"]
    at = np.array(days, dtype="datetime64[s]")
    seconds = np.where(np.isnat(at), np.nan, at.astype(np.float64))
    found = cut("seen", core.Numbers(seconds), "date", EVERY(7, dtype=bool), Cut(by=by))
    told = {
        "year": ["2023", "2024", "2024", "2024", "2024", "2025", ""],
        "quarter": ["2023 Q4", "2024 Q1", "2024 Q1", "2024 Q1", "2024 Q4", "2025 Q1", ""],
        "month": ["2023-12", "2024-01", "2024-02", "2024-03", "2024-12", "2025-01", ""],
        "week": ["2023-W52", "2024-W01", "2024-W09", "2024-W13", "2025-W01", "2025-W01", ""],
        "day": [*days[:-1], ""],
    }[by]
    assert [found.field.values[k] for k in found.field.codes] == told
    means_the_same(found, core.Numbers(seconds), "date")


def test_text_is_cut_at_its_values():
    values = core.Texts(["a", 'b "quoted"'], np.array([1, 0, -1]))
    found = cut("ward", values, "text", EVERY(3, dtype=bool))
    assert found.field.values == ("", "a", 'b "quoted"')
    assert found.field.codes.tolist() == [2, 1, 0]
    means_the_same(found, values, "text")


@pytest.mark.parametrize(
    ("text", "found"), [("4", Cut(quantiles=4)), ("10|20.5", Cut(edges=(10, 20.5))), ("week", Cut(by="week")),
                        ("10|", Cut(edges=(10,)))],
)  # fmt: skip
def test_a_cut_is_read(text, found):
    assert parse_cut(text) == found


@pytest.mark.parametrize("text", ["", "x", "1", "200", "3|2", "nan|1", "1e999|2e999", "2|2"])
def test_what_is_no_cut_is_told(text):
    with pytest.raises(ValueError, match=r"cuts no field|quantiles are|rising order"):
        parse_cut(text)


def test_a_field_is_not_cut_as_it_cannot_be():
    x, every = numbers([1, 2]), EVERY(2, dtype=bool)
    for kind, values, how, said in (
        ("number", x, Cut(by="day"), "holds numbers"), ("date", x, Cut(quantiles=4), "holds dates"),
        ("text", core.Texts(["a"], np.array([0, 0])), Cut(quantiles=4), "holds text"),
    ):  # fmt: skip
        with pytest.raises(ValueError, match=said):
            cut("f", values, kind, every, how)


def test_numbers_that_are_all_absent_are_one_group():
    found = cut("f", numbers([np.nan, np.nan]), "number", EVERY(2, dtype=bool), Cut(quantiles=4))
    assert found.field.codes.tolist() == [0, 0]
