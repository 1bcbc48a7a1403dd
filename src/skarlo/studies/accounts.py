"""People: who they are, what they may do, and for how long a browser stays signed in."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlmodel import Session, col, delete, select

from .records import ROLES, EventRecord, SignIn, User, now
from .refusals import Refusal

HASHER = PasswordHasher()
STAY = timedelta(hours=12)
MIN_PASSWORD = 10

MAY = {
    "read": {"viewer", "analyst", "approver", "admin"},
    "write": {"analyst", "admin"},
    "sign": {"approver", "admin"},
    "manage": {"admin"},
}


def add_user(session: Session, name: str, role: str, password: str) -> User:
    """Add a person. Raises Refusal for a bad role, a short password, or a name that is taken."""
    name = name.strip()
    if not name or len(name) > 80 or not name.isprintable():
        raise Refusal("a name has 1 to 80 printable characters", "name")
    if role not in ROLES:
        raise Refusal(f"the role is one of {', '.join(ROLES)}", "role")
    if len(password) < MIN_PASSWORD:
        raise Refusal(f"a password has at least {MIN_PASSWORD} characters", "password")
    if session.exec(select(User).where(User.name == name)).first():
        raise Refusal(f"there is a user {name} already", "name")
    user = User(name=name, role=role, password_hash=HASHER.hash(password))
    session.add(user)
    session.flush()
    note(session, user, "user added", detail={"name": name, "role": role})
    return user


def with_password(session: Session, name: str, password: str) -> User | None:
    """The user whose name and password these are."""
    user = session.exec(select(User).where(User.name == name)).first()
    return user if password_matches(user, password) and user else None


def password_matches(user: User | None, password: str) -> bool:
    """Whether this is the user's password. Takes as long for nobody as for somebody."""
    try:
        HASHER.verify(user.password_hash if user else _nobody(), password)
    except (VerificationError, InvalidHashError):
        return False
    return user is not None


@cache
def _nobody() -> str:
    """Verified against when the name is unknown, so that the time taken tells nothing."""
    return HASHER.hash(secrets.token_hex(16))


def begin(session: Session, user: User) -> str:
    """Sign a browser in; returns its token, of which only a hash is kept."""
    session.exec(delete(SignIn).where(col(SignIn.expires) < now()))
    token = secrets.token_urlsafe(32)
    session.add(SignIn(token_hash=_hash(token), user_id=user.id or 0, expires=now() + STAY))
    note(session, user, "signed in")
    return token


def whose(session: Session, token: str) -> User | None:
    """The user a token belongs to, unless it has expired."""
    found = session.get(SignIn, _hash(token))
    if found is None or aware(found.expires) <= now():
        return None
    return session.get(User, found.user_id)


def end(session: Session, token: str) -> None:
    """Sign a browser out."""
    found = session.get(SignIn, _hash(token))
    if found:
        session.delete(found)


def may(user: User, what: str) -> bool:
    """Whether a user's role allows it: "read", "write", "sign" or "manage"."""
    return user.role in MAY[what]


def note(session: Session, user: User | None, action: str, study_id: int | None = None,
         detail: dict[str, object] | None = None) -> None:  # fmt: skip
    """Write a line of the audit trail."""
    session.add(EventRecord(user_id=user.id if user else None, study_id=study_id, action=action, detail=detail or {}))


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def aware(t: datetime) -> datetime:
    """A time as it was kept: SQLite forgets that it is in UTC."""
    return t if t.tzinfo else t.replace(tzinfo=UTC)
