"""People, and the trail of what they did."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlmodel import col, select

from asking import upload, wanted
from conftest import PASSWORD, user_named
from files import rows_of, write_csv, write_study
from skarlo.studies import accounts
from skarlo.studies.records import EventRecord, SignIn, User
from skarlo.studies.refusals import Refusal


@pytest.mark.parametrize(
    ("name", "role", "password", "field"),
    [
        ("", "viewer", PASSWORD, "name"),
        ("x" * 81, "viewer", PASSWORD, "name"),
        ("bell\a", "viewer", PASSWORD, "name"),
        ("  ana ", "viewer", PASSWORD, "name"),
        ("new", "owner", PASSWORD, "role"),
        ("new", "viewer", "short", "password"),
    ],
)
def test_who_cannot_be_added(workspace, name, role, password, field):
    with workspace.writing() as records:
        before = len(records.exec(select(User)).all())
        with pytest.raises(Refusal) as caught:
            accounts.add_user(records, name, role, password)
        assert caught.value.field == field
        assert len(records.exec(select(User)).all()) == before


def test_a_password_is_kept_as_a_hash_that_tells_it_from_others(workspace):
    ana = user_named(workspace, "ana")
    assert PASSWORD not in ana.password_hash
    assert accounts.password_matches(ana, PASSWORD)
    assert not accounts.password_matches(ana, PASSWORD + " ")
    assert not accounts.password_matches(None, PASSWORD)
    broken = ana.model_copy(update={"password_hash": "no hash"})
    assert not accounts.password_matches(broken, PASSWORD)


def test_a_sign_in_ends_after_its_hours_and_old_ones_are_cleared(workspace, monkeypatch):
    with workspace.writing() as records:
        ana = records.exec(select(User).where(User.name == "ana")).one()
        token = accounts.begin(records, ana)
        other = accounts.begin(records, ana)
        records.flush()
        assert accounts.whose(records, token).name == "ana"
        accounts.end(records, other)
        accounts.end(records, "never begun")
        records.flush()
        assert accounts.whose(records, other) is None
        later = accounts.now() + accounts.STAY + timedelta(minutes=1)
        monkeypatch.setattr(accounts, "now", lambda: later)
        assert accounts.whose(records, token) is None
        accounts.begin(records, ana)
        records.flush()
        assert len(records.exec(select(SignIn)).all()) == 1


@pytest.mark.parametrize(
    ("role", "allowed"),
    [
        ("viewer", []), ("analyst", ["write"]), ("approver", ["sign"]), ("admin", ["write", "sign"]),
    ],
)  # fmt: skip
def test_what_a_role_may(role, allowed):
    user = User(name="x", role=role, password_hash="")
    assert accounts.allowed(user) == allowed
    assert [what for what in ("write", "sign") if accounts.may(user, what)] == allowed


def trail(workspace, study_id=None):
    with workspace.writing() as records:
        query = select(EventRecord).order_by(col(EventRecord.id))
        names = {u.id: u.name for u in records.exec(select(User))}
        events = [e for e in records.exec(query) if study_id is None or e.study_id == study_id]
        return [(names.get(e.user_id), e.action) for e in events]


def test_every_change_of_a_study_leaves_a_line(workspace, signed_in, tmp_path):
    ana, ava = signed_in("ana"), signed_in("ava")
    folder = write_study(tmp_path / "x").parent
    sent = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    study = ana("POST", "/studies", wanted(*sent)).json["id"]
    at = f"/studies/{study}"
    more = {"upload": sent[1], "name": "T", "score": "p"}
    assert ana("POST", f"{at}/candidates", more).status_code == 201
    assert ana("PUT", f"{at}/candidates/1/cutoff", {"value": 0.6, "chosen_on": "tuning"}).status_code == 200
    better = upload(ana, write_csv(tmp_path / "b.csv", rows_of(seed=7), ["id", "p"])).json["id"]
    assert ana("POST", f"{at}/candidates/2/versions", {"upload": better}).status_code == 201
    assert ana("PUT", f"{at}/candidates/2/versions/1").status_code == 200
    assert ana("DELETE", f"{at}/candidates/2/versions/2").status_code == 200
    assert ana("DELETE", f"{at}/candidates/2").status_code == 200
    scope = {"split": "test", "show": [1]}
    assert ana("POST", f"{at}/exhibits", {"view": "matrix", "scope": scope}).status_code == 201
    assert ana("PATCH", f"{at}/dossier", {"decision_candidate": "S"}).status_code == 200
    revision = ana("POST", f"{at}/revisions").json["id"]
    assert ava("POST", f"/revisions/{revision}/signature", {"password": "wrong one here"}).status_code in (403, 422)
    assert ava("POST", f"/revisions/{revision}/signature", {"password": PASSWORD}).status_code == 201
    lines = trail(workspace, study)
    assert [action for who, action in lines if who == "ana"][:6] == [
        "study made", "candidate added", "cutoff kept", "version added", "version evaluated", "version deleted",
    ]  # fmt: skip
    assert ("ana", "candidate deleted") in lines
    assert sum(who == "ava" for who, _ in lines) == 1, "a wrong password signs nothing"
    assert ("ana", "signed in") in trail(workspace)


def test_what_is_refused_leaves_no_line(workspace, signed_in, study_id):
    ana, vic = signed_in("ana"), signed_in("vic")
    before, kept = trail(workspace, study_id), {"value": 0.6, "chosen_on": "tuning"}
    assert ana("PUT", f"/studies/{study_id}/candidates/2/cutoff", kept).status_code == 422
    assert ana("PUT", f"/studies/{study_id}/candidates/9/cutoff", kept).status_code == 404
    assert vic("PUT", f"/studies/{study_id}/candidates/1/cutoff", kept).status_code == 403
    assert ana("DELETE", f"/studies/{study_id}/candidates/1/versions/1").status_code == 422
    assert trail(workspace, study_id) == before
