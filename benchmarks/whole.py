"""A whole candidate, slices, the command on Parquet files, memory and growth: ratios measured in one run."""

from __future__ import annotations

import argparse
import gc
import platform
import resource
import subprocess
import sys
import tempfile
import time
import tracemalloc
from functools import partial
from pathlib import Path

import numpy as np
import polars as pl

import plain
from skarlo.core import environment
from skarlo.core.compare.slices import sliced
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics import panel
from skarlo.core.metrics.panel import Reading
from skarlo.core.study import Field, Settings
from tally import medians

READING = Reading(("no", "yes"), 1, Settings())


def rows(n: int) -> tuple[np.ndarray, np.ndarray]:
    """Scores and actual classes of made-up rows."""
    rng = np.random.default_rng(0)
    score = rng.random(n)
    return score, (rng.random(n) < 0.05 + 0.4 * score).astype(np.int64)


def answers(score: np.ndarray, actual: np.ndarray) -> Answers:
    """Fresh answers, nothing counted yet."""
    return Answers.of_scores(actual, score, 0.5)


def candidate(n: int) -> None:
    """Everything told of one two-class candidate, intervals included, against point values the plain way."""
    score, actual = rows(n)
    positive = actual.astype(bool)
    told = panel.metrics(answers(score, actual), READING)
    for name, value in plain.points(score, positive).items():
        found = told[name]["value"]
        assert found is not None and abs(found - value) < 1e-7, name
    took = medians({
        "ours": lambda: panel.metrics(answers(score, actual), READING),
        "plain": lambda: plain.points(score, positive),
    }, 5)  # fmt: skip
    print(f"{n:>11,} rows  all metrics with intervals / point values the plain way: {took['ours'] / took['plain']:.2f}")


def slices(n: int) -> None:
    """One-field and two-field slices, all count metrics with intervals, against Polars counting alone."""
    score, actual = rows(n)
    rng = np.random.default_rng(1)
    sizes = (6, 9, 12, 10)
    codes = [rng.integers(0, k, n) for k in sizes]
    fields = [Field(f"f{i}", tuple(map(str, range(k))), c) for i, (k, c) in enumerate(zip(sizes, codes, strict=True))]
    lists = [(f,) for f in fields] + [(a, b) for i, a in enumerate(fields) for b in fields[i + 1 :]]
    a = Answers.of_classes(actual, (score >= 0.5).astype(np.int64))
    table = pl.DataFrame({f.name: f.codes for f in fields} | {"actual": actual, "said": a.predicted})
    inside = np.ones(n, dtype=bool)

    def ours() -> int:
        return len(sliced(a, lists, inside, READING, rest=False))

    def polars() -> int:
        return sum(len(table.group_by(*(f.name for f in chosen), "actual", "said").len()) for chosen in lists)

    def tested() -> int:
        return len(sliced(a, lists, inside, READING))

    found = ours()
    gc.freeze()  # as the command and the server do
    took = medians({"ours": ours, "polars": polars, "tested": tested}, 5)
    print(f"{n:>11,} rows  Polars group_by of the counts / {found} slices with intervals: "
          f"{took['polars'] / took['ours']:.2f}; with tests against the other rows: "
          f"{took['polars'] / took['tested']:.2f}")  # fmt: skip


STUDY = """\
format = "skarlo.study/1"
title = "Large"
[holdout]
path = "holdout.parquet"
id = "id"
truth = "actual"
positive = "yes"
"""


def command(n: int) -> None:
    """skarlo evaluate of four candidates in Parquet files, against Polars reading them."""
    with tempfile.TemporaryDirectory() as name:
        folder, text = Path(name), STUDY
        rng = np.random.default_rng(2)
        score, actual = rows(n)
        ids = pl.Series("id", np.arange(n)).cast(pl.String)
        pl.DataFrame({"id": ids, "actual": np.where(actual == 1, "yes", "no")}).write_parquet(
            folder / "holdout.parquet"
        )
        for i in range(4):
            p = np.clip(score + 0.1 * (i + 1) * rng.normal(size=n), 0, 1)
            pl.DataFrame({"id": ids, "p": p}).write_parquet(folder / f"c{i}.parquet")
            text += f'[[candidates]]\nname = "c{i}"\npath = "c{i}.parquet"\nscore = "p"\n'
        (folder / "study.toml").write_text(text)
        code = (
            f"import polars as pl; [pl.read_parquet(f) for f in __import__('pathlib').Path({name!r}).glob('*.parquet')]"
        )
        took = medians({
            "ours": lambda: subprocess.run([sys.executable, "-m", "skarlo.cli", "evaluate", folder / "study.toml",
                                            "--out", folder / "r.json"], check=True),
            "polars": lambda: subprocess.run([sys.executable, "-c", code], check=True),
        }, 9)  # fmt: skip
        print(f"{n:>11,} rows  skarlo evaluate, 4 candidates / Polars reading the files: "
              f"{took['ours'] / took['polars']:.1f}  ({took['ours']:.2f} s)")  # fmt: skip
        where(folder)


def where(folder: Path) -> None:
    """Where the time of an evaluation goes."""
    from skarlo import core, intake
    from skarlo.intake.write import as_json

    begin = time.perf_counter()
    study = intake.load(intake.read_spec(folder / "study.toml"), lambda path: intake.Source(folder / path, path))
    loaded = time.perf_counter()
    results = core.evaluate(study)
    evaluated = time.perf_counter()
    as_json(results)
    written = time.perf_counter()
    whole = written - begin
    for what, took in (("reading and joining", loaded - begin), ("evaluating", evaluated - loaded),
                       ("writing", written - evaluated)):  # fmt: skip
        print(f"{'':>17}  {what}: {took / whole:.0%}")


def memory(n: int) -> None:
    """Peak of what the metrics allocate above the loaded arrays, in columns of scores."""
    panel.metrics(answers(*rows(100)), READING)  # what is imported late is no column
    a = answers(*rows(n))
    tracemalloc.start()
    panel.metrics(a, READING)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    print(f"{n:>11,} rows  peak memory above the loaded arrays, in score columns: {peak / (8 * n):.1f}")


def _measured(score: np.ndarray, actual: np.ndarray) -> object:
    return panel.metrics(answers(score, actual), READING)


def growth() -> None:
    """Time for a row, relative to ten thousand rows: n log n grows by the logarithm alone."""
    first = None
    for n in (10_000, 100_000, 1_000_000, 10_000_000):
        score, actual = rows(n)
        took = medians({"ours": partial(_measured, score, actual)}, 3)["ours"] / n
        first = took if first is None else first
        print(f"{n:>11,} rows  time for a row, against 10,000 rows: {took / first:.2f}")


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("what", nargs="*", default=["candidate", "slices", "command", "memory", "growth"])
    print(f"{platform.processor() or platform.machine()}; {environment()}")
    for what in options.parse_args().what:
        if what == "growth":
            growth()
        else:
            for n in (1_000_000, 10_000_000) if what in ("candidate", "memory") else (1_000_000,):
                {"candidate": candidate, "slices": slices, "command": command, "memory": memory}[what](n)
    print(f"peak memory of the run {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:,.0f} MiB")


if __name__ == "__main__":
    main()
