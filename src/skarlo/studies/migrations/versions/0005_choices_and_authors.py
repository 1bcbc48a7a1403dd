"""How each cutoff came about, all authors of a revision, and today's words for what is kept."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
COLUMNS = {"label": "predicted"}
MAPPING = {"base_rate_in_use": "expected_base_rate"}


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.execute("ALTER TABLE candidate RENAME COLUMN in_use TO runs_now")
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
    for table, column, names in (
        ("candidate", "columns", COLUMNS),
        ("candidate_version", "columns", COLUMNS),
        ("study", "mapping", MAPPING),
    ):
        _spell(table, column, names)
    _spell_gates()
    for table, column in (("exhibit", "view"), ("reading", "step")):
        op.execute(f"UPDATE OR IGNORE {table} SET {column} = 'roster' WHERE {column} = 'line-up'")
    op.execute("DELETE FROM reading WHERE step = 'line-up'")


def _spell(table: str, column: str, names: dict[str, str]) -> None:
    """Give keys of kept JSON their names of today."""
    records = op.get_bind()
    for number, text in records.execute(sa.text(f"SELECT id, {column} FROM {table}")).all():
        kept = json.loads(text)
        told = {names.get(key, key): value for key, value in kept.items()}
        if told != kept:
            records.execute(sa.text(f"UPDATE {table} SET {column} = :told WHERE id = :id"),
                            {"told": json.dumps(told), "id": number})  # fmt: skip


def _spell_gates() -> None:
    records = op.get_bind()
    for number, text in records.execute(sa.text("SELECT id, asks FROM study")).all():
        asks = json.loads(text)
        for gate in asks.get("gates", []):
            if gate.get("against") == "in use":
                gate["against"] = "runs now"
        records.execute(sa.text("UPDATE study SET asks = :asks WHERE id = :id"),
                        {"asks": json.dumps(asks), "id": number})  # fmt: skip
