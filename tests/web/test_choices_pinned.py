"""Whatever a view lets choose is drawn in the report of any study; what makes no sense there is left out."""

from __future__ import annotations

import pytest

from conftest import user_named
from files import trees_of, write_trees
from oddstudies import KINDS, odd
from skarlo.web.demo import bring_in

CHOICES = {
    "roster": [{"read": "differences", "against": "B"}, {"read": "splits"}, {"metrics": "recall,accuracy,log_loss"}],
    "matrix": [{"mode": "less", "pair": "B-A"}, {"mode": "each", "bars": "all"}, {"across": "actual", "order": "taken"},
               {"merge": "0,1,1"}, {"classes": "yes", "front": "B"}],
    "curves": [{"over": "classes"}, {"draw": "gain"}, {"upto": "0.2", "lines": "yes"},
               {"over": "classes", "draw": "gain"}],
    "cutoff": [{"band": "0.2:0.6", "base": "0.1", "costs": "1:9"}, {"sweep": "yes", "step": "0.05", "trace": "mcc"},
               {"trace": "net_benefit"}, {"least": "A:0.5,B:1", "by": "class"}, {"band": "5:9"}, {"height": "share"}],
    "slices": [{"by": "w"}, {"by": "note", "read": "alike"},
               {"by": "note", "read": "alike", "rule": "recall", "gap": "0.1", "prices": "1,5"},
               {"by": "note", "metric": "f1"}, {"by": "note", "metric": "of:recall"}, {"by": "x", "and": "y"}, {},
               {"by": "note", "worst": "yes:error:2", "front": "B"}, {"by": "note", "worst": "yes:recall:1"}],
    "casebook": [{"read": "labels"}, {"read": "labels", "wrong": "3", "how": "dropped"}, {"q": "predicted != actual"},
                 {"sort": "disagreement", "down": "yes"}, {"read": "map", "x": "components", "line": "-9,-9;9,-9;0,9"},
                 {"read": "map", "x": "field:note", "y": "score:A", "show_by": "by:note", "line": "-1,0;9,0;9,1;-1,1"}],
    "head-to-head": [{"pair": "B-A"}, {}],
    "calibration": [{"bins": "equal_width", "band": "whole", "table": "yes"}, {"by": "largest"}],
}  # fmt: skip
HOSTILE = "<b>\u202e,:-1e999:nan"


def study_of(kind, folder):
    return write_trees(folder, trees_of(60)) if kind == "trees" else odd(folder, kind).path


@pytest.mark.parametrize("kind", [*(k for k in KINDS if k != "thirty"), "trees"])  # thirty take as long as all of these
def test_every_choice_is_drawn(workspace, signed_in, tmp_path, kind):
    number = bring_in(workspace, study_of(kind, tmp_path / kind), user_named(workspace, "ana"))
    ana = signed_in("ana")
    about = ana("GET", f"/studies/{number}", headers={"Prefer": "wait=60"}).json
    show, split = [c["position"] for c in about["candidates"]], about["holdout"]["report_on"]
    pinned = 0
    for view, choices in CHOICES.items():
        for own in [*choices, {key: HOSTILE for one in choices for key in one}]:
            body = {"view": view, "scope": {"split": split, "show": show, "own": own}}
            assert ana("POST", f"/studies/{number}/exhibits", body).status_code == 201
            pinned += 1
    page = ana("GET", f"/studies/{number}/dossier/preview", headers={"Prefer": "wait=60"})
    assert page.status_code == 200, page.text[:500]
    assert page.text.count("<h2>Exhibit") == pinned
    assert "<b>\u202e" not in page.text
    for never in (">nan<", ">NaN<", ">None<", ">inf<"):
        assert never not in page.text
