"""What Skarlo notices in the results."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import chain
from typing import Any, Literal

import numpy as np

from ..compare.pairs import Entrant
from ..metrics.losses import CLIP
from ..number import Difference, Finding
from ..once import beside
from ..results import CandidateResult, ConditionResult, GroupsEntry, SearchEntry, SplitResult
from ..study import BASE_RATE, Candidate, Study
from ..writing import as_set, named, several, shown

SOME = 1000  # rows that are looked at first
FEW_SCORES = 5
FEW_ROWS = 10
COMMON, FAR = 0.75, 0.1


def finding(level: Literal["error", "warning", "note"], code: str, message: str, **where: Any) -> Finding:
    """One finding.

    Examples
    --------
    >>> finding("note", "few", "only 3 rows", rows=3)["where"]
    {'rows': 3}
    """
    return {"level": level, "code": code, "message": message, "where": where}


def rows_named(split: str) -> str:
    """The rows of a split in words; "all" is what rows without splits stand under."""
    return "rows" if split == "all" else f"{split} rows"


def counted_rows(n: int, split: str) -> str:
    """So many rows of a split, in words.

    Examples
    --------
    >>> counted_rows(1, "test"), counted_rows(2000, "all")
    ('1 test row', '2,000 rows')
    """
    return several(n, "row" if split == "all" else f"{split} row")


def _rows(study: Study) -> str:
    return rows_named(study.report_on)


def of_study(study: Study, entries: list[CandidateResult], entrants: list[Entrant],
             against: dict[str, dict[str, dict[str, Difference]]]) -> list[Finding]:  # fmt: skip
    """All findings, in a fixed order: of the rows, of each candidate, of pairs."""
    out = _of_picking(study) + _of_rows(study)
    each = zip(study.candidates, entries, entrants, strict=True)
    out += chain.from_iterable(beside(lambda of: _of_candidate(study, *of), each, len(study.actual)))
    out += _of_baselines(study, entries, against)
    for i, a in enumerate(study.candidates):
        out += [_identical(a, b) for b in study.candidates[i + 1 :] if _same(a, b)]
    return out


def picked_by(names: Sequence[str]) -> str:
    """Why no number of candidates is tested on rows that their own answers picked out."""
    return f"these rows were picked by answers of {named(names)}"


def _of_picking(study: Study) -> list[Finding]:
    if not study.picked_by:
        return []
    message = f"{picked_by(study.picked_by)}: that bends its numbers here, and no difference from it is tested"
    if len(study.picked_by) > 1:
        message = f"{picked_by(study.picked_by)}: that bends their numbers here, and no difference from them is tested"
    return [finding("warning", "picked_by_answer", message, candidates=list(study.picked_by))]


def _of_rows(study: Study) -> list[Finding]:
    out = []
    reported = study.actual[study.splits[study.report_on]]
    for k, label in enumerate(study.classes):
        n = int((reported == k).sum())
        if n < FEW_ROWS:
            message = f"only {counted_rows(n, study.report_on)} of {_quoted(study, label)}"
            where = {"split": study.report_on, "class": label, "rows": n}
            out.append(finding("warning", "few_rows_of_class", message, **where))
    if study.group is not None and len(study.splits) > 1:
        seen: dict[int, str] = {}
        cut: set[int] = set()
        for name, rows in study.splits.items():
            for g in np.unique(study.group[rows]).tolist():
                if seen.setdefault(g, name) != name:
                    cut.add(g)
        if cut:
            out.append(finding("warning", "group_cut_by_split", f"{len(cut):,} groups have rows in several splits, "
                               "so the splits are not independent", groups=len(cut)))  # fmt: skip
    return out


def _of_candidate(study: Study, c: Candidate, entry: CandidateResult, e: Entrant) -> list[Finding]:
    out: list[Finding] = []
    split, where = study.report_on, {"candidate": c.name, "split": study.report_on}
    part = entry["splits"][split]
    matrix = part["matrix"]
    if matrix is not None and part["rows"]:
        said = [sum(column) for column in zip(*matrix, strict=True)][: len(study.classes)]
        whole = sum(sum(row) for row in matrix)
        if max(said) == whole:
            label = study.classes[said.index(max(said))]
            message = f"{c.name} predicts {_quoted(study, label)} for all {_rows(study)}"
            out.append(finding("warning", "one_class_only", message, **where, **{"class": label}))
    out += _of_areas(study, c, part, where) + _of_accuracy(study, c, part, where)
    if c.score is not None:
        given = c.score[~np.isnan(c.score)]
        values = np.unique(given[:SOME])
        if len(values) <= FEW_SCORES and len(values := np.unique(given)) <= FEW_SCORES:
            what = "all scores are equal" if len(values) == 1 else f"there are only {len(values)} distinct scores"
            out.append(finding("warning", "few_distinct_scores", f"{c.name}: {what}", **where, distinct=len(values)))
    out += _of_probabilities(study, c, e)
    for name, m in part.get("averages", {}).get("macro", {}).items():
        nulls = [
            k for k, p in part.get("per_class", {}).items() if p["actual_rows"] and p["precision"]["value"] is None
        ]
        if name == "precision" and nulls and m["value"] is not None:
            out.append(finding("note", "null_precision_counted_as_zero", f"{c.name} never predicts {', '.join(nulls)}; "
                               "that precision counts as 0 in the macro and weighted averages", **where))  # fmt: skip
    if part["no_answer"]:
        how = "counted as wrong" if c.no_answer == "wrong" else "left out"
        missing = counted_rows(part["no_answer"], study.report_on)
        out.append(finding("warning", "no_answer", f"{c.name} has no answer for {missing}, {how}", **where,
                           rows=part["no_answer"]))  # fmt: skip
    return out


def _of_areas(study: Study, c: Candidate, part: SplitResult, where: dict[str, Any]) -> list[Finding]:
    """Areas below one half, and classes without rows that a macro area leaves out."""
    if study.positive is not None:
        area = part["metrics"]["roc_auc"]["value"]
        if area is None or area >= 0.5:
            return []
        other = study.classes[1 - study.positive]
        return [finding("warning", "area_below_half", f"the ROC AUC of {c.name} is below one half: are these the "
                        f"scores of {_quoted(study, other)}?", **where)]  # fmt: skip
    if c.probabilities is None:
        return []
    out = []
    areas = {label: p["roc_auc"]["value"] for label, p in part.get("per_class", {}).items()}
    for label, area in areas.items():
        if area is not None and area < 0.5:
            message = (
                f"the ROC AUC of {c.name} for {_quoted(study, label)} against the rest is below one half: are the "
                "columns of the probabilities the right ones?"
            )
            out.append(finding("warning", "area_below_half", message, **where, **{"class": label}))
    absent = [label for label, area in areas.items() if area is None]
    if absent and len(absent) < len(areas):
        left = named([_quoted(study, label) for label in absent])
        message = f"the macro ROC AUC of {c.name} leaves out {left}, with no rows inside or outside of it"
        out.append(finding("note", "class_left_out_of_macro_area", message, **where, classes=absent))
    return out


def _of_accuracy(study: Study, c: Candidate, part: SplitResult, where: dict[str, Any]) -> list[Finding]:
    """An accuracy that comes from one class being common: high, while the mean over classes is far lower."""
    accuracy, balanced = (part["metrics"][name]["value"] for name in ("accuracy", "balanced_accuracy"))
    rows = sum(part["actual"].values())
    if accuracy is None or balanced is None or not rows:
        return []
    label, most = max(part["actual"].items(), key=lambda item: item[1])
    if most / rows < COMMON or accuracy < COMMON or accuracy - balanced < FAR:
        return []
    message = (
        f"the accuracy of {c.name}, {shown(accuracy)}, rests on {_quoted(study, label)} being {shown(most / rows)} of "
        f"the {_rows(study)}; its balanced accuracy is {shown(balanced)}"
    )
    return [finding("note", "accuracy_rests_on_imbalance", message, **where)]


OF_CUTOFFS = ("no_cutoff_satisfies_rule", "cutoff_chosen_on_report_split")


def of_cutoffs(candidates: Sequence[CandidateResult], report_on: str) -> list[Finding]:
    """What the cutoffs themselves give occasion to say: it depends on where they were chosen, and on no row."""
    out = []
    for c in candidates:
        cutoff = c["cutoff"]
        if cutoff is None:
            continue
        if "why" in cutoff:
            message = f"no cutoff of {c['name']} satisfies {cutoff['rule']}: {cutoff['why']}"
            out.append(finding("warning", "no_cutoff_satisfies_rule", message, candidate=c["name"]))
        elif cutoff["chosen_on"] == report_on:
            set_at = "" if cutoff["value"] is None else f" {as_set(cutoff['value'])}"
            message = (
                f"the cutoff{set_at} of {c['name']} was chosen on the {rows_named(report_on)} it is reported on; its "
                "counts and rates there are likely to look better than they will be"
            )
            out.append(finding("warning", "cutoff_chosen_on_report_split", message, candidate=c["name"],
                               split=report_on))  # fmt: skip
    return out


def _of_probabilities(study: Study, c: Candidate, e: Entrant) -> list[Finding]:
    a = e.whole.with_answer
    if a.probabilities is not None:
        p = a.probabilities[np.arange(len(a.actual)), a.actual]
    elif a.score is not None and a.is_probability:
        p = np.where(a.is_positive, a.score, 1.0 - a.score)
    else:
        if c.score is not None and not c.ranking_only:
            return [finding("note", "scores_outside_unit", f"some scores of {c.name} lie outside 0 to 1, so nothing is "
                            "said of them as probabilities", candidate=c.name)]  # fmt: skip
        return []
    wrong = int(np.count_nonzero(p < CLIP))
    if not wrong:
        return []
    message = f"{c.name} gave probability 0 to the actual class in {counted_rows(wrong, 'all')}; log loss clips it to"
    return [finding("note", "probabilities_clipped", f"{message} 1e-15", candidate=c.name, rows=wrong)]


def _of_baselines(
    study: Study, entries: list[CandidateResult], against: dict[str, dict[str, dict[str, Difference]]]
) -> list[Finding]:
    """Who is not shown to be better than what needs no model: one finding for each baseline and verdict."""
    out = []
    for baseline in dict.fromkeys(b for baselines in against.values() for b in baselines):
        metric = "brier" if baseline == BASE_RATE else "accuracy"
        better = -1 if metric == "brier" else 1
        beside: list[tuple[str, str, str]] = []  # name, its value, the baseline's on the same rows
        worse, unclear = [], []
        for e in entries:
            d, m = against[e["name"]][baseline].get(metric), e["splits"][study.report_on]["metrics"].get(metric)
            if d is None or m is None or d["difference"] is None or m["value"] is None:
                continue
            told = (e["name"], shown(m["value"]), shown(m["value"] - d["difference"]))
            beside.append(told)
            p = d.get("p_adjusted")
            separated = p is not None and p <= 1 - study.settings.confidence
            if separated and better * d["difference"] < 0:
                worse.append(told)
            elif not separated:
                unclear.append(told)
        alike = len({own for _, _, own in beside}) == 1
        theirs = {
            "accuracy": f"always answering {_quoted(study, baseline.removeprefix('always '))}",
            "brier": "the base rate's",
        }[metric] + (f" ({beside[0][2]})" if alike else " on the same rows")
        for who, said in ((worse, _WORSE[metric]), (unclear, _UNCLEAR[metric])):
            if who:
                listed = named([f"{name} ({value}{'' if alike else f' against {own}'})" for name, value, own in who])
                message = said.format(who=listed, are="is" if len(who) == 1 else "are", baseline=theirs)
                names = [name for name, _, _ in who]
                out.append(finding("note", "baseline_not_beaten", f"on the {_rows(study)} {message}", candidates=names,
                                   baseline=baseline, metric=metric))  # fmt: skip
    return out


_WORSE = {
    "accuracy": "{who} {are} less accurate than {baseline}; accuracy misleads where one class is rare",
    "brier": "the Brier score of {who} is worse than {baseline}: as probabilities, these scores say less than the base "
    "rate alone",
}
_UNCLEAR = {
    "accuracy": "this data cannot show {who} to be more accurate than {baseline}; accuracy misleads where one class is "
    "rare",
    "brier": "this data cannot show the Brier score of {who} to be better than {baseline}",
}


def _quoted(study: Study, label: str) -> str:
    """A class as it is shown."""
    return f"“{study.names.get(label, label)}”"


def _same(a: Candidate, b: Candidate) -> bool:
    for x, y in ((a.score, b.score), (a.probabilities, b.probabilities), (a.predicted, b.predicted)):
        if (x is None) != (y is None):
            return False
        if x is None or y is None:
            continue
        for rows in (slice(SOME), slice(None)):  # most tell themselves apart at once
            if not np.array_equal(x[rows], y[rows], equal_nan=x.dtype.kind == "f"):
                return False
    return True


def _identical(a: Candidate, b: Candidate) -> Finding:
    return finding("warning", "identical_candidates", f"{a.name} and {b.name} answer every row alike: is one file "
                   "there twice?", candidates=[a.name, b.name])  # fmt: skip


def of_asked(
    conditions: Mapping[str, ConditionResult], search: Sequence[SearchEntry], groups: Sequence[GroupsEntry], split: str
) -> list[Finding]:
    """Of what the study asks of parts of its rows: conditions that cannot be told of some rows, searches that had no
    tuning rows to look at, groups too small for a cutoff of their own."""
    out = []
    for name, c in conditions.items():
        by = {"": c["splits"]} if "splits" in c else {k: v["splits"] for k, v in c.get("candidates", {}).items()}
        for candidate, found in by.items():
            unknown = found[split]["unknown_rows"]
            if unknown:
                whose = f" of {candidate}" if candidate else ""
                where = {"candidate": candidate} if candidate else {}
                message = f"{name}{whose} cannot be told of {counted_rows(unknown, split)}, which are not its"
                out.append(finding("note", "condition_unknown", message, condition=name, rows=unknown, **where))
    for one in search:
        if one.get("halved"):
            out.append(finding(
                "warning", "search_halved", "there is no tuning split: what "
                f"{one['candidate']} serves worst is found on half of the {rows_named(split)} and read on the other",
                candidate=one["candidate"],
            ))  # fmt: skip
    for g in groups:
        kept = g["cutoffs"]["kept_the_one"] if "cutoffs" in g else []
        if kept:
            said = named(kept)
            out.append(finding(
                "note", "groups_too_small", f"{said}: too few tuning rows for a cutoff of their own, so that of "
                f"{g['candidate']} stays", candidate=g["candidate"], by=g["by"], groups=kept,
            ))  # fmt: skip
    return out
