"""Runs the migrations on the connection that the workspace opened."""

from __future__ import annotations

from alembic import context
from sqlmodel import SQLModel

from skarlo.studies import records  # noqa: F401  the tables register themselves

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=SQLModel.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
