"""What the shop library holds of a thing, and what can go wrong with it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.errors import TrellisError

Kind = Literal["machine", "material", "set", "recipe", "rules"]


@dataclass(frozen=True)
class ToSave:
    """A thing to be saved: `document` is the text of its file, `why` what was changed and what for."""

    kind: Kind
    id: str
    name: str
    document: str
    owner: str = ""
    note: str = ""
    why: str = ""
    is_archived: bool = False


@dataclass(frozen=True)
class Kept:
    """One version of a thing: who saved it, and when (UTC, ISO 8601). Versions count from 1."""

    kind: Kind
    id: str
    version: int
    name: str
    owner: str
    note: str
    document: str
    who: str
    changed_at: str
    why: str
    is_archived: bool


class StoreError(TrellisError):
    """The shop library cannot be read or written."""


class ChangedMeanwhileError(TrellisError):
    """Somebody else has saved the thing since it was read: `theirs` is what they saved."""

    def __init__(self, theirs: Kept) -> None:
        super().__init__(
            theirs.name, f"was saved by {theirs.who or 'somebody else'} meanwhile, as version {theirs.version}",
            "compare the two and choose",
        )  # fmt: skip
        self.theirs = theirs

    def __reduce__(self) -> tuple[type[ChangedMeanwhileError], tuple[Kept]]:
        return type(self), (self.theirs,)
