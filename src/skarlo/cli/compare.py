"""skarlo compare: what changed between two results files."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from skarlo import core, intake
from skarlo.core.changes import Changed, Changes, MetricChange, paired_changes
from skarlo.core.changes import compare as changes_between
from skarlo.intake.write import as_json, write_file

from .files import read_results, stop

_Study = Annotated[Path | None, typer.Option(help="its study file, for paired intervals from the rows")]


def compare(
    old: Annotated[Path, typer.Argument(help="a results file")],
    new: Annotated[Path, typer.Argument(help="a later results file of the same question")],
    as_data: Annotated[bool, typer.Option("--json", help="as JSON on standard output")] = False,
    html: Annotated[Path | None, typer.Option(help="where a page with the curves over each other goes")] = None,
    old_study: _Study = None,
    new_study: _Study = None,
) -> None:
    """Show what changed between two results files: how candidates were made, counts, metrics, gates, findings.

    With both study files the rows are at hand, and each change of a metric has its paired interval.
    """
    if (old_study is None) != (new_study is None):
        stop(["--old-study and --new-study go together: paired intervals need the rows of both"])
    before, after = read_results(old), read_results(new)
    paired = _paired(old_study, new_study) if old_study is not None and new_study is not None else None
    found = changes_between(before, after, paired)
    if html is not None:
        from skarlo.report.changes import to_page

        try:
            write_file(html, to_page(found, before, after).encode())
        except OSError as e:
            stop([f"{html} cannot be written: {e.strerror}"])
    if as_data:
        typer.echo(as_json(found).decode(), nl=False)
    elif html is None:
        _tables(found, after["holdout"]["classes"])


def _paired(old: Path, new: Path) -> dict[str, dict[str, core.Difference]]:
    try:
        loaded = [
            intake.load(intake.read_spec(p), lambda path, p=p: intake.Source(p.parent / path, path))  # type: ignore[misc]
            for p in (old, new)
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
                out.print(f"  counts of actual {label}, new less old: {', '.join(f'{x:+g}' for x in row)}")
    if c["gates"]:
        nothing = False
        table = Table(title="Gates", title_justify="left")
        for name in ("gate", "candidate", "slice", "old", "new"):
            table.add_column(name)
        for g in c["gates"]:
            table.add_row(
                g["text"], g["candidate"], ", ".join((g["by"] or {}).values()), g["old"] or "—", g["new"] or "—"
            )
        out.print(table)
    for word, findings in (("New", c["findings_new"]), ("Gone", c["findings_gone"])):
        for f in findings:
            nothing = False
            out.print(f"{word} {f['level']}: {f['message']}")
    if nothing:
        out.print("Nothing: the two results are alike.")


def _things(title: str, rows: list[Changed]) -> Table:
    table = Table(title=title, title_justify="left")
    for name in ("what", "old", "new"):
        table.add_column(name, overflow="fold")
    for r in rows:
        table.add_row(r["what"], *("—" if x is None else str(x) for x in (r["old"], r["new"])))
    return table


def _metrics(title: str, rows: list[MetricChange]) -> Table:
    table = Table(title=title, title_justify="left")
    for name in ("metric", "old", "new", "change", "paired interval"):
        table.add_column(name, justify="left" if name == "metric" else "right")
    for m in rows:
        d: Any = m.get("paired", {})
        low, high = d.get("low"), d.get("high")
        interval = "" if low is None or high is None else f"{core.shown(low, ())} to {core.shown(high, ())}"
        change = "—" if m["change"] is None else core.shown(m["change"], ())
        table.add_row(m["metric"], core.with_interval(m["old"]), core.with_interval(m["new"]), change, interval)
    return table
