"""A hold-out that came in several files, one for each split, kept as one table."""

from __future__ import annotations

import io

from sqlmodel import Session

from skarlo.intake import Source, read_table
from skarlo.intake.holdout import stacked

from .accounts import note
from .records import Upload, User


def stacked_bytes(parts: dict[str, Source]) -> tuple[bytes, str]:
    """One table of several as Parquet, and a name for it: their rows one after another, with a column that names the
    split.

    Raises
    ------
    InputError
        When their columns differ.
    """
    whole = stacked({split: read_table(s) for split, s in parts.items()}, {k: s.name for k, s in parts.items()})
    out = io.BytesIO()
    whole.write_parquet(out)
    stem = "-and-".join(s.name.partition(".")[0] for s in parts.values())[:80]
    return out.getvalue(), f"{stem}.parquet"


def keep_stacked(session: Session, user: User, upload: Upload, parts: dict[str, Upload]) -> Upload:
    """Keep a table that was put together, with what it is made of in the trail."""
    session.add(upload)
    session.flush()
    made_of = {split: {"file": u.name, "sha256": u.sha256} for split, u in parts.items()}
    note(session, user, "hold-out put together", None, {"upload": upload.id, "of": made_of})
    return upload
