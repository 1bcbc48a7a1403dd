"""Rows in two dimensions, against the definition."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo.core import Numbers, Texts
from skarlo.core.compare.places import along, components, within_line


def test_components_are_those_of_the_correlation_matrix():
    rng = np.random.default_rng(3)
    a = rng.normal(size=200)
    fields = {"girth": 50 + 20 * a, "height": 8 + 2 * a + rng.normal(size=200), "lean": rng.normal(size=200),
              "flat": np.full(200, 3.0)}  # fmt: skip
    fields["lean"][:7] = np.nan
    found = components(fields)
    filled = np.where(np.isnan(fields["lean"]), np.nanmean(fields["lean"]), fields["lean"])
    whole = np.stack([fields["girth"], fields["height"], filled], axis=1)
    value, vector = np.linalg.eigh(np.corrcoef(whole.T))
    assert found.share == pytest.approx(tuple(value[::-1][:2] / 3))
    assert (found.filled, found.constant, found.arbitrary) == ({"lean": 7}, ("flat",), False)
    z = (whole - whole.mean(axis=0)) / whole.std(axis=0, ddof=1)
    for k in (0, 1):
        loading = vector[:, ::-1][:, k]
        loading = loading * np.sign(loading[np.abs(loading).argmax()])
        assert [found.loadings[name][k] for name in ("girth", "height", "lean")] == pytest.approx(loading.tolist())
        assert found.at[:, k] == pytest.approx(z @ loading)


def test_under_two_fields_that_vary_there_are_none_and_equal_ones_are_said():
    assert components({"girth": np.arange(5.0)}) is None
    assert components({"girth": np.arange(5.0), "flat": np.ones(5), "gone": np.full(5, np.nan)}) is None
    square = {"a": np.array([1.0, 1.0, -1.0, -1.0]), "b": np.array([1.0, -1.0, 1.0, -1.0])}
    assert components(square).arbitrary is True


def test_categories_are_spread_within_their_bins_and_numbers_stay():
    values = Texts(("ash", "elm"), np.array([0, 1, -1, 0]))
    for dimension, step in enumerate((0.7548776662466927, 0.5698402909980532)):
        found = along(values, dimension)
        for j, (code, at) in enumerate(zip(values.codes, found.at, strict=True)):
            assert at == pytest.approx(code + 0.8 * ((step * j) % 1 - 0.5))
        assert found.categories == ("ash", "elm")
    assert along(Numbers(np.array([3.0, np.nan]))).at[0] == 3.0


def test_a_line_of_many_corners_holds_what_is_inside_of_it():
    """Against the sum of the angles that a point sees along the line: a full turn inside, none outside."""
    rng = np.random.default_rng(6)
    for _ in range(5):
        turn = np.sort(rng.random(9)) * 2 * np.pi
        far = 0.3 + rng.random(9)
        corners = list(zip(far * np.cos(turn), far * np.sin(turn), strict=True))
        x, y = rng.uniform(-1.3, 1.3, (2, 400))
        seen = np.array([np.arctan2(b - y, a - x) for a, b in [*corners, corners[0]]])
        turned = (np.diff(seen, axis=0) + np.pi) % (2 * np.pi) - np.pi
        assert np.array_equal(within_line(x, y, corners), np.abs(turned.sum(axis=0)) > np.pi)
