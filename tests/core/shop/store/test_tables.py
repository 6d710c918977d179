"""The table holds one row for each version of each thing."""

from __future__ import annotations

from dataclasses import fields

from lean_trellis.core.shop.store.kept import Kept
from lean_trellis.core.shop.store.tables import VERSIONS


def test_the_columns_are_what_is_kept_and_a_version_is_there_once():
    assert {column.name for column in VERSIONS.columns} == {entry.name for entry in fields(Kept)}
    assert [column.name for column in VERSIONS.primary_key] == ["kind", "id", "version"]
