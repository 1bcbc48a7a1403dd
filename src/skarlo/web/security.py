"""Who may ask for what: sign-ins, roles, tokens against forged requests, content policy, rate limits."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from functools import wraps
from typing import Any, TypeVar, cast

from flask import Flask, Response, current_app, g, request
from flask.sessions import SecureCookieSessionInterface, SessionMixin
from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from flask_login import LoginManager, current_user
from flask_wtf.csrf import CSRFProtect

from skarlo.studies import accounts
from skarlo.studies.records import Right, User
from skarlo.studies.workspace import Workspace

from .problems import problem

F = TypeVar("F", bound=Callable[..., Any])
SESSION = {"api.session_read", "api.session_begin", "api.session_end"}
# What answers without an account: signing in and out, the page's own files, what can be asked at all, and whether the
# server is up. No data.
PUBLIC = SESSION | {"health", "page", "asset", "static", "document"}
limiter = Limiter(get_remote_address, storage_uri="memory://")


@dataclass
class Account:
    """The signed-in user as Flask-Login knows it; its id is the browser's token, so each can be ended alone."""

    user: User
    token: str
    is_authenticated = True
    is_active = True
    is_anonymous = False

    def get_id(self) -> str:
        return self.token


def workspace() -> Workspace:
    """The workspace this server serves."""
    return cast(Workspace, current_app.extensions["skarlo"])


def signed_in() -> User:
    """The user who asks. Only in routes that need an account."""
    return cast(User, current_user.user)


def needs(what: Right) -> Callable[[F], F]:
    """Refuse users whose role does not allow it."""

    def wrap(route: F) -> F:
        @wraps(route)
        def guarded(*args: Any, **kwargs: Any) -> Any:
            if not accounts.may(signed_in(), what):
                return problem(403, f"your role ({signed_in().role}) does not allow this")
            return route(*args, **kwargs)

        return cast(F, guarded)

    return wrap


def nonce() -> str:
    """The nonce of this response's style elements."""
    if "nonce" not in g:
        g.nonce = secrets.token_urlsafe(16)
    return cast(str, g.nonce)


class Cookie(SecureCookieSessionInterface):
    """The browser's cookie, set by answers about the session alone.

    An answer that was long under way, asked for by whom was signed in before, would put that person's cookie in place
    of the next one's.
    """

    def should_set_cookie(self, app: Flask, session: SessionMixin) -> bool:
        return session.modified and request.endpoint in SESSION


def install(app: Flask, hosts: list[str], https: bool) -> None:
    """Lay the rules over a whole app: everything is refused that is not let through."""
    app.config |= {
        "SESSION_COOKIE_HTTPONLY": True, "SESSION_COOKIE_SAMESITE": "Strict", "SESSION_COOKIE_SECURE": https,
        "SESSION_COOKIE_NAME": "skarlo", "PERMANENT_SESSION_LIFETIME": timedelta(hours=12), "WTF_CSRF_TIME_LIMIT": None,
        "WTF_CSRF_SSL_STRICT": https, "TRUSTED_HOSTS": hosts or None,
    }  # fmt: skip
    app.session_interface = Cookie()
    CSRFProtect(app)
    limiter.init_app(app)
    manager = LoginManager(app)
    manager.session_protection = None  # a sign-in is known by its token, which ends on the server

    @manager.user_loader  # type: ignore[untyped-decorator]
    def load(token: str) -> Account | None:
        with workspace().reading() as records:
            user = accounts.whose(records, token)
        return Account(user, token) if user else None

    @app.before_request
    def account_needed() -> Response | None:
        if request.endpoint in PUBLIC or current_user.is_authenticated:
            return None
        if request.endpoint is None and not request.path.startswith("/api/"):
            return None  # no such page: answered by the page itself, which asks to sign in
        return problem(401, "sign in first")

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault(
            "Content-Security-Policy",
            f"default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce()}'; img-src 'self' data: blob:; "
            "font-src 'self'; connect-src 'self'; frame-src 'self'; frame-ancestors 'none'; base-uri 'none'; "
            "form-action 'self'",
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response
