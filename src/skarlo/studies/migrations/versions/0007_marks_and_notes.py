"""Marks and notes on rows."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Bring the tables to this revision."""
    for name, text, key in (("mark", "mark", ("study_id", "row", "mark")), ("row_note", "text", ("study_id", "row"))):
        op.create_table(
            name,
            sa.Column("study_id", sa.Integer(), sa.ForeignKey("study.id", ondelete="CASCADE"), nullable=False),
            sa.Column("row", sa.Integer(), nullable=False),
            sa.Column(text, sa.String(), nullable=False),
            sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id"), nullable=False),
            sa.Column("at", sa.DateTime(), nullable=False),
            sa.PrimaryKeyConstraint(*key),
        )
