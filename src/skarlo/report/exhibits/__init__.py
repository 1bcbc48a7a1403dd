"""What can be pinned: each view in a module of its own, and the one list of them."""

from __future__ import annotations

from skarlo.core import Results
from skarlo.report.scope import Scope, candidates

from .curves import CURVES
from .cutoff import CUTOFF
from .entry import Exhibit, Reading
from .matrix import MATRIX
from .roster import ROSTER

EXHIBITS: dict[str, Exhibit] = {e.view: e for e in (ROSTER, MATRIX, CURVES, CUTOFF)}

__all__ = ["EXHIBITS", "Exhibit", "Reading", "sentence"]


def sentence(view: str, results: Results, scope: Scope) -> str:
    """The one sentence at the top of a view (now and then two), about the candidates in scope."""
    chosen = candidates(results, scope)
    if not chosen:
        return "No candidate is switched on."
    if not chosen[0].part["rows"]:
        return f"There are no {scope.split} rows."
    draft = EXHIBITS[view].two if results["holdout"]["positive"] is not None else EXHIBITS[view].many
    return draft(results, scope, chosen)
