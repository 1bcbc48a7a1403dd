"""The tally against a count by hand, and what must not change it."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo.core.counting import tally

SCORES = st.one_of(
    st.sampled_from([0.0, -0.0, 0.25, 0.5, 1.0, 1.5, 5e-324, 1 - 2**-53]),
    st.floats(0, 1),
    st.floats(allow_nan=False, allow_infinity=False),
)
ROWS = st.lists(st.tuples(SCORES, st.booleans()), max_size=60)


def made(rows):
    return tally.make(np.array([s for s, _ in rows], dtype=float), np.array([p for _, p in rows], dtype=bool))


def same(a, b):
    return all(
        x.dtype == y.dtype and x.tobytes() == y.tobytes()
        for x, y in ((a.score, b.score), (a.pos, b.pos), (a.neg, b.neg))
    )


@given(ROWS)
def test_counts_each_distinct_score(rows):
    counted = {}
    for score, positive in rows:
        pair = counted.setdefault(score + 0.0, [0, 0])
        pair[0 if positive else 1] += 1
    t = made(rows)
    assert t.score.tolist() == sorted(counted)
    assert list(zip(t.pos.tolist(), t.neg.tolist(), strict=True)) == [tuple(counted[s]) for s in sorted(counted)]


@given(ROWS, st.floats(-2, 3))
def test_cutoff_counts_rows_at_or_above_it(rows, cutoff):
    tp = sum(1 for s, p in rows if p and s >= cutoff)
    fp = sum(1 for s, p in rows if not p and s >= cutoff)
    assert made(rows).at(cutoff) == (tp, fp)


@given(ROWS, st.randoms())
def test_order_of_rows_changes_no_bit(rows, random):
    shuffled = list(rows)
    random.shuffle(shuffled)
    assert same(made(rows), made(shuffled))


@given(ROWS, st.lists(st.integers(0, 60), max_size=4))
def test_merging_any_partition_gives_the_whole(rows, cuts):
    edges = [0, *sorted(min(c, len(rows)) for c in cuts), len(rows)]
    parts = [made(rows[a:b]) for a, b in pairwise(edges)]
    assert same(tally.merge(parts), made(rows))


WEIGHTED = st.lists(st.tuples(SCORES, st.sampled_from([-2.5, -1.0, -0.1, 0.0, 0.1, 0.3, 7.0])), min_size=1, max_size=60)


def rows_of(rows):
    return tally.weighted(np.array([s for s, _ in rows], dtype=float), np.array([w for _, w in rows], dtype=float))


@given(WEIGHTED, st.lists(st.integers(0, 60), max_size=4), st.randoms())
def test_merging_weighted_rows_gives_the_whole_bit_for_bit(rows, cuts, random):
    edges = [0, *sorted(min(c, len(rows)) for c in cuts), len(rows)]
    parts = [rows_of(rows[a:b]) for a, b in pairwise(edges) if b > a]
    random.shuffle(parts)
    whole = rows_of(rows).tally()
    assert same(tally.merge_weighted(parts).tally(), whole)
    assert whole.score.tolist() == sorted({s + 0.0 for s, _ in rows})
    for score, pos, neg in zip(whole.score, whole.pos, whole.neg, strict=True):
        here = [w for s, w in rows if s == score]
        assert pos == pytest.approx(sum(w for w in here if w > 0))
        assert neg == pytest.approx(-sum(w for w in here if w < 0))


def test_sums_of_weights_are_not_merged():
    made_of = rows_of([(0.5, 0.1), (0.5, 0.3)]).tally()
    with pytest.raises(ValueError, match="merge their rows"):
        tally.merge([made_of, made_of])


@given(ROWS)
def test_packed_and_general_path_agree(rows):
    near = [(abs(s) % 1.9, p) for s, p in rows]
    shifted = [(s - 4.0, p) for s, p in near]  # outside [0, 2): the other path
    a, b = made([(s + 4.0, p) for s, p in shifted]), made(shifted)
    assert a.pos.tolist() == b.pos.tolist()
    assert a.neg.tolist() == b.neg.tolist()


def test_refuses_what_is_no_score():
    with pytest.raises(ValueError, match="finite"):
        tally.make(np.array([0.1, np.nan]), np.array([True, False]))
    with pytest.raises(ValueError, match="shape"):
        tally.make(np.array([0.1]), np.array([True, False]))
