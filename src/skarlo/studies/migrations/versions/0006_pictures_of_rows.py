"""The pictures of a study's rows."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.add_column("study", sa.Column("pictures_sha256", sa.String(), nullable=True))
