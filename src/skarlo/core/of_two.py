"""What is told of two candidates on the rows of both: their matrices, who is right where they differ, and where that
lies."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .compare import across, cells, pairs
from .compare.disagreement import disagreement
from .compare.paired import Both
from .once import Once
from .parts import Part
from .subject import Subject

OfFirst = dict[str, dict[str, Any]]  # by the first one's name, by the kind of part


@dataclass(frozen=True)
class OfTwo:
    """once : where it is kept; subjects : candidates, at their cutoffs, and baselines

    All is told of the first of the two; nothing where either predicts no class.
    """

    once: Once
    subjects: Sequence[Subject]

    def cells(self, part: Part) -> OfFirst:
        """One candidate's matrix less another's."""
        return self._told(part, lambda a, b, both: cells.less(both, b.name, a.reading))

    def disagreement(self, part: Part) -> OfFirst:
        """Who of two is right where they differ."""
        return self._told(part, lambda a, b, both: disagreement(both, b.name, a.reading))

    def across(self, part: Part) -> OfFirst:
        """Where in the groups of a field the difference of two lies."""

        def make(a: Subject, b: Subject, both: Both) -> Any:
            code, names = a.sliced.groups(part.fields)
            here = code[a.ready.study.splits[part.split]]
            if len(both.a.actual) < len(here):
                left = [s.on(part.split).whole.answered for s in (a, b) if s.left_out]
                here = here[np.logical_and.reduce(left)]
            return across.across(both, b.name, here, names, a.reading)

        return self._told(part, make) if part.fields else {}

    def _told(self, part: Part, make: Callable[[Subject, Subject, Both], Any]) -> OfFirst:
        found = self._two(part)
        if found is None:
            return {}
        return self.once.get(part, lambda: {found[0].name: {part.kind: make(*found)}})

    def _two(self, part: Part) -> tuple[Subject, Subject, Both] | None:
        """The two with their answers on the rows of both; None where there is nothing to tell."""
        if not part.pair:
            return None
        by_name = {s.name: s for s in self.subjects}
        if len(part.pair) != 2 or not set(part.pair) <= set(by_name):
            raise KeyError("a pair is of two candidates of the study")
        a, b = (by_name[name] for name in part.pair)
        if b.reading.untested:
            a = replace(a, reading=replace(a.reading, untested=b.reading.untested))
        both = pairs.Pair(a.answering(part.split), b.answering(part.split)).answers
        if both.a.predicted is None or both.b.predicted is None or a.too_few(part.split):
            return None
        return a, b, both
