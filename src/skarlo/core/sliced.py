"""A candidate's rows by fields, named conditions and marks: slices, and whether groups are treated alike."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, cast

import numpy as np

from .compare import alike
from .compare.slices import Slice, Slices
from .decide import treated
from .language.condition import marked, quoted
from .language.truth import Numbers, Table, Texts, Truth
from .metrics import classes
from .number import BoolArray, IntArray
from .once import Once
from .parts import Part
from .results import GroupCutoffs, SliceResult
from .stats.tests import holm
from .study import NAMED, Field, NamedCondition
from .writing import letter

if TYPE_CHECKING:
    from .subject import Subject

DEPENDS, BY_EYE = "the slice depends on the answer", "rows that were marked by eye are no test"


@dataclass(frozen=True)
class Sliced:
    """The rows of a candidate or a baseline, some apart from the others."""

    subject: Subject

    def slices_part(self, part: Part) -> dict[str, Any] | None:
        lists, conditions = self.subject.ready.study.field_lists, self.subject.ready.study.conditions
        if part.fields == (NAMED,) and not self.subject.is_baseline:
            return {"slices": self._named(part)}
        if self.subject.is_baseline or not (lists or part.fields or conditions):
            return None
        of = part.of if self.subject.ready.study.positive is None else ""
        if part.fields and (part.fields not in lists or of):
            return {"slices": [one.told for one in self._cut(part.split, part.fields, of).all()]}
        found = self.slices(part.split)
        told = [one.told for one in (found.of(lists.index(part.fields)) if part.fields else found.all())]
        return {
            "slices": told
            + ([] if part.fields else [s.told for c in conditions for s in self.by_condition(part.split, c)])
        }

    def _named(self, part: Part) -> list[SliceResult]:
        """Each named condition and mark against the other rows; adjusted by Holm over all of them. What was marked by
        eye, or depends on the answer, has no p."""
        study, fields, split = self.subject.ready.study, self.subject.ready.fields, part.split
        places = np.arange(len(study.actual)) if study.ids.places is None else study.ids.places
        marks = [
            NamedCondition(f"marked “{name}”", marked(name), np.isin(places, np.asarray(rows, dtype=np.int64)))
            for name, rows in part.borne
        ]
        out: list[SliceResult] = []
        named = () if fields is None else fields.named()
        for c, eye in (*((c, False) for c in named), *((m, True) for m in marks)):
            inside = np.zeros(len(study.actual), dtype=bool)
            inside[study.splits[split]] = self.truth(split, c).true
            why = BY_EYE if eye else DEPENDS if c.condition.reads_answers else ""
            text = c.condition.text if c.kept is None or eye else f"named {quoted(c.name)}"
            for one in self.chosen(split, inside, c.name, why):
                out.append(cast(SliceResult, {**one.told, "condition": text}))
        for name in dict.fromkeys(name for s in out for name in s["rest"]):
            each = [s["rest"][name] for s in out if name in s["rest"]]
            for d, p in zip(each, holm([d.get("p") for d in each]), strict=True):
                d |= {"p_adjusted": p, "low_adjusted": None, "high_adjusted": None}
        return out

    def by_condition(self, split: str, c: NamedCondition) -> list[Slice]:
        """The rows of a named condition as a slice; none where it is true of no row."""

        def make() -> list[Slice]:
            rows = self.subject.ready.study.splits[split]
            inside = np.zeros(len(rows), dtype=bool)
            inside[rows] = self.truth(split, c).true
            return self.chosen(split, inside, c.name, DEPENDS if c.condition.reads_answers else "")

        return self.subject.once.get(("condition", self.subject.key, split, c.name), make)

    def chosen(self, split: str, inside: BoolArray, name: str, untested: str = "") -> list[Slice]:
        """Some of the rows, bool along the study's, as a slice by itself; none where there are none of them.

        untested : why the differences from the other rows have no p, if so
        """
        field = Field("condition", (name, ""), np.where(inside, 0, 1), listed=1)
        reading = replace(self.subject.reading, untested=untested) if untested else self.subject.reading
        return Slices(self.subject.on(split).judged, [(field,)], self._rows_of(split), reading).all()

    def truth(self, split: str, c: NamedCondition) -> Truth:
        """Of the rows of a split whether a named condition is true; what it says of an answer without saying whose is
        of this candidate."""
        study, rows = self.subject.ready.study, self.subject.ready.study.splits[split]
        if c.kept is not None:
            return Truth(c.kept[rows], np.zeros(int(rows.sum()), dtype=bool))
        fields = self.subject.ready.fields
        assert fields is not None

        def whose(name: str | None) -> Subject:
            every = self.subject.peers()
            return self.subject if name is None else next(
                s for i, s in enumerate(every) if name == s.name or name == letter(i + 1)
            )  # fmt: skip

        def predicted(name: str | None) -> Texts:
            said = whose(name).on(split).whole.predicted
            return Texts(study.classes, np.full(int(rows.sum()), -1) if said is None else said)

        def score(name: str | None) -> Numbers:
            found = whose(name).on(split).whole.score
            return Numbers(np.full(int(rows.sum()), np.nan) if found is None else found)

        table = Table(
            int(rows.sum()), lambda name: fields.values(name).only(rows),
            lambda: Texts(study.classes, study.actual[rows]), predicted, score, lambda name: study.marks[name][rows],
        )  # fmt: skip
        return c.condition.evaluate(table)

    def _cut(self, split: str, names: tuple[str, ...], of: str = "") -> Slices:
        """Slices by fields that the study does not list, each cut as its name says; of a class, what it is against the
        rest."""
        fields = tuple(self.subject.ready.field(name) for name in names)
        if of:
            if of not in self.subject.ready.study.classes:
                raise KeyError(f"there is no class {of}")
            k = self.subject.ready.study.classes.index(of)
            a = classes.said_against_rest(self.subject.on(split).judged, k)
            two = replace(self.subject.reading, classes=(f"other than {of}", of), positive=1, own=())
            return Slices(a, [fields], self._rows_of(split), two)
        once = self.subject.kept(split, f"slices by {names}", Once)
        return Slices(self.subject.on(split).judged, [fields], self._rows_of(split), self.subject.reading, True, once)

    def alike_part(self, part: Part) -> dict[str, Any] | None:
        study, on = self.subject.ready.study, self.subject.on(part.split)
        if self.subject.is_baseline or not part.fields or self.subject.too_few(part.split) or on.judged.table is None:
            return None
        classes = study.classes
        positive = study.positive if study.positive is not None else classes.index(part.of) if part.of in classes else 0
        code, names = self.groups(part.fields)
        here = code[self._rows_of(part.split)]
        groups = [alike.Group(names[g], on.judged.take(here == g)) for g in np.unique(here).tolist()]
        told = alike.alike(groups, positive, self.subject.reading, part.against)
        if part.rule and self.subject.cut(part.split):
            told["cutoffs"] = self._group_cutoffs(part, code, names)
        return {"alike": told}

    def _group_cutoffs(self, part: Part, code: IntArray, names: list[str]) -> GroupCutoffs:
        tune_on = self.subject.ready.study.tune_on
        tuned = tune_on if tune_on is not None and self.subject.cut(tune_on) else part.split
        cutoff = self.subject.about["cutoff"]
        value = None if cutoff is None else cutoff["value"]
        there = np.unique(code[self._rows_of(part.split)])
        place = np.full(len(names), len(there), dtype=np.int64)  # groups without reported rows stand last, as one
        place[there] = np.arange(len(there))
        on = {x: treated.Grouped(self.subject.on(x).judged, place[code[self._rows_of(x)]]) for x in (tuned, part.split)}
        wish = treated.Wish(part.rule, part.rate or 0.02, part.prices[:2] or (1.0, 1.0))  # type: ignore[arg-type]
        found = treated.with_cutoffs(
            [names[g] for g in there.tolist()], on[tuned], on[part.split], math.inf if value is None else value, wish,
            self.subject.reading,
        )  # fmt: skip
        found["learned_on"] = tuned
        return found

    def groups(self, asked: tuple[str, ...]) -> tuple[IntArray, list[str]]:
        """Each row's group by one field or several, and the names of the groups."""
        fields = [self.subject.ready.field(name) for name in asked]
        code = np.zeros(len(self.subject.ready.study.actual), dtype=np.int64)
        for f in fields:
            code = code * len(f.values) + f.codes
        found, code = np.unique(code, return_inverse=True)
        names = []
        for one in found.tolist():
            left, name = one, []
            for f in reversed(fields):
                left, at = divmod(left, len(f.values))
                name.append(f.values[at] or "absent")
            names.append(" · ".join(reversed(name)))
        return code, names

    def _rows_of(self, split: str) -> BoolArray:
        """Which rows of the hold-out it is judged on."""
        where = self.subject.ready.study.splits[split].copy()
        where[where] = self.subject.on(split).kept
        return where

    def slices(self, split: str, for_gates: bool = False) -> Slices:
        """Its slices. Gates read no comparison with the other rows, and of scores only what one is set on."""
        study, whole = self.subject.ready.study, ("slices of", self.subject.key, split)
        if for_gates and self.subject.once.holds(whole):
            for_gates = False
        scores = not for_gates or any(g.every and self._of_scores(g.metric) for g in study.gates)

        def make() -> Slices:
            once = self.subject.kept(split, "slices", Once)
            return Slices(
                self.subject.on(split).judged,
                study.slices,
                self._rows_of(split),
                self.subject.reading,
                not for_gates,
                once,
                scores,
            )

        return self.subject.once.get((*whole, "for gates") if for_gates else whole, make)

    def _of_scores(self, metric: str) -> bool:
        return metric in self.subject.reading.metrics and not self.subject.reading.needs_class(metric)
