"""Signing in, staying in, being let out."""

from __future__ import annotations

from datetime import timedelta

from conftest import PASSWORD, Client
from skarlo.studies import accounts


def test_wrong_name_and_wrong_password_read_the_same(visitor):
    a = visitor.sign_in("ana", "not the password")
    b = visitor.sign_in("nobody", PASSWORD)
    assert a.status_code == b.status_code == 401
    assert a.json["detail"] == b.json["detail"]


def test_sign_in_is_rate_limited(app, visitor):
    seen = [visitor.sign_in("ana", f"guess number {i}").status_code for i in range(8)]
    assert seen == [401] * 6 + [429] * 2
    late = visitor.sign_in("ana", PASSWORD)
    assert late.status_code == 429
    assert late.headers["Content-Type"] == "application/problem+json"
    assert Client(app).sign_in("ben").status_code == 200  # another name is not locked out


def test_sign_out_ends_it_on_the_server(app, signed_in):
    ana = signed_in("ana")
    cookie = ana.http.get_cookie("skarlo").value
    assert ana("DELETE", "/session").status_code == 200
    thief = Client(app)
    thief.http.set_cookie("skarlo", cookie)
    assert thief("GET", "/studies").status_code == 401


def test_a_sign_in_expires_on_the_server(signed_in, monkeypatch):
    ana = signed_in("ana")
    assert ana("GET", "/studies").status_code == 200
    late = accounts.now() + accounts.STAY + timedelta(seconds=1)
    monkeypatch.setattr(accounts, "now", lambda: late)
    assert ana("GET", "/studies").status_code == 401


def test_cookies_and_headers(signed_in, study_id):
    ana = signed_in("ana")
    set_cookie = ana("GET", "/session").headers.get("Set-Cookie", "") or str(ana.http.get_cookie("skarlo"))
    answer = ana.http.get("/")
    policy = answer.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    cookie = ana.http.get_cookie("skarlo")
    assert (cookie.http_only, cookie.same_site) == (True, "Strict"), set_cookie
    preview = ana("GET", f"/studies/{study_id}/dossier/preview").headers["Content-Security-Policy"]
    assert "script-src" not in preview
    assert "unsafe" not in preview
    assert "default-src 'none'" in preview


def test_only_known_hosts_are_answered(app):
    assert app.test_client().get("/healthz").json["status"] == "ok"
    assert app.test_client().get("/healthz", headers={"Host": "evil.example"}).status_code == 400


def test_only_hashes_are_kept(workspace, signed_in):
    ana = signed_in("ana")
    with ana.http.session_transaction() as kept:
        token = kept["_user_id"]
    held = b"".join(p.read_bytes() for p in workspace.folder.glob("skarlo.db*"))
    assert token.encode() not in held
    assert PASSWORD.encode() not in held
    assert b"$argon2id$" in held


def test_only_answers_about_the_session_set_the_cookie(signed_in, study_id):
    """One long under way, asked for by whom was here before, would sign the next one out."""
    ana = signed_in("ana")
    before = ana.http.get_cookie("skarlo").value
    for path in ("/studies", f"/studies/{study_id}", f"/studies/{study_id}/dossier"):
        assert "Set-Cookie" not in ana("GET", path).headers
    assert "Set-Cookie" not in ana("GET", "/session").headers  # nor does one that tells what is so already
    late = Client(ana.http.application)
    late.http.set_cookie("skarlo", before)
    assert "Set-Cookie" in ana("DELETE", "/session").headers
    assert ana("GET", "/session").json["user"] is None
    refused = late("GET", "/studies")
    assert (refused.status_code, refused.headers.get("Set-Cookie")) == (401, None)


def test_signing_out_twice_is_signing_out(signed_in):
    ana = signed_in("ana")
    for _ in range(2):
        gone = ana("DELETE", "/session")
        assert (gone.status_code, gone.json["user"]) == (200, None)
        ana.token = gone.json["csrf"]
