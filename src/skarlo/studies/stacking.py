"""A hold-out that came in several files, one for each split, kept as one table."""

from __future__ import annotations

import io

from sqlmodel import Session

from skarlo.intake import Source, read_table
from skarlo.intake.holdout import stacked

from .accounts import note
from .records import Upload, User
from .workspace import Workspace


def stack(workspace: Workspace, session: Session, user: User, parts: dict[str, Upload]) -> Upload:
    """One upload of several: their rows one after another, with a column that names the split.

    Raises
    ------
    InputError
        When their columns differ; nothing is kept then.
    """
    tables = {split: read_table(Source(workspace.blob(u.sha256), u.name)) for split, u in parts.items()}
    whole = stacked(tables, {split: u.name for split, u in parts.items()})
    out = io.BytesIO()
    whole.write_parquet(out)
    stem = "-and-".join(u.name.partition(".")[0] for u in parts.values())[:80]
    upload = Upload(sha256=workspace.keep(out.getvalue()), name=f"{stem}.parquet", size=len(out.getvalue()),
                    user_id=user.id or 0)  # fmt: skip
    session.add(upload)
    session.flush()
    made_of = {split: {"file": u.name, "sha256": u.sha256} for split, u in parts.items()}
    note(session, user, "hold-out put together", None, {"upload": upload.id, "of": made_of})
    return upload
