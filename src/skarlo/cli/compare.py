"""skarlo compare: what changed between two results files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import typer
from rich.console import Console
from rich.table import Table

from skarlo import core, intake
from skarlo.core import Changed, Changes, MetricChange, changes_between, paired_changes
from skarlo.intake.write import as_json, write_file

from .files import stop


def show(was: Any, now: Any, studies: tuple[Path, Path] | None, as_data: bool, html: Path | None) -> None:
    """What changed between two results, as tables, as JSON, or as a page.

    studies : both study files, where each change of a metric is to have its paired interval
    """
    found = changes_between(was, now, None if studies is None else _paired(*studies))
    if html is not None:
        from skarlo.report.changes import to_page

        try:
            write_file(html, to_page(found, was, now).encode())
        except OSError as e:
            stop([f"{html} cannot be written: {e.strerror}"])
    if as_data:
        typer.echo(as_json(found).decode(), nl=False)
    elif html is None:
        _tables(found, now["holdout"]["classes"])


def _paired(before: Path, after: Path) -> dict[str, dict[str, core.Difference]]:
    try:
        loaded = [
            intake.load(intake.read_spec(p), lambda path, p=p: intake.Source(p.parent / path, path))  # type: ignore[misc]
            for p in (before, after)
        ]
        return paired_changes(*loaded)
    except intake.InputError as e:
        stop(e.lines())
    except ValueError as e:
        stop([str(e)])


def _tables(c: Changes, classes: list[str]) -> None:
    out = Console(highlight=False, markup=False)
    nothing = True
    for title, names in (("Added", c["added"]), ("Removed", c["removed"])):
        if names:
            nothing = False
            out.print(f"{title}: {', '.join(names)}")
    if c["study"]:
        nothing = False
        out.print(_things("The study", c["study"]))
    for one in c["candidates"]:
        nothing = False
        if one["made"]:
            out.print(_things(f"{one['name']}: how it was made", one["made"]))
        for split, part in one["splits"].items():
            out.print(_metrics(f"{one['name']} on {split}", part["metrics"]))
            for label, row in zip(classes, part["matrix"] or [], strict=False):
                out.print(f"  counts of actual {label}, after less before: {', '.join(f'{x:+g}' for x in row)}")
    if c["gates"]:
        nothing = False
        table = Table(title="Gates", title_justify="left")
        for name in ("gate", "candidate", "slice", "before", "after"):
            table.add_column(name)
        for g in c["gates"]:
            table.add_row(
                g["text"], g["candidate"], ", ".join((g["by"] or {}).values()), g["before"] or "—", g["after"] or "—"
            )
        out.print(table)
    for word, findings in (("New", c["findings_new"]), ("Gone", c["findings_gone"])):
        for f in findings:
            nothing = False
            out.print(f"{word} {f['level']}: {f['message']}")
    if nothing:
        out.print("Nothing changed: the two results are the same.")


def _things(title: str, rows: list[Changed]) -> Table:
    table = Table(title=title, title_justify="left")
    for name in ("what", "before", "after"):
        table.add_column(name, overflow="fold")
    for r in rows:
        table.add_row(r["what"], *("—" if x is None else str(x) for x in (r["before"], r["after"])))
    return table


def _metrics(title: str, rows: list[MetricChange]) -> Table:
    table = Table(title=title, title_justify="left")
    for name in ("metric", "before", "after", "moved by", "paired interval"):
        table.add_column(name, justify="left" if name == "metric" else "right")
    for m in rows:
        d: Any = m.get("paired", {})
        low, high = d.get("low"), d.get("high")
        interval = "" if low is None or high is None else f"{core.shown(low, ())} to {core.shown(high, ())}"
        moved = "—" if m["moved_by"] is None else core.shown(m["moved_by"], ())
        table.add_row(m["metric"], core.with_interval(m["before"]), core.with_interval(m["after"]), moved, interval)
    return table
