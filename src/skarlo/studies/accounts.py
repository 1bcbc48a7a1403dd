"""People: who they are, what they may do, and for how long a browser stays signed in."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlmodel import Session, col, delete, func, select

from .records import ROLES, EventRecord, Right, SignIn, User, now
from .refusals import Refusal

HASHER = PasswordHasher()
STAY = timedelta(hours=12)
MIN_PASSWORD = 10


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


def named(session: Session, name: str) -> User | None:
    """The user of that name."""
    return session.exec(select(User).where(User.name == name)).first()


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


def allowed(user: User) -> list[Right]:
    """What a user's role allows."""
    return list(ROLES[user.role])


def may(user: User, what: Right) -> bool:
    """Whether a user's role allows it."""
    return what in ROLES[user.role]


def note(session: Session, user: User | None, action: str, study_id: int | None = None,
         detail: dict[str, object] | None = None) -> None:  # fmt: skip
    """Write a line of the audit trail."""
    session.add(EventRecord(user_id=user.id if user else None, study_id=study_id, action=action, detail=detail or {}))


SUBMITTED = "submitted"
# What a person does with a study that puts nothing into its report.
SHOWN = "choice of what is shown kept"
NOT_WRITING = (SUBMITTED, SHOWN, "signed", "returned", "study deleted", "study restored")


def writers(session: Session, study_id: int, submitter: User) -> list[User]:
    """Everybody who wrote of a study since its last signed revision, who submits it first: none of them signs it."""
    last = select(func.max(EventRecord.id)).where(EventRecord.study_id == study_id, EventRecord.action == "signed")
    since = session.exec(last).one() or 0
    wrote = select(EventRecord.user_id).where(
        EventRecord.study_id == study_id, col(EventRecord.id) > since, col(EventRecord.action).not_in(NOT_WRITING)
    )
    ids = dict.fromkeys([submitter.id, *(i for i in session.exec(wrote.order_by(col(EventRecord.id))))])
    return [user for i in ids if i is not None and (user := session.get(User, i)) is not None]


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def aware(t: datetime) -> datetime:
    """A time as it was kept: SQLite forgets that it is in UTC."""
    return t if t.tzinfo else t.replace(tzinfo=UTC)
