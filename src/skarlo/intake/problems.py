"""What is wrong with the input, said so that it can be mended: what, where, what was expected."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import asdict, dataclass

from skarlo.core import several


@dataclass(frozen=True)
class Problem:
    """One fault. `row` is as a spreadsheet counts it: the header is row 1."""

    message: str
    file: str | None = None
    row: int | None = None
    id: str | None = None
    column: str | None = None
    found: str | None = None
    expected: str | None = None

    def __str__(self) -> str:
        where = [self.file] if self.file else []
        if self.row is not None:
            where.append(f"row {self.row}")
        if self.id is not None:
            where.append(f"id {_short(self.id)}")
        if self.column is not None:
            where.append(f"column {_short(self.column)}")
        said = self.message
        if self.found is not None:
            said += f": found {_quoted(self.found)}"
        if self.expected is not None:
            said += f"; expected {self.expected}"
        return one_line(f"{', '.join(where)}: {said}" if where else said)

    def as_dict(self) -> dict[str, str | int | None]:
        """For the HTTP interface."""
        return asdict(self)


class InputError(Exception):
    """The input cannot be evaluated. Carries every problem that was found."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = list(problems)
        super().__init__("\n".join(self.lines()))

    def shown(self, most: int) -> list[Problem]:
        """As many problems as may be shown, in their order: of each kind alike many, so that none hides another."""
        kinds = [(p.file, p.column, re.sub(r"\d+", "#", p.message)) for p in self.problems]
        share = max(1, most // max(1, len(set(kinds))))
        seen: Counter[object] = Counter()
        first: list[int] = []
        rest: list[int] = []
        for i, kind in enumerate(kinds):
            seen[kind] += 1
            (first if seen[kind] <= share else rest).append(i)
        chosen = sorted((first + rest)[:most])
        return [self.problems[i] for i in chosen]

    def lines(self, most: int = 20) -> list[str]:
        """One line a problem, at most `most`, then a count of the rest."""
        lines = [str(p) for p in self.shown(most)]
        rest = len(self.problems) - most
        if rest > 0:
            lines.append(f"… and {several(rest, 'more problem')}")
        return lines


def refuse(message: str, **where: str | int | None) -> InputError:
    """An InputError of one problem."""
    return InputError([Problem(message, **where)])  # type: ignore[arg-type]


def one_line(text: str) -> str:
    """Text with line breaks and other control characters made visible."""
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in text)


def _short(text: str, most: int = 60) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def _quoted(text: str) -> str:
    return "nothing" if text == "" else f"“{_short(text)}”"
