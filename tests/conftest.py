"""What the tests of the kept parts share: a workspace, people, a study, signed-in clients."""

from __future__ import annotations

import json
import shutil
import tomllib
from pathlib import Path

import jsonschema
import pytest
from hypothesis import settings
from sqlmodel import select

from files import write_study
from skarlo.intake import InputError, read_spec
from skarlo.intake.schemas import SCHEMAS
from skarlo.studies import accounts
from skarlo.studies.records import User
from skarlo.studies.workspace import Workspace
from skarlo.web import security
from skarlo.web.app import answer_of, interface
from skarlo.web.demo import bring_in

settings.register_profile("skarlo", deadline=None, max_examples=100, derandomize=True)
settings.load_profile("skarlo")
RESULTS, STUDY = (jsonschema.Draft202012Validator(SCHEMAS[name]()) for name in ("results", "study"))
PASSWORD = "a long password"
ROLES = {"ana": "analyst", "ben": "analyst", "ava": "approver", "vic": "viewer", "ada": "admin"}


@pytest.fixture(autouse=True)
def written_files_are_valid(tmp_path):
    """Whatever a test leaves behind as a study file that can be read, or as results, fits its schema."""
    yield
    for path in filter(Path.is_file, tmp_path.rglob("*.toml")):
        try:
            read_spec(path)
        except InputError:
            continue
        STUDY.validate(tomllib.loads(path.read_text(encoding="utf-8-sig")))
    for path in filter(Path.is_file, tmp_path.rglob("*.json")):
        if path.read_bytes()[:40].startswith(b'{"format": "skarlo.results/1"'):
            RESULTS.validate(json.loads(path.read_bytes()))


QUICK = accounts.PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)


@pytest.fixture(scope="session")
def peopled(tmp_path_factory):
    """A workspace with people and nothing else; each test has a copy."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(accounts, "HASHER", QUICK)
        opened = Workspace.open(tmp_path_factory.mktemp("peopled") / "workspace")
        with opened.writing() as records:
            for name, role in ROLES.items():
                accounts.add_user(records, name, role, PASSWORD)
        opened.engine.dispose()
    return opened.folder


@pytest.fixture
def workspace(peopled, tmp_path, monkeypatch):
    monkeypatch.setattr(accounts, "HASHER", QUICK)
    return Workspace.open(shutil.copytree(peopled, tmp_path / "workspace"))


def user_named(workspace, name):
    with workspace.writing() as records:
        return records.exec(select(User).where(User.name == name)).one()


@pytest.fixture
def study_id(workspace, tmp_path):
    return bring_in(workspace, write_study(tmp_path / "files"), user_named(workspace, "ana"))


class Client:
    """A browser without a page: keeps its cookie and token."""

    def __init__(self, app):
        self.http = app.test_client()
        self.token = ""

    def __call__(self, method, path, body=None, **how):
        headers = {"X-CSRFToken": self.token} | how.pop("headers", {})
        if method == "PATCH" and "If-Match" not in headers:  # as a page that has just read it
            study = path.split("/dossier")[0].split("/exhibits")[0]
            headers["If-Match"] = self("GET", f"{study}/dossier").headers.get("ETag", "")
        if body is not None:
            how |= {"data": json.dumps(body), "content_type": "application/json"}
        return self.http.open(f"/api/v1{path}", method=method, headers=headers, **how)

    def sign_in(self, name, password=PASSWORD):
        self.token = self("GET", "/session").json["csrf"]
        answer = self("POST", "/session", {"name": name, "password": password})
        self.token = answer.json.get("csrf", self.token)
        return answer


@pytest.fixture(scope="session")
def routes():
    """The interface, made once: each test lays it over a workspace of its own."""
    made = interface()
    made.testing = True
    return made


@pytest.fixture
def app(routes, workspace):
    answer_of(routes, workspace)
    routes.config["PATIENCE"] = 60  # how long work takes on a busy machine is not what is tested
    security.limiter.reset()
    return routes


@pytest.fixture
def visitor(app):
    return Client(app)


@pytest.fixture
def signed_in(app):
    def make(name):
        client = Client(app)
        assert client.sign_in(name).status_code == 200
        return client

    return make


@pytest.fixture
def submitted(signed_in, study_id):
    """A study with one exhibit, a decision, and revision 1 submitted by ana: (study, revision)."""
    ana = signed_in("ana")
    pin = {"view": "roster", "scope": {"split": "test", "show": [1, 2]}, "caption": "Who leads"}
    assert ana("POST", f"/studies/{study_id}/exhibits", pin).status_code == 201
    assert ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"}).status_code == 200
    answer = ana("POST", f"/studies/{study_id}/revisions")
    assert answer.status_code == 201, answer.json
    return study_id, answer.json["id"]
