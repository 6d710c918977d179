"""The first table: versions of things."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "versions",
        sa.Column("kind", sa.String(20), primary_key=True),
        sa.Column("id", sa.String(120), primary_key=True),
        sa.Column("version", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("owner", sa.String(200), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("who", sa.String(200), nullable=False),
        sa.Column("changed_at", sa.String(40), nullable=False),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("is_archived", sa.Boolean, nullable=False),
    )
