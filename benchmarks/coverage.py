"""How often the intervals hold the truth, how often tests of a true tie reject, how often the best set holds the best.

A simulation from known populations, slow and apart from the tests: `make coverage-study` runs it on all cores and
writes its tables into docs/methods.md. `--runs` trades time for precision.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from skarlo.core import comparing, counts, formula, measure, paired
from skarlo.core.answers import Answers
from skarlo.core.approximate import DIFFERENCE, SLICE, row
from skarlo.core.comparing import Entrant
from skarlo.core.in_use import restate
from skarlo.core.measure import Reading
from skarlo.core.slices import Rest, against_rest
from skarlo.core.study import OwnMetric, Settings
from skarlo.core.table import make
from skarlo.core.values import Metric

METHODS = Path(__file__).parents[1] / "docs" / "methods.md"
SIZES, RATES = (30, 100, 300, 1000, 3000), (0.02, 0.05, 0.1, 0.2, 0.5)
LEAST_MADE = 100  # settings where an interval was rarely made say little
POPULATION = 2_000_000
MEAN_WANTED, LEAST_WANTED = 0.94, 0.90
HEADS = (DIFFERENCE, SLICE, "slice test of ", "test of ")


@dataclass(frozen=True)
class World:
    """A population of two classes with a score on the logit scale for each of several candidates.

    lift : distance of the classes; stretch : 1 is calibrated, above 1 too extreme; families : rows that share luck
    """

    rate: float
    lift: float
    stretch: float = 1.0
    families: int = 1
    weighted: bool = False

    def draw(self, rng: np.random.Generator, n: int, candidates: int = 1) -> list[Answers]:
        """n rows, answered by candidates that are equally good and share half of their noise."""
        size = self.families
        family = np.repeat(np.arange(-(-n // size)), size)[:n]
        y = (rng.random(n) < self.rate).astype(np.int64)
        common = rng.normal(size=n)
        if size > 1:
            common = np.sqrt(0.5) * common + np.sqrt(0.5) * rng.normal(size=family[-1] + 1)[family]
        weight = rng.choice([0.5, 1.0, 2.0], n) if self.weighted else None
        out = []
        for _ in range(candidates):
            noise = common if candidates == 1 else np.sqrt(0.5) * common + np.sqrt(0.5) * rng.normal(size=n)
            x = self.lift * y + noise
            # The log odds that this score has in truth, stretched.
            logit = self.lift * x - self.lift**2 / 2 + np.log(self.rate / (1 - self.rate))
            score = 1 / (1 + np.exp(-self.stretch * logit))
            out.append(Answers(2, 1, y, (x >= self.cut).astype(np.int64), score, None, True, False, weight,
                               family if size > 1 else None))  # fmt: skip
        return out

    @property
    def cut(self) -> float:
        """The score from which rows are flagged: halfway for even classes, further up for a rare one."""
        return self.lift / 2 + 0.35 * float(np.log((1 - self.rate) / self.rate))


OWN = (
    OwnMetric("own formula", formula.parse("(40*FN + 3*FP) / rows"), "lower"),
    OwnMetric("net_benefit", None, "higher", {}, "net_benefit", {"threshold": 0.2}),
    OwnMetric("partial_area", None, "higher", {}, "partial_area", {"fpr_at_most": 0.2}),
    OwnMetric("recall_at_fpr", None, "higher", {}, "recall_at_fpr", {"fpr_at_most": 0.1}),
    OwnMetric("precision_at_top", None, "higher", {}, "precision_at_top", {"share": 0.1}),
)
READING = Reading(("no", "yes"), 1, Settings(), OWN)
QUICK = Reading(("no", "yes"), 1, Settings(draws=100), OWN)  # where only values are read, and no interval
IN_USE = 0.08
WORLDS = [
    *(World(rate, lift, stretch) for rate in RATES for lift, stretch in ((1.0, 1.0), (2.2, 1.6))),
    *(World(rate, 1.5, 1.2, families=5) for rate in (0.1, 0.5)),
    *(World(rate, 1.5, 1.2, weighted=True) for rate in (0.1, 0.5)),
]


def truth(world: World) -> dict[str, float]:
    """Every metric over a population so large that chance hardly moves it."""
    plain = World(world.rate, world.lift, world.stretch)  # weights and families are independent of what is measured
    a = plain.draw(np.random.default_rng(5), POPULATION)[0]
    found: dict[str, Metric] = measure.metrics(a, QUICK)
    found |= {f"{name}, in use": m for name, m in restate(a, QUICK, IN_USE)["metrics"].items()}
    return {name: m["value"] for name, m in found.items() if m["value"] is not None}


def cover(task: tuple[World, int, int, dict[str, float]]) -> list[tuple[str, str, int, float, int, int, float]]:
    """One world at one size: for each metric and kind of interval (n, rate, held, made, mean width)."""
    world, n, runs, true = task
    rng = np.random.default_rng([n, round(1e4 * world.rate), round(100 * world.lift), world.families])
    tally: dict[tuple[str, str], list[float]] = {}

    def note(metric: str, kind: str, low: float | None, high: float | None, at: float) -> None:
        if low is None or high is None:
            return
        entry = tally.setdefault((metric, kind), [0, 0, 0.0])
        entry[0] += low <= at <= high
        entry[1] += 1
        entry[2] += high - low

    for _ in range(runs):
        a, b = world.draw(rng, n, 2)
        if min(a.actual.sum(), n - a.actual.sum()) < 2:
            continue
        one = world.draw(rng, n)[0]
        found = measure.metrics(one, READING)
        found |= {f"{name}, in use": m for name, m in restate(one, READING, IN_USE)["metrics"].items()}
        for name, m in found.items():
            if m["value"] is not None:
                # One row for a metric's main and its fallback interval: a reader meets whichever applies.
                note(name, row(name, m.get("interval", ""))[1], m.get("low"), m.get("high"), true[name])
        first, second = (measure.metrics(x, QUICK) for x in (a, b))
        for name in first:
            values = first[name]["value"], second[name]["value"]
            if values[0] is None or values[1] is None:
                continue
            d = paired.compare(name, a, b, values, 1, READING.own_named(name))
            if d.interval is not None:
                note(f"{DIFFERENCE}{name}", d.test, *d.interval(0.95), 0.0)
            if d.p is not None:
                entry = tally.setdefault((f"test of {name}", d.test), [0, 0, 0.0])
                entry[0] += d.p <= 0.05
                entry[1] += 1
        code = np.arange(n) if one.group is None else one.group
        inside = (rng.random(code.max() + 1) < 0.4)[code]
        if inside.sum() < 10 or n - inside.sum() < 10:
            continue
        part = one.take(inside)
        for name, d in against_rest(part, Rest(one, inside), measure.metrics(part, QUICK), QUICK).items():
            if isinstance(d, str) or d.interval is None or d.p is None:
                continue
            note(f"{SLICE}{name}", d.test, *d.interval(0.95), 0.0)
            entry = tally.setdefault((f"slice test of {name}", d.test), [0, 0, 0.0])
            entry[0] += d.p <= 0.05
            entry[1] += 1
    return [(*key, n, world.rate, int(v[0]), int(v[1]), v[2] / max(v[1], 1)) for key, v in tally.items()]


def averages(task: tuple[int, int]) -> list[tuple[str, str, int, float, int, int, float]]:
    """Macro and weighted averages of three classes."""
    n, runs = task
    cells = np.array([[0.42, 0.05, 0.03], [0.06, 0.19, 0.05], [0.02, 0.04, 0.14]])
    rng = np.random.default_rng([n, 3])
    true = counts.averages(*_table(np.round(cells * 1e6).astype(np.int64)))
    held: dict[tuple[str, str], list[int]] = {}
    for _ in range(runs):
        drawn = rng.multinomial(n, cells.reshape(-1)).reshape(3, 3)
        for kind, metrics in counts.averages(*_table(drawn)).items():
            for name, m in metrics.items():
                if m.get("low") is not None:
                    entry = held.setdefault((f"{kind} {name}", m["interval"]), [0, 0])
                    entry[0] += m["low"] <= true[kind][name]["value"] <= m["high"]
                    entry[1] += 1
    return [(*key, n, 0.2, v[0], v[1], 0.0) for key, v in held.items()]


def _table(cells: np.ndarray) -> tuple:
    flat = cells.reshape(-1)
    at = np.arange(9) if flat.sum() > 1e5 else np.repeat(np.arange(9), flat)
    weight = flat.astype(np.float64) if flat.sum() > 1e5 else None
    table = make(at // 3, at % 3, 3, weight=weight)
    per_class = [{m: counts.rate(m, table, k, READING.settings.sampling, READING.named(1)) for m in
                  ("precision", "recall", "f1")} for k in range(3)]  # fmt: skip
    return table, READING.settings.sampling, per_class


BEST = ("accuracy", "precision", "f1", "roc_auc", "average_precision", "brier")


def best_set(task: tuple[int, int]) -> list[tuple[int, str, int, int]]:
    """Equal candidates, so that any one is truly best: how often it is in the set."""
    candidates, runs = task
    rng = np.random.default_rng(candidates)
    held = dict.fromkeys(BEST, 0)
    for _ in range(runs):
        entrants = [
            Entrant(str(i), a, False, measure.metrics(a, QUICK), READING)
            for i, a in enumerate(World(0.2, 1.5).draw(rng, 400, candidates))
        ]
        found = comparing.pairs(entrants, "test", 0.95, BEST)
        lead = comparing.best(entrants, found, 0.95, BEST)
        for name in BEST:
            held[name] += "0" in (lead[name]["leader"], *lead[name]["not_told_apart"])
    return [(candidates, name, held[name], runs) for name in BEST]


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=1000)
    options.add_argument("--workers", type=int, default=2)
    options.add_argument("--print", action="store_true", help="print the tables and leave docs/methods.md alone")
    given = options.parse_args()
    with ProcessPoolExecutor(given.workers) as pool:
        truths = dict(zip(WORLDS, pool.map(truth, WORLDS), strict=True))
        tasks = [
            (w, n, given.runs, truths[w]) for w in WORLDS for n in SIZES
            if n * min(w.rate, 1 - w.rate) / (3 if w.families > 1 else 1.3 if w.weighted else 1) >= 10
        ]  # fmt: skip
        rows = [r for part in pool.map(cover, sorted(tasks, key=lambda t: -t[1])) for r in part]
        rows += [r for part in pool.map(averages, [(n, given.runs) for n in SIZES if n >= 100]) for r in part]
        best = [r for part in pool.map(best_set, [(30, given.runs // 2), (10, given.runs), (3, given.runs)])
                for r in part]  # fmt: skip
    text = "\n\n".join((coverage_table(rows, given.runs), size_table(rows), best_table(best)))
    print(text)
    if not given.print:
        whole = METHODS.read_text(encoding="utf-8")
        head, _, rest = whole.partition("<!-- coverage -->")
        _, _, tail = rest.partition("<!-- /coverage -->")
        METHODS.write_text(f"{head}<!-- coverage -->\n{text}\n<!-- /coverage -->{tail}", encoding="utf-8")


def _grouped(rows: list, chosen: Callable[[str], bool]) -> dict[tuple[str, str], list[tuple[float, int, float]]]:
    """Shares by (metrics, kind); metrics that are made alike stand together."""
    out: dict[tuple[str, str], list[tuple[float, int, float]]] = {}
    for metric, kind, n, rate, held, made, _ in rows:
        if made >= LEAST_MADE and chosen(metric):
            of = next((x for x in HEADS if metric.startswith(x)), "")
            out.setdefault(row(metric.removeprefix(of), kind, of), []).append((held / made, n, rate))
    return out


def coverage_table(rows: list, runs: int) -> str:
    """Mean and least coverage of each metric's interval over the settings."""
    lines = [
        f"Actual coverage of nominal 95 % over {runs:,} samples at each setting: n = 30 to 3,000, rates 0.02 to 0.5, "
        "10 rows or more of each class expected (families of five count as a third of their rows, weighted rows as "
        f"three quarters). Wanted: mean at least {MEAN_WANTED}, least at least {LEAST_WANTED:.2f}; the chance error of "
        "the least is about 0.01.",
        "",
        "| number | interval | settings | mean | least | at n, rate | |",
        "| --- | --- | --- | --- | --- | --- | --- |",
    ]
    for (metric, kind), found in sorted(_grouped(rows, lambda m: "test of" not in m).items()):
        mean, least = float(np.mean([f[0] for f in found])), min(found)
        verdict = "" if mean >= MEAN_WANTED and least[0] >= LEAST_WANTED else "approximate"
        where = f"{least[1]:,}, {least[2]:g}"
        lines.append(f"| {metric} | {kind} | {len(found)} | {mean:.3f} | {least[0]:.3f} | {where} | {verdict} |")
    return "\n".join(lines)


def size_table(rows: list) -> str:
    """How often a test at 5 % rejects a true tie."""
    lines = [
        "How often a test at the 5 % level rejects where two candidates, or a slice and its rest, are truly equal:", "",
        "| number | test | settings | mean | most | at n, rate |", "| --- | --- | --- | --- | --- | --- |",
    ]  # fmt: skip
    for (metric, kind), found in sorted(_grouped(rows, lambda m: "test of" in m).items()):
        most = max(found)
        mean = float(np.mean([f[0] for f in found]))
        lines.append(f"| {metric} | {kind} | {len(found)} | {mean:.3f} | {most[0]:.3f} | {most[1]:,}, {most[2]:g} |")
    return "\n".join(lines)


def best_table(best: list) -> str:
    """How often the truly best is among those not told apart from the best."""
    lines = [
        "How often the set not told apart from the best holds the truly best, where all candidates are equal "
        "(400 rows, 80 positive):", "",
        "| candidates | " + " | ".join(BEST) + " |", "| --- |" + " --- |" * len(BEST),
    ]  # fmt: skip
    for k in (3, 10, 30):
        shares = {name: held / runs for n, name, held, runs in best if n == k}
        lines.append(f"| {k} | " + " | ".join(f"{shares[name]:.3f}" for name in BEST) + " |")
    return "\n".join(lines)


if __name__ == "__main__":
    main()
