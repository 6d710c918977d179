"""The table of the shop library. It only grows: a change, and putting away, is a further version."""

from __future__ import annotations

from sqlalchemy import Boolean, Column, Integer, MetaData, String, Table, Text

METADATA = MetaData()
VERSIONS = Table(
    "versions",
    METADATA,
    Column("kind", String(20), primary_key=True),
    Column("id", String(120), primary_key=True),
    Column("version", Integer, primary_key=True, autoincrement=False),
    Column("name", String(200), nullable=False),
    Column("owner", String(200), nullable=False),
    Column("note", Text, nullable=False),
    Column("document", Text, nullable=False),
    Column("who", String(200), nullable=False),
    Column("changed_at", String(40), nullable=False),
    Column("why", Text, nullable=False),
    Column("is_archived", Boolean, nullable=False),
)
HEAD = "0001"
"""The last step of the migrations."""
