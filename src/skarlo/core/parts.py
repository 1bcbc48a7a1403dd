"""The parts of the results: each is asked for, made and kept on its own; all of them together are the results file."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal, cast

from .results import Results
from .study import SearchStudy

Curves = Literal["compact", "full", "none"]


@dataclass(frozen=True)
class Kind:
    """One kind of part.

    Attributes
    ----------
    name : in addresses
    each : whether there is one for each split, of all candidates and baselines; else there is one for the study
    moves : whether a cutoff changes it
    what : for people
    filed : whether it stands in the results file
    asked : which part of a study file asks for it to stand there; without, it always does
    by_candidate : whether it is told of each candidate, whatever the split
    """

    name: str
    each: bool
    moves: bool
    what: str
    filed: bool = True
    asked: str = ""
    by_candidate: bool = False


_KINDS = (
    Kind("head", False, True, "what was evaluated: rows, settings, candidates with their cutoffs"),
    Kind("values", True, True, "every metric's value alone, without intervals", filed=False),
    Kind("lines", True, True, "rows, matrix, outcomes, and all metrics with their intervals"),
    Kind("classes", True, True, "each class against the rest, and averages over the classes"),
    Kind("curves", True, False, "ROC, precision-recall and gain curves"),
    Kind("areas", True, False, "areas by other methods: straight lines, up to a false-positive rate", filed=False),
    Kind("averaged", True, False, "curves of the plain mean of the classes, and of all of them pooled", filed=False),
    Kind("bands", True, False, "what the ROC and the precision-recall curve may be at each cutoff", filed=False),
    Kind("net_benefit", True, False, "net benefit by threshold"),
    Kind("calibration", True, False, "bins and the monotone fit"),
    Kind("expected", True, True, "numbers restated for the expected base rates"),
    Kind("cost", True, True, "the mean cost of a row at the prices of its outcomes", filed=False),
    Kind("sweep", True, False, "every metric of counts at cutoffs one step apart", asked="cutoff_study"),
    Kind("withheld", True, False, "of several classes, what is left where unsure answers are withheld", filed=False),
    Kind("choice", True, True, "the cutoffs not separable from the best by the rule, and what the next catches cost",
         asked="cutoff_study"),
    Kind("review", True, False, "what lies below, in and above the bands for review", asked="bands"),
    Kind("gap", True, True, "every metric less that on the reported split", filed=False),
    Kind("cells", True, True, "one candidate's matrix less another's, cell by cell", filed=False),
    Kind("disagreement", True, True, "who of two is right where they differ", filed=False),
    Kind("across", True, True, "where in the groups of a field the difference of two lies", filed=False),
    Kind("merged", True, True, "the matrix and each class with some classes taken together", filed=False),
    Kind("slices", True, True, "slices of one list of fields, or of all the study's lists"),
    Kind("alike", True, True, "whether the groups of a field are treated alike", filed=False),
    Kind("recalibration", False, False, "what simple recalibrations would change", by_candidate=True),
    Kind("optimism", False, True, "what a rule's metric owes to the cutoff being chosen on the same rows",
         asked="cutoff_study", by_candidate=True),
    Kind("drift", False, True, "metrics at the cutoff on the reported rows less those where it was chosen",
         asked="cutoff_study", by_candidate=True),
    Kind("cuts", False, False, "where fields are cut", asked="cuts"),
    Kind("conditions", False, True, "of each named condition how many rows it is true of", asked="conditions"),
    Kind("search", False, True, "slices that are served worst, found on tuning and read on the reported rows",
         asked="search"),
    Kind("groups", False, True, "whether groups are treated alike, and cutoffs by which they would be", asked="groups"),
    Kind("doubt", False, True, "labels that may be wrong, and how far they could move metrics and ranks",
         asked="doubt"),
    Kind("pairs", False, True, "all paired differences on the reported split"),
    Kind("best", False, True, "who leads on each metric, and whom the data cannot separate from the best"),
    Kind("against_baseline", False, True, "paired differences from the baselines"),
    Kind("quoted", False, True, "quoted results, and where their values lie"),
    Kind("findings", False, True, "what was noticed"),
    Kind("gates", False, True, "the gates, and what came of them"),
)  # fmt: skip
KINDS: dict[str, Kind] = {k.name: k for k in _KINDS}


@dataclass(frozen=True)
class Part:
    """One part.

    kind : one of KINDS
    split : where there is one for each split
    fields : of slices, one of the study's lists of fields, all lists if left out; of what is treated alike, and of
        what lies across groups, the field, or two
    of : of slices and of what is treated alike, the class that is read against the rest, of three and more; of slices
        by any fields, all metrics of counts are then that class's
    against : of that, a group that each of the others is held against as well
    rule : of that, what cutoffs for each group are to do: "least_cost", or be equal in a rate, to within `rate`, at
        the least cost by `prices`
    step : of a sweep; the study's own if left out
    rate : of what is restated for an expected base rate, the study's own if left out; of areas the false-positive rate
        up to which a part of the area is told
    band : of what lies around a band for review, its ends; the study's own if left out
    prices : of the cost, also of what is restated: of a needless flag, of a miss, and if they cost, of a catch and
             of a row rightly left
    pair : of cells, of a disagreement and of what lies across groups, the names of the two candidates
    merge : of what is merged, for each class in order the number of the group it goes to, from 0
    doubted : of labels that may be wrong, how many are at most (0: as many as are listed beyond what is expected) and
        whether they are "flipped" or "dropped"; the study's own if left out
    marked : of these, the places of the rows that may be wrong; those listed if left out
    searched : a search for the slices that are served worst; the study's own if left out
    borne : of slices by what is NAMED, marks with the places of their rows in the hold-out, from 0
    least : of what is withheld, candidates by name with the probability that their answers have at least
    """

    kind: str
    split: str = ""
    fields: tuple[str, ...] = ()
    step: float = 0.0
    rate: float = 0.0
    band: tuple[float, ...] = ()
    prices: tuple[float, ...] = ()
    pair: tuple[str, ...] = ()
    merge: tuple[int, ...] = ()
    least: tuple[tuple[str, float], ...] = ()
    of: str = ""
    against: str = ""
    rule: str = ""
    doubted: tuple[int, str] | None = None
    marked: tuple[int, ...] | None = None
    searched: SearchStudy | None = None
    borne: tuple[tuple[str, tuple[int, ...]], ...] = ()

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise ValueError(f"there is no part {self.kind}; there are {', '.join(KINDS)}")
        if KINDS[self.kind].each != bool(self.split):
            raise ValueError(f"the part {self.kind} is {'of a split' if KINDS[self.kind].each else 'of no split'}")

    @property
    def moves(self) -> bool:
        """Whether a cutoff changes it."""
        return KINDS[self.kind].moves


def of_file(splits: Iterable[str]) -> list[Part]:
    """What stands in the results file of a study with these splits, in its order."""
    split_names = tuple(splits)
    return [
        Part(k.name, split) for k in _KINDS if k.filed for split in (split_names if k.each else ("",))
    ]  # fmt: skip


def put_together(values: Mapping[Part, Any]) -> Results:
    """One document of some parts, the head among them: what was not asked for does not stand in it.

    Examples
    --------
    >>> head = {"title": "q", "candidates": [{"name": "net"}]}
    >>> found = put_together({Part("head"): head, Part("lines", "test"): {"net": {"rows": 9}}})
    >>> found["candidates"]
    [{'name': 'net', 'splits': {'test': {'rows': 9}}}]
    """
    head = values[Part("head")]
    entries = {c["name"]: {**c, "splits": {}} for c in head["candidates"]}
    out = {**head, "candidates": list(entries.values())}
    for part, value in values.items():
        if KINDS[part.kind].each:
            for name, found in value.items():
                _merge(entries[name]["splits"].setdefault(part.split, {}), found)
        elif KINDS[part.kind].by_candidate:
            for name, found in value.items():
                entries[name][part.kind] = found
        elif part.kind != "head" and value is not None:
            out[part.kind] = value
    return cast(Results, out)


def _merge(into: dict[str, Any], more: Mapping[str, Any]) -> None:
    known: dict[str, Any] = into.get("per_class", {})
    into.update(more)
    if known:
        into["per_class"] = known | {
            label: known.get(label, {}) | one for label, one in more.get("per_class", {}).items()
        }
