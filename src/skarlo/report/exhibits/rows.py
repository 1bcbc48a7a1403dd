"""Casebook: the first of the rows of a filter, in its order, with what each candidate answers."""

from __future__ import annotations

from skarlo.core import ConditionError, Results, as_set, count, parse_condition, shown
from skarlo.report.blocks import Block, Cell, Row, note, table, texts
from skarlo.report.scope import Scope, Shown
from skarlo.studies.refusals import Refusal
from skarlo.studies.rows import Answer, Rows, Wanted

from .cells import who
from .entry import Reading

MOST_ROWS, MOST_FIELDS, MOST_SHOWN = 20, 5, 6
LONGEST = 60
ORDERS = {
    "row": "as in the hold-out", "wrong": "the most wrong first", "unsure": "the least sure first",
    "disagreement": "those that candidates disagree on first", "score": "by score",
}  # fmt: skip
OF_ONE = ("wrong", "unsure", "score")


def front(scope: Scope, chosen: list[Shown]) -> Shown:
    """The candidate whose answers are looked at."""
    return next((c for c in chosen if c.letter == scope.own.get("front")), chosen[0])


def _order(scope: Scope) -> str:
    return scope.own.get("sort") or ("wrong" if scope.own.get("q") else "row")


def says(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """Which rows, in which order."""
    sort, of = _order(scope), "" if scope.split == "all" else f"{scope.split} "
    by = f" by {front(scope, chosen).name}" if sort in OF_ONE else ""
    order = f"by {sort.removeprefix('field:')}" if sort.startswith("field:") else ORDERS.get(sort, "")
    turned = ", turned round" if scope.own.get("down") == "yes" else ""
    every = "All of these rows" if scope.within else f"All {of}rows"
    what = f"The {of}rows of which this is true: {scope.own['q']}" if scope.own.get("q") else every
    return f"{what}; {order}{by}{turned}."


def wanted(scope: Scope, rows: Rows, chosen: list[Shown]) -> Wanted:
    """The same as it is asked of the rows. Raises Refusal for a condition that can not be read."""
    every = [text for text in (scope.own.get("q", ""), *(v for name, v in scope.within.items() if not name)) if text]
    try:
        condition = parse_condition(" and ".join(f"({text})" for text in every), rows.names()) if every else None
    except ConditionError as e:
        raise Refusal(str(e), "condition") from e
    return Wanted(
        split=scope.split, where={name: value for name, value in scope.within.items() if name},
        candidate=rows.letters.index(front(scope, chosen).letter), condition=condition, sort=_order(scope),
        down=scope.own.get("down") == "yes", count=MOST_ROWS,
    )  # fmt: skip


def blocks(reading: Reading) -> list[Block]:
    """The first rows, and how many there are."""
    rows, scope = reading.behind().rows, reading.scope
    page = rows.page(wanted(scope, rows, reading.chosen))
    names = reading.results["holdout"].get("names", {})
    called = [names.get(x, x) for x in rows.study.classes]
    chosen = reading.chosen[:MOST_SHOWN]
    fields = [name for name in rows.fields if name not in rows.aside][:MOST_FIELDS]
    ids = rows.places.tolist()

    def line(k: int) -> Row:
        one = page.rows[k]
        answers = [_answer(one.answers[rows.letters.index(c.letter)], called, one.actual) for c in chosen]
        values = ["absent" if (v := one.fields[name]) is None else _cut(v) for name in fields]
        at = rows.study.ids(ids.index(one.row))
        row_id: Cell = {"text": at, "kind": "name"}
        return {"cells": [row_id, *texts(called[one.actual]), *answers, *texts(*values)]}

    head = [*texts("Row", "actual"), *(who(c) for c in chosen), *texts(*fields)]
    more = len(reading.chosen) - len(chosen)
    unknown = f"of {count(page.unknown)} more it cannot be told, since what it reads is absent" if page.unknown else ""
    said = f"{count(len(page.rows))} of {count(page.total)} rows" if page.total > len(page.rows) else (
        f"{count(page.total)} {'row' if page.total == 1 else 'rows'}"
    )  # fmt: skip
    other = f"{count(more)} more candidates are not shown" if more > 0 else ""
    told = note(said, unknown, other)
    return [table(head, [line(k) for k in range(len(page.rows))], wide=True), told] if page.rows else [told]


def _answer(a: Answer, called: list[str], actual: int) -> Cell:
    """What a candidate answered: its class with its score, or with the probability of that class."""
    if a.predicted is None or a.predicted < 0:
        said = "no answer" if a.predicted is not None else "no cutoff"
        return {"text": said if a.score is None else as_set(a.score)}
    sure = a.score if a.probabilities is None else a.probabilities[a.predicted]
    below = " · ".join(x for x in ("" if sure is None else shown(sure), "wrong" if a.predicted != actual else "") if x)
    return {"text": called[a.predicted], "below": below} if below else {"text": called[a.predicted]}


def _cut(text: str) -> str:
    return text if len(text) <= LONGEST else f"{text[: LONGEST - 1]}…"
