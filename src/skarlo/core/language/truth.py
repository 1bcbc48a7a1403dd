"""What conditions are made of, and of which rows they are true: text and numbers by row, compared with three values.

What compares an absent value is unknown, "not" leaves it unknown, "and" is the least and "or" the greatest of false,
unknown and true (Kleene 1938, J. Symb. Log. 3:150).
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cache, reduce
from typing import Any, Literal

import numpy as np

from ..number import BoolArray, FloatArray, IntArray
from ..once import lazy

Kind = Literal["text", "number", "date"]


@dataclass(frozen=True)
class Texts:
    """Text by row: a code into `categories`, -1 where it is absent."""

    categories: Sequence[str]
    codes: IntArray

    @lazy
    def absent(self) -> BoolArray:
        """Where there is none."""
        return np.asarray(self.codes < 0)

    def only(self, rows: BoolArray) -> Texts:
        """Of some rows."""
        return Texts(self.categories, self.codes[rows])


@dataclass(frozen=True)
class Numbers:
    """A number by row, NaN where it is absent; a date as seconds."""

    values: FloatArray

    @lazy
    def absent(self) -> BoolArray:
        """Where there is none."""
        return np.asarray(np.isnan(self.values))

    def only(self, rows: BoolArray) -> Numbers:
        """Of some rows."""
        return Numbers(self.values[rows])


Values = Texts | Numbers


@dataclass(frozen=True)
class Operand:
    """What is compared. what : "field", "actual", "predicted", "score", "text" or "number"; of : whose, None for the
    candidate in scope."""

    what: str
    name: str = ""
    number: float = 0.0
    of: str | None = None


@dataclass(frozen=True)
class Node:
    """A part of a condition. op : "or", "and", "not", "right", "mark", "named", "in", "between", "absent" or a
    comparison."""

    op: str
    parts: tuple[Node, ...] = ()
    operands: tuple[Operand, ...] = ()


@dataclass(frozen=True)
class Truth:
    """By row whether it is true, and whether it is unknown; both bool, shape (n,)."""

    true: BoolArray
    unknown: BoolArray


def _none_named(name: str) -> Truth:
    raise KeyError(name)


@dataclass(frozen=True)
class Table:
    """The values of some rows, each made when it is asked for.

    column : of a field; actual : the actual class; predicted, score : of a candidate by name or letter, None for the
    one in scope; marked : the rows that bear a mark; named : of which a condition that has a name is true
    """

    rows: int
    column: Callable[[str], Values]
    actual: Callable[[], Texts]
    predicted: Callable[[str | None], Texts]
    score: Callable[[str | None], Numbers]
    marked: Callable[[str], BoolArray]
    named: Callable[[str], Truth] = _none_named


def evaluate(tree: Node, table: Table, dates: frozenset[str]) -> Truth:
    """Which rows are meant.

    dates : the fields whose text literals are dates

    Raises
    ------
    KeyError
        Where the table has no such field, candidate, mark or named condition.
    """
    found = _truth(tree, _once(table), dates)
    return Truth(*(np.broadcast_to(x, (table.rows,)) for x in (found.true, found.unknown)))


def _once(t: Table) -> Table:
    """The same, each of its columns made once however often a condition names it."""
    return replace(
        t, column=cache(lambda name: t.column(name)), actual=cache(lambda: t.actual()),
        predicted=cache(lambda of: t.predicted(of)), score=cache(lambda of: t.score(of)),
    )  # fmt: skip


def seconds(text: str) -> float | None:
    """A date as seconds since 1970, at 00:00 where it names no time; None for what is no date."""
    try:
        return (datetime.fromisoformat(text).replace(tzinfo=None) - datetime(1970, 1, 1)).total_seconds()
    except ValueError:
        return None


NOWHERE = np.zeros((), dtype=bool)  # unknown of no row: what is never absent costs nothing to look at


def _truth(n: Node, t: Table, dates: frozenset[str]) -> Truth:
    if n.op == "not":
        a = _truth(n.parts[0], t, dates)
        return Truth(~a.true if a.unknown is NOWHERE else ~(a.true | a.unknown), a.unknown)
    if n.op in ("and", "or"):
        return reduce(_both if n.op == "and" else _either, (_truth(part, t, dates) for part in n.parts))
    if n.op == "mark":
        return Truth(t.marked(n.operands[0].name), NOWHERE)
    if n.op == "named":
        return t.named(n.operands[0].name)
    if n.op == "right":
        return _compared("=", t.actual(), t.predicted(n.operands[0].of))
    date = any(o.what == "field" and o.name in dates for o in n.operands)
    sides = [_values(o, t, date) for o in n.operands]
    if n.op == "absent":
        return Truth(sides[0].absent, NOWHERE)
    if n.op == "between":
        low, high = (_compared(op, sides[0], side) for op, side in ((">=", sides[1]), ("<=", sides[2])))
        return Truth(low.true & high.true, low.unknown)
    if n.op == "in":
        return _among(sides[0], sides[1:])
    return _compared(n.op, *sides)


def _both(a: Truth, b: Truth) -> Truth:
    true = a.true & b.true
    if a.unknown is NOWHERE and b.unknown is NOWHERE:
        return Truth(true, NOWHERE)
    return Truth(true, (a.true | a.unknown) & (b.true | b.unknown) & ~true)


def _either(a: Truth, b: Truth) -> Truth:
    true = a.true | b.true
    if a.unknown is NOWHERE and b.unknown is NOWHERE:
        return Truth(true, NOWHERE)
    return Truth(true, (a.unknown | b.unknown) & ~true)


def _among(left: Values, others: Sequence[Values]) -> Truth:
    if isinstance(left, Texts):
        wanted = {x for side in others if isinstance(side, Texts) for x in side.categories}
        return _looked_up(left, [x in wanted for x in left.categories])
    each = [_compared("=", left, side) for side in others]
    return Truth(np.logical_or.reduce([e.true for e in each]), each[0].unknown)


def _looked_up(of: Texts, true: Sequence[bool]) -> Truth:
    """What is true of each text, by row; the last place is what is absent."""
    return Truth(np.array([*true, False], dtype=bool)[of.codes], _unknown(of))


def _unknown(of: Values) -> BoolArray:
    absent = of.absent
    return absent if absent.any() else NOWHERE


def _values(o: Operand, t: Table, date: bool) -> Values:
    if o.what == "field":
        return t.column(o.name)
    if o.what == "actual":
        return t.actual()
    if o.what == "predicted":
        return t.predicted(o.of)
    if o.what == "score":
        return t.score(o.of)
    if o.what == "number":
        return Numbers(np.array([o.number]))
    if date:
        return Numbers(np.array([seconds(o.name)], dtype=np.float64))
    return Texts((o.name,), np.zeros(1, dtype=np.int64))


_SCALARS: dict[str, Callable[[Any, Any], bool]] = {
    "=": operator.eq, "!=": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip
_OPS: dict[str, Callable[..., BoolArray]] = {
    "=": np.equal, "!=": np.not_equal, "<": np.less, "<=": np.less_equal, ">": np.greater, ">=": np.greater_equal,
}  # fmt: skip


def _compared(op: str, left: Values, right: Values) -> Truth:
    if isinstance(left, Texts) and isinstance(right, Texts) and len(left.codes) > 1 and len(right.codes) == 1:
        only = right.categories[0]  # a literal: compared with each text once
        return _looked_up(left, [bool(_SCALARS[op](x, only)) for x in left.categories])
    unknown = _either(Truth(NOWHERE, _unknown(left)), Truth(NOWHERE, _unknown(right))).unknown
    if isinstance(left, Numbers) and isinstance(right, Numbers):
        with np.errstate(invalid="ignore"):
            true = _OPS[op](left.values, right.values)
    else:
        assert isinstance(left, Texts)
        assert isinstance(right, Texts)
        true = _OPS[op](*_ranked(left, right))
    return Truth(true if unknown is NOWHERE else true & ~unknown, unknown)


def _ranked(left: Texts, right: Texts) -> tuple[IntArray, IntArray]:
    """Both sides as ranks among all their texts, by code point."""
    every = {text: i for i, text in enumerate(sorted({*left.categories, *right.categories}))}
    return tuple(  # type: ignore[return-value]
        np.array([every[x] for x in side.categories] or [0], dtype=np.int64)[np.maximum(side.codes, 0)]
        for side in (left, right)
    )
