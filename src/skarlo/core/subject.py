"""A candidate or a baseline at its cutoff, and each part of the results that one split of it has."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, TypeVar

from .compare import cells, expected
from .compare.pairs import Entrant
from .compare.slices import few_rows
from .compare.splits import gap
from .counting import curves, outcomes
from .counting.answers import Answers, effective_rows
from .counting.table import row_shares
from .counting.tally import Tally
from .decide import confidence, cutoffs, net_benefit, review
from .metrics import classes, counts, own, panel, ranking, reliability
from .metrics.panel import Reading
from .number import absent
from .once import Once, lazy
from .parts import Curves, Part
from .prepared import OnSplit, Prepared
from .results import CandidateResult
from .sliced import Sliced
from .study import Band, CutoffStudy, OwnMetric

T = TypeVar("T")


@dataclass(frozen=True)
class Subject:
    """A candidate or a baseline at its cutoff.

    Attributes
    ----------
    ready : the study; what no cutoff changes is kept with it
    once : where the rest is kept
    how : how its curves are written
    key : what it is called where values are kept
    about : what is told of it before anything is evaluated
    on : its rows on a split
    peers : all candidates, of which conditions speak by name or letter
    """

    ready: Prepared
    once: Once
    how: Curves
    key: tuple[str, object]
    about: CandidateResult
    reading: Reading
    left_out: bool
    on: Callable[[str], OnSplit]
    peers: Callable[[], Sequence[Subject]] = tuple

    @property
    def name(self) -> str:
        return self.about["name"]

    @property
    def is_baseline(self) -> bool:
        return self.key[0] == "baseline"

    def of(self, part: Part) -> Any:
        """A part of a split; None where it has nothing of the kind."""
        key = (part, self.key)
        make = partial(PARTS[part.kind], self, part)
        return self.once.get(key, make) if part.moves else self.ready.once.get((*key, self.how), make)

    def reported(self, kind: str) -> Any:
        """A part of the reported split."""
        return self.of(Part(kind, self.ready.study.report_on))

    @property
    def entrant(self) -> Entrant:
        """As pairs and gates read it."""
        whole = self.on(self.ready.study.report_on).whole
        return Entrant(self.name, whole, self.left_out, self.reported("lines")["metrics"], self.reading, self.key)

    def answering(self, split: str) -> Entrant:
        """Its answers on a split, without its numbers."""
        return Entrant(self.name, self.on(split).whole, self.left_out, {}, self.reading, self.key)

    def too_few(self, split: str) -> str:
        """Why only counts are told of a split of a slice that was picked out; empty where all is."""
        study, least = self.ready.study, self.reading.settings.min_slice
        if not study.picked:
            return ""
        a = self.on(split).judged
        rows = len(a.actual) if a.weight is None else int((a.weight > 0).sum())
        return few_rows(least) if rows < least else ""

    def kept(self, split: str, what: str, make: Callable[[], T]) -> T:
        """What no cutoff changes on a split."""
        return self.ready.once.get((what, *self.key, split), make)

    def _values(self, part: Part) -> dict[str, float | None]:
        a = self.on(part.split).judged
        if self.too_few(part.split):
            return dict.fromkeys(self.reading.metrics)
        return {name: panel.value(name, a, self.reading) for name in self.reading.metrics}

    def _lines(self, part: Part) -> dict[str, Any]:
        on, reading = self.on(part.split), self.reading
        a, t, few = on.judged, on.judged.table, self.too_few(part.split)
        out: dict[str, Any] = {
            "rows": len(a.actual),
            "actual": {label: int((a.actual == k).sum()) for k, label in enumerate(reading.classes)},
            "no_answer": int((~on.whole.answered).sum()),
            "matrix": None if t is None else t.cells.tolist(),
        }
        if t is not None:
            shares = row_shares(t.cells.tolist())
            out |= {"shares": [[None] * len(row) for row in shares] if few else shares, "errors": t.errors}
            if reading.positive is not None:
                out["outcomes"] = outcomes.of_table(t.cells, reading.positive)
        if few:
            return out | {"metrics": {name: absent(few) for name in reading.metrics}}
        scores = self.kept(part.split, "scores", lambda: panel.of_scores(a, reading))
        return out | {"metrics": panel.metrics(a, reading, scores)}

    def _classes(self, part: Part) -> dict[str, Any]:
        a, reading, few = self.on(part.split).judged, self.reading, self.too_few(part.split)
        if few:
            return {"per_class": panel.counted_classes(a, reading, few), "averages": counts.no_averages(few)}
        areas = self.kept(part.split, "areas", lambda: panel.class_areas(a, reading))
        per_class = panel.per_class(a, reading, areas)
        if reading.positive is None:
            for label, gap in cells.share_gaps(a, reading).items():
                per_class[label]["share_gap"] = gap
        if a.table is None:
            return {"per_class": per_class, "averages": counts.no_averages(reading.no_cutoff)}
        told = [dict(p) for p in per_class.values()]
        averages = counts.averages(a.table, reading.settings.sampling, told)  # type: ignore[arg-type]
        if a.probable is not None:
            averages["macro"]["average_precision"] = panel.averaged(a, reading.settings.confidence)
        return {"per_class": per_class, "averages": averages}

    def _gap(self, part: Part) -> dict[str, Any] | None:
        """Every metric here less that on the reported split."""
        report_on = self.ready.study.report_on
        if part.split == report_on or self.is_baseline or self.too_few(part.split) or self.too_few(report_on):
            return None
        here, there = self.on(part.split).judged, self.on(report_on).judged
        found = {name: m for name, m in self.of(Part("lines", part.split))["metrics"].items() if name != "prevalence"}
        if not len(here.actual) or not len(there.actual):
            return None
        return {"gap": gap(here, there, found, self.reading)}

    def _areas(self, part: Part) -> dict[str, Any] | None:
        """Areas by other methods: of two classes, or of each class against the rest."""
        a, confidence = self.on(part.split).judged, self.reading.settings.confidence
        if self.is_baseline or self.too_few(part.split):
            return None

        def told(one: Answers) -> dict[str, Any] | None:
            t = one.tally
            if t is None or t.positives <= 0 or t.negatives <= 0:
                return None
            out: dict[str, Any] = {"average_precision_trapezoid": ranking.trapezoid_area(t)}
            if part.rate:
                upto = OwnMetric(
                    "partial area", None, "higher", measure="partial_area", parameters={"fpr_at_most": part.rate}
                )
                out["partial_area"] = own.partial_area_estimate(upto, one, t).metric(confidence)
            return out

        if a.probable is None:
            found = told(a) if a.scored is not None else None
            return {"areas": found} if found else None
        each = (classes.against_rest(one, a.with_answer) for one in a.probable.of_class)
        found_of = {x: told(one) for x, one in zip(self.reading.classes, each, strict=True)}
        per_class = {x: {"areas": areas} for x, areas in found_of.items() if areas}
        return {"per_class": per_class} if per_class else None

    def _averaged(self, part: Part) -> dict[str, Any] | None:
        """The mean of the classes' curves, and that of all pairs of a row and a class."""
        a = self.on(part.split).judged
        if self.is_baseline or a.probable is None or self.too_few(part.split) or classes.class_areas(a) is None:
            return None
        drawn = {
            "macro": {"roc": classes.macro_roc(a), "pr": classes.macro_pr(a)},
            "micro": {"roc": curves.roc_curve(t := panel.pooled_tally(a)), "pr": curves.pr_curve(t)},
        }
        return {"averaged": {
            kind: {name: curves.listed(c, curves.thinned(c)) for name, c in each.items()}
            for kind, each in drawn.items()
        }}  # fmt: skip

    def _curves(self, part: Part) -> dict[str, Any] | None:
        if self.is_baseline or self.too_few(part.split):
            return None
        drawn = _draw(self.on(part.split).judged, self.reading, self.how)
        return drawn.get(None, {"per_class": drawn} if drawn else None)

    def _bands(self, part: Part) -> dict[str, Any] | None:
        if self.is_baseline or self.too_few(part.split):
            return None
        a = self.on(part.split).judged
        s = self.reading.settings
        drawn = _each_class(a, self.reading, partial(_banded, a, s.confidence, s.min_denominator))
        return drawn.get(None, {"per_class": drawn} if drawn else None)

    def _net_benefit(self, part: Part) -> dict[str, Any] | None:
        a = self.on(part.split).judged
        if not self._probable(part.split):
            return None
        return {"net_benefit": net_benefit.net_benefit_curve(a, self.reading.settings.confidence)}

    def _calibration(self, part: Part) -> dict[str, Any] | None:
        """Of two classes the scores; of more the largest probability against right or wrong, and each class's."""
        a = self.on(part.split).judged
        if self.is_baseline or self.too_few(part.split):
            return None
        if a.probable is not None:
            b = a.with_answer
            if not len(b.actual) or (b.weight is not None and not b.weight.any()):
                return None
            each = [self._reliable(classes.against_rest(one, b)) for one in a.probable.of_class]
            likely = self._reliable(classes.against_rest(a.probable.likely, b))
            return {**likely, "per_class": dict(zip(self.reading.classes, each, strict=True))}
        return self._reliable(a) if self._probable(part.split) else None

    def _reliable(self, a: Answers) -> dict[str, Any]:
        s = self.reading.settings
        assert a.tally is not None
        return {"calibration": reliability.block(a, a.tally, s.bins, s.sampling)}

    def _probable(self, split: str) -> bool:
        """Whether there are rows with scores that may be read as probabilities, and enough of them."""
        a = self.on(split).judged
        there = a.tally is not None and a.is_probability and a.tally.rows > 0
        return there and not self.is_baseline and not self.too_few(split)

    def _expected(self, part: Part) -> dict[str, Any] | None:
        rates = (part.rate,) if part.rate else self.ready.study.expected_base_rate
        if self.is_baseline or not rates or self.reading.positive is None or self.too_few(part.split):
            return None
        a = self.on(part.split).judged
        told = [expected.restate(a, self.reading, pi, part.prices) for pi in rates]
        return {"at_expected_base_rate": told[0] if len(told) == 1 else told}

    def _cost(self, part: Part) -> dict[str, Any] | None:
        a = self.on(part.split).judged
        if not part.prices or self.is_baseline or self.too_few(part.split):
            return None
        if a.positive is None or a.table is None:
            return None
        return {"cost": own.cost_of_outcomes(a, part.prices, self.reading.settings)}

    def _sweep(self, part: Part) -> dict[str, Any] | None:
        step = part.step or (self.ready.study.cutoff_study or CutoffStudy()).step
        a = self.on(part.split).judged
        if a.probable is not None:
            return self._confidence(a, part.split, step)
        return {"sweep": cutoffs.sweep(a, self.reading, step)} if self.cut(part.split) else None

    def _confidence(self, a: Answers, split: str, step: float) -> dict[str, Any] | None:
        """Of three classes and more, the answers that are given with so much probability at least."""
        if self.is_baseline or self.too_few(split) or not len(a.with_answer.actual):
            return None
        each = [confidence.sweep(a, self.reading, step, k) for k in range(len(self.reading.classes))]
        of_class = {label: {"sweep": one} for label, one in zip(self.reading.classes, each, strict=True)}
        whole = confidence.sweep(a, self.reading, step)
        return {"sweep": whole, "risk_area": confidence.risk_area(a), "per_class": of_class}

    def _withheld(self, part: Part) -> dict[str, Any] | None:
        a = self.on(part.split).judged
        if a.probable is None or self.is_baseline or self.too_few(part.split) or not len(a.with_answer.actual):
            return None
        least = dict(part.least).get(self.name, 0.0)

        def told(k: int | None = None) -> dict[str, Any]:
            return {"withheld": {"least": least, "metrics": confidence.at_cutoff(a, self.reading, least, k)}}

        return {**told(), "per_class": {label: told(k) for k, label in enumerate(self.reading.classes)}}

    def _choice(self, part: Part) -> dict[str, Any] | None:
        a, s, cutoff = self.on(part.split).judged, self.reading.settings, self.about["cutoff"]
        if not self.cut(part.split) or cutoff is None:
            return None
        rule, parameters = cutoff["rule"], cutoff.get("parameters") or {}
        found = self.kept(
            part.split, f"stretch {rule} {sorted(parameters.items())}",
            lambda: cutoffs.stretch(a, self.reading, rule, parameters),
        )  # fmt: skip
        value, catches = cutoff["value"], (self.ready.study.cutoff_study or CutoffStudy()).catches
        told: dict[str, Any] = {"stretch": found}
        if value is not None:
            told["next_catch"] = cutoffs.next_catch(a, value, catches, s.confidence)
            told["last_catch"] = cutoffs.last_catch(a, value, catches, s.confidence)
        return told

    def _review(self, part: Part) -> dict[str, Any] | None:
        if not self.cut(part.split):
            return None
        a = self.on(part.split).judged
        told = []
        asked = (Band(part.band[0], part.band[1]),) if part.band else self.ready.study.bands
        for band in asked:
            if band.on not in (None, self.name):
                continue
            low, high = self._band(band, part.split)
            told.append(review.of_band(a, self.reading, band, low, high))
        return {"bands": told} if told else None

    def _band(self, band: Band, split: str) -> tuple[float, float]:
        """Its ends, or those of least cost on the tuning rows; where there are none on the rows it is read on."""
        if band.least_cost is None:
            low, high = band.low, band.high
            return -math.inf if low is None else low, math.inf if high is None else high
        tune_on = self.ready.study.tune_on
        a = self.on(tune_on if tune_on is not None and self.cut(tune_on) else split).judged
        assert a.tally is not None
        return review.least_cost(a.tally, a.class_rows[0], **band.least_cost)

    def cut(self, split: str) -> bool:
        """Whether there are rows with scores of two classes, on which a cutoff can stand."""
        a = self.on(split).judged
        there = a.positive is not None and a.tally is not None and a.tally.rows > 0
        return there and not self.is_baseline and not self.too_few(split)

    @lazy
    def sliced(self) -> Sliced:
        """Its rows by fields, named conditions and marks."""
        return Sliced(self)


PARTS: dict[str, Callable[[Subject, Part], Any]] = {
    "values": Subject._values,
    "lines": Subject._lines,
    "classes": Subject._classes,
    "curves": Subject._curves,
    "areas": Subject._areas,
    "gap": Subject._gap,
    "averaged": Subject._averaged,
    "bands": Subject._bands,
    "net_benefit": Subject._net_benefit,
    "calibration": Subject._calibration,
    "expected": Subject._expected,
    "cost": Subject._cost,
    "withheld": Subject._withheld,
    "sweep": Subject._sweep,
    "choice": Subject._choice,
    "review": Subject._review,
    "slices": lambda s, part: s.sliced.slices_part(part),
    "alike": lambda s, part: s.sliced.alike_part(part),
}


def _draw(a: Answers, reading: Reading, how: Curves) -> dict[str | None, dict[str, Any]]:
    """The curves: of the split with two classes (under None), of each class with more."""
    return {} if how == "none" else _each_class(a, reading, lambda t: _curves(t, how))


def _each_class(
    a: Answers, reading: Reading, make: Callable[[Tally], dict[str, Any]]
) -> dict[str | None, dict[str, Any]]:
    """What is made of the scores: of two classes (under None), or of each class against the rest."""
    labels: list[str | None] = [None] if reading.positive is not None else list(reading.classes)
    out = {}
    for k, label in enumerate(labels):
        t = a.one_against_rest(k) if label is not None else a.tally
        if t is not None and t.positives > 0 and t.negatives > 0:
            out[label] = make(t)
    return out


def _banded(a: Answers, confidence: float, least: int, t: Tally) -> dict[str, Any]:
    b = a.with_answer
    rows = effective_rows(b.weight, b.group, len(b.actual)) / float(t.rows)
    band = curves.roc_band(t, rows, confidence)
    told: dict[str, Any] = {"roc_band": {side: curves.listed(c, curves.thinned(c)) for side, c in band.items()}}
    precise = curves.pr_band(t, rows, confidence, least)
    return told if precise is None else {**told, "pr_band": curves.listed(precise)}


def _curves(t: Tally, how: Curves) -> dict[str, Any]:
    make = curves.whole if how == "full" else curves.drawn
    return {name: curves.listed(make(name, t)) for name in curves.OF_SCORES}
