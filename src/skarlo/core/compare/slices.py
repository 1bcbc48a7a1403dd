"""Slices: rows that share the values of some fields, measured, and compared with the other rows of the split."""

from __future__ import annotations

import math
from collections.abc import Callable, Container, Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from ..counting import table
from ..counting.answers import Answers
from ..counting.table import Table
from ..metrics import counts
from ..metrics.panel import Reading, in_order, of_counts, of_scores
from ..metrics.trust import SLICE, is_approximate, mark, mark_difference
from ..number import BoolArray, IntArray, Metric, absent
from ..once import Once, lazy
from ..results import SliceResult
from ..stats import tests
from ..stats.tests import Compared, Many
from ..study import Field
from . import apart
from .rest import Part, against_rest

Codes = Mapping[str, IntArray]
Cells = tuple[IntArray, IntArray]  # the joint codes that rows bear, ascending, and the matrix of each

JOINT = 1 << 20  # cells of all fields together, up to which one count of the rows serves every list of fields
MANY = 1 << 10  # slices whose counts are read at once: more would each be worked out at every list's level


def few_rows(least: int) -> str:
    """Why a slice is told by its counts alone."""
    return f"the slice has fewer than {least} rows"


@dataclass(frozen=True)
class Slice:
    """What is told of a slice, and its rows."""

    told: SliceResult
    part: Part


class Slices:
    """All slices of a candidate's rows, list by list of fields; each list is measured when it is asked for.

    Parameters
    ----------
    a : the candidate on the split's rows that it is judged on
    lists : what to slice by; `rows` picks from the fields' codes those rows of the hold-out
    rest : whether each slice is compared with the other rows
    once : where what no cutoff changes of these slices is kept
    scores : whether metrics of scores are made too
    """

    def __init__(
        self, a: Answers, lists: Sequence[tuple[Field, ...]], rows: BoolArray, reading: Reading, rest: bool = True,
        once: Once | None = None, scores: bool = True,
    ) -> None:  # fmt: skip
        self.a, self.lists, self.rows, self.reading, self.rest = a, tuple(lists), rows, reading, rest
        self.once, self._found, self.scores = once or Once(), Once(), scores

    @lazy
    def _codes(self) -> Codes:
        whole = bool(self.rows.all())
        return {f.name: f.codes if whole else f.codes[self.rows] for fields in self.lists for f in fields}

    @lazy
    def _counts(self) -> list[Cells] | None:
        return _counted(self.a, self.lists, self._codes)

    def of(self, i: int) -> list[Slice]:
        """The slices of the i-th list."""
        return self._found.get(i, lambda: self._of(i, *self._read([i])))

    def all(self) -> list[Slice]:
        """Those of all lists, in their order; what counts tell is worked out for several lists at once."""
        for lists in self._batches():
            for i, counted in zip(lists, self._read(lists), strict=True):
                self._found.get(i, partial(self._of, i, counted))
        return [found for i in range(len(self.lists)) for found in self.of(i)]

    def _batches(self) -> Iterator[list[int]]:
        """The lists that are not made yet, in runs of about as many slices as are read at once."""
        batch, slices = [], 0
        for i in range(len(self.lists)):
            if self._found.holds(i):
                continue
            batch.append(i)
            slices += 0 if self._counts is None else len(self._counts[i][0])
            if slices >= MANY:
                yield batch
                batch, slices = [], 0
        yield batch

    def _of(self, i: int, counted: Counted | None) -> list[Slice]:
        once = self.once if self.scores else None
        return _of_list(self.a, self.lists[i], self._codes, counted, self.reading, self.rest, once)

    def _read(self, lists: Sequence[int]) -> list[Counted | None]:
        """What the counts alone tell of some lists' slices, all at once; None where weights or groups make more of
        them."""
        if self._counts is None or not lists:
            return [None] * len(lists)
        found = [self._counts[i] for i in lists]
        cells = np.concatenate([of for _, of in found])
        known = _known(cells, self.a, self.reading)
        compared: dict[str, Many] = {}
        if self.rest and len(cells):
            positive = 0 if self.reading.positive is None else self.reading.positive
            compared = apart.each(cells, found[0][1].sum(axis=0), positive)
        ends = np.cumsum([len(codes) for codes, _ in found]).tolist()
        each = [slice(end - len(codes), end) for end, (codes, _) in zip(ends, found, strict=True)]
        return [
            Counted(codes, known[at], {name: m.some(at) for name, m in compared.items()})
            for at, (codes, _) in zip(each, found, strict=True)
        ]


def sliced(
    a: Answers, lists: Sequence[tuple[Field, ...]], rows: BoolArray, reading: Reading, rest: bool = True
) -> list[Slice]:
    """All slices of each list of fields; see `Slices`."""
    return Slices(a, lists, rows, reading, rest).all()


def _of_list(
    a: Answers, fields: tuple[Field, ...], codes: Codes, counted: Counted | None, reading: Reading, rest: bool,
    once: Once | None,
) -> list[Slice]:  # fmt: skip
    names = tuple(f.name for f in fields)
    members = (once or Once()).get(("members", names), lambda: Members(fields, codes, len(a.actual)))
    found = members.found if counted is None else counted.codes
    known: Sequence[Known | None] = [None] * len(found) if counted is None else counted.known
    compared_at_once = {} if counted is None else counted.compared
    read_rows = (
        a.scored is not None or a.probable is not None or any(not reading.needs_class(m.name) for m in reading.own)
    )
    out: list[Slice] = []
    families: list[dict[str, Compared | str] | None] = []
    listed = fields[0].listed if len(fields) == 1 else None
    for i, code in enumerate(found.tolist()):
        if listed is not None and code >= listed:
            break  # what the others are held against alone
        told = known[i]
        part = Part(a, partial(members.of, i), None if told is None else table.of_cells(told.cells, a.classes))
        by, said, left = {}, [], code
        for f in reversed(fields):
            left, at = divmod(left, len(f.values))
            by[f.name] = f.values[at]
            said += [f.conditions[at]] if f.conditions else []
        where = {"condition": " and ".join(reversed(said))} if said else {}
        scores = None
        if once is not None:
            key, of = ((names, code), part) if read_rows else ((), Part(a, _no_rows, None))
            scores = partial(_of_scores, of, reading, rest, once, key)
        entry, compared = _slice(a, part, told, reading, rest, scores, compared_at_once)
        out.append(Slice({"by": dict(reversed(list(by.items()))), **where, **entry}, part))  # type: ignore[typeddict-item]
        families.append(compared)
    if rest:
        _adjust([s.told for s in out], families, compared_at_once, reading)
    return out


@dataclass(frozen=True)
class OfScores:
    """What no cutoff changes of a slice: the metrics of its scores, and how they compare with those of the rest."""

    metrics: dict[str, Metric]
    rest: dict[str, Compared | str]


def _of_scores(part: Part, reading: Reading, rest: bool, once: Once, key: Hashable) -> OfScores:
    found = once.get(("scores", key), lambda: of_scores(part.rows, reading))
    if not rest:
        return OfScores(found, {})
    return OfScores(found, once.get(("rest", key), lambda: against_rest(part, part.others(), found, reading)))


def _no_rows() -> IntArray:
    return np.zeros(0, dtype=np.int64)


class Members:
    """Which rows stand in each slice of a list of fields: put in order only when a number asks for rows."""

    def __init__(self, fields: tuple[Field, ...], codes: Codes, n: int) -> None:
        self.fields, self.codes, self.n = fields, codes, n

    @lazy
    def _placed(self) -> tuple[IntArray, IntArray]:
        code = np.zeros(self.n, dtype=np.int64)
        for f in self.fields:
            code = code * len(f.values) + self.codes[f.name]
        found, place = np.unique(code, return_inverse=True)
        return found, place

    @property
    def found(self) -> IntArray:
        """The joint codes that rows bear, ascending."""
        return self._placed[0]

    @lazy
    def _ordered(self) -> tuple[IntArray, IntArray]:
        found, place = self._placed
        place = place.astype(np.uint16 if len(found) <= 2**16 else np.int64)  # few codes are put in order by digits
        ends = np.cumsum(np.bincount(place, minlength=len(found)))
        return np.argsort(place, kind="stable"), ends

    def of(self, i: int) -> IntArray:
        """The rows of the i-th slice."""
        order, ends = self._ordered
        return order[(ends[i - 1] if i else 0) : ends[i]]


def _counted(a: Answers, lists: Sequence[tuple[Field, ...]], codes: Codes) -> list[Cells] | None:
    """For each list the joint codes that rows bear and their matrices; None where weights or groups make more of them.

    The rows are counted once over all fields together, where that is not too many cells, and summed for each list.
    """
    if a.predicted is None or a.designed:
        return None
    none_column = a.none_counts and not a.all_answered
    fields = {f.name: len(f.values) for one in lists for f in one}
    shape = (a.classes, a.classes + (1 if none_column else 0))
    if math.prod((*fields.values(), *shape)) > JOINT:
        return [c for one in lists for c in _counted_apart(a, one, codes, none_column)]
    together = table.make_each(
        a.actual, a.predicted, a.classes, [(codes[f], k) for f, k in fields.items()], none_column
    )
    cells = together.reshape(*fields.values(), *shape)
    out = []
    for one in lists:
        axes = [list(fields).index(f.name) for f in one]
        others = tuple(i for i in range(len(fields)) if i not in axes)
        kept = sorted(axes)
        summed = cells.sum(axis=others).transpose(*(kept.index(i) for i in axes), -2, -1).reshape(-1, *shape)
        found = np.flatnonzero(summed.any(axis=(1, 2)))
        out.append((found, summed[found]))
    return out


def _counted_apart(a: Answers, one: tuple[Field, ...], codes: Codes, none_column: bool) -> list[Cells]:
    """The same for one list alone, by the codes that rows bear."""
    assert a.predicted is not None
    members = Members((*one,), codes, len(a.actual))
    found, place = members._placed
    cells = table.make_each(a.actual, a.predicted, a.classes, [(place, len(found))], none_column)
    return [(found, cells)]


def _known(cells: IntArray, a: Answers, reading: Reading) -> list[Known]:
    """What the counts alone tell of each slice, all at once."""
    metrics_each: Sequence[dict[str, Metric] | None] = [None] * len(cells)
    if reading.positive is not None:
        metrics_each = counts.count_metrics_each(cells, reading.positive, reading.settings.sampling, reading.names)
    by_class, unanswered = cells.sum(axis=2), cells[:, :, a.classes :].sum(axis=(1, 2)).tolist()
    rows, each = by_class.sum(axis=1).tolist(), by_class.tolist()
    return [Known(*of_slice) for of_slice in zip(cells, metrics_each, rows, each, unanswered, strict=True)]


@dataclass(frozen=True)
class Known:
    """What the counts tell of a slice: its matrix, its count metrics, its rows, those of each class, and how many have
    no answer."""

    cells: IntArray
    metrics: dict[str, Metric] | None
    rows: int
    by_class: list[int]
    unanswered: int


@dataclass(frozen=True)
class Counted:
    """A list's slices by their counts alone: the joint codes that rows bear, what each tells, and how they compare with
    the other rows."""

    codes: IntArray
    known: Sequence[Known]
    compared: Mapping[str, Many]


def _slice(
    a: Answers,
    part: Part,
    known: Known | None,
    reading: Reading,
    rest: bool,
    scores: Callable[[], OfScores] | None,
    compared_at_once: Container[str],
) -> tuple[dict[str, object], dict[str, Compared | str] | None]:
    k = a.classes
    if known is not None and part.table is not None:
        rows, by_class, unanswered, weighted = known.rows, known.by_class, known.unanswered, known.rows
    else:
        s = part.rows
        rows, by_class = len(s.actual), np.bincount(s.actual, minlength=k).tolist()
        unanswered = int(np.count_nonzero(~s.answered))
        weighted = int(np.count_nonzero(s.weight > 0)) if s.weight is not None else rows
    t = part.table
    entry: dict[str, object] = {
        "rows": rows,
        "actual": dict(zip(reading.classes, by_class, strict=True)),
        "no_answer": unanswered,
        "matrix": None if t is None else t.cells.tolist(),
        "metrics": {},
        "rest": {},
    }
    if weighted < reading.settings.min_slice:
        why = few_rows(reading.settings.min_slice)
        entry["metrics"] = {name: absent(why) for name in reading.metrics}
        return entry, None
    of = OfScores({}, {}) if scores is None else scores()
    read, compared = of.metrics, of.rest
    bare = known is not None and t is not None and not any(reading.needs_class(m.name) for m in reading.own)
    counted = None if known is None or reading.formulas else known.metrics
    if counted is None:
        counted = of_counts(_bare(a, t) if bare and t is not None else part.rows, reading,
                            None if known is None else known.metrics)  # fmt: skip
    if scores is None:
        entry["metrics"] = {name: mark(name, m) for name, m in counted.items()}
    else:
        entry["metrics"] = in_order(counted | read, reading)
    if not rest:
        return entry, None
    others = None
    if known is not None and a.table is not None:
        others = table.of_cells(_padded(a.table.cells, known.cells.shape[1]) - known.cells, k)
    both = against_rest(part, part.others(others), counted, reading, compared_at_once) | compared
    return entry, {name: both[name] for name in reading.metrics if name in both}


def _bare(a: Answers, counted: Table) -> Answers:
    """Answers of classes only, of which their matrix is all that any number reads."""
    return replace(a.take(np.zeros(0, dtype=np.int64)), counted=counted)


def _padded(cells: IntArray, width: int) -> IntArray:
    return cells if cells.shape[1] == width else np.pad(cells, ((0, 0), (0, width - cells.shape[1])))


def _adjust(
    out: list[SliceResult], families: list[dict[str, Compared | str] | None], at_once: Mapping[str, Many],
    reading: Reading,
) -> None:  # fmt: skip
    """Holm over the listed slices of one field list and one metric; small slices are not among them."""
    listed = [i for i, f in enumerate(families) if f is not None]
    each = [f for f in families if f is not None]
    names = [name for name in reading.metrics if each and (name in at_once or name in each[0])]
    confidence = reading.settings.confidence
    for name in names:
        if name in at_once:
            absent = [out[i]["metrics"][name].get("why", "") for i in listed]
            differences = at_once[name].family(listed, absent, confidence, partial(is_approximate, name, of=SLICE))
        else:
            differences = [mark_difference(name, d, SLICE) for d in tests.family([f[name] for f in each], confidence)]
        for i, d in zip(listed, differences, strict=True):
            if reading.untested and d.get("p") is not None:
                d |= {"p": None, "p_adjusted": None, "why": reading.untested}
            out[i]["rest"][name] = d
