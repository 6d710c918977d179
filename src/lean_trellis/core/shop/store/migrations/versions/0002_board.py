"""The board of builds: builds, their parts, meshes by their keys, orders."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Make the tables."""
    op.create_table(
        "builds",
        sa.Column("id", sa.String(60), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("machine", sa.String(120), nullable=False),
        sa.Column("material", sa.String(120), nullable=False),
        sa.Column("due", sa.String(20), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("settings", sa.Text, nullable=False),
        sa.Column("released", sa.Text, nullable=False),
        sa.Column("actual_seconds", sa.Float, nullable=True),
        sa.Column("who", sa.String(200), nullable=False),
        sa.Column("changed_at", sa.String(40), nullable=False),
    )
    op.create_table(
        "build_parts",
        sa.Column("build", sa.String(60), primary_key=True),
        sa.Column("id", sa.String(60), primary_key=True),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("is_gone", sa.Boolean, nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("owner", sa.String(200), nullable=False),
        sa.Column("order_number", sa.String(200), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("outcome", sa.String(20), nullable=False),
        sa.Column("outcome_note", sa.Text, nullable=False),
        sa.Column("photo", sa.LargeBinary, nullable=True),
        sa.Column("who", sa.String(200), nullable=False),
        sa.Column("changed_at", sa.String(40), nullable=False),
    )
    op.create_table(
        "meshes",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("content", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "orders",
        sa.Column("number", sa.String(200), primary_key=True),
        sa.Column("part", sa.String(200), primary_key=True),
        sa.Column("owner", sa.String(200), nullable=False),
        sa.Column("asked", sa.Integer, nullable=False),
        sa.Column("due", sa.String(20), nullable=False),
    )
