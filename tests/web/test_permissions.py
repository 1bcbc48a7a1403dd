"""Who may ask for what, by direct requests."""

from __future__ import annotations

import re

import pytest

from conftest import PASSWORD

SCOPE = {"split": "test", "show": [1]}
CHANGES = [
    ("POST", "/uploads?name=x.csv", None),
    ("POST", "/imports?name=x.zip", None),
    ("PUT", "/studies/{s}/findings/aa", {"text": "as it should be"}),
    ("POST", "/studies", {"title": "t", "holdout": {"upload": 1, "truth": "a", "positive": "b"},
                          "candidates": [{"upload": 1, "name": "n", "score": "s"}]}),
    ("GET", "/joins?holdout=1&holdout_id=id&answers=2&answers_id=id", None),
    ("GET", "/joins/missing.csv?holdout=1&holdout_id=id&answers=2&answers_id=id", None),
    ("PUT", "/studies/{s}/candidates/1/cutoff", {"value": 0.7, "chosen_on": "tuning"}),
    ("PATCH", "/studies/{s}/dossier", {"summary": "mine"}),
    ("POST", "/studies/{s}/exhibits", {"view": "matrix", "scope": SCOPE}),
    ("PATCH", "/studies/{s}/exhibits/1", {"caption": "mine"}),
    ("DELETE", "/studies/{s}/exhibits/1", None),
    ("PUT", "/studies/{s}/exhibits", {"order": [1]}),
    ("POST", "/studies/{s}/revisions", None),
    ("POST", "/uploads/stack", {"parts": {"test": 1, "tuning": 2}}),
    ("GET", "/uploads/1", None),
    ("POST", "/made-with?name=x.toml", None),
    ("POST", "/studies/{s}/candidates", {"upload": 1, "name": "n", "score": "s"}),
    ("DELETE", "/studies/{s}/candidates/1", None),
    ("POST", "/studies/{s}/candidates/1/versions", {"upload": 1}),
    ("PUT", "/studies/{s}/candidates/1/versions/1", None),
    ("DELETE", "/studies/{s}/candidates/1/versions/1", None),
    ("POST", "/studies/{s}/candidates/1/versions/1/candidate", None),
    ("PUT", "/studies/{s}/conditions/thick", {"where": 'actual = "yes"'}),
    ("DELETE", "/studies/{s}/conditions/thick", None),
    ("DELETE", "/studies/{s}", None),
    ("POST", "/deleted/study/{s}/restore", None),
]  # fmt: skip
READS = ["/studies", "/studies/{s}", "/studies/{s}/results", "/studies/{s}/dossier", "/studies/{s}/dossier/preview",
         "/studies/{s}/tallies?split=test", "/studies/{s}/sentence?view=matrix&split=test&show=1",
         "/studies/{s}/unfold?candidate=Scores&split=test&metric=recall",
         "/studies/{s}/fields", "/studies/{s}/findings", "/studies/{s}/export.zip",
         "/revisions/{r}", "/revisions/{r}/content", "/reports/{r}"]  # fmt: skip
SIGNING = [
    ("POST", "/revisions/{r}/signature", {"password": PASSWORD}),
    ("POST", "/revisions/{r}/return", {"reason": "no"}),
]


def test_a_signed_out_visitor_gets_nothing(app, visitor, submitted):
    study, revision = submitted
    visitor.token = visitor("GET", "/session").json["csrf"]
    for method, path, body in [*(("GET", p, None) for p in READS), *CHANGES, *SIGNING]:
        answer = visitor(method, path.format(s=study, r=revision), body)
        assert answer.status_code == 401, path
        assert answer.json["detail"] == "sign in first"
    for rule in app.url_map.iter_rules():  # and whatever route is added later
        public = rule.endpoint in ("api.session_read", "document")
        if rule.rule.startswith("/api/") and "GET" in rule.methods and not public:
            path = rule.rule.replace("<int:study_id>", str(study)).replace("<int:revision_id>", str(revision))
            path = re.sub("<.*?>", "1", path.replace("<which>", "missing"))
            assert visitor.http.get(path).status_code == 401, path


@pytest.mark.parametrize("name", ["vic", "ava"])
def test_viewers_and_approvers_read_and_change_nothing(signed_in, submitted, name):
    study, revision = submitted
    client = signed_in(name)
    for path in READS:
        assert client("GET", path.format(s=study, r=revision)).status_code == 200, path
    before = client("GET", f"/studies/{study}/dossier").json
    for method, path, body in CHANGES:
        answer = client(method, path.format(s=study, r=revision), body)
        assert answer.status_code == 403, path
        assert "does not allow" in answer.json["detail"]
    assert client("GET", f"/studies/{study}/dossier").json == before


@pytest.mark.parametrize("name", ["vic", "ana", "ben"])
def test_only_approvers_sign(signed_in, submitted, name):
    _, revision = submitted
    client = signed_in(name)
    for method, path, body in SIGNING:
        assert client(method, path.format(r=revision), body).status_code == 403
    assert client("GET", f"/revisions/{revision}").json["stamp"] == "waiting"


def test_the_author_cannot_sign_even_with_the_role(signed_in, study_id):
    ada = signed_in("ada")
    ada("POST", f"/studies/{study_id}/exhibits", {"view": "matrix", "scope": SCOPE})
    ada("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    revision = ada("POST", f"/studies/{study_id}/revisions").json["id"]
    for _, path, body in SIGNING:
        answer = ada("POST", path.format(r=revision), body)
        assert answer.status_code == 403
        assert "whoever wrote part of a revision" in answer.json["detail"]


def test_changes_need_the_token(signed_in, study_id):
    ana = signed_in("ana")
    ana.token = ""
    answer = ana("PATCH", f"/studies/{study_id}/dossier", {"summary": "forged"})
    assert answer.status_code == 400
    assert "token" in answer.json["detail"]
    assert ana("GET", f"/studies/{study_id}/dossier").json["summary"] == ""


def test_another_ones_upload_cannot_be_used(signed_in):
    ana, ben = signed_in("ana"), signed_in("ben")
    body = b"id,a\n1,x\n2,y\n"
    mine = ana.http.post("/api/v1/uploads?name=h.csv", data=body, headers={"X-CSRFToken": ana.token}).json["id"]
    answer = ben("POST", "/studies", {"title": "t", "holdout": {"upload": mine, "truth": "a", "positive": "x"},
                                      "candidates": [{"upload": mine, "name": "n", "predicted": "a"}]})  # fmt: skip
    assert answer.status_code == 404
