"""Curves: ROC and precision-recall of all candidates, of three classes or more of one class against the rest."""

from __future__ import annotations

from skarlo.core import Results, shown, with_interval
from skarlo.report import figures
from skarlo.report.blocks import Block, drawing, note
from skarlo.report.drafting import LEADS, joined, lead, read_on, title_of
from skarlo.report.scope import Scope, Shown, base_rate, class_read, of_class

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


def _blocks(reading: Reading) -> list[Block]:
    results, scope = reading.results, reading.scope
    many = results["holdout"]["positive"] is None
    chosen, said = (of_class(results, scope), _many) if many else (reading.chosen, _two)
    told = note(*read_on(results, scope))
    if not any("roc" in c.part for c in chosen):
        return [told]
    return [
        drawing("curves", figures.curves(chosen, base_rate(results, scope), said(results, scope, reading.chosen))),
        told,
    ]


CURVES = Exhibit(view="curves", reads=(*LEADS, "classes"), two=_two, many=_many, blocks=_blocks)
