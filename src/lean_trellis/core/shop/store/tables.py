"""The tables of the shop library: things with all their versions, which only grow, and the board of builds."""

from __future__ import annotations

from sqlalchemy import Boolean, Column, Float, Integer, LargeBinary, MetaData, String, Table, Text

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
BUILDS = Table(
    "builds",
    METADATA,
    Column("id", String(60), primary_key=True),
    Column("name", String(200), nullable=False),
    Column("state", String(20), nullable=False),
    Column("machine", String(120), nullable=False),
    Column("material", String(120), nullable=False),
    Column("due", String(20), nullable=False),
    Column("revision", Integer, nullable=False),
    Column("settings", Text, nullable=False),
    Column("released", Text, nullable=False),
    Column("actual_seconds", Float, nullable=True),
    Column("who", String(200), nullable=False),
    Column("changed_at", String(40), nullable=False),
)
BUILD_PARTS = Table(
    "build_parts",
    METADATA,
    Column("build", String(60), primary_key=True),
    Column("id", String(60), primary_key=True),
    Column("place", Integer, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("is_gone", Boolean, nullable=False),
    Column("name", String(200), nullable=False),
    Column("owner", String(200), nullable=False),
    Column("order_number", String(200), nullable=False),
    Column("document", Text, nullable=False),
    Column("outcome", String(20), nullable=False),
    Column("outcome_note", Text, nullable=False),
    Column("photo", LargeBinary, nullable=True),
    Column("who", String(200), nullable=False),
    Column("changed_at", String(40), nullable=False),
)
MESHES = Table(
    "meshes",
    METADATA,
    Column("key", String(40), primary_key=True),
    Column("content", LargeBinary, nullable=False),
)
ORDERS = Table(
    "orders",
    METADATA,
    Column("number", String(200), primary_key=True),
    Column("part", String(200), primary_key=True),
    Column("owner", String(200), nullable=False),
    Column("asked", Integer, nullable=False),
    Column("due", String(20), nullable=False),
)
HEAD = "0002"
"""The last step of the migrations."""
