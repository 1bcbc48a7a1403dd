"""What was learned or chosen on some rows and is read on others: recalibration, and what became of a chosen cutoff."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from .compare.rest import reach
from .compare.splits import gap
from .decide import optimism, recalibration
from .metrics import panel
from .metrics.definitions import METRICS
from .once import Once
from .prepared import Prepared
from .results import Drift, Optimism, Recalibration
from .subject import Subject


@dataclass(frozen=True)
class Chosen:
    """ready : the study, with what no cutoff changes; once : where the rest is kept; candidates : at their cutoffs"""

    ready: Prepared
    once: Once
    candidates: Sequence[Subject]

    def recalibration(self) -> dict[str, Recalibration]:
        """By candidate what simple recalibrations would change."""
        found = {s.name: self.recalibrated(s) for s in self.candidates}
        return {name: one for name, one in found.items() if one is not None}

    def recalibrated(self, s: Subject) -> Recalibration | None:
        """Of one candidate; None where it gives classes alone, or too few rows are read."""
        i, tune_on, report_on = cast(int, s.key[1]), self.ready.study.tune_on, self.ready.study.report_on
        if self.ready.study.candidates[i].predicted is not None or s.too_few(report_on):
            return None

        def make() -> Recalibration:
            tuned = None if tune_on is None else self.ready.on_split(i, tune_on).whole
            judged = self.ready.on_split(i, report_on).whole
            return recalibration.of_candidate(tuned, judged, s.reading, (tune_on, report_on))

        return self.ready.once.get(("recalibration", i), make)

    def optimism(self) -> dict[str, dict[str, Optimism]]:
        """By candidate, of those whose cutoff a rule chose, what its metric owes to the choice."""
        found = {s.name: self._optimism(s) for s in self.candidates}
        return {name: one for name, one in found.items() if one}

    def _optimism(self, s: Subject) -> dict[str, Optimism]:
        cutoff = s.about["cutoff"]
        split = "" if cutoff is None else cutoff["chosen_on"] or ""
        if cutoff is None or split not in self.ready.study.splits or not s.cut(split):
            return {}
        value = cutoff["value"] if "flags" not in cutoff else math.inf
        if value is None:
            return {}
        parameters = cutoff.get("parameters") or {}
        key = ("optimism", s.key, split, value, cutoff["rule"], tuple(sorted(parameters.items())))
        a = s.on(split).judged
        seed = self.ready.study.settings.seed

        def make() -> dict[str, Optimism]:
            found = optimism.of_choice(a, cutoff["rule"], parameters, value, seed)
            return {name: optimism.carried(o, panel.of_counts(a, s.reading).get(name)) for name, o in found.items()}

        return self.ready.once.get(key, make)

    def drift(self) -> dict[str, dict[str, Drift]]:
        """By candidate, of those with a cutoff, what became of it on the reported rows."""
        tune_on, report_on = self.ready.study.tune_on, self.ready.study.report_on
        if tune_on is None or tune_on == report_on:
            return {}
        return {s.name: self._drifted(s, tune_on) for s in self.candidates if self._drifts(s, tune_on)}

    def _drifts(self, s: Subject, tune_on: str) -> bool:
        reported, tuned = (s.on(split).judged for split in (self.ready.study.report_on, tune_on))
        there = all(a.table is not None and a.table.total > 0 for a in (reported, tuned))
        return (
            reported.scored is not None
            and there
            and not s.too_few(self.ready.study.report_on)
            and not s.too_few(tune_on)
        )

    def _drifted(self, s: Subject, tune_on: str) -> dict[str, Drift]:
        reported, tuned = (s.on(split).judged for split in (self.ready.study.report_on, tune_on))
        cutoff = s.about["cutoff"]
        chosen_here = cutoff is not None and cutoff["chosen_on"] == tune_on

        def make() -> dict[str, Drift]:
            mine = {name: m for name, m in panel.of_counts(reported, s.reading).items() if name != "prevalence"}
            found = gap(reported, tuned, mine, s.reading)
            for name, o in (self._optimism(s) if chosen_here else {}).items():
                beyond = optimism.beyond(mine.get(name), o, reach(name)) if name in METRICS else None
                if name in found and beyond is not None:
                    found[name]["beyond_choosing"] = beyond
            return found

        return self.once.get(("drift", s.key), make)
