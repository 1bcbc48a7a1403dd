"""The OpenAPI document: valid, served, and enough to make a client that goes from a file to a signature."""

from __future__ import annotations

import json
import re

import pytest
from openapi_spec_validator import OpenAPIV31SpecValidator

from conftest import PASSWORD
from files import rows_of, write_csv


@pytest.fixture
def document(visitor):
    answer = visitor("GET", "/openapi.json")
    assert answer.status_code == 200
    return answer.json


def test_it_is_valid(document):
    assert [f"{list(e.absolute_path)}: {e.message}" for e in OpenAPIV31SpecValidator(document).iter_errors()] == []


def operations(document):
    return [
        (path, method, operation)
        for path, of in document["paths"].items() for method, operation in of.items()
    ]  # fmt: skip


def test_every_operation_has_a_name_of_its_own_and_says_who_may_ask(document, app):
    names = [operation["operationId"] for _, _, operation in operations(document)]
    assert len(set(names)) == len(names)
    assert all(re.fullmatch(r"[a-z][A-Za-z]+", name) for name in names), names
    for path, method, operation in operations(document):
        if method in ("post", "put", "patch", "delete"):
            assert operation["security"] == [{"session": [], "token": []}] or path.endswith("/session"), path
    documented = {re.sub(r"\{.*?\}", "*", path) for path, _, _ in operations(document)}
    routes = {
        re.sub("<.*?>", "*", rule.rule) for rule in app.url_map.iter_rules() if rule.rule.startswith("/api/")
    } - {"/api/v1/openapi.json"}  # fmt: skip
    assert routes <= documented


def test_errors_are_problems_and_files_are_files(document):
    for path, method, operation in operations(document):
        for status, response in operation["responses"].items():
            kinds = list(response.get("content", {}))
            if int(status) >= 400 and path != "/healthz":
                assert kinds == ["application/problem+json"], (path, method, status)
            elif status in ("200", "201"):
                assert kinds, (path, method, status)
        if operation["operationId"] in ("upload", "importStudy", "readMadeWith"):
            assert "application/octet-stream" in operation["requestBody"]["content"]
    by_name = {operation["operationId"]: operation for _, _, operation in operations(document)}
    assert list(by_name["exportStudy"]["responses"]["200"]["content"]) == ["application/zip"]
    assert list(by_name["report"]["responses"]["200"]["content"]) == ["text/html"]
    stamp = document["components"]["schemas"]["RevisionOut"]["properties"]["stamp"]
    assert stamp["enum"] == ["waiting", "signed", "returned"]


class Generated:
    """A client that knows nothing but the document: operations by name, bodies and parameters as it says."""

    def __init__(self, http, document):
        self.http, self.token = http, ""
        self.known = {operation["operationId"]: (path, method, operation)
                      for path, method, operation in operations(document)}  # fmt: skip

    def __call__(self, operation_id, body=None, headers=None, **given):
        path, method, operation = self.known[operation_id]
        query = {}
        for parameter in operation.get("parameters", []):
            key = parameter["name"]
            if parameter["in"] == "path":
                path = path.replace(f"{{{key}}}", str(given.pop(key)))
            elif key in given:
                query[key] = given.pop(key)
        assert not given, f"{operation_id} takes no {list(given)}"
        headers = dict(headers or {})
        if any("token" in way for way in operation.get("security", [])):
            headers["X-CSRFToken"] = self.token
        how = {}
        if body is not None:
            (kind,) = operation["requestBody"]["content"]
            how = {"data": body if isinstance(body, bytes) else json.dumps(body), "content_type": kind}
        answer = self.http.open(path, method=method.upper(), headers=headers, query_string=query, **how)
        assert str(answer.status_code) in operation["responses"], (operation_id, answer.status_code, answer.text[:300])
        return answer


def test_a_client_made_from_it_uploads_makes_a_study_and_signs(app, document, tmp_path):
    rows = rows_of(120)

    def person(name):
        client = Generated(app.test_client(), document)
        client.token = client("sessionRead").json["csrf"]
        client.token = client("sessionBegin", {"name": name, "password": PASSWORD}).json["csrf"]
        return client

    ana, ava = person("ana"), person("ava")
    ids = [
        ana("upload", write_csv(tmp_path / name, rows, columns).read_bytes(), name=name).json["id"]
        for name, columns in (("h.csv", ["id", "actual", "split"]), ("s.csv", ["id", "p"]))
    ]
    holdout = {"upload": ids[0], "id": "id", "truth": "actual", "positive": "yes", "split": "split",
               "report_on": "test", "tune_on": "tuning"}  # fmt: skip
    candidate = {"upload": ids[1], "name": "S", "score": "p", "cutoff": 0.4}
    study = ana("makeStudy", {"title": "Mine", "holdout": holdout, "candidates": [candidate]}).json["id"]
    assert ana("readResults", study_id=study).json["candidates"][0]["name"] == "S"
    ana("pin", {"view": "roster", "scope": {"split": "test", "show": [1]}, "caption": "c"}, study_id=study)
    tag = ana("readDossier", study_id=study).headers["ETag"]
    ana("changeDossier", {"decision_candidate": "S"}, {"If-Match": tag}, study_id=study)
    revision = ana("submit", study_id=study).json["id"]
    signed = ava("sign", {"password": PASSWORD}, revision_id=revision)
    assert signed.json["stamp"] == "signed"
    assert ava("report", revision_id=revision).data.startswith(b"<!doctype html>")
    assert ana("exportStudy", study_id=study).data.startswith(b"PK")
