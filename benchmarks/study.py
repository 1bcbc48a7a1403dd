"""Whole studies: what pairs, rows without an answer, a moved cutoff and a fresh start cost, as ratios of one run."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from unittest import mock

import numpy as np

from skarlo import core, intake
from skarlo.core.compare import pairs as paired
from skarlo.core.words import findings
from skarlo.sample import STUDIES


def study_of(n: int, gaps: int = 0) -> core.Study:
    """Four candidates of scores on n made-up rows, in each of which some rows have no answer."""
    rng = np.random.default_rng(0)
    luck = rng.random(n)
    y = (rng.random(n) < 0.05 + 0.4 * luck).astype(np.int64)
    candidates = []
    for i in range(4):
        score = np.clip(luck + 0.1 * (i + 1) * rng.normal(size=n), 0, 1)
        score[rng.permutation(n)[:gaps]] = np.nan
        candidates.append(core.Candidate(f"c{i}", score=score, cutoff=core.Cutoff(0.5),
                                         no_answer="wrong" if gaps else "error"))  # fmt: skip
    whole = {"all": np.ones(n, dtype=bool)}
    return core.Study("s", ("no", "yes"), y, 1, whole, "all", None, tuple(candidates))


def took(work: Callable[[], object], clock: Callable[[], float] = time.perf_counter) -> float:
    """Seconds."""
    begin = clock()
    work()
    return clock() - begin


def pairs(n: int) -> None:
    """Four candidates with pairs, against the same without."""
    with_them, without = [], []
    for _ in range(3):
        with_them.append(took(lambda: core.evaluate(study_of(n), "none")))
        with (
            mock.patch.object(paired, "pairs", lambda *a, **k: []),
            mock.patch.object(paired, "together", lambda *a: None),
            mock.patch.object(paired, "against_baselines", lambda entrants, *a: {e.name: {} for e in entrants}),
            mock.patch.object(findings, "of_study", lambda *a: []),
        ):
            without.append(took(lambda: core.evaluate(study_of(n), "none")))
    print(f"{n:>11,} rows  4 candidates with pairs / without: {min(with_them) / min(without):.2f}")


def unanswered(n: int) -> None:
    """One row without an answer in each candidate, against none: in turns, each at its quickest."""
    clocks = {"": time.perf_counter, " of processor time": time.process_time}
    for of, clock in clocks.items():
        found = [[took(partial(core.evaluate, study_of(n, gaps), "none"), clock) for gaps in (0, 1)] for _ in range(7)]
        plain, one = (min(x) for x in zip(*found, strict=True))
        print(f"{n:>11,} rows  one row without an answer in each of 4 candidates / none{of}: {one / plain:.2f}")


def gated(n: int) -> None:
    """Gates over 400 slices, against making the slices."""
    plain, rng = study_of(n), np.random.default_rng(3)
    said = tuple(core.Candidate(c.name, predicted=np.asarray(c.score >= 0.5, dtype=np.int64)) for c in plain.candidates)  # type: ignore[operator]
    fields = tuple(core.Field(f, tuple(map(str, range(20))), rng.integers(0, 20, n)) for f in ("ward", "shift"))
    names = tuple(f.name for f in fields)
    asked = tuple(core.Gate(metric, at_least=0.1, every=names) for metric in ("recall", "precision", "accuracy"))
    study = replace(plain, candidates=said, slices=(fields,), gates=asked)
    slices, gates = [], []
    for _ in range(3):
        evaluation = core.Evaluation(study, "none")
        lines = [core.Part(kind, "all") for kind in ("lines", "classes")]
        evaluation.results(lines)
        slices.append(took(lambda: evaluation.part(core.Part("slices", "all"))))  # noqa: B023
        gates.append(took(lambda: evaluation.part(core.Part("gates"))))  # noqa: B023
    print(f"{n:>11,} rows  3 gates over 400 slices of 4 candidates, with their slices / making the slices: "
          f"{1 + min(gates) / min(slices):.2f}")  # fmt: skip


def tallies(n: int) -> None:
    """What is sent to the page for a live cutoff."""
    ready = core.prepare(study_of(n))
    sent = max(len(json.dumps(core.live_tally(ready, i, "all"))) for i in range(4))
    print(f"{n:>11,} rows  live tally of one candidate: {sent / 1000:.0f} kB")


def start() -> None:
    """`skarlo --help` against importing NumPy."""

    def run(*command: str) -> float:
        return min(took(lambda: subprocess.run(command, check=True, capture_output=True)) for _ in range(5))

    ours = run(sys.executable, "-m", "skarlo.cli", "--help")
    print(f"{'':>17}  skarlo --help / import numpy: {ours / run(sys.executable, '-c', 'import numpy'):.2f}")


def beside(folder: Path, name: str) -> intake.Source:
    return intake.Source(folder / name, name)


VIEW = ("gates", "best", "quoted", "findings")  # what the roster reads beside the metrics of the reported split


def seen(study: core.Study, ready: core.Prepared, cutoffs: list[core.Cutoff | None] | None = None) -> None:
    """What a study shows when it is opened."""
    evaluation = core.Evaluation(ready, cutoffs=cutoffs)
    lines = [core.Part(kind, study.report_on) for kind in ("lines", "classes")]
    evaluation.results([*lines, *(core.Part(kind) for kind in VIEW)])


def samples() -> None:
    """Processor time of the first view of each sample study, of a whole evaluation, and of both at moved cutoffs."""
    with tempfile.TemporaryDirectory() as name:
        for which, write in STUDIES.items():
            path = write(Path(name) / which)
            study = intake.load(intake.read_spec(path), partial(beside, path.parent))
            core.evaluate(study)  # what is imported late is there by now
            moved = [None if c.cutoff is None else core.Cutoff((c.cutoff.value or 0.5) + 0.01)
                     for c in study.candidates]  # fmt: skip
            for what, work in (("the first view", partial(seen, study)), ("all of the results file", core.evaluate)):
                ready = core.prepare(study)
                first = took(partial(work, ready), time.process_time)
                again = took(partial(work, ready, cutoffs=moved), time.process_time)
                print(f"{len(study.actual):>11,} rows  {which}, {what}: {first:.2f} s, at other cutoffs {again:.2f} s "
                      f"of processor time, {again / first:.2f} of it")  # fmt: skip


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--rows", type=int, default=1_000_000)
    given = options.parse_args()
    start()
    samples()
    tallies(given.rows)
    gated(given.rows)
    unanswered(given.rows // 10)
    pairs(given.rows)


if __name__ == "__main__":
    main()
