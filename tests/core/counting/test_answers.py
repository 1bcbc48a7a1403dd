"""Rows find their place among the distinct scores again."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from skarlo.core.counting import tally
from skarlo.core.counting.answers import Scored

SCORES = st.lists(st.sampled_from([-1.0, -0.0, 0.0, 0.1, 0.1 + 1e-16, 0.5, 1.0, 7.0]), min_size=1, max_size=30)


@given(SCORES)
def test_places_are_those_among_the_distinct(scores):
    distinct = sorted(set(scores))
    found = Scored(np.array(scores), np.arange(len(scores)) % 2 == 0).place
    assert found.tolist() == [distinct.index(s) for s in scores]


@given(SCORES, st.data())
def test_each_row_finds_its_score_and_class(scores, data):
    n = len(scores)
    positive = np.array(data.draw(st.lists(st.booleans(), min_size=n, max_size=n)))
    gaps = np.array(data.draw(st.lists(st.booleans(), min_size=n, max_size=n)))
    weight = data.draw(st.none() | st.just(np.arange(n, dtype=float)))  # a row of no weight keeps its place
    scored = Scored(np.where(gaps, np.nan, scores), positive, weight=weight)
    if gaps.all():
        return
    t = scored.tally
    assert t.score[scored.place].tolist() == np.array(scores)[~gaps].tolist()
    on_positive, on_negative = t.score + 10, t.score - 10
    wanted = [s + 10 if p else s - 10 for s, p in zip(np.array(scores)[~gaps], positive[~gaps], strict=True)]
    assert scored.of_rows(on_positive, on_negative).tolist() == wanted


def test_no_rows_have_no_places():
    assert Scored(np.zeros(0), np.zeros(0, dtype=bool)).place.tolist() == []
    assert tally.make(np.zeros(0), np.zeros(0, dtype=bool)).rows == 0
