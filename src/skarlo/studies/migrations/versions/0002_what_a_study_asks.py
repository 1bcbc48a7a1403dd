"""What a study asks besides its rows: settings, own metrics, gates."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.add_column("study", sa.Column("asks", sa.JSON(), nullable=False, server_default="{}"))
