"""What can be pinned: each view in a module of its own, and the one list of them."""

from __future__ import annotations

from skarlo.core import Results
from skarlo.report.drafting import counted_rows
from skarlo.report.scope import Scope, candidates

from .calibration import CALIBRATION
from .casebook import CASEBOOK
from .curves import CURVES
from .cutoff import CUTOFF
from .entry import Behind, Exhibit, Reading, no_rows
from .head_to_head import HEAD_TO_HEAD
from .matrix import MATRIX
from .roster import ROSTER
from .slices import SLICES

EXHIBITS: dict[str, Exhibit] = {
    e.view: e for e in (ROSTER, MATRIX, CURVES, CUTOFF, CALIBRATION, SLICES, CASEBOOK, HEAD_TO_HEAD)
}

__all__ = ["EXHIBITS", "Behind", "Exhibit", "Reading", "no_rows", "sentence"]


LOWERED = ("On ", "Of ", "All ", "No ", "Whether ", "There ")  # how a sentence begins whose first word is no name


def sentence(view: str, results: Results, scope: Scope) -> str:
    """The one sentence at the top of a view (now and then two), about the candidates in scope."""
    chosen = candidates(results, scope)
    where = f" where {scope.where}" if scope.within else ""
    if not chosen:
        return "No candidate is switched on."
    rows = chosen[0].part["rows"]
    if not rows:
        return f"There are no {'' if scope.split == 'all' else f'{scope.split} '}rows{where}."
    least = results["settings"]["min_slice"]
    if scope.within and not EXHIBITS[view].counts_only and rows < least:
        there = f"there {'is' if rows == 1 else 'are'} {counted_rows(rows, scope.split)}, fewer than {least}"
        return f"Where {scope.where} {there}: counts alone are told of them."
    draft = EXHIBITS[view].two if results["holdout"]["positive"] is not None else EXHIBITS[view].many
    said = draft(results, scope, chosen)
    if not where or where in said:
        return said
    told = said[0].lower() + said[1:] if said.startswith(LOWERED) else said
    return f"Where {scope.where}: {told}"
