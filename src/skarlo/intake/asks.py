"""What a study asks besides: own metrics, gates, and the published results it quotes."""

from __future__ import annotations

from decimal import Decimal

import polars as pl

from skarlo.core import (
    GATE_COUNTS,
    MEASURES,
    METRICS,
    UNTESTED_MEASURES,
    Band,
    FloatArray,
    Gate,
    OwnMetric,
    Quoted,
    formula,
)

from .columns import Loading, one_of
from .problems import Problem
from .read import as_number, as_text
from .spec import GateSpec, MetricSpec, StudySpec


def own_metrics(
    spec: StudySpec, table: pl.DataFrame, file: str, classes: list[str], doing: Loading
) -> tuple[tuple[OwnMetric, ...], dict[str, FloatArray]]:
    """The study's own metrics, and the numeric fields that they sum."""
    numeric = tuple(c for c in table.columns if c.isidentifier())
    out: list[OwnMetric] = []
    for m in spec.metrics:
        if m.name in (*METRICS, *GATE_COUNTS) or m.name in [o.name for o in out]:
            doing.misasked(f"metrics: the name {m.name} is taken")
            continue
        if m.measure is not None:
            if fault := _measure_fault(m, classes):
                doing.misasked(f"metrics: {m.name}: {fault}")
            out.append(OwnMetric(m.name, None, m.direction, {}, m.measure, m.parameters()))
            continue
        try:
            parsed = formula.parse(m.formula or "", tuple(m.costs), numeric)
        except formula.FormulaError as e:
            doing.misasked(f"metrics: {m.name}: {e}")
            continue
        out.append(OwnMetric(m.name, parsed, m.direction, m.costs))
    numbers: dict[str, FloatArray] = {}
    for name in sorted({field for m in out if m.formula for field, _ in m.formula.sums}):
        values, bad = as_number(table[name])
        text = as_text(table[name][bad]) if bad else None
        for k, i in enumerate(bad):
            found = text[k] if text is not None else ""
            message = "is not a number, and an own metric sums this field"
            doing.problems.append(Problem(message, file, i + 2, None, name, found, "a finite number"))
        numbers[name] = values
    return tuple(out), numbers


def _measure_fault(m: MetricSpec, classes: list[str]) -> str | None:
    """What is wrong with a measure in a study of these classes, if anything."""
    wanted = MEASURES[m.measure or ""].classes
    if wanted == "two" and len(classes) != 2:
        return f"{m.measure} is for two classes, and there are {len(classes)}"
    if wanted == "many" and len(classes) == 2:
        return f"{m.measure} is for three classes or more"
    if m.cost is not None and [len(row) for row in m.cost] != [len(classes)] * len(classes):
        shape = f"{len(m.cost)} by {'/'.join(str(len(row)) for row in m.cost)}"
        return f"cost is {shape}; expected {len(classes)} by {len(classes)}: a row for each actual class, in the order {', '.join(classes)}"  # noqa: E501
    if m.k is not None and m.k > len(classes):
        return f"k is {m.k}, and there are {len(classes)} classes"
    return None


def gates_of(spec: StudySpec, classes: list[str], own: tuple[OwnMetric, ...], doing: Loading) -> tuple[Gate, ...]:
    """The study's gates, each checked against what there is."""
    known = (METRICS.two if len(classes) == 2 else METRICS.many) + tuple(m.name for m in own) + GATE_COUNTS
    per_class = (*known, *METRICS.where(each_class=True))
    names = [c.name for c in spec.candidates]
    for i, g in enumerate(spec.gates, 1):
        for message, found, expected in _gate_faults(
            g, known if g.of_class is None else per_class, names, classes, spec
        ):
            doing.misasked(f"gates.{i}: {message}", found, expected)
    return tuple(
        Gate(g.metric, g.text, g.of_class, g.at_least, g.at_most, g.against, g.margin, g.read_at, g.on, tuple(g.every),
             g.where or "", g.level) for g in spec.gates
    )  # fmt: skip


def _gate_faults(
    g: GateSpec, known: tuple[str, ...], names: list[str], classes: list[str], spec: StudySpec
) -> list[tuple[str, str, str]]:
    out = []
    if g.metric not in known:
        out.append(("there is no such metric", g.metric, one_of(list(dict.fromkeys(known)))))
    if g.of_class is not None and g.of_class not in classes:
        out.append(("there is no such class", g.of_class, one_of(classes)))
    if g.on is not None and g.on not in names:
        out.append(("there is no such candidate", g.on, one_of(names)))
    if g.where is not None and g.where not in spec.conditions:
        out.append(
            (
                "there is no such condition",
                g.where,
                one_of(list(spec.conditions)) if spec.conditions else "[conditions]",
            )
        )
    if g.against is not None:
        if g.against != "runs now" and g.against not in names:
            out.append(("there is no such candidate to compare with", g.against, one_of([*names, "runs now"])))
        if g.against == "runs now" and not any(c.runs_now for c in spec.candidates):
            out.append(("no candidate runs now", g.against, "runs_now = true on one candidate"))
        if g.every:
            out.append(("against and every do not go together yet", ", ".join(g.every), "one of them"))
        if g.of_class is not None and g.of_class != spec.holdout.positive:
            out.append(("against a candidate, class is the positive one or left out", g.of_class, "no class"))
        if g.metric in GATE_COUNTS or any(m.name == g.metric and m.measure in UNTESTED_MEASURES for m in spec.metrics):
            out.append(("this metric has no paired test", g.metric, "another metric"))
    return out


def bands_of(spec: StudySpec, classes: list[str], doing: Loading) -> tuple[Band, ...]:
    """The bands for review."""
    if spec.bands and len(classes) > 2:
        doing.misasked("bands are for two classes", f"{len(classes)} classes")
    scored = [c.name for c in spec.candidates if c.predicted is None]
    for i, b in enumerate(spec.bands, 1):
        if b.on is not None and b.on not in scored:
            doing.misasked(f"bands.{i}: there is no such candidate with scores", b.on, one_of(scored))
    return tuple(Band(b.low, b.high, None if b.least_cost is None else b.least_cost.model_dump(), b.on)
                 for b in spec.bands)  # fmt: skip


def check_shown(spec: StudySpec, classes: list[str], doing: Loading) -> None:
    """What is to stand on screen has to be there."""
    known = [*(METRICS.two if len(classes) == 2 else METRICS.many), *(m.name for m in spec.metrics)]
    for name in spec.shown.metrics:
        if name not in known:
            doing.misasked("shown.metrics: there is no such metric", name, one_of(known))


def quoted_of(spec: StudySpec, classes: list[str], doing: Loading) -> tuple[Quoted, ...]:
    """Published results, with percent read as such; what cannot be one is a problem."""
    known = METRICS.two if len(classes) == 2 else METRICS.many
    out, names = [], [c.name for c in spec.candidates]
    for q in spec.quoted:
        if q.name in names:
            doing.misasked("a quoted result has a name that is taken", q.name)
        names.append(q.name)
        values = {}
        for name, value in q.metrics.items():
            if name not in known:
                doing.misasked(f"quoted {q.name}: there is no such metric", name, one_of(list(known)))
                continue
            low, high = METRICS[name].lower, METRICS[name].upper
            hundredth = float(Decimal(repr(value)) / 100)  # of what was written, not of the double next to it
            percent = not low <= value <= high and low <= hundredth <= high
            if percent:
                doing.findings.append({
                    "level": "note", "code": "quoted_in_percent",
                    "message": f"{q.name}: the quoted {name} of {value:g} is read as percent: {hundredth:g}",
                    "where": {"quoted": q.name, "metric": name},
                })  # fmt: skip
            elif not low <= value <= high:
                doing.misasked(f"quoted {q.name}: no {name} has this value", f"{value:g}", f"{low:g} to {high:g}")
            values[name] = hundredth if percent else value
        k = len(classes)
        if q.matrix is not None and ([len(row) for row in q.matrix] != [k] * k or not any(map(sum, q.matrix))):
            shape = f"{len(q.matrix)} by {'/'.join(str(len(r)) for r in q.matrix)}"
            doing.misasked(f"quoted {q.name}: the matrix does not fit", shape, f"{k} by {k} counts, not all 0")
            continue
        out.append(Quoted(q.name, q.source, values, None if q.matrix is None else tuple(map(tuple, q.matrix))))
    return tuple(out)
