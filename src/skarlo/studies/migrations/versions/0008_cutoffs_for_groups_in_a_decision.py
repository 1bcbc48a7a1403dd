"""A decision may hold cutoffs for groups."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.add_column("dossier", sa.Column("decision_groups", sa.JSON(), nullable=True))
