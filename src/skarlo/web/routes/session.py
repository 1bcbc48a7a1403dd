"""Signing in and out."""

from __future__ import annotations

from typing import Annotated, Literal

from flask import Response, request, session
from flask_login import current_user, login_user, logout_user
from flask_openapi3 import Tag
from flask_wtf.csrf import generate_csrf
from pydantic import (
    BaseModel,
    Field,
)

from skarlo.studies import accounts
from skarlo.studies.records import ROLES

from ..models import OneOf, Problem, Strict
from ..problems import problem
from ..security import Account, limiter, signed_in, workspace
from ..shared import answer, api

TAG = [Tag(name="session")]


class UserOut(BaseModel):
    id: int
    name: str
    role: Annotated[str, OneOf(lambda: tuple(ROLES))]


class SessionOut(BaseModel):
    """Who is signed in here, and the token that changes must carry in X-CSRFToken."""

    user: UserOut | None
    may: list[Literal["write", "sign"]] = Field(description="what the person's role allows")
    csrf: str


class Credentials(Strict):
    name: str
    password: str


def _session() -> Response:
    user = signed_in() if current_user.is_authenticated else None
    out = UserOut(id=user.id or 0, name=user.name, role=user.role) if user else None
    may = accounts.allowed(user) if user else []
    return answer(SessionOut(user=out, may=may, csrf=generate_csrf()))


def _name() -> str:
    body = request.get_json(silent=True)
    return str(body.get("name", ""))[:80] if isinstance(body, dict) else ""


@api.get("/session", tags=TAG, responses={200: SessionOut}, endpoint="session_read")
def session_read() -> Response:
    """Who is signed in, and the token for changes."""
    return _session()


@api.post("/session", tags=TAG, responses={200: SessionOut, 429: Problem}, endpoint="session_begin")
@limiter.limit("30 per minute")
@limiter.limit("6 per minute", key_func=_name)
def session_begin(body: Credentials) -> Response:
    """Sign in."""
    with workspace().reading() as records:
        user = accounts.named(records, body.name)
    if not accounts.password_matches(user, body.password) or user is None:
        return problem(401, "Wrong name or password. Check both and try again.")
    session.clear()
    with workspace().writing() as records:
        token = accounts.begin(records, user)
    session.permanent = True
    login_user(Account(user, token))
    return _session()


@api.delete("/session", tags=TAG, responses={200: SessionOut}, endpoint="session_end")
def session_end() -> Response:
    """Sign out; who is not signed in any more stays so."""
    if current_user.is_authenticated:
        with workspace().writing() as records:
            accounts.end(records, current_user.token)
        logout_user()
    session.clear()
    return _session()
