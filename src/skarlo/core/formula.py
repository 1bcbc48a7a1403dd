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

import numpy as np

from .values import FloatArray

COUNTS = ("TP", "FP", "FN", "TN", "P", "N", "rows", "flagged")
_TOKEN = re.compile(r"\s*(?:(\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?)|([A-Za-z_]\w*)|(\S))")

Values = Mapping[str, FloatArray]
Evaluate = Callable[[Values], FloatArray]


class FormulaError(ValueError):
    """A wrong expression: what is wrong, and at which character (from 1)."""

    def __init__(self, text: str, at: int, why: str) -> None:
        self.text, self.at, self.why = text, at, why
        super().__init__(f"{why} at character {at + 1}: {text[:at]}⟨here⟩{text[at:]}")


@dataclass(frozen=True)
class Formula:
    """A parsed expression: `evaluate` takes arrays by name and gives NaN where it divides by zero."""

    text: str
    evaluate: Evaluate
    sums: frozenset[tuple[str, str]]

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
        evaluate = self.expression()
        _, token, at = self.peek()
        if token:
            raise FormulaError(self.text, at, f"unexpected “{token}”")
        return Formula(self.text, evaluate, frozenset(self.sums))

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

    def expression(self) -> Evaluate:
        left = self.term()
        while self.peek()[1] in ("+", "-"):
            left = _binary(self.take()[1], left, self.term())
        return left

    def term(self) -> Evaluate:
        left = self.factor()
        while self.peek()[1] in ("*", "/"):
            left = _binary(self.take()[1], left, self.factor())
        return left

    def factor(self) -> Evaluate:
        self.depth += 1
        if self.depth > 100:
            raise FormulaError(self.text, self.at, "the expression is nested too deeply")
        try:
            return self._factor()
        finally:
            self.depth -= 1

    def _factor(self) -> Evaluate:
        kind, token, at = self.take()
        if kind == "number":
            number = np.asarray(float(token))
            return lambda _: number
        if token == "-":
            inner = self.factor()
            return lambda v: np.asarray(-inner(v))
        if token == "(":
            inner = self.expression()
            self.expect(")")
            return inner
        if token in ("min", "max"):
            return self._extreme(token)
        if token == "sum":
            return self._sum()
        if token in self.names:
            return lambda v: v[token]
        if kind == "name":
            raise FormulaError(self.text, at, f"unknown name “{token}”; known are {', '.join(self.names)}")
        raise FormulaError(self.text, at, f"unexpected “{token}”" if token else "the expression ends too early")

    def _extreme(self, name: str) -> Evaluate:
        self.expect("(")
        parts = [self.expression()]
        while self.peek()[1] == ",":
            self.take()
            parts.append(self.expression())
        self.expect(")")
        choose = np.minimum if name == "min" else np.maximum

        def evaluate(v: Values) -> FloatArray:
            out = parts[0](v)
            for part in parts[1:]:
                out = choose(out, part(v))
            return out

        return evaluate

    def _sum(self) -> Evaluate:
        self.expect("(")
        _, field, at = self.take()
        if field not in self.fields:
            raise FormulaError(self.text, at, f"“{field}” is no numeric field of the hold-out")
        self.expect(",")
        _, cell, at = self.take()
        if cell not in ("TP", "FP", "FN", "TN"):
            raise FormulaError(self.text, at, f"expected TP, FP, FN or TN, found “{cell}”")
        self.expect(")")
        self.sums.add((field, cell))
        return lambda v: v[f"sum({field},{cell})"]


def _binary(sign: str, left: Evaluate, right: Evaluate) -> Evaluate:
    def evaluate(v: Values) -> FloatArray:
        a, b = left(v), right(v)
        if sign == "+":
            return np.asarray(a + b)
        if sign == "-":
            return np.asarray(a - b)
        if sign == "*":
            return np.asarray(a * b)
        with np.errstate(all="ignore"):
            return np.asarray(np.where(b == 0, np.nan, a / np.where(b == 0, 1.0, b)))

    return evaluate
