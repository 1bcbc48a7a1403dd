"""Why a warning is right as it stands, in a person's words."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.create_table(
        "word",
        sa.Column("study_id", sa.Integer(), sa.ForeignKey("study.id", ondelete="CASCADE"), nullable=False),
        sa.Column("finding", sa.String(), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id"), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("study_id", "finding"),
    )
