"""The search for the worst slices against looking at each one by itself: rows by the condition as it is written, exact
tails by counting, corrections by definition; a planted slice is found."""

from __future__ import annotations

import math
from itertools import combinations, product

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare import search as s
from skarlo.core.compare.search_fields import field_of
from skarlo.core.compare.search_measures import Rate, between, loss_p

N = 400


def made(seed=5, n=N):
    """Three fields, what the measure is over, and what counts: fewer where kind is b and girth is large."""
    rng = np.random.default_rng(seed)
    girth = np.round(rng.normal(80, 20, n), 1)
    girth[rng.random(n) < 0.05] = np.nan
    kind, floor = rng.integers(0, 3, n), rng.integers(-1, 2, n)
    values = {
        "girth": (core.Numbers(girth), "number"), "kind": (core.Texts(["a", "b", "c"], kind), "text"),
        "the floor": (core.Texts(["0", "1"], floor), "text"),
    }  # fmt: skip
    over = rng.random(n) < 0.6
    hit = rng.random(n) < np.where((kind == 1) & (girth > 80), 0.2, 0.8)
    return values, over, hit & over


def fields_of(values, inside):
    return [field_of(name, v, kind, inside) for name, (v, kind) in values.items()]


def true_of(text, values):
    names = core.ConditionNames({k: kind for k, (_, kind) in values.items()}, ("no", "yes"), (), frozenset())
    table = core.ConditionTable(N, lambda name: values[name][0], None, None, None, None)
    return core.parse_condition(text, names).evaluate(table).true


def tail(k, drawn, marked, rows):
    """P(X <= k) of the hypergeometric distribution."""
    ways = sum(
        math.comb(marked, x) * math.comb(rows - marked, drawn - x) for x in range(k + 1) if drawn - x <= rows - marked
    )
    return ways / math.comb(rows, drawn)


def every(values, inside, depth):
    """All conditions in the order in which they are looked at, with their rows."""
    each = [[(c.text, true_of(c.text, values) & inside) for c in f.conditions] for f in fields_of(values, inside)]
    for d in range(1, depth + 1):
        for family in combinations(range(len(each)), d):
            for parts in product(*(each[i] for i in family)):
                yield " and ".join(t for t, _ in parts), np.logical_and.reduce([r for _, r in parts])


@pytest.mark.parametrize("low_is_worse", [True, False])
def test_it_looks_at_every_slice_once_with_its_exact_tail(low_is_worse):
    values, over, hit = made()
    if not low_is_worse:
        hit = over & ~hit
    inside = np.arange(N) % 5 > 0
    over, hit = over & inside, hit & inside
    found = s.search(fields_of(values, inside), Rate(over, hit, low_is_worse), inside, below=10**6)
    seen, wanted = set(), {}
    for text, rows in every(values, inside, 2):
        n, m = int((rows & over).sum()), int((over & ~rows).sum())
        if rows.sum() < 30 or n < 10 or m < 10 or rows.tobytes() in seen:
            continue
        seen.add(rows.tobytes())
        k, total, marked = int((rows & hit).sum()), int(over.sum()), int(hit.sum())
        p = tail(k, n, marked, total) if low_is_worse else tail(n - k, n, total - marked, total)
        wanted[text] = (p, k / n - (marked - k) / m, int(rows.sum()))
    assert found.looked_at == len(wanted)
    told = {f.text: f for f in [*(k.found for k in found.kept), *found.below,
                                *(x for k in found.kept for x in (*k.folded, *k.sharper))]}  # fmt: skip
    assert set(told) == set(wanted)
    in_order = sorted(p for p, *_ in wanted.values())
    for text, (p, difference, rows) in wanted.items():
        f = told[text]
        assert f.p == pytest.approx(p, rel=1e-9, abs=1e-15)
        assert (f.difference, f.rows) == (pytest.approx(difference), rows)
        assert f.low < f.difference < f.high
        rank = [q * len(wanted) / (j + 1) for j, q in enumerate(in_order) if q >= p * (1 - 1e-12)]
        assert f.p_bh == pytest.approx(min(1.0, *rank), rel=1e-9)
    for k in found.kept:
        assert k.found.p_bh <= 0.05
        assert "kind" in k.found.text


def test_finds_are_folded_as_defined_and_rows_are_those_of_the_condition():
    values, over, hit = made()
    inside = np.ones(N, dtype=bool)
    fields = fields_of(values, inside)
    found = s.search(fields, Rate(over, hit, True), inside, depth=3)
    assert found.kept
    for k in found.kept:
        own = s.rows_of(fields, k.found)
        assert own.tolist() == true_of(k.found.text, values).tolist()
        for f in k.folded:
            rows = s.rows_of(fields, f)
            both = (rows & own).sum()
            assert both >= 0.8 * rows.sum() or both >= 0.8 * own.sum()
        for f in k.sharper:
            rows = s.rows_of(fields, f)
            p, *_ = between(Rate(over, hit, True), rows & own, own & ~rows, 0.95)
            assert p <= 0.05
    for one, other in combinations(found.kept, 2):
        a, b = s.rows_of(fields, one.found), s.rows_of(fields, other.found)
        assert (a & b).sum() < 0.8 * b.sum() or between(
            Rate(over, hit, True), a & b, a & ~b, 0.95)[0] <= 0.05  # fmt: skip


def test_of_losses_the_tail_is_that_of_slices_drawn_at_random():
    rng = np.random.default_rng(2)
    losses = rng.exponential(size=300) ** 1.5
    drawn = np.sort(losses)[-60:][::2].mean() * 0.3 + losses.mean() * 0.7
    p = float(loss_p(np.array([drawn]), np.array([30.0]), losses)[0])
    means = np.array([rng.permutation(losses)[:30].mean() for _ in range(20000)])
    assert p == pytest.approx((means >= drawn).mean(), abs=0.01)
    assert loss_p(np.array([losses.mean()]), np.array([30.0]), np.ones(300))[0] == 1


def test_weights_of_one_and_a_design_of_one_are_near_the_exact_test():
    values, over, hit = made()
    inside = np.ones(N, dtype=bool)
    fields = fields_of(values, inside)
    exact = s.search(fields, Rate(over, hit, True), inside, depth=1, below=99)
    normal = s.search(fields, Rate(over, hit, True, weight=np.ones(N)), inside, depth=1, below=99)
    told = [{f.text: f for f in [*(k.found for k in x.kept), *x.below, *(y for k in x.kept for y in k.folded)]}
            for x in (exact, normal)]  # fmt: skip
    assert exact.looked_at == normal.looked_at
    for text in set(told[0]) & set(told[1]):
        a, b = told[0][text], told[1][text]
        assert a.difference == pytest.approx(b.difference)
        assert (a.low, a.high) == (pytest.approx(b.low), pytest.approx(b.high))
        assert a.p == pytest.approx(b.p, abs=0.1)  # the exact tail holds all of the point itself


def test_nothing_to_look_at_is_told():
    values, over, hit = made()
    found = s.search(fields_of(values, np.arange(N) < 20), Rate(over, hit, True), np.arange(N) < 20)
    assert (found.looked_at, found.kept, found.below) == (0, (), ())
    with pytest.raises(ValueError, match="1 to 3"):
        s.search(fields_of(values, np.arange(N) < 20), Rate(over, hit, True), np.arange(N) < 20, depth=4)


def test_a_category_of_many_values_is_searched_by_the_commonest_thirty():
    codes = np.concatenate([np.full(40 - i, i) for i in range(40)])
    f = field_of("x", core.Texts([f"v{i:02}" for i in range(40)], codes), "text", np.ones(len(codes), dtype=bool))
    assert [c.text for c in f.conditions] == [f'x = "v{i:02}"' for i in range(30)]
