"""Versions of candidates, and when something was deleted."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Bring the tables to this revision; each candidate's file becomes its first version."""
    for table in ("study", "candidate"):
        op.add_column(table, sa.Column("deleted", sa.DateTime(), nullable=True))
    op.add_column("candidate", sa.Column("version_number", sa.Integer(), nullable=False, server_default="1"))
    op.create_table(
        "candidate_version",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("candidate_id", sa.Integer(), sa.ForeignKey("candidate.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("columns", sa.JSON(), nullable=False),
        sa.Column("note", sa.String(), nullable=False, server_default=""),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id"), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("deleted", sa.DateTime(), nullable=True),
        sa.UniqueConstraint("candidate_id", "number"),
    )
    op.create_index("ix_candidate_version_candidate_id", "candidate_version", ["candidate_id"])
    op.execute(
        "INSERT INTO candidate_version (candidate_id, number, sha256, file_name, columns, note, user_id, created) "
        "SELECT c.id, 1, c.sha256, c.file_name, c.columns, '', s.author_id, s.created "
        "FROM candidate c JOIN study s ON s.id = c.study_id"
    )
