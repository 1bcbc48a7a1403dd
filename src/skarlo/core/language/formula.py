"""Own metrics: a small expression over the counts, parsed by a grammar and never by eval.

    expression = term { ("+" | "-") term }
    term       = factor { ("*" | "/") factor }
    factor     = number | name | "-" factor | "(" expression ")" | ("min" | "max") "(" expression { "," expression } ")"
               | "sum" "(" field "," ("TP" | "FP" | "FN" | "TN") ")"

Names are TP, FP, FN, TN, P, N, rows, flagged and the costs that the study names.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import reduce

import numpy as np

from ..number import FloatArray

COUNTS = ("TP", "FP", "FN", "TN", "P", "N", "rows", "flagged")
_TOKEN = re.compile(r"\s*(?:(\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?)|([A-Za-z_]\w*)|(\S))")

Values = Mapping[str, FloatArray]


@dataclass(frozen=True)
class Node:
    """A part of an expression: a number, a name, or a sign or function over parts."""

    op: str
    parts: tuple[Node, ...] = ()
    number: float = 0.0
    name: str = ""


class FormulaError(ValueError):
    """A wrong expression: what is wrong, and at which character (from 1)."""

    def __init__(self, text: str, at: int, why: str) -> None:
        self.text, self.at, self.why = text, at, why
        super().__init__(f"{why} at character {at + 1}: {text[:at]}⟨here⟩{text[at:]}")


@dataclass(frozen=True)
class Formula:
    """A parsed expression over counts, costs and sums of fields."""

    text: str
    tree: Node
    sums: frozenset[tuple[str, str]]

    def evaluate(self, values: Values) -> FloatArray:
        """The values at arrays by name; NaN where it divides by zero."""
        return _value(self.tree, values)

    def gradient(self, values: Mapping[str, float]) -> dict[str, float]:
        """The derivative by each name at single numbers, where `value` is not None (Wengert 1964, forward mode)."""
        with np.errstate(all="ignore"):
            return _slopes(self.tree, {k: float(v) for k, v in values.items()})[1]

    def value(self, values: Mapping[str, float]) -> float | None:
        """The value at single numbers, None where it divides by zero or is not finite."""
        with np.errstate(all="ignore"):
            out = float(self.evaluate({k: np.asarray(v, dtype=np.float64) for k, v in values.items()}))
        return out if np.isfinite(out) else None


def parse(text: str, costs: tuple[str, ...] = (), fields: tuple[str, ...] = ()) -> Formula:
    """Parse an expression.

    Parameters
    ----------
    text : the expression
    costs : further names that may be used
    fields : numeric fields of the hold-out that may be summed

    Raises
    ------
    FormulaError
        Pointing at the character where the expression goes wrong.

    Examples
    --------
    >>> parse("(40*FN + 3*FP) / rows").value({"FN": 2, "FP": 10, "rows": 100})
    1.1
    """
    return _Parser(text, costs, fields).whole()


class _Parser:
    def __init__(self, text: str, costs: tuple[str, ...], fields: tuple[str, ...]) -> None:
        self.text, self.names, self.fields = text, (*COUNTS, *costs), fields
        self.at = 0
        self.sums: set[tuple[str, str]] = set()
        self.depth = 0

    def whole(self) -> Formula:
        if not self.text.strip():
            raise FormulaError(self.text, 0, "the expression is empty")
        tree = self.expression()
        _, token, at = self.peek()
        if token:
            raise FormulaError(self.text, at, f"unexpected “{token}”")
        return Formula(self.text, tree, frozenset(self.sums))

    def peek(self) -> tuple[str, str, int]:
        found = _TOKEN.match(self.text, self.at)
        if found is None:
            return "end", "", len(self.text)
        for kind, i in (("number", 1), ("name", 2), ("sign", 3)):
            if found[i] is not None:
                return kind, found[i], found.start(i)
        return "end", "", len(self.text)

    def take(self) -> tuple[str, str, int]:
        token = self.peek()
        self.at = token[2] + len(token[1])
        return token

    def expect(self, sign: str) -> None:
        _, token, at = self.take()
        if token != sign:
            raise FormulaError(self.text, at, f"expected “{sign}”" + (f", found “{token}”" if token else ""))

    def expression(self) -> Node:
        left = self.term()
        while self.peek()[1] in ("+", "-"):
            left = Node(self.take()[1], (left, self.term()))
        return left

    def term(self) -> Node:
        left = self.factor()
        while self.peek()[1] in ("*", "/"):
            left = Node(self.take()[1], (left, self.factor()))
        return left

    def factor(self) -> Node:
        self.depth += 1
        if self.depth > 100:
            raise FormulaError(self.text, self.at, "the expression is nested too deeply")
        try:
            return self._factor()
        finally:
            self.depth -= 1

    def _factor(self) -> Node:
        kind, token, at = self.take()
        if kind == "number":
            return Node("number", number=float(token))
        if token == "-":
            return Node("-", (Node("number"), self.factor()))
        if token == "(":
            inner = self.expression()
            self.expect(")")
            return inner
        if token in ("min", "max"):
            return self._extreme(token)
        if token == "sum":
            return self._sum()
        if token in self.names:
            return Node("name", name=token)
        if kind == "name":
            raise FormulaError(self.text, at, f"unknown name “{token}”; known are {', '.join(self.names)}")
        raise FormulaError(self.text, at, f"unexpected “{token}”" if token else "the expression ends too early")

    def _extreme(self, name: str) -> Node:
        self.expect("(")
        parts = [self.expression()]
        while self.peek()[1] == ",":
            self.take()
            parts.append(self.expression())
        self.expect(")")
        return Node(name, tuple(parts))

    def _sum(self) -> Node:
        self.expect("(")
        _, field, at = self.take()
        if field not in self.fields:
            raise FormulaError(self.text, at, f"“{field}” is not a numeric field of the hold-out")
        self.expect(",")
        _, cell, at = self.take()
        if cell not in ("TP", "FP", "FN", "TN"):
            raise FormulaError(self.text, at, f"expected TP, FP, FN or TN, found “{cell}”")
        self.expect(")")
        self.sums.add((field, cell))
        return Node("name", name=f"sum({field},{cell})")


def _value(node: Node, v: Values) -> FloatArray:
    if node.op == "number":
        return np.asarray(node.number)
    if node.op == "name":
        return v[node.name]
    parts = [_value(part, v) for part in node.parts]
    return np.asarray(reduce(_ARRAYS[node.op], parts))


def _divided(a: FloatArray, b: FloatArray) -> FloatArray:
    with np.errstate(all="ignore"):
        return np.asarray(np.where(b == 0, np.nan, a / np.where(b == 0, 1.0, b)))


_ARRAYS: dict[str, Callable[[FloatArray, FloatArray], FloatArray]] = {
    "+": np.add, "-": np.subtract, "*": np.multiply, "/": _divided, "min": np.minimum, "max": np.maximum,
}  # fmt: skip


def _slopes(node: Node, v: Mapping[str, float]) -> tuple[float, dict[str, float]]:
    """The value and its derivative by each name."""
    if node.op == "number":
        return node.number, {}
    if node.op == "name":
        return v[node.name], {node.name: 1.0}
    return reduce(lambda a, b: _step(node.op, a, b), [_slopes(part, v) for part in node.parts])


def _step(
    op: str, left: tuple[float, dict[str, float]], right: tuple[float, dict[str, float]]
) -> tuple[float, dict[str, float]]:
    (a, by_a), (b, by_b) = left, right
    if op in ("min", "max"):
        return left if (a <= b) == (op == "min") or a == b else right
    on_a, on_b = {"+": (1.0, 1.0), "-": (1.0, -1.0), "*": (b, a), "/": (1.0 / b, -a / (b * b)) if b else (0.0, 0.0)}[op]
    value = {"+": a + b, "-": a - b, "*": a * b, "/": a / b if b else 0.0}[op]
    return value, {k: on_a * by_a.get(k, 0.0) + on_b * by_b.get(k, 0.0) for k in {**by_a, **by_b}}
