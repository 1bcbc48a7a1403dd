"""Curves: ROC and precision-recall of all candidates, of three classes or more of one class against the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, cast

from skarlo.core import Metric, Part, Results, as_set, count, shown, with_interval
from skarlo.report import figures
from skarlo.report.blocks import Block, Row, drawing, note, table, texts
from skarlo.report.drafting import LEADS, joined, lead, read_on, title_of
from skarlo.report.scope import Scope, Shown, base_rate, candidates, class_read, of_class

from .cells import who
from .entry import Exhibit, Reading


def _two(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    parts = [s for s in (lead(results, scope, m) for m in ("roc_auc", "average_precision")) if s]
    if not parts:
        return "These candidates answer classes only: there is no score to draw a curve from."
    return f"{joined(parts)}, where guessing gives {shown(base_rate(results, scope))}."


def _many(results: Results, scope: Scope, chosen: list[Shown]) -> str:
    """Who has the highest areas of the class that is read against the rest; no test compares these."""
    label, names = class_read(results, scope), results["holdout"].get("names", {})
    said: list[str] = []
    for metric in ("roc_auc", "average_precision"):
        scored = [c for c in of_class(results, scope) if c.part["metrics"][metric]["value"] is not None]
        if not scored:
            continue
        first = max(scored, key=lambda c: c.part["metrics"][metric]["value"] or 0.0)
        value = with_interval(first.part["metrics"][metric])
        has = "stands at" if len(scored) == 1 else "has the highest value,"
        said.append(f"{'On' if not said else 'on'} {title_of(metric)}, {first.name} {has} {value}")
    if not said:
        return "These candidates answer classes only: there is no probability to draw a curve from."
    tested = "" if len(chosen) == 1 else "; not tested"
    return f"“{names.get(label, label)}” against the rest. {'; '.join(said)}{tested}."


TITLES = {"roc_auc": "ROC AUC", "average_precision": "Average precision"}
AREA = {"roc": "roc_auc", "pr": "average_precision", "recall": "roc_auc", "lift": "roc_auc"}
CORNERS = {"roc": ("fpr", "recall"), "pr": ("recall", "precision")}


def _many_classes(results: Results) -> bool:
    return results["holdout"]["positive"] is None


def _over_classes(results: Results, scope: Scope) -> bool:
    """Whether one candidate's classes are drawn over each other, and not the candidates."""
    return _many_classes(results) and scope.own.get("over") == "classes"


def _up_to(scope: Scope) -> float:
    """Up to which false-positive rate a part of the area is told; 0 for none."""
    try:
        typed = float(scope.own.get("upto", ""))
    except ValueError:
        return 0.0
    return typed if 0 < typed <= 1 else 0.0


def _shows(results: Results, scope: Scope) -> tuple[Part, ...]:
    lines = (Part("lines", scope.split), Part("classes", scope.split))
    if _over_classes(results, scope):
        return *lines, Part("averaged", scope.split)
    more = [Part("areas", scope.split, rate=_up_to(scope))] if _up_to(scope) or scope.own.get("lines") == "yes" else []
    return *lines, *more, Part("bands", scope.split)


def _blocks(reading: Reading) -> list[Block]:
    results, scope = reading.results, reading.scope
    many = _many_classes(results)
    chosen, said = (of_class(results, scope), _many) if many else (reading.chosen, _two)
    if not any("roc" in c.part for c in chosen):
        return [note(*read_on(results, scope))]
    planes = ("recall", "lift") if scope.own.get("draw") == "gain" else ("roc", "pr")
    sentence = said(results, scope, reading.chosen)
    if _over_classes(results, scope):
        lines, blocks = _class_lines(reading, planes)
    else:
        lines, blocks = _candidate_lines(reading, chosen, planes), _areas(reading, chosen)
    return [
        drawing("curves", figures.curves(lines, planes, base_rate(results, scope), sentence)),
        *blocks,
        note(*read_on(results, scope)),
    ]


def _points(part: Mapping[str, Any], plane: str) -> figures.Points | None:
    """A plane's curve of a part, or of what it tells of a class."""
    if plane in ("recall", "lift"):
        gain = part.get("gain")
        if gain is None:
            return None
        there = [(x, y) for x, y in zip(gain["flagged_share"], gain[plane], strict=True) if y is not None]
        return [x for x, _ in there], [y for _, y in there]
    curve = part.get(plane)
    if not curve:
        return None
    return (curve["fpr"], curve["tpr"]) if plane == "roc" else (curve["recall"], curve["precision"])


def _of_planes(part: Mapping[str, Any], planes: Sequence[str]) -> dict[str, figures.Points]:
    return {plane: found for plane in planes if (found := _points(part, plane)) is not None}


def _candidate_lines(reading: Reading, chosen: Sequence[Shown], planes: Sequence[str]) -> list[figures.Line]:
    front = _in_front(reading, chosen, planes)
    out = []
    for c in chosen:
        found = _of_planes(c.part, planes)
        metrics = c.part["metrics"]
        areas = {plane: metrics[AREA[plane]]["value"] if AREA[plane] in metrics else None for plane in planes}
        corners = {plane: [metrics.get(name) for name in CORNERS[plane]] for plane in planes if plane in CORNERS}
        at = {
            plane: (x["value"], y["value"]) for plane, (x, y) in corners.items()
            if x and y and x["value"] is not None and y["value"] is not None
        }  # fmt: skip
        ringed = at if found and c.result["cutoff"] is not None else {}
        alone = {} if found or c.result["cutoff"] is not None else {
            plane: (_ends(x), _ends(y)) for plane, (x, y) in corners.items() if plane in at and x and y
        }  # fmt: skip
        band = pr_band = None
        if c is front and "roc_band" in (told := _told(reading, c)):
            sides = told["roc_band"]
            upper, lower = ((sides[side]["fpr"], sides[side]["tpr"]) for side in ("upper", "lower"))
            band = upper, lower
            around = told.get("pr_band")
            pr_band = (around["recall"], around["low"], around["high"]) if around else None
        out.append(figures.Line(c.letter, c.colour, figures.DASHES[c.dash], found, areas, ringed, alone, band, pr_band))
    return out


def _ends(m: Metric) -> figures.Ends:
    """A value between its ends; itself where it has none."""
    value = m["value"] or 0.0
    low, high = m.get("low"), m.get("high")
    return (value if low is None else low, value, value if high is None else high)


def _in_front(reading: Reading, chosen: Sequence[Shown], planes: Sequence[str]) -> Shown | None:
    """The candidate whose band is drawn: the one that was chosen, or that with the largest area."""
    if "roc" not in planes:
        return None
    drawn = [c for c in chosen if "roc" in c.part]
    wanted = [c for c in drawn if c.letter == reading.scope.own.get("front")]
    highest = sorted(drawn, key=lambda c: -(c.part["metrics"]["roc_auc"]["value"] or 0.0))
    return next(iter([*wanted, *highest]), None)


def _told(reading: Reading, c: Shown) -> Mapping[str, Any]:
    """What further parts tell of a candidate, of the class that is read."""
    further = {x.position: x.part for x in candidates(reading.further(), reading.scope)}
    part: Mapping[str, Any] = further[c.position]
    if _many_classes(reading.results):
        return part["per_class"][class_read(reading.results, reading.scope)]  # type: ignore[no-any-return]
    return part


def _areas(reading: Reading, chosen: Sequence[Shown]) -> list[Block]:
    """The areas with their intervals, with those by other methods that were asked for."""
    up_to, straight = _up_to(reading.scope), reading.scope.own.get("lines") == "yes"
    if not up_to and not straight:
        return []
    head = [*TITLES.values(), *([f"ROC up to {as_set(up_to)}"] if up_to else []), *(["by straight lines"] * straight)]
    rows: list[Row] = []
    for c in chosen:
        other = _told(reading, c).get("areas", {})
        said = [with_interval(c.part["metrics"][name]) for name in TITLES]
        if up_to:
            said.append(with_interval(other["partial_area"]) if "partial_area" in other else "—")
        if straight:
            said.append(shown(other.get("average_precision_trapezoid")))
        rows.append({"cells": [who(c), *texts(*said)]})
    too_high = "the area under precision-recall by straight lines between points lies above what can be reached"
    return [table(texts("Candidate", *head), rows), *([note(too_high)] if straight else [])]


MOST_CLASSES = 6  # with a line of their own beside the one that is read; the others are pale
MEANS = (("macro", "m", "plain mean"), ("micro", "p", "pooled"))


def _class_lines(reading: Reading, planes: Sequence[str]) -> tuple[list[figures.Line], list[Block]]:
    """One candidate's classes over each other, with the mean of their curves and the one of all pairs pooled; and a
    table of what is drawn."""
    results, scope = reading.results, reading.scope
    labels, names = results["holdout"]["classes"], results["holdout"].get("names", {})
    able = [c for c in reading.chosen if any("roc" in one for one in c.part["per_class"].values())]
    c = next(iter([*(c for c in able if c.letter == scope.own.get("front")), *able]))
    read, per_class = class_read(results, scope), c.part["per_class"]
    areas: dict[str, dict[str, Metric | None]] = {
        label: {name: cast(Metric | None, per_class[label].get(name)) for name in TITLES} for label in labels
    }
    lowest = sorted(labels, key=lambda x: 2.0 if not (m := areas[x]["roc_auc"]) or m["value"] is None else m["value"])
    lines, rows = [], list[Row]()
    for i, label in enumerate(labels):
        one, told = per_class[label], areas[label]
        at = {plane: m["value"] if (m := told[AREA[plane]]) else None for plane in planes}
        lines.append(figures.Line(
            str(i + 1), c.colour if label == read else figures.SOFT,
            "-" if label == read else figures.DASHES[i % len(figures.DASHES)], _of_planes(one, planes), at, {},
            faint=label != read and label not in lowest[:MOST_CLASSES],
        ))  # fmt: skip
        rows.append(_class_row(str(i + 1), names.get(label, label), count(one["actual_rows"]), told))
    averaged = _averaged(reading, c)
    for kind, letter, title in MEANS:
        means = _mean_areas(c, kind)
        rows.append(_class_row(letter, title, "", means))
        if kind in averaged:
            at = {plane: m["value"] if (m := means[AREA[plane]]) else None for plane in planes}
            lines.append(figures.Line(letter, figures.INK, "-" if kind == "macro" else (0, (6, 3)),
                                      _of_planes(averaged[kind], planes), at, {}))  # fmt: skip
    head = texts("", f"Classes of {c.name}", "rows", *TITLES.values())
    return lines, [table(head, rows), note("no test compares classes")]


def _averaged(reading: Reading, c: Shown) -> Mapping[str, Any]:
    further = {x.position: x.part for x in candidates(reading.further(), reading.scope)}
    found: Mapping[str, Any] = further[c.position]
    return found.get("averaged") or {}


def _mean_areas(c: Shown, kind: str) -> dict[str, Metric | None]:
    if kind == "micro":
        return {name: c.part["metrics"].get(f"{name}_micro") for name in TITLES}
    averages = c.part.get("averages", {}).get("macro", {})
    return {"roc_auc": c.part["metrics"].get("roc_auc_macro"), "average_precision": averages.get("average_precision")}


def _class_row(letter: str, name: str, rows: str, told: Mapping[str, Metric | None]) -> Row:
    return {"cells": texts(letter, name, rows, *(with_interval(m) if m else "—" for m in told.values()))}


CURVES = Exhibit(view="curves", reads=(*LEADS, "classes"), shows=_shows, two=_two, many=_many, blocks=_blocks)
