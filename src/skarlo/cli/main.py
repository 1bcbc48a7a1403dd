"""The command line. What a command needs is imported when it runs, so that help comes at once."""

from __future__ import annotations

import gc
import json
import signal
import sys
import traceback
from contextlib import suppress
from importlib import import_module
from pathlib import Path
from threading import Thread
from typing import Annotated

import typer

from skarlo import __version__

from .files import read_results, stop

# Help and usage errors in plain text: half of the time to help would go into drawing boxes round it.
app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None)
users = typer.Typer(no_args_is_help=True, help="People who may sign in.", rich_markup_mode=None)
app.add_typer(users, name="user")
Folder = Annotated[Path, typer.Option("--workspace", help="the workspace folder", envvar="SKARLO_WORKSPACE")]
HERE = Path("workspace")


def say(text: str) -> None:
    """Tell a person, beside what a command prints."""
    from rich.console import Console

    Console(stderr=True, highlight=False).print(text)


def main(version: Annotated[bool, typer.Option("--version")] = False) -> None:
    """Evaluate candidate classifiers on held-out data and publish the comparison for sign-off."""
    if version:
        typer.echo(__version__)
        raise typer.Exit


app.callback(invoke_without_command=True)(main)


@app.command()
def evaluate(
    study: Annotated[Path, typer.Argument(help="the study file (TOML)")],
    out: Annotated[Path | None, typer.Option(help="where the results go; standard output if left out")] = None,
    curves: Annotated[str, typer.Option(help="compact, full or none")] = "compact",
    seed: Annotated[int | None, typer.Option(help="in place of the study file's", min=0)] = None,
    junit: Annotated[Path | None, typer.Option(help="where the gates go, as JUnit")] = None,
) -> None:
    """Evaluate a study file.

    Exits with 0 when no must gate fails or is unclear, with 1 when one does, and with 2 when the input cannot be
    evaluated; nothing is written then.
    """
    _one_heap()
    gc.disable()  # nothing that is imported goes again, so it need not be looked through
    from skarlo import core, intake
    from skarlo.intake.junit import gates_as_junit
    from skarlo.intake.write import as_json, write_file

    gc.freeze()
    gc.enable()
    _end_on_interrupt()
    if curves not in ("compact", "full", "none"):
        stop([f"--curves is compact, full or none; found “{curves}”"])
    Thread(target=_import_slow, daemon=True).start()
    try:
        spec = intake.read_spec(study)
        if seed is not None:
            spec.settings.seed = seed
        loaded = intake.load(spec, lambda path: intake.Source(study.parent / path, path))
    except intake.InputError as e:
        stop(e.lines())
    results = core.evaluate(loaded, curves)  # type: ignore[arg-type]
    for path in filter(None, (out, junit)):
        if not path.resolve().parent.is_dir():
            stop([f"{path} cannot be written: the folder does not exist"])
    try:
        if junit is not None:
            write_file(junit, gates_as_junit(results))
        if out is not None:
            write_file(out, as_json(results))
    except OSError as e:
        stop([f"{e.filename or out} cannot be written: {e.strerror}"])
    if out is None:
        sys.stdout.buffer.write(as_json(results))
        sys.stdout.buffer.flush()
    gc.freeze()  # nor is what was made looked through on the way out
    if any(g["level"] == "must" and g["status"] != "pass" for g in results["gates"]):
        raise typer.Exit(1)


@app.command("part")
def show_part(
    study: Annotated[Path, typer.Argument(help="the study file (TOML)")],
    kind: Annotated[str, typer.Argument(help="which part of the results, as lines, slices, alike, pairs")],
    split: Annotated[str, typer.Option(help="of which split; the reported one if left out")] = "",
    fields: Annotated[str, typer.Option(help="of slices and of alike: fields, as district,species")] = "",
    pair: Annotated[str, typer.Option(help="of cells and of a disagreement: two candidates, as A,B")] = "",
    rule: Annotated[str, typer.Option(help="of alike: what cutoffs for each group are to do, as recall")] = "",
    of: Annotated[str, typer.Option(help="of alike: the class that is read, of three and more")] = "",
    step: Annotated[float, typer.Option(help="of a sweep: how far apart its cutoffs are")] = 0.0,
    rate: Annotated[float, typer.Option(help="of expected: the base rate; of areas: the false-positive rate")] = 0.0,
    at_most: Annotated[int, typer.Option(help="of doubt: how many labels may be wrong")] = 0,
    how: Annotated[str, typer.Option(help="of doubt: flipped or dropped")] = "flipped",
) -> None:
    """Print one part of a study's results as JSON, also one that does not stand in the results file."""
    from skarlo import core, intake
    from skarlo.intake.write import as_json

    _end_on_interrupt()
    about = core.PART_KINDS.get(kind)
    if about is None:
        stop([f"there is no part {kind}; there are {', '.join(core.PART_KINDS)}"])
    try:
        loaded = intake.load(intake.read_spec(study), lambda path: intake.Source(study.parent / path, path))
    except intake.InputError as e:
        stop(e.lines())
    names = {core.letter(i + 1): c.name for i, c in enumerate(loaded.candidates)}
    more = {
        "fields": tuple(x for x in fields.split(",") if x), "rule": rule, "of": of, "step": step, "rate": rate,
        "pair": tuple(names.get(x, x) for x in pair.split(",") if x),
        "doubted": (at_most, how) if kind == "doubt" else None,
    }  # fmt: skip
    try:
        wanted = core.Part(kind, (split or loaded.report_on) if about.each else "", **more)  # type: ignore[arg-type]
        found = core.Evaluation(loaded).part(wanted)
    except (KeyError, ValueError) as e:
        stop([str(e.args[0])])
    sys.stdout.buffer.write(as_json(found))
    sys.stdout.buffer.flush()


@app.command()
def unfold(
    results: Annotated[Path, typer.Argument(help="a results file")],
    path: Annotated[
        str, typer.Argument(help="candidate/split/metric, or with a class before it; A - B/metric; gates/1")
    ],
) -> None:
    """Unfold one number of a results file: its formula with the counts, its interval, its other names."""
    from skarlo import core

    data = read_results(results)
    try:
        told = core.unfold_path(data, path)
    except KeyError as error:
        stop([str(error.args[0])])
    also = f"Also called {', '.join(told['also'])}." if told["also"] else ""
    head = f"{told['title']}. {told['meaning']}"
    tail = f"{told['formula']}. {told['direction']}" if told["formula"] else ""
    for line in (head, told["sentence"], told["interval"], tail, also):
        if line.strip():
            typer.echo(line.strip())


StudyFile = Annotated[Path | None, typer.Option(help="its study file, for paired intervals from the rows")]


@app.command("compare")
def show_changes(
    before: Annotated[Path, typer.Argument(help="a results file")],
    after: Annotated[Path, typer.Argument(help="a later results file of the same question")],
    as_data: Annotated[bool, typer.Option("--json", help="as JSON on standard output")] = False,
    html: Annotated[Path | None, typer.Option(help="where a page with the curves over each other goes")] = None,
    before_study: StudyFile = None,
    after_study: StudyFile = None,
) -> None:
    """Show what changed between two results files: how candidates were made, counts, metrics, gates, findings.

    With both study files the rows are at hand, and each change of a metric has its paired interval.
    """
    if (before_study is None) != (after_study is None):
        stop(["--before-study and --after-study go together: paired intervals need the rows of both"])
    was, now = read_results(before), read_results(after)
    from . import compare

    _end_on_interrupt()
    studies = None if before_study is None or after_study is None else (before_study, after_study)
    compare.show(was, now, studies, as_data, html)


@app.command()
def schema(which: Annotated[str, typer.Argument(help="results or study")]) -> None:
    """Print the JSON Schema (2020-12) of the results file or of the study file."""
    from skarlo.intake import schemas

    if which not in schemas.SCHEMAS:
        stop([f"there is no schema {which}; expected results or study"])
    typer.echo(json.dumps(schemas.SCHEMAS[which](), indent=1, ensure_ascii=False))


@app.command("sample")
def write_sample(folder: Annotated[Path, typer.Argument(help="where the files go")]) -> None:
    """Write the sample world as plain files with study.toml."""
    from skarlo.sample import STUDIES

    for name, write in STUDIES.items():
        say(f"wrote {write(folder / name)}")


@app.command()
def openapi() -> None:
    """Print the OpenAPI document of the HTTP interface."""
    from skarlo.web.app import openapi_document

    typer.echo(json.dumps(openapi_document(), indent=1, ensure_ascii=False))


@app.command()
def serve(
    workspace: Folder = HERE,
    host: Annotated[str, typer.Option(help="loopback only unless told otherwise")] = "127.0.0.1",
    port: int = 8420,
    answers_to: Annotated[list[str] | None, typer.Option(help="host names it answers to, besides loopback")] = None,
    https: Annotated[bool, typer.Option(help="browsers reach it over https (behind a proxy)")] = False,
    max_upload_mb: Annotated[int, typer.Option(help="largest upload")] = 2048,
) -> None:
    """Serve a workspace."""
    from skarlo.studies.refusals import Held
    from skarlo.studies.workspace import Workspace
    from skarlo.web.serving import run_server

    try:
        run_server(Workspace.open(workspace), host, port, answers_to or [], https, max_upload_mb)
    except Held as e:
        stop([e.why])


@app.command()
def demo(
    workspace: Folder = HERE,
    port: int = 8420,
    prepare_only: Annotated[bool, typer.Option(help="make the sample study and stop")] = False,
) -> None:
    """Serve the sample world, made on the first start and kept afterwards."""
    from skarlo.studies.refusals import Held
    from skarlo.studies.workspace import Workspace
    from skarlo.web.demo import PEOPLE, prepare
    from skarlo.web.serving import is_free, run_server

    opened = Workspace.open(workspace)
    try:
        opened.hold()
    except Held as e:
        stop([e.why])
    if not prepare_only and not is_free("127.0.0.1", port):
        opened.release()
        stop([f"port {port} is taken by another program: stop it, or start with --port and another"])
    prepare(opened)
    say(f"\nSkarlo is at [bold]http://127.0.0.1:{port}[/bold]")
    for name, (role, password) in PEOPLE.items():
        say(f"  sign in as [bold]{name}[/bold] ({role}), password [bold]{password}[/bold]")
    say("Stop it with Ctrl-C; what you did is kept.\n")
    if not prepare_only:
        run_server(opened, "127.0.0.1", port, [], False, 2048)


@users.command("add")
def add(
    name: str,
    role: Annotated[str, typer.Option(help="viewer, analyst, approver or admin")] = "viewer",
    password: Annotated[str, typer.Option(prompt=True, confirmation_prompt=True, hide_input=True)] = "",
    workspace: Folder = HERE,
) -> None:
    """Add a person; asks for the password."""
    from skarlo.studies import accounts
    from skarlo.studies.refusals import Refusal
    from skarlo.studies.workspace import Workspace

    try:
        with Workspace.open(workspace).writing() as records:
            accounts.add_user(records, name, role, password)
    except Refusal as e:
        stop([e.why])
    say(f"added {name} ({role})")


def _one_heap() -> None:
    """Threads share one heap, where the C library lets them choose: what one has let go the others take again."""
    import ctypes

    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(-8, 1)  # M_ARENA_MAX


def _import_slow() -> None:
    """What is asked for late and is slow to import; files are read beside it."""
    for name in ("scipy.special", "scipy.optimize"):
        import_module(name)


def _end_on_interrupt() -> None:
    """Also again once Polars is there, whose own handler would let a read go on."""
    signal.signal(signal.SIGINT, _cancel)


def _cancel(*_: object) -> None:
    """Ctrl-C ends the work at once, on a status of its own; what was being written is removed on the way out."""
    raise SystemExit(130)


def run() -> None:
    """The entry point: exit status 2 for wrong usage or input, 3 for an internal error, 130 when cancelled."""
    _end_on_interrupt()
    try:
        app()
    except Exception:
        traceback.print_exc()
        sys.exit(3)
