"""How often the intervals hold the truth, how often tests of a true tie reject, how often the best set holds the best.

A simulation from known populations, slow and apart from the tests: `make coverage-study` runs it on all cores and
writes its tables into docs/methods.md. `--runs` trades time for precision. Candidates are compared where they are
equal and where they truly differ; slices have as few rows and positives as people ask about.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor, as_completed
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple, TypeVar

import numpy as np

from skarlo.core.compare import paired, pairs
from skarlo.core.compare.expected import restate
from skarlo.core.compare.pairs import Entrant
from skarlo.core.compare.rest import Part, against_rest
from skarlo.core.counting.answers import Answers
from skarlo.core.counting.table import Sampling, Table, make
from skarlo.core.language import formula
from skarlo.core.metrics import counts, panel
from skarlo.core.metrics.counts import Names
from skarlo.core.metrics.panel import Reading
from skarlo.core.metrics.trust import DIFFERENCE, SLICE, row
from skarlo.core.number import FloatArray, IntArray, Metric
from skarlo.core.stats.tests import Compared
from skarlo.core.study import OwnMetric, Settings

METHODS = Path(__file__).parents[1] / "docs" / "methods.md"
SIZES, RATES = (30, 100, 300, 1000, 3000), (0.02, 0.05, 0.1, 0.2, 0.5)
LEAST_MADE = 0.1  # settings where an interval was made in fewer of the samples say little
POPULATION = 2_000_000
MEAN_WANTED, LEAST_WANTED = 0.94, 0.90
ALONE, TEST = "", "test of "


class Way(NamedTuple):
    """How far a second candidate, or the rows of a slice, truly differ: in quality, cutoff and rate of positives."""

    lift: float = 0.0
    cut: float = 0.0
    rarer: float = 1.0


PAIRS = {"equal": Way(), "one better": Way(lift=0.4), "other cutoff": Way(cut=0.6), "both": Way(lift=0.4, cut=0.6)}
SLICES = {"equal": Way(), "worse slice": Way(lift=-0.6), "rarer slice": Way(rarer=0.5)}


@dataclass(frozen=True)
class World:
    """A population of two classes with a score on the logit scale for each of several candidates.

    lift : distance of the classes; stretch : 1 is calibrated, above 1 too extreme; families : rows that share luck;
    cut : the score from which rows are flagged, halfway for even classes and further up for a rare one if left out
    """

    rate: float
    lift: float
    stretch: float = 1.0
    families: int = 1
    weighted: bool = False
    cut: float | None = None

    @property
    def flagged_from(self) -> float:
        """The score from which rows are flagged."""
        return self.lift / 2 + 0.35 * float(np.log((1 - self.rate) / self.rate)) if self.cut is None else self.cut

    def other(self, way: Way) -> World:
        """The world as it is for who differs."""
        return replace(
            self, rate=self.rate * way.rarer, lift=self.lift + way.lift, cut=self.flagged_from + way.cut
        )  # fmt: skip

    def plain(self) -> World:
        """The same without what is independent of everything that is measured."""
        return replace(self, families=1, weighted=False)

    def draw(self, rng: np.random.Generator, n: int, *ways: Way) -> list[Answers]:
        """n rows, answered by a candidate in each way; several share half of their noise."""
        ways = ways or (Way(),)
        size = self.families
        family = np.repeat(np.arange(-(-n // size)), size)[:n]
        y = (rng.random(n) < self.rate).astype(np.int64)
        common = rng.normal(size=n)
        if size > 1:
            common = np.sqrt(0.5) * common + np.sqrt(0.5) * rng.normal(size=family[-1] + 1)[family]
        weight = rng.choice([0.5, 1.0, 2.0], n) if self.weighted else None
        out = []
        for way in ways:
            w = self.other(way)
            noise = common if len(ways) == 1 else np.sqrt(0.5) * common + np.sqrt(0.5) * rng.normal(size=n)
            x = w.lift * y + noise
            # The log odds that this score has in truth, stretched.
            logit = w.lift * x - w.lift**2 / 2 + np.log(self.rate / (1 - self.rate))
            score = 1 / (1 + np.exp(-self.stretch * logit))
            a = Answers.of_scores(y, score, weight=weight, group=family if size > 1 else None)
            out.append(replace(a, predicted=(x >= w.flagged_from).astype(np.int64)))
        return out


OWN = (
    OwnMetric("own formula", formula.parse("(40*FN + 3*FP) / rows"), "lower"),
    OwnMetric("net_benefit", None, "higher", {}, "net_benefit", {"threshold": 0.2}),
    OwnMetric("partial_area", None, "higher", {}, "partial_area", {"fpr_at_most": 0.2}),
    OwnMetric("recall_at_fpr", None, "higher", {}, "recall_at_fpr", {"fpr_at_most": 0.1}),
    OwnMetric("precision_at_top", None, "higher", {}, "precision_at_top", {"share": 0.1}),
)
READING = Reading(("no", "yes"), 1, Settings(), OWN)
QUICK = replace(READING, settings=Settings(draws=100))  # where only values are read, and no interval
EXPECTED = 0.08  # the base rate that numbers are restated for
LIFTS = ((1.0, 1.0), (2.2, 1.6))
WORLDS = [
    *(World(rate, lift, stretch) for rate in RATES for lift, stretch in LIFTS),
    *(World(rate, 1.5, 1.2, families=5) for rate in (0.1, 0.5)),
    *(World(rate, 1.5, 1.2, weighted=True) for rate in (0.1, 0.5)),
]
# Rows of a slice and the rate of positives: from one positive expected to seventy-five.
SMALL = ((12, 0.1), (12, 0.5), (20, 0.1), (20, 0.2), (30, 0.05), (30, 0.1), (30, 0.2), (30, 0.5), (60, 0.05), (60, 0.2),
         (150, 0.02), (150, 0.1), (150, 0.5))  # fmt: skip
THE_OTHERS = 600

Values = Mapping[str, float]


@lru_cache(maxsize=512)
def truth(world: World) -> Values:
    """Every metric over a population so large that chance hardly moves it."""
    a = world.plain().draw(np.random.default_rng(5), POPULATION)[0]
    found: dict[str, Metric] = panel.metrics(a, QUICK)
    found |= {f"{name}, expected base rate": m for name, m in restate(a, QUICK, EXPECTED)["metrics"].items()}
    return {name: m["value"] for name, m in found.items() if m["value"] is not None}


class Line(NamedTuple):
    """One number under one kind of interval (or test) in one setting: how often it held (or rejected)."""

    of: str  # ALONE, DIFFERENCE or SLICE
    test: bool
    metric: str
    kind: str
    way: str
    n: int
    rate: float
    share: float  # of the samples in which it was made
    hits: int
    made: int
    width: float


@dataclass
class Ledger:
    """What is counted in one setting."""

    of: str
    way: str
    n: int
    rate: float
    runs: int
    held: dict[tuple[bool, str, str], list[float]] = field(default_factory=dict)

    def interval(self, metric: str, kind: str, ends: tuple[float | None, float | None], at: float) -> None:
        """An interval, and the value that it is to hold."""
        low, high = ends
        if low is not None and high is not None:
            self._add((False, metric, kind), low <= at <= high, high - low)

    def compared(self, metric: str, d: Compared | str, at: float | None) -> None:
        """A difference; where the two are truly equal its test is counted too."""
        if isinstance(d, str) or d.interval is None or at is None:
            return
        self.interval(metric, d.kind or d.test, d.interval(0.95), at)
        if self.way == "equal" and d.p is not None:
            self._add((True, metric, d.test), d.p <= 0.05, 0.0)

    def _add(self, key: tuple[bool, str, str], hit: bool, width: float) -> None:
        entry = self.held.setdefault(key, [0, 0, 0.0])
        entry[0] += hit
        entry[1] += 1
        entry[2] += width

    def lines(self) -> list[Line]:
        """One line for each number and kind."""
        return [
            Line(self.of, test, metric, kind, self.way, self.n, self.rate, v[1] / self.runs, int(v[0]), int(v[1]),
                 v[2] / v[1])
            for (test, metric, kind), v in self.held.items()
        ]  # fmt: skip


def seeded(*what: object) -> np.random.Generator:
    """A stream of its own for each setting."""
    return np.random.default_rng(list("\0".join(map(str, what)).encode()))


class Task(NamedTuple):
    """One setting: what is done there, in which world and way, with how many rows and samples."""

    do: Callable[[Task], list[Line]]
    world: World
    way: str
    n: int
    runs: int

    def __str__(self) -> str:
        """The same in every run of the study."""
        return f"{self.do.__name__}, {self.world}, {self.way or 'one'}, {self.n} rows, {self.runs} times"


def alone(t: Task) -> list[Line]:
    """The intervals of one candidate's numbers."""
    rng, true = seeded("alone", t.world, t.n), truth(t.world.plain())
    out = Ledger(ALONE, "", t.n, t.world.rate, t.runs)
    for _ in range(t.runs):
        a = t.world.draw(rng, t.n)[0]
        if not 2 <= a.actual.sum() <= t.n - 2:
            continue
        found = panel.metrics(a, READING)
        found |= {f"{name}, expected base rate": m for name, m in restate(a, READING, EXPECTED)["metrics"].items()}
        for name, m in found.items():
            if m["value"] is not None:
                out.interval(name, row(name, m.get("interval", ""))[1], (m.get("low"), m.get("high")), true[name])
    return out.lines()


def pair(t: Task) -> list[Line]:
    """The difference of two candidates on the same rows."""
    rng, way = seeded("pair", t.world, t.way, t.n), PAIRS[t.way]
    one, two = truth(t.world.plain().other(Way())), truth(t.world.plain().other(way))
    out = Ledger(DIFFERENCE, t.way, t.n, t.world.rate, t.runs)
    for _ in range(t.runs):
        a, b = t.world.draw(rng, t.n, Way(), way)
        if not 2 <= a.actual.sum() <= t.n - 2:
            continue
        first, second, both = panel.metrics(a, QUICK), panel.metrics(b, QUICK), paired.Both(a, b)
        for name in first:
            x, y = first[name]["value"], second[name]["value"]
            if x is not None and y is not None:
                d = paired.compare(name, both, (x, y), 1, READING.own_named(name))
                out.compared(name, d, one[name] - two[name])
    return out.lines()


def part(t: Task) -> list[Line]:
    """A small slice against the other rows."""
    rng, way = seeded("slice", t.world, t.way, t.n), SLICES[t.way]
    inner = t.world.other(way)
    here, rest = truth(inner.plain()), truth(t.world.plain().other(Way()))
    out = Ledger(SLICE, t.way, t.n, t.world.rate, t.runs)
    for _ in range(t.runs):
        whole = joined(inner.draw(rng, t.n)[0], t.world.other(Way()).draw(rng, THE_OTHERS)[0])
        places = np.arange(t.n)
        s = Part(whole, lambda places=places: places, None)  # type: ignore[misc]
        for name, d in against_rest(s, s.others(), panel.metrics(s.rows, QUICK), QUICK).items():
            out.compared(name, d, here[name] - rest[name])
    return out.lines()


def joined(a: Answers, b: Answers) -> Answers:
    """The rows of both, one after another."""

    def both(x: FloatArray | IntArray | None, y: FloatArray | IntArray | None, shift: int = 0) -> np.ndarray | None:
        return None if x is None or y is None else np.concatenate((x, y + shift))

    families = 0 if a.group is None else int(a.group.max()) + 1
    actual, score = np.concatenate((a.actual, b.actual)), both(a.score, b.score)
    assert score is not None
    whole = Answers.of_scores(actual, score, weight=both(a.weight, b.weight), group=both(a.group, b.group, families))
    return replace(whole, predicted=both(a.predicted, b.predicted))


def averages(t: Task) -> list[Line]:
    """Macro and weighted averages of three classes."""
    cells = np.array([[0.42, 0.05, 0.03], [0.06, 0.19, 0.05], [0.02, 0.04, 0.14]])
    rng = seeded("averages", t.n)
    true = counts.averages(*_table(np.round(cells * 1e6).astype(np.int64)))
    out = Ledger(ALONE, "", t.n, 0.2, t.runs)
    for _ in range(t.runs):
        drawn = rng.multinomial(t.n, cells.reshape(-1)).reshape(3, 3)
        for kind, metrics in counts.averages(*_table(drawn)).items():
            for name, m in metrics.items():
                at = true[kind][name]["value"]
                if at is not None and m["value"] is not None:
                    out.interval(f"{kind} {name}", m.get("interval", ""), (m.get("low"), m.get("high")), at)
    return out.lines()


def _table(cells: IntArray) -> tuple[Table, Sampling, list[dict[str, Metric]]]:
    flat = cells.reshape(-1)
    at = np.arange(9) if flat.sum() > 1e5 else np.repeat(np.arange(9), flat)
    weight = flat.astype(np.float64) if flat.sum() > 1e5 else None
    table = make(at // 3, at % 3, 3, weight=weight)
    names: Names = READING.named(1)
    per_class = [{m: counts.rate(m, table, k, READING.settings.sampling, names) for m in ("precision", "recall", "f1")}
                 for k in range(3)]  # fmt: skip
    return table, READING.settings.sampling, per_class


BEST = ("accuracy", "precision", "f1", "roc_auc", "average_precision", "brier")
LEADS = {"all equal": Way(), "one better": Way(lift=0.4)}  # by how much the first is the best


class Held(NamedTuple):
    """How often the set of those not separable from the best held the truly best, and how many it named."""

    candidates: int
    way: str
    metric: str
    held: int
    named: int
    runs: int


class Sets(NamedTuple):
    """How many candidates are compared, how far the first is ahead, and how often."""

    candidates: int
    way: str
    runs: int


def best_set(task: Sets) -> list[Held]:
    """The first of some candidates is truly best, alone or with all the others."""
    candidates, way, runs = task
    rng = seeded("best", candidates, way)
    held, named = dict.fromkeys(BEST, 0), dict.fromkeys(BEST, 0)
    for _ in range(runs):
        entrants = [
            Entrant(str(i), a, False, panel.metrics(a, QUICK), READING)
            for i, a in enumerate(World(0.2, 1.5).draw(rng, 400, LEADS[way], *[Way()] * (candidates - 1)))
        ]
        found = pairs.pairs(entrants, "test", 0.95, BEST)
        lead = pairs.best(entrants, found, 0.95, BEST)
        for name in BEST:
            best = (lead[name]["leader"], *lead[name]["not_separated"])
            held[name] += "0" in best
            named[name] += len(best)
    return [Held(candidates, way, name, held[name], named[name], runs) for name in BEST]


def tasks(runs: int) -> Iterator[Task]:
    """All settings of the study, the largest first."""
    for n in sorted(SIZES, reverse=True):
        for w in WORLDS:
            thinner = 3 if w.families > 1 else 1.3 if w.weighted else 1
            if n * min(w.rate, 1 - w.rate) / thinner >= 10:
                yield Task(alone, w, "", n, runs)
                yield from (Task(pair, w, way, n, runs) for way in PAIRS)
        if n >= 100:
            yield Task(averages, WORLDS[0], "", n, runs)
    for way in SLICES:
        yield from (Task(part, World(rate, *lift), way, n, runs) for n, rate in SMALL for lift in LIFTS)
        for designed in ({"families": 5}, {"weighted": True}):
            yield from (Task(part, World(rate, 1.5, 1.2, **designed), way, n, runs)
                        for n, rate in ((60, 0.2), (150, 0.1), (150, 0.5)))  # fmt: skip


def work(t: Task) -> list[Line]:
    """One setting; here so that another process finds it by name."""
    return t.do(t)


W = TypeVar("W")
F = TypeVar("F", bound="tuple[object, ...]")


class Kept:
    """Settings that were run before, so that a study which takes hours may be stopped and taken up again.

    A file with a line of JSON for each setting, written as soon as it is done.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        lines = path.read_text(encoding="utf-8").splitlines() if path.exists() else []
        self.found: dict[str, list[list[object]]] = {one["of"]: one["found"] for one in map(json.loads, lines)}

    def run(self, pool: Executor, do: Callable[[W], list[F]], made: Callable[..., F], todo: Sequence[W]) -> list[F]:
        """What is found in each setting, of those that are not kept as they become ready."""
        missing = {pool.submit(do, one): str(one) for one in todo if str(one) not in self.found}
        for done, one in enumerate(as_completed(missing), 1):
            of = missing[one]
            self.found[of] = [list(found) for found in one.result()]
            with self.path.open("a", encoding="utf-8") as file:
                file.write(json.dumps({"of": of, "found": self.found[of]}) + "\n")
            print(f"{done} of {len(missing)}: {of}", file=sys.stderr)
        return [made(*found) for one in todo for found in self.found[str(one)]]


def main() -> None:
    """Run the study and write its tables."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=500)
    options.add_argument("--workers", type=int, default=2)
    options.add_argument("--keep", type=Path, default=Path(".coverage-study.jsonl"), help="settings that were run")
    options.add_argument("--print", action="store_true", help="print the tables and leave docs/methods.md alone")
    given = options.parse_args()
    kept = Kept(given.keep)
    with ProcessPoolExecutor(given.workers) as pool:
        lines = kept.run(pool, work, Line, list(tasks(given.runs)))
        sets = [Sets(k, way, max(1, given.runs // (2 if k > 10 else 1))) for k in (30, 10, 3) for way in LEADS]
        best = kept.run(pool, best_set, Held, sets)
    text = "\n\n".join(tables(lines, best, given.runs))
    print(text)
    if not given.print:
        whole = METHODS.read_text(encoding="utf-8")
        head, _, rest = whole.partition("<!-- coverage -->")
        _, _, tail = rest.partition("<!-- /coverage -->")
        METHODS.write_text(f"{head}<!-- coverage -->\n{text}\n<!-- /coverage -->{tail}", encoding="utf-8")


# The tables.


@dataclass
class Row:
    """One line of a table: all settings of numbers that are made alike, by the way in which the two differ."""

    by_way: dict[str, list[tuple[float, int, float]]] = field(default_factory=dict)

    @property
    def every(self) -> list[tuple[float, int, float]]:
        """Of all ways together."""
        return [one for found in self.by_way.values() for one in found]

    @property
    def approximate(self) -> bool:
        """Whether it holds less often than it says, in any way."""
        return any(
            float(np.mean([f[0] for f in found])) < MEAN_WANTED or min(found)[0] < LEAST_WANTED
            for found in self.by_way.values()
        )


def grouped(lines: Iterable[Line], of: str, test: bool) -> dict[tuple[str, str], Row]:
    """Rows by (number, interval or test), in order."""
    out: dict[tuple[str, str], Row] = {}
    for line in lines:
        if line.of == of and line.test == test and line.share >= LEAST_MADE:
            found = out.setdefault(row(line.metric, line.kind, of), Row())
            found.by_way.setdefault(line.way, []).append((line.hits / line.made, line.n, line.rate))
    return dict(sorted(out.items()))


def tables(lines: list[Line], best: list[Held], runs: int) -> list[str]:
    """All tables, as Markdown."""
    said = (
        f"Actual coverage of nominal 95 % over {runs:,} samples at each setting. Single numbers and pairs: n = 30 to "
        "3,000, rates 0.02 to 0.5, 10 rows or more of each class expected (families of five count as a third of their "
        "rows, weighted rows as three quarters). Slices: 12 to 150 rows with 1 to 75 positives expected, against "
        f"{THE_OTHERS} others. Wanted in every column: mean at least {MEAN_WANTED}, least at least {LEAST_WANTED:.2f}; "
        f"the chance error of a least is about {1.5 * (0.0475 / runs) ** 0.5:.2f}."
    )
    return [
        said, single_table(lines), ways_table(lines, DIFFERENCE, "pairs", PAIRS),
        ways_table(lines, SLICE, "a slice less the rest", SLICES), size_table(lines), best_table(best),
    ]  # fmt: skip


def single_table(lines: list[Line]) -> str:
    """Mean and least coverage of each single number's interval."""
    out = [
        "| number | interval | settings | mean | least | at n, rate | |",
        "| --- | --- | --- | --- | --- | --- | --- |",
    ]
    for (metric, kind), found in grouped(lines, ALONE, False).items():
        least = min(found.every)
        mean = float(np.mean([f[0] for f in found.every]))
        mark = "approximate" if found.approximate else ""
        where = f"{least[1]:,}, {least[2]:g}"
        out.append(f"| {metric} | {kind} | {len(found.every)} | {mean:.3f} | {least[0]:.3f} | {where} | {mark} |")
    return "\n".join(out)


def ways_table(lines: list[Line], of: str, title: str, ways: Iterable[str]) -> str:
    """Mean / least coverage of differences, for each way in which the two differ."""
    ways = list(ways)
    out = [f"Differences of {title}, mean / least coverage:", "", f"| number | interval | {' | '.join(ways)} | |",
           f"| --- | --- |{' --- |' * len(ways)} --- |"]  # fmt: skip
    for (metric, kind), found in grouped(lines, of, False).items():
        cells = []
        for way in ways:
            shares = [f[0] for f in found.by_way.get(way, [])]
            cells.append(f"{float(np.mean(shares)):.3f} / {min(shares):.3f}" if shares else "")
        mark = "approximate" if found.approximate else ""
        out.append(f"| {metric} | {kind} | {' | '.join(cells)} | {mark} |")
    return "\n".join(out)


def size_table(lines: list[Line]) -> str:
    """How often a test at 5 % rejects a true tie."""
    out = [
        "How often a test at the 5 % level rejects where two candidates, or a slice and its rest, are truly equal:", "",
        "| number | test | settings | mean | most | at n, rate |", "| --- | --- | --- | --- | --- | --- |",
    ]  # fmt: skip
    for of in (DIFFERENCE, SLICE):
        for (metric, kind), found in grouped(lines, of, True).items():
            most = max(found.every)
            mean = float(np.mean([f[0] for f in found.every]))
            name = f"{TEST if of == DIFFERENCE else 'slice ' + TEST}{metric.removeprefix(of)}"
            where = f"{most[1]:,}, {most[2]:g}"
            out.append(f"| {name} | {kind} | {len(found.every)} | {mean:.3f} | {most[0]:.3f} | {where} |")
    return "\n".join(out)


def best_table(best: list[Held]) -> str:
    """How often the truly best is among those that cannot be separated from the best."""
    out = [
        "How often the set that cannot be separated from the best holds the truly best (400 rows, 80 positive), and "
        "how many candidates it names on the mean:", "",
        "| candidates | | " + " | ".join(BEST) + " |", "| --- | --- |" + " --- |" * len(BEST),
    ]  # fmt: skip
    for k, way in dict.fromkeys((h.candidates, h.way) for h in sorted(best)):
        cells = [f"{h.held / h.runs:.3f}, {h.named / h.runs:.1f}" for name in BEST for h in best
                 if (h.candidates, h.way, h.metric) == (k, way, name)]  # fmt: skip
        out.append(f"| {k} | {way} | {' | '.join(cells)} |")
    return "\n".join(out)


if __name__ == "__main__":
    main()
