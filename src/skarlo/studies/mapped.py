"""The rows of a study in two dimensions, and what tells some of them from the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from typing_extensions import TypedDict

from skarlo import core

from .refusals import Missing, Refusal
from .rows import Rows

COMPONENTS = "components"
NONE, LEFT_OUT = 255, 254  # the codes of no answer: one that counts as wrong, one that is left out
OTHER = 65535  # the code of what is absent, or of a value past those that are told
MOST_VALUES = 400
MOST_TELLING = 8


class AxisAbout(TypedDict):
    """A dimension: its name, and what stands at 0, 1, 2 … of a category."""

    name: str
    categories: list[str]


class MapAbout(TypedDict):
    """What is told of a map beside its points: of components the share of the variance that each carries, the
    loadings, rows with an absent field, fields that do not vary, and whether the axes are arbitrary."""

    rows: int
    placed: int
    x: AxisAbout
    y: AxisAbout
    classes: list[str]
    values: list[str]
    share: list[float]
    loadings: dict[str, tuple[float, float]]
    filled: dict[str, int]
    constant: list[str]
    arbitrary: bool


@dataclass(frozen=True)
class Mapped:
    """A map: what is told of it, and its points as columns, each of one number by row."""

    about: MapAbout
    columns: tuple[np.ndarray, ...]


def mapped(
    rows: Rows, split: str, inside: core.BoolArray | None, axes: tuple[str, str], candidate: int | None, by: str = ""
) -> Mapped:  # fmt: skip
    """Place the rows of a split.

    Parameters
    ----------
    inside : bool along the study's rows; those that are told, their places being of all rows of the split
    axes : of each dimension "components", "field:NAME" or "score:LETTER"
    candidate : whose answers are told
    by : a field whose values are told

    Raises
    ------
    Missing
        For a split, field or candidate that there is not.
    Refusal
        Where the axes do not go together, or there are no components.
    """
    study = rows.study
    if split not in study.splits:
        raise Missing(f"there is no split {split}", "split")
    where = study.splits[split]
    found: core.places.Components | None = None
    if COMPONENTS in axes:
        if axes != (COMPONENTS, COMPONENTS):
            raise Refusal("the components are both dimensions, or neither", "x")
        found = _components(rows, where)
        at, names = (found.at[:, 0], found.at[:, 1]), ("first component", "second component")
        categories: tuple[tuple[str, ...], ...] = ((), ())
    else:
        each = [_axis(rows, asked, dimension) for dimension, asked in enumerate(axes)]
        at, names = (each[0].at[where], each[1].at[where]), (_named(axes[0]), _named(axes[1]))
        categories = each[0].categories, each[1].categories
    placed = ~(np.isnan(at[0]) | np.isnan(at[1]))
    kept = placed if inside is None else placed & inside[where]
    said = [rows.said(i)[where] for i in range(len(study.candidates))]
    differ = np.zeros(len(placed), dtype=bool)
    for one in said[1:]:
        differ |= one != said[0]
    front = np.full(len(placed), NONE)
    if candidate is not None:
        none = LEFT_OUT if study.candidates[candidate].no_answer == "left_out" else NONE
        front = np.where(said[candidate] < 0, none, said[candidate])
    values, codes = _values(rows, by, where)
    about: MapAbout = {
        "rows": int(where.sum() if inside is None else (where & inside).sum()), "placed": int(kept.sum()),
        "x": {"name": names[0], "categories": list(categories[0])},
        "y": {"name": names[1], "categories": list(categories[1])},
        "classes": list(study.classes), "values": values,
        "share": [] if found is None else list(found.share), "loadings": {} if found is None else found.loadings,
        "filled": {} if found is None else found.filled, "constant": [] if found is None else list(found.constant),
        "arbitrary": found is not None and found.arbitrary,
    }  # fmt: skip
    columns = (
        rows.places[where].astype("<u4"), at[0].astype("<f4"), at[1].astype("<f4"), codes.astype("<u2"),
        study.actual[where].astype("u1"), front.astype("u1"), differ.astype("u1"),
    )  # fmt: skip
    return Mapped(about, tuple(column[kept] for column in columns))


def _named(asked: str) -> str:
    return asked.partition(":")[2] if asked.startswith("field:") else f"score of {asked.partition(':')[2]}"


def _axis(rows: Rows, asked: str, dimension: int) -> core.places.Axis:
    kind, _, name = asked.partition(":")
    if kind == "field":
        return core.places.along(rows.values(name), dimension)
    if kind == "score" and name in rows.letters:
        score = rows.study.candidates[list(rows.letters).index(name)].score
        if score is None:
            raise Refusal(f"{name} gives no score of two classes", "x")
        return core.places.Axis(score)
    raise Missing(f"rows cannot be placed by {asked}: components, field:NAME or score:LETTER", "x")


def _components(rows: Rows, where: core.BoolArray) -> core.places.Components:
    numeric: dict[str, core.FloatArray] = {}
    for name in rows.searchable():
        values = rows.values(name)
        if isinstance(values, core.Numbers) and rows.kind(name) == "number":
            numeric[name] = values.values[where]
    found = core.places.components(numeric)
    if found is None:
        raise Refusal("components need two numeric fields that vary: choose two fields", "x")
    return found


def _values(rows: Rows, by: str, where: core.BoolArray) -> tuple[list[str], np.ndarray]:
    """The values of a field and each row's among them; of a number those of its groups."""
    if not by:
        return [], np.full(int(where.sum()), OTHER)
    field = rows.cut(by)
    values = list(field.values)[:MOST_VALUES]
    codes = field.codes[where]
    return values, np.where(codes < len(values), codes, OTHER)


class Telling(TypedDict):
    """A field that tells some rows from the others, and by how many standard deviations: of a number the medians, of a
    category the value whose share differs most, with its shares."""

    field: str
    value: str
    inside: float | None
    outside: float | None
    effect: float


def telling(rows: Rows, inside: core.BoolArray, outside: core.BoolArray) -> list[Telling]:
    """What tells some rows from others, the most telling first; both bool along the study's rows."""
    out = [one for name in rows.searchable() if (one := _telling(rows.values(name), name, inside, outside)) is not None]
    return sorted(out, key=lambda t: -abs(t["effect"]))[:MOST_TELLING]


def _telling(values: Any, name: str, inside: core.BoolArray, outside: core.BoolArray) -> Telling | None:
    if isinstance(values, core.Numbers):
        a, b = (values.values[m] for m in (inside, outside))
        a, b = a[~np.isnan(a)], b[~np.isnan(b)]
        spread = float(np.concatenate((a, b)).std()) if len(a) and len(b) else 0.0
        if spread <= 0:
            return None
        return {"field": name, "value": "", "inside": float(np.median(a)), "outside": float(np.median(b)),
                "effect": float((a.mean() - b.mean()) / spread)}  # fmt: skip
    counts: Sequence[np.ndarray] = [
        np.bincount(values.codes[m] + 1, minlength=len(values.categories) + 1) for m in (inside, outside)
    ]
    if not counts[0].sum() or not counts[1].sum():
        return None
    shares = [c / c.sum() for c in counts]
    whole = (counts[0] + counts[1]) / (counts[0].sum() + counts[1].sum())
    effect = (shares[0] - shares[1]) / np.sqrt(np.maximum(whole * (1 - whole), 1e-12))
    at = int(np.abs(effect).argmax())
    value = "absent" if at == 0 else str(values.categories[at - 1])
    return {"field": name, "value": value, "inside": float(shares[0][at]), "outside": float(shares[1][at]),
            "effect": float(effect[at])}  # fmt: skip
