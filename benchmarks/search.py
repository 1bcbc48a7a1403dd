"""Slices, the search for the worst of them, and conditions, on made-up rows: ratios to Polars, measured in one run.

With --study the search runs over many made-up studies instead, with nothing to find and with one slice that is served
worse; its table goes into docs/methods.md."""

from __future__ import annotations

import argparse
import resource
import tempfile
import time
from collections.abc import Callable
from itertools import combinations
from pathlib import Path

import numpy as np
import polars as pl

from skarlo import core
from skarlo.core import Numbers, Texts, search_field
from skarlo.core.compare import search as finding
from skarlo.core.compare.search_measures import Loss, Rate
from skarlo.core.compare.slices import sliced
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics.panel import Reading
from tally import medians


def fields_of(n: int, many: int, rng: np.random.Generator) -> dict[str, Numbers | Texts]:
    """Numbers and categories by turns."""
    out: dict[str, Numbers | Texts] = {}
    for i in range(many):
        out[f"f{i}"] = Numbers(rng.normal(size=n).round(2)) if i % 2 else Texts(list("abcdef"), rng.integers(0, 6, n))
    return out


def searched(n: int) -> None:
    """Over all pairs of 20 fields, against a group_by of the same counts for each pair."""
    rng = np.random.default_rng(0)
    inside = np.ones(n, dtype=bool)
    fields = [search_field(name, x, "number" if isinstance(x, Numbers) else "text", inside)
              for name, x in fields_of(n, 20, rng).items()]  # fmt: skip
    over = rng.random(n) < 0.3
    hit = over & (rng.random(n) < 0.6)
    table = pl.DataFrame({f.name: f.codes for f in fields} | {"over": over, "hit": hit})
    found = finding.search(fields, Rate(over, hit, True), inside)
    took = medians({
        "ours": lambda: finding.search(fields, Rate(over, hit, True), inside),
        "polars": lambda: [table.group_by(a.name, b.name, "over", "hit").len() for a, b in combinations(fields, 2)],
    }, 3)  # fmt: skip
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{n:>11,} rows  a Polars group_by for each pair of 20 fields / the whole search: "
          f"{took['polars'] / took['ours']:.1f}  ({found.looked_at:,} slices, {found.looked_at / took['ours']:,.0f} a "
          f"second, {most:,.0f} MiB)")  # fmt: skip


def one_field(n: int) -> None:
    """One-field slices by 20 fields for 4 candidates, all metrics of counts with intervals, against a group_by of the
    same counts."""
    rng = np.random.default_rng(3)
    actual = (rng.random(n) < 0.3).astype(np.int64)
    said = [np.where(rng.random(n) < 0.8, actual, 1 - actual) for _ in range(4)]
    fields = [core.Field(f"f{i}", tuple("abcdef"), rng.integers(0, 6, n)) for i in range(20)]
    reading = Reading(("no", "yes"), 1, core.Settings())
    inside = np.ones(n, dtype=bool)
    lists = [(f,) for f in fields]

    def ours() -> None:
        for p in said:
            sliced(Answers.of_classes(actual, p), lists, inside, reading, rest=False)

    table = pl.DataFrame(
        {f.name: f.codes for f in fields} | {"actual": actual} | {f"p{i}": p for i, p in enumerate(said)}
    )

    def polars() -> None:
        for i in range(4):
            for f in fields:
                table.group_by(f.name, "actual", f"p{i}").len()

    took = medians({"ours": ours, "polars": polars}, 3)
    print(f"{n:>11,} rows  slices by each of 20 fields for 4 candidates, with intervals / a Polars group_by of the "
          f"same counts: {took['ours'] / took['polars']:.2f}")  # fmt: skip


def conditions(n: int) -> None:
    """A condition over all rows, against the same filter in Polars."""
    rng = np.random.default_rng(1)
    girth, ward = rng.normal(80, 20, n), rng.integers(0, 6, n)
    names = core.ConditionNames({"girth": "number", "ward": "text"}, ("no", "yes"))
    columns = {"girth": Numbers(girth), "ward": Texts(list("abcdef"), ward)}
    text = 'ward in ("a", "c") and (girth >= 90 or girth between 40 and 60) and not girth is absent'
    told = core.parse_condition(text, names)
    table = core.ConditionTable(n, columns.__getitem__, None, None, None, None)  # type: ignore[arg-type]
    frame = pl.DataFrame({"girth": girth, "ward": pl.Series(np.array(list("abcdef"))[ward], dtype=pl.Categorical)})
    girth_is, ward_is = pl.col("girth"), pl.col("ward")
    wanted = ward_is.is_in(["a", "c"]) & ((girth_is >= 90) | girth_is.is_between(40, 60)) & girth_is.is_not_null()
    assert told.evaluate(table).true.tolist() == frame.select(wanted).to_series().to_list()
    each: dict[str, Callable[[], object]] = {
        "ours": lambda: told.evaluate(table),
        "polars": lambda: frame.select(wanted),
    }
    took = medians(each, 9)
    print(f"{n:>11,} rows  a condition / the same filter in Polars: {took['ours'] / took['polars']:.2f}")


def casebook(n: int) -> None:
    """The first page of a filter, in each order, as the server makes it."""
    from skarlo.intake.joined import joined
    from skarlo.studies.rows import Rows, Wanted, as_parquet

    rng = np.random.default_rng(2)
    actual = rng.integers(0, 2, n)
    score = rng.random(n)
    every = {"all": np.ones(n, dtype=bool)}
    one = core.Candidate("net", score=score, cutoff=core.Cutoff(0.5))
    study = core.Study("q", ("no", "yes"), actual, 1, every, "all", None, (one,))
    table = pl.DataFrame({"id": pl.Series(np.arange(n)).cast(pl.String), "girth": rng.normal(80, 20, n),
                          "ward": np.array(list("abcdef"))[rng.integers(0, 6, n)]})  # fmt: skip
    whole = joined(table, actual, every, [], every["all"])
    whole = whole.with_columns(pl.Series("0:score", score), pl.Series("0:place", np.arange(1, n + 1)))
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "rows.parquet"
        path.write_bytes(b"".join(as_parquet(whole)))
        rows = Rows(path, study, [one.cutoff], ["A"], {"id"})
        told = core.parse_condition('ward = "c" and predicted(A) != actual', rows.names())
        for sort in ("row", "wrong", "unsure", "field:girth"):
            wanted = Wanted(condition=told, candidate=0, sort=sort)
            rows.page(wanted)
            start = time.perf_counter()
            rows.page(wanted)
            print(f"{n:>11,} rows  a new filter, its first page, order {sort}: {time.perf_counter() - start:.3f} s")


METHODS = Path(__file__).parents[1] / "docs" / "methods.md"
WORLDS = ((500, 4, 0.3), (2000, 6, 0.3), (2000, 6, 0.05))


def study(seeds: int) -> None:
    """Where there is nothing to find, in how many studies anything survives; where one slice is served worse, in how
    many it is the first find, or folded under it. The table goes into docs/methods.md."""
    lines = [
        f"Over {seeds} studies with shuffled answers, and {seeds} in which one value of one category is found in 30 of "
        "100 where others are in 60; 5 % is promised of the first.", "",
        "| rows | fields | class | by | slices looked at | anything found where nothing is | the planted slice first |",
        "| --- | --- | --- | --- | --- | --- | --- |",
    ]  # fmt: skip
    for rows, fields, share in WORLDS:
        for by in ("recall", "error", "log_loss"):
            told = [_one(rows, fields, share, by, seed, worse) for worse in (False, True) for seed in range(seeds)]
            looked = sum(t[0] for t in told) / len(told)
            none, planted = told[:seeds], told[seeds:]
            lines.append(
                f"| {rows:,} | {fields} | {share:g} | {by} | {looked:,.0f} | {sum(t[1] for t in none) / seeds:.3f} | "
                f"{sum(t[2] for t in planted) / seeds:.3f} |"
            )
            print(lines[-1], flush=True)
    text = "\n".join(lines)
    head, _, rest = METHODS.read_text(encoding="utf-8").partition("<!-- search -->")
    _, _, tail = rest.partition("<!-- /search -->")
    METHODS.write_text(f"{head}<!-- search -->\n{text}\n<!-- /search -->{tail}", encoding="utf-8")


def _one(rows: int, fields: int, share: float, by: str, seed: int, worse: bool) -> tuple[int, bool, bool]:
    """Slices looked at, whether anything was found, and whether the first find is the planted slice."""
    rng = np.random.default_rng(seed)
    inside = np.ones(rows, dtype=bool)
    values = fields_of(rows, fields, rng)
    made = [search_field(name, x, "number" if isinstance(x, Numbers) else "text", inside) for name, x in values.items()]
    over = rng.random(rows) < share
    first = values["f0"]
    assert isinstance(first, Texts)
    rate = np.where((first.codes == 2) & worse, 0.3, 0.6)
    hit = rng.random(rows) < rate
    measure: Rate | Loss = Rate(over, over & hit, True)
    if by == "error":
        measure = Loss((~hit).astype(np.float64))
    elif by == "log_loss":
        measure = Loss(rng.exponential(np.where(hit, 0.3, 1.2)))
    found = finding.search(made, measure, inside)
    kept = found.kept[0] if found.kept else None
    named = [] if kept is None else [kept.found.text, *(f.text for f in (*kept.folded, *kept.sharper))]
    return found.looked_at, bool(found.kept), 'f0 = "c"' in named


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--rows", type=int, default=1_000_000)
    options.add_argument("--study", type=int, default=0, metavar="SEEDS", help="how often it keeps its promise")
    given = options.parse_args()
    if given.study:
        study(given.study)
        return
    one_field(given.rows)
    searched(given.rows)
    conditions(given.rows)
    casebook(given.rows)


if __name__ == "__main__":
    main()
