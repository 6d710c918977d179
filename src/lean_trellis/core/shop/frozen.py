"""What machines, materials and their parts are made from: models that never change and take no unknown value."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Frozen(BaseModel):
    """A value that cannot be changed; unknown fields are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")
