"""Marks and notes that people put on rows: whose they are, and when."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime

from sqlmodel import Session, col, select
from typing_extensions import TypedDict

from .accounts import note
from .records import MarkRecord, NoteRecord, User, now
from .refusals import Missing, Refusal

LONGEST_MARK, LONGEST_NOTE = 60, 4000


class Mark(TypedDict):
    """A mark on a row."""

    mark: str
    by: str
    at: datetime


class Note(TypedDict):
    """A note on a row."""

    text: str
    by: str
    at: datetime


def marked(session: Session, study_id: int) -> dict[str, frozenset[int]]:
    """The rows of a study that bear each mark, by their places in the hold-out from 1."""
    out: dict[str, set[int]] = {}
    for m in session.exec(select(MarkRecord).where(MarkRecord.study_id == study_id)):
        out.setdefault(m.mark, set()).add(m.row)
    return {name: frozenset(rows) for name, rows in sorted(out.items())}


def noted(session: Session, study_id: int) -> dict[int, str]:
    """What is written of rows, by their places in the hold-out from 1."""
    found = session.exec(select(NoteRecord).where(NoteRecord.study_id == study_id))
    return {n.row: n.text for n in sorted(found, key=lambda n: n.row)}


def on_rows(session: Session, study_id: int, rows: Collection[int]) -> tuple[dict[int, list[Mark]], dict[int, Note]]:
    """The marks and the note of some rows."""
    names = {u.id: u.name for u in session.exec(select(User))}
    marks: dict[int, list[Mark]] = {}
    query = select(MarkRecord).where(MarkRecord.study_id == study_id, col(MarkRecord.row).in_(list(rows)))
    for m in session.exec(query.order_by(col(MarkRecord.at))):
        marks.setdefault(m.row, []).append({"mark": m.mark, "by": names.get(m.user_id, ""), "at": m.at})
    said = select(NoteRecord).where(NoteRecord.study_id == study_id, col(NoteRecord.row).in_(list(rows)))
    notes: dict[int, Note] = {
        n.row: {"text": n.text, "by": names.get(n.user_id, ""), "at": n.at} for n in session.exec(said)
    }
    return marks, notes


def put(session: Session, user: User, study_id: int, row: int, mark: str, on: bool) -> None:
    """Put a mark on a row, or take it off. Raises Refusal for what is no mark."""
    name = known_mark(mark)
    kept = session.get(MarkRecord, (study_id, row, name))
    if on and kept is None:
        session.add(MarkRecord(study_id=study_id, row=row, mark=name, user_id=user.id or 0))
    elif not on and kept is not None:
        session.delete(kept)
    else:
        return
    note(session, user, "row marked" if on else "mark taken off", study_id, {"row": row, "mark": name})


def put_all(session: Session, user: User, study_id: int, rows: Collection[int], mark: str) -> None:
    """Put a mark on many rows, in the ledger as one thing. Raises Refusal for what is no mark."""
    name = known_mark(mark)
    of_mark = select(MarkRecord).where(MarkRecord.study_id == study_id, MarkRecord.mark == name)
    new = sorted(set(rows) - {m.row for m in session.exec(of_mark)})
    if not new:
        return
    session.add_all(MarkRecord(study_id=study_id, row=row, mark=name, user_id=user.id or 0) for row in new)
    note(session, user, "rows marked", study_id, {"rows": len(new), "mark": name})


def known_mark(mark: str) -> str:
    """A mark as it is kept. Raises Refusal for what is none."""
    name = " ".join(mark.split())
    if not name or len(name) > LONGEST_MARK or '"' in name or not name.isprintable():
        raise Refusal(f"a mark is 1 to {LONGEST_MARK} characters, without a double quote", "mark")
    return name


def say(session: Session, user: User, study_id: int, row: int, text: str) -> None:
    """Write the note of a row; an empty one takes it away. Raises Refusal for one that is too long."""
    said = text.strip()
    if len(said) > LONGEST_NOTE:
        raise Refusal(f"a note is at most {LONGEST_NOTE:,} characters", "text")
    kept = session.get(NoteRecord, (study_id, row))
    if not said:
        if kept is not None:
            session.delete(kept)
    else:
        record = kept or NoteRecord(study_id=study_id, row=row, text="", user_id=user.id or 0)
        record.text, record.user_id, record.at = said, user.id or 0, now()
        session.add(record)
    note(session, user, "note on a row", study_id, {"row": row})


def known_row(row: int, rows: int) -> None:
    """Raises Missing for a row that the hold-out does not have."""
    if not 1 <= row <= rows:
        raise Missing(f"the hold-out has {rows:,} rows; there is no row {row:,}", "row")
