"""From a study's arrays to its results: the one place where the parts of the arithmetic are put together."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any, cast

import numpy as np

from . import suspect, worst
from .chosen import Chosen
from .compare import pairs, quoted
from .compare.pairs import Entrant
from .compare.together import Together
from .decide.gates import Judged, judge
from .head import described, head_of
from .metrics.panel import Reading
from .number import BoolArray, Difference, Finding
from .of_two import OfTwo
from .once import Once, lazy, threads
from .parts import KINDS, Curves, Part, of_file, put_together
from .prepared import OnSplit, Placed, Prepared, prepare
from .progress import Progress, Steps
from .results import (
    AlikeResult,
    CandidateResult,
    ConditionResult,
    DoubtResult,
    GateResult,
    GroupsEntry,
    Lead,
    MergedResult,
    PairResult,
    QuotedResult,
    Results,
    SearchEntry,
    SliceResult,
    TrueOf,
    WorstResult,
)  # fmt: skip
from .study import Candidate, Cutoff, DoubtStudy, NamedCondition, SearchStudy, Study, merged
from .subject import Subject
from .words import findings
from .words.another import Another, another, other_definitions

SEARCHES = Part("search")


def evaluate(
    study: Study | Prepared, how: Curves = "compact", cutoffs: Sequence[Cutoff | None] | None = None,
    progress: Progress | None = None,
) -> Results:  # fmt: skip
    """Evaluate a study: all parts that its results file holds.

    Parameters
    ----------
    study : rows, candidates and settings; prepared, where it is evaluated more than once: what no cutoff changes is
        then computed once, and several threads may evaluate it together
    how : "full" writes every point of the curves, "compact" drops points within 1e-4 of the drawn line, "none" none
    cutoffs : for each candidate its cutoff, in place of its own
    progress : told (done, of, what) before each step; what it raises stops the work

    Returns
    -------
    The results, byte for byte the same for the same input, version, locked packages and processor features.

    Raises
    ------
    ValueError
        For a candidate that gives nothing that can be read, and for scores of other lengths than the rows.

    Examples
    --------
    >>> import numpy as np
    >>> actual, score = np.array([0, 1, 0, 1]), np.array([0.2, 0.9, 0.7, 0.6])
    >>> one = Candidate("net", score=score, cutoff=Cutoff(0.5))
    >>> study = Study("q", ("no", "yes"), actual, 1, {"all": np.ones(4, dtype=bool)}, "all", None, (one,))
    >>> evaluate(study, "none")["candidates"][0]["splits"]["all"]["matrix"]
    [[1, 1], [0, 2]]
    """
    return Evaluation(study, how, cutoffs).results(progress=progress)


class Evaluation:
    """A study at given cutoffs, part by part: each is made when it is first asked for, however many threads ask.

    What no cutoff changes is kept with the prepared study, and shared with evaluations at other cutoffs.

    Parameters
    ----------
    As of `evaluate`.
    """

    def __init__(
        self, study: Study | Prepared, how: Curves = "compact", cutoffs: Sequence[Cutoff | None] | None = None
    ) -> None:
        self.ready = study if isinstance(study, Prepared) else prepare(study)
        self.study, self.how = self.ready.study, how
        self._cutoffs = [c.cutoff for c in self.study.candidates] if cutoffs is None else list(cutoffs)
        self._once = Once()

    def results(self, parts: Iterable[Part] | None = None, progress: Progress | None = None) -> Results:
        """Some parts in one document, or all that the results file holds.

        parts : which; the head always stands with them
        progress : as of `evaluate`
        """
        asked = of_file(self.study.splits) if parts is None else [Part("head"), *parts]
        without = self._without | (set() if parts is not None else self._not_asked)
        asked = list(dict.fromkeys(p for p in asked if p.kind not in without or p.rate))
        steps = Steps(progress, self._steps(asked))
        with threads(len(self.study.actual)) as several:
            work = [several.submit(one) for one in self._apart(asked, steps)]
            try:
                for one in work:
                    one.result()
            finally:
                several.shutdown(cancel_futures=True)
        values = {p: self.part(p) for p in asked if KINDS[p.kind].each}
        steps.next("putting the results together")
        return put_together({p: values[p] if p in values else self.part(p) for p in asked})

    def _apart(self, asked: Sequence[Part], steps: Steps) -> Iterable[Callable[[], None]]:
        """What can be worked out beside each other: each candidate on each split, what recalibration would do, the
        baselines, and last the pairs, which wait for what they read of the others."""
        for subject in self._candidates:
            for split in self.study.splits:
                mine = [p for p in asked if p.split == split and p.kind not in _OF_SEVERAL]
                if mine:
                    yield partial(self._measure, subject, split, mine, steps)
            if Part("recalibration") in asked:
                yield partial(self._recalibrate, subject, steps)
        here = [p for p in asked if p.split in self.study.splits and p.kind not in _OF_SEVERAL]
        yield partial(self._measure_baselines, here, steps)
        pairwise = [p for p in asked if p.kind in _PAIRWISE]
        if pairwise:
            yield partial(self._compare, pairwise, steps)

    def _compare(self, parts: Sequence[Part], steps: Steps) -> None:
        steps.next("comparing the candidates, pair by pair")
        for part in parts:
            self.part(part)

    def _measure_baselines(self, parts: Sequence[Part], steps: Steps) -> None:
        steps.next("measuring the baselines")
        for subject in self._baselines:
            for part in parts:
                subject.of(part)

    def _measure(self, subject: Subject, split: str, parts: Sequence[Part], steps: Steps) -> None:
        steps.next(f"measuring {subject.name} on {split}")
        for part in parts:
            subject.of(part)

    def _recalibrate(self, subject: Subject, steps: Steps) -> None:
        steps.next(f"recalibrating {subject.name}")
        self.chosen.recalibrated(subject)

    @property
    def _without(self) -> set[str]:
        """Parts that this study has nothing for."""
        s = self.study
        drawn, expected = self.how != "none", s.expected_base_rate and s.positive is not None
        there = {
            "slices": s.slices or s.conditions, "quoted": s.quoted, "curves": drawn, "net_benefit": drawn,
            "expected": expected,
        }  # fmt: skip
        return {kind for kind, given in there.items() if not given}

    @property
    def _not_asked(self) -> set[str]:
        """Parts that the study does not ask to stand in its results file."""
        return {k.name for k in KINDS.values() if k.asked and not getattr(self.study, k.asked)}

    def _steps(self, asked: Sequence[Part]) -> int:
        each = len({p.split for p in asked if p.split}) + (Part("recalibration") in asked)
        return len(self.study.candidates) * each + any(p.kind in _PAIRWISE for p in asked) + 2

    def subject_named(self, name: str) -> Subject:
        """A candidate. Raises KeyError where there is none of that name."""
        found = next((s for s in self._candidates if s.name == name), None)
        if found is None:
            raise KeyError(f"no candidate is named {name}")
        return found

    def part(self, part: Part) -> Any:
        """One part. Of a split: by candidate what stands there; None or empty where the study has nothing of the kind.

        Raises
        ------
        KeyError
            Where the study has no such split or list of fields.
        """
        if part.split and part.split not in self.study.splits:
            raise KeyError(f"there is no split {part.split}")
        if part.kind in _OF_SEVERAL:
            return _OF_SEVERAL[part.kind](self, part)
        if KINDS[part.kind].each:
            found = {s.name: s.of(part) for s in self._subjects}
            return {name: value for name, value in found.items() if value is not None}
        return _OF_STUDY[part.kind](self)

    @lazy
    def _candidates(self) -> list[Subject]:
        s = self.study
        out = []
        for i, (c, cutoff) in enumerate(zip(s.candidates, self._cutoffs, strict=True)):
            placed = self.ready.placed(i, cutoff)
            untested = findings.picked_by(s.picked_by) if c.name in s.picked_by else ""
            reading = Reading(s.classes, s.positive, s.settings, s.metrics, placed.why, c.ranking_only, untested)
            out.append(self._subject(
                ("candidate", i), described(c, placed.told), reading, partial(self._placed, i, placed),
                c.no_answer == "left_out",
            ))  # fmt: skip
        return out

    def _placed(self, i: int, placed: Placed, split: str) -> OnSplit:
        return self._once.get(("on", i, split), lambda: self.ready.at(i, split, placed))

    @lazy
    def _baselines(self) -> list[Subject]:
        s = self.study
        reading = Reading(s.classes, s.positive, s.settings, s.metrics)
        out = []
        for name in self.ready.baselines:
            about = described(Candidate(name), None)
            about["gives"] = "baseline"
            about["baseline"] = self.ready.about_baseline(name)
            out.append(self._subject(("baseline", name), about, reading, partial(self.ready.baseline, name)))
        return out

    def _subject(
        self, key: tuple[str, object], about: CandidateResult, reading: Reading, on: Callable[[str], OnSplit],
        left_out: bool = False,
    ) -> Subject:  # fmt: skip
        return Subject(self.ready, self._once, self.how, key, about, reading, left_out, on, lambda: self._candidates)

    @property
    def _subjects(self) -> list[Subject]:
        return [*self._candidates, *self._baselines]

    @lazy
    def _entrants(self) -> list[Entrant]:
        return [s.entrant for s in self._candidates]

    def _together(self) -> Together | None:
        """The scores of candidates and baselines, which no cutoff changes."""

        def make() -> Together | None:
            found = pairs.together([s.entrant for s in self._subjects])
            if found is not None:
                found.prepare(self._candidates[0].reading.metrics)
            return found

        return self.ready.once.get("together", make)

    # Of the whole study.

    def head(self) -> dict[str, Any]:
        """What was evaluated."""
        return head_of(self.study, [s.about for s in self._subjects])

    @lazy
    def chosen(self) -> Chosen:
        """What was learned or chosen on some rows and is read on others."""
        return Chosen(self.ready, self._once, self._candidates)

    @lazy
    def of_two(self) -> OfTwo:
        """What is told of two candidates."""
        return OfTwo(self._once, self._subjects)

    def merged(self, part: Part) -> dict[str, dict[str, MergedResult]]:
        """Each candidate's matrix and classes with some classes taken together. Raises ValueError as `core.merged`."""
        if not part.merge:
            return {}
        if self.study.positive is not None:
            raise ValueError("two classes cannot be merged")

        def make() -> dict[str, dict[str, MergedResult]]:
            study = merged(self.study, part.merge)
            found = Evaluation(study, "none").results([Part("lines", part.split), Part("classes", part.split)])
            out: dict[str, dict[str, MergedResult]] = {}
            for c in found["candidates"][: len(self.study.candidates)]:  # the baselines have other classes
                of = c["splits"][part.split]
                told = {k: of[k] for k in MERGED if k in of}  # type: ignore[literal-required]
                out[c["name"]] = {"merged": cast(MergedResult, {"classes": list(study.classes), **told})}
            return out

        return self.ready.once.get(part, make)

    def another(self, text: str, candidate: str, split: str) -> Another:
        """What reproduces a number got elsewhere: other definitions, averages, splits, cutoffs, candidates.

        Raises
        ------
        KeyError
            Where there is no such candidate or split.
        ValueError
            Where the text is no number.
        """
        s = next((one for one in self._subjects if one.name == candidate), None)
        if s is None:
            raise KeyError(f"no candidate is named {candidate}")
        if split not in self.study.splits:
            raise KeyError(f"there is no split {split}")
        wanted = [Part(kind, one) for one in self.study.splits for kind in ("lines", "classes")]
        cutoff, elsewhere = s.about["cutoff"], {}
        if cutoff is not None and cutoff["value"] is not None:
            i = cast(int, s.key[1])
            for called, value in (
                ("at the cutoff 0.5", 0.5), ("where score > cutoff", math.nextafter(cutoff["value"], math.inf)),
            ):  # fmt: skip
                moved = [Cutoff(value) if k == i else c for k, c in enumerate(self._cutoffs)]
                there = Evaluation(self.ready, "none", moved)
                elsewhere[called] = there.results([Part(kind, split) for kind in ("lines", "classes")])
        otherwise = other_definitions(s.on(split).judged, s.reading)
        return another(self.results(wanted), text, candidate, split, elsewhere, otherwise)

    def cuts(self) -> dict[str, dict[str, list[float]]]:
        """Of fields that are cut as the study says, the finite edges."""
        return {name: {"edges": list(edges)} for name, edges in self.study.cuts.items()}

    def conditions(self) -> dict[str, ConditionResult]:
        """Of each named condition how many rows it is true of, and of how many it cannot be told."""
        out: dict[str, ConditionResult] = {}
        for c in self.study.conditions:
            told: ConditionResult = {"condition": str(c.condition)}
            if c.condition.reads_answers and c.kept is None:
                told["candidates"] = {s.name: {"splits": self._true_of(s, c)} for s in self._candidates}
            else:
                told["splits"] = self._true_of(self._candidates[0], c)
            if c.kept is not None:
                told |= {"kept": c.since, "gone": c.gone}
            out[c.name] = told
        return out

    def _true_of(self, s: Subject, c: NamedCondition) -> dict[str, TrueOf]:
        found = {split: s.sliced.truth(split, c) for split in self.study.splits}
        return {
            split: {"rows": int(np.count_nonzero(t.true)), "unknown_rows": int(np.count_nonzero(t.unknown))}
            for split, t in found.items()
        }

    def inside(self, split: str, rows: BoolArray) -> dict[str, SliceResult]:
        """By candidate some rows that a person chose by eye, bool along the study's, against the others of a split:
        differences have intervals and no p. Raises KeyError where there is no such split."""
        if split not in self.study.splits:
            raise KeyError(f"there is no split {split}")
        found = {s.name: s.sliced.chosen(split, rows, "chosen", "chosen after it was seen") for s in self._candidates}
        return {name: of[0].told for name, of in found.items() if of}

    def searched(self, asked: worst.Asked, progress: Progress | None = None) -> WorstResult:
        """The slices that a candidate serves worst, over all fields where none are named. Raises as `worst`."""
        fields = self.ready.fields
        if fields is None:
            raise KeyError("the fields of the study are not at hand")
        what = replace(asked, fields=asked.fields or tuple(fields.searchable()))
        return self._once.get(("worst", what), lambda: worst.worst(self, what, fields.searched, progress))

    def search(self, part: Part = SEARCHES) -> list[SearchEntry]:
        """The slices that are served worst, for each search and candidate that is asked for."""
        return self._once.get(part, lambda: self._search((part.searched,) if part.searched else self.study.search))

    def _search(self, searches: Sequence[SearchStudy]) -> list[SearchEntry]:
        out: list[SearchEntry] = []
        for one in searches:
            for s in self._candidates:
                if one.on not in (None, s.name):
                    continue
                asked = worst.Asked(s.name, one.metric, one.loss, one.fields, one.depth, one.of)
                told: SearchEntry = {"candidate": s.name, "looked_at": 0, "found": []}
                told |= {"metric": one.metric} if one.metric else {"loss": one.loss}
                try:
                    found: Mapping[str, Any] = self.searched(asked)
                    told |= cast(SearchEntry, {k: v for k, v in found.items() if k != "measure"})
                except (KeyError, ValueError) as e:
                    told["why"] = str(e.args[0])
                out.append(told)
        return out

    def groups(self) -> list[GroupsEntry]:
        """Whether groups are treated alike, for each candidate that predicts a class."""
        out: list[GroupsEntry] = []
        split = self.study.report_on
        for g in self.study.groups:
            part = Part("alike", split, fields=g.by, of=g.of, against=g.against, rule=g.rule, rate=g.gap_at_most,
                        prices=g.prices)  # fmt: skip
            for s in self._candidates:
                found = s.of(part)
                if found is not None:
                    told: AlikeResult = found["alike"]
                    criteria = {name: told["criteria"][name] for name in g.criteria}
                    out.append(cast(GroupsEntry, {
                        "candidate": s.name, "by": list(g.by), **told, "criteria": criteria,
                    }))  # fmt: skip
        return out

    def doubt(self, part: Part) -> DoubtResult | None:
        """Labels that may be wrong, where it is asked for."""
        asked = self.study.doubt
        if part.doubted is not None:
            at_most, how = part.doubted
            if how not in suspect.HOWS or at_most < 0:
                raise ValueError(f"wrong labels are {' or '.join(suspect.HOWS)}, so many of them at most")
            asked = DoubtStudy(at_most or None, how, part.marked)
        if asked is None:
            return None
        leaders = self.best()[self.study.report_on] if len(self._candidates) > 1 else {}
        return self._once.get(part, lambda: suspect.doubt(self.study, self._candidates, leaders, asked))

    def pairs(self) -> list[PairResult]:
        """All paired differences."""

        def make() -> list[PairResult]:
            return pairs.pairs(self._entrants, self.study.report_on, self.study.settings.confidence,
                               once=self.ready.once, together=self._together())  # fmt: skip

        return self._once.get("pairs", make)

    def best(self) -> dict[str, dict[str, Lead]]:
        """By split and metric who leads."""
        confidence = self.study.settings.confidence
        return {self.study.report_on: pairs.best(self._entrants, self.pairs(), confidence)}

    def _against(self) -> dict[str, dict[str, dict[str, Difference]]]:
        def make() -> dict[str, dict[str, dict[str, Difference]]]:
            return pairs.against_baselines(
                self._entrants, [s.entrant for s in self._baselines], self.study.settings.confidence,
                self.ready.once, self._together(),
            )  # fmt: skip

        return self._once.get("against", make)

    def against_baseline(self) -> dict[str, dict[str, dict[str, dict[str, Difference]]]]:
        """By split, candidate, baseline and metric the paired difference."""
        return {self.study.report_on: self._against()}

    def quoted(self) -> list[QuotedResult] | None:
        """Quoted results, where there are any."""
        s = self.study
        reading = Reading(s.classes, s.positive, s.settings)
        measured = {one.name: one.reported("lines")["metrics"] for one in self._candidates}
        return [quoted.told(q, reading, measured) for q in s.quoted] or None

    def findings(self) -> list[Finding]:
        """What was noticed."""
        study = self.study
        entries: list[CandidateResult] = [
            {**s.about, "splits": {study.report_on: {**s.reported("lines"), **s.reported("classes")}}}  # type: ignore[typeddict-item]
            for s in self._candidates
        ]
        return [
            *study.findings,
            *findings.of_study(study, entries, self._entrants, self._against()),
            *findings.of_cutoffs(entries, study.report_on),
            *findings.of_asked(self.conditions(), self.search(), self.groups(), study.report_on),
        ]

    def gates(self) -> list[GateResult]:
        """The gates."""
        if not self.study.gates:
            return []
        wanted = {g.every for g in self.study.gates if g.every}
        return judge(self.study, [self._judged(s, wanted) for s in self._candidates])

    def _judged(self, s: Subject, wanted: Collection[tuple[str, ...]]) -> Judged:
        """As gates read it, with the slices that some are set on."""
        split = self.study.report_on
        found = s.sliced.slices(split, for_gates=True)
        by = {names: found.of(i) for i, names in enumerate(self.study.field_lists) if names in wanted}
        named = {g.where for g in self.study.gates if g.where}
        by |= {(c.name,): s.sliced.by_condition(split, c) for c in self.study.conditions if c.name in named}
        per_class, no_answer = s.reported("classes")["per_class"], s.reported("lines")["no_answer"]
        return Judged(s.entrant, s.on(split).judged, no_answer, per_class, by)


MERGED = ("rows", "matrix", "shares", "metrics", "per_class", "averages")
_PAIRWISE = ("pairs", "against_baseline")  # what is worth a thread beside the candidates
_OF_SEVERAL: dict[str, Callable[[Evaluation, Part], Any]] = {
    "cells": lambda e, part: e.of_two.cells(part), "disagreement": lambda e, part: e.of_two.disagreement(part),
    "across": lambda e, part: e.of_two.across(part), "merged": Evaluation.merged,
    "doubt": Evaluation.doubt, "search": lambda e, part: e.search(part) or None,
}  # fmt: skip
_OF_STUDY: dict[str, Callable[[Evaluation], Any]] = {
    "head": Evaluation.head,
    "recalibration": lambda e: e.chosen.recalibration(),
    "optimism": lambda e: e.chosen.optimism(),
    "drift": lambda e: e.chosen.drift(),
    "pairs": Evaluation.pairs,
    "best": Evaluation.best,
    "against_baseline": Evaluation.against_baseline,
    "quoted": Evaluation.quoted,
    "cuts": lambda e: e.cuts() or None,
    "conditions": lambda e: e.conditions() or None,
    "groups": lambda e: e.groups() or None,
    "findings": Evaluation.findings,
    "gates": Evaluation.gates,
}
