"""How each cutoff came about, and all authors of a revision."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.add_column("candidate", sa.Column("cutoff_chosen_by", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("dossier", sa.Column("number", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("revision", sa.Column("author_ids", sa.JSON(), nullable=False, server_default="[]"))
    op.create_table(
        "choice",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("candidate_id", sa.Integer(), sa.ForeignKey("candidate.id", ondelete="CASCADE"), nullable=False),
        sa.Column("value", sa.Float(), nullable=False),
        sa.Column("chosen_on", sa.String(), nullable=True),
        sa.Column("chosen_by", sa.JSON(), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id"), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_choice_candidate_id", "choice", ["candidate_id"])
    # of the cutoffs before, the trail knows; the one that stands now is the last of them
    op.execute(
        "INSERT INTO choice (candidate_id, value, chosen_on, chosen_by, user_id, at) "
        "SELECT c.id, json_extract(e.detail, '$.to'), json_extract(e.detail, '$.chosen_on'), '{}', e.user_id, e.at "
        "FROM event e JOIN candidate c ON c.study_id = e.study_id AND c.name = json_extract(e.detail, '$.candidate') "
        "WHERE e.action = 'cutoff kept' AND e.user_id IS NOT NULL ORDER BY e.id"
    )
    op.execute(
        "INSERT INTO choice (candidate_id, value, chosen_on, chosen_by, user_id, at) "
        "SELECT c.id, c.cutoff, c.cutoff_chosen_on, '{}', s.author_id, s.created "
        "FROM candidate c JOIN study s ON s.id = c.study_id WHERE c.cutoff IS NOT NULL AND NOT EXISTS "
        "(SELECT 1 FROM choice x WHERE x.candidate_id = c.id AND x.value = c.cutoff)"
    )
