"""Rows in two dimensions: any two fields or scores, or the numeric fields by their principal components.

Nothing here is drawn by lot: the same rows lie at the same places, whatever is filtered.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..language.truth import Numbers, Texts
from ..number import BoolArray, FloatArray, total

SPREAD = 0.8  # of a category's bin that its rows are spread over
# Steps that fill a square evenly: the reciprocals of the plastic number and of its square.
STEPS = (0.7548776662466927, 0.5698402909980532)
EQUAL, ARBITRARY = 1e-9, 1e-6


@dataclass(frozen=True)
class Axis:
    """Rows along one dimension.

    at : float64, shape (n,); NaN where it has no place
    categories : of a category, the values at 0, 1, 2 …; what is absent lies at -1
    """

    at: FloatArray
    categories: tuple[str, ...] = ()


def along(values: Numbers | Texts, dimension: int = 0) -> Axis:
    """A field as the first or second dimension: a number or date as it is, a category's rows spread within its bin by
    their place in the hold-out.

    Examples
    --------
    >>> along(Texts(("ash", "elm"), np.array([0, 1, 1]))).at.round(3).tolist()
    [-0.4, 1.204, 1.008]
    """
    if isinstance(values, Numbers):
        return Axis(values.values)
    spread = (STEPS[dimension] * np.arange(len(values.codes))) % 1.0 - 0.5
    return Axis(values.codes + SPREAD * spread, tuple(str(x) for x in values.categories))


def within_line(x: FloatArray, y: FloatArray, corners: Sequence[tuple[float, float]]) -> BoolArray:
    """Which points lie within a closed line, shape (n,): those from which a ray crosses it an odd number of times.

    Examples
    --------
    >>> within_line(np.array([0.5, 2.0]), np.array([0.5, 0.5]), [(0, 0), (1, 0), (1, 1), (0, 1)]).tolist()
    [True, False]
    """
    odd = np.zeros(len(x), dtype=bool)
    for (ax, ay), (bx, by) in zip(corners, [*corners[-1:], *corners[:-1]], strict=True):
        if ay != by:
            odd ^= ((ay > y) != (by > y)) & (x < (bx - ax) * (y - ay) / (by - ay) + ax)
    return odd


@dataclass(frozen=True)
class Components:
    """The first two principal components.

    at : the rows' coordinates, shape (n, 2)
    share : how much of the whole variance each of the two carries
    loadings : of each field that is in it, on either
    filled : rows in which a field was absent and stands at its mean, by field
    constant : fields that do not vary, and are left out
    arbitrary : whether two neighbouring components carry as much, so that the axes could as well be turned
    """

    at: FloatArray
    share: tuple[float, float]
    loadings: dict[str, tuple[float, float]]
    filled: dict[str, int]
    constant: tuple[str, ...]
    arbitrary: bool


def components(fields: Mapping[str, FloatArray]) -> Components | None:
    """The first two principal components of the correlation matrix of numeric fields (Jolliffe 2002); None where fewer
    than two fields vary.

    fields : by name the values of the rows, shape (n,) each, NaN where absent

    Examples
    --------
    >>> found = components({"girth": np.array([1.0, 2.0, 3.0]), "height": np.array([2.0, 4.0, 6.5])})
    >>> [round(x, 3) for x in found.share]
    [0.999, 0.001]
    """
    columns: list[FloatArray] = []
    names: list[str] = []
    constant: list[str] = []
    filled: dict[str, int] = {}
    for name, x in fields.items():
        absent = np.isnan(x)
        known = x[~absent]
        if len(known) < 2 or known.min() == known.max():
            constant.append(name)
            continue
        whole = np.where(absent, total(known) / len(known), x)
        centre = total(whole) / len(whole)
        spread = float(np.sqrt(total((whole - centre) ** 2) / (len(whole) - 1)))
        if absent.any():
            filled[name] = int(absent.sum())
        columns.append((whole - centre) / spread)
        names.append(name)
    if len(columns) < 2:
        return None
    z = np.stack(columns, axis=1)
    value, vector = np.linalg.eigh(z.T @ z / (len(z) - 1))
    order = np.argsort(-value, kind="stable")
    value, vector = value[order], vector[:, order]
    chosen = np.stack([_turned(vector[:, k]) for k in (0, 1)], axis=1)
    at = np.zeros((len(z), 2))
    for i in range(z.shape[1]):
        at += z[:, i : i + 1] * chosen[i]
    gaps = -np.diff(value[:3])
    share = value[:2] / total(value)
    return Components(
        at, (float(share[0]), float(share[1])),
        {name: (float(chosen[i, 0]), float(chosen[i, 1])) for i, name in enumerate(names)}, filled, tuple(constant),
        bool((gaps < ARBITRARY).any()),
    )  # fmt: skip


def _turned(loading: FloatArray) -> FloatArray:
    """With the largest by size, the first of equal ones, above 0."""
    size = np.abs(loading)
    first = int(np.flatnonzero(size >= size.max() - EQUAL)[0])
    return -loading if loading[first] < 0 else loading
