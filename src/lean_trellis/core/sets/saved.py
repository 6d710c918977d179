"""The parameter sets of a shop: those that ship, and those that it has saved in its library."""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from lean_trellis.core.errors import LibraryError, TrellisError
from lean_trellis.core.sets.parameter_set import ParameterSet, shipped_sets
from lean_trellis.core.sets.text import read_set_text, set_text
from lean_trellis.core.shop.address import library_is_there

if TYPE_CHECKING:
    from lean_trellis.core.shop.store.kept import Kept
    from lean_trellis.core.shop.store.store import ShopStore

_LOOK_AGAIN_S = 2.0


class SavedSets:
    """Shipped sets and those of the shop library, as it is now; without a library what was read last stays.

    `opened` opens the library, when it is first needed; it is asked again after each failure, no more often than the
    library is looked at. `is_there` says whether there is one to be read.
    """

    def __init__(self, opened: Callable[[], ShopStore], is_there: Callable[[], bool] = lambda: True) -> None:
        self._opened, self._is_there = opened, is_there
        self._looks: threading.Thread | None = None
        self._looking = threading.Lock()
        self._store: ShopStore | None = None
        self._stamp: tuple[int, str] | None = None
        self._own: dict[str, ParameterSet] = {}
        self._every: Mapping[str, ParameterSet] | None = None
        self._looked_at = -float("inf")
        self.problem: TrellisError | None = None
        """Why the library could not be read the last time; None when it could."""
        self.faults: tuple[TrellisError, ...] = ()
        """Why sets of the library were passed over."""

    def every(self) -> Mapping[str, ParameterSet]:
        """All sets by name, the shipped ones first, as far as they have been read; never waits for the library.

        The same mapping until something has been read. Now and then the library is looked at anew, beside whoever asks.
        """
        is_looking = self._looks is not None and self._looks.is_alive()
        if not is_looking and time.monotonic() - self._looked_at >= _LOOK_AGAIN_S and self._is_there():
            self._looked_at = time.monotonic()
            self._looks = threading.Thread(target=self.look, daemon=True, name="shop library")
            self._looks.start()
        if self._every is None:
            self._every = {**shipped_sets(), **self._own}
        return self._every

    def look(self) -> None:
        """Read what has been saved since, by whomever; why that was not possible is kept as `problem`."""
        self._looked_at = time.monotonic()
        if not self._is_there():
            return
        with self._looking:  # what is read later is never overwritten by what was read before
            try:
                store = self.store()
                stamp = store.stamp()
                if stamp != self._stamp:
                    self._read(store)
                    self._stamp = stamp
                self.problem = None
            except TrellisError as problem:
                self.problem = problem

    def store(self) -> ShopStore:
        """The library itself. Raises `StoreError` where it cannot be opened."""
        if self._store is None:
            self._store = self._opened()
        return self._store

    def is_own(self, name: str) -> bool:
        """Whether the shop has saved a set under that name: only such can be saved again."""
        return name in self._own

    def save_as(self, base: ParameterSet, title: str, *, note: str = "", why: str = "") -> ParameterSet:
        """Save values as a new set under a title of its own.

        Raises `LibraryError` for a title that is taken, `StoreError` where the library cannot be written.
        """
        name = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")
        if not name:
            raise LibraryError(title, "is no name", "type one with letters")
        self.look()
        if name in self.every():
            raise LibraryError(title, "is what another set is called", "type another name")
        fresh = replace(base, name=name, title=title.strip(), note=note.strip(), owner="")
        return self._saved(fresh, 0, why)

    def save(self, changed: ParameterSet, *, why: str = "") -> ParameterSet:
        """Save an own set as its next version; `changed.version` is the one it was made from.

        Raises `ChangedMeanwhileError` where there is a later one, `LibraryError` for one that ships.
        """
        if changed.name in shipped_sets():
            raise LibraryError(changed.title, "ships with the program and stays as it is", "save it as a new set")
        return self._saved(changed, changed.version, why)

    def take_in(self, read: ParameterSet, *, why: str = "") -> ParameterSet:
        """Take a set that was read from a file: as a new one, or as the next version of the own one of its name.

        Nothing is saved where the values are those that are there. Raises `LibraryError` for the name of one that ships
        with other values, `StoreError` where the library cannot be written.
        """
        self.look()
        there = self.every().get(read.name)
        if there is not None and there.parameters == read.parameters and there.title == read.title:
            return there
        if there is not None and not self.is_own(read.name):
            raise LibraryError(read.name, "is the name of a set that ships", "give the file another name")
        return self._saved(replace(read, owner=""), 0 if there is None else there.version, why)

    def put_away(self, name: str, *, why: str = "") -> None:
        """Put an own set away: it is offered no more, and can be brought back."""
        self.store().put_away("set", name, why=why)
        self.look()

    def bring_back(self, name: str, *, why: str = "") -> None:
        """Offer a set again that was put away."""
        self.store().put_away("set", name, why=why, back=True)
        self.look()

    def _saved(self, kept: ParameterSet, based_on: int, why: str) -> ParameterSet:
        from lean_trellis.core.shop.store.kept import ToSave
        from lean_trellis.core.shop.store.store import user_name

        saved = replace(kept, version=based_on + 1, owner=kept.owner or user_name())
        thing = ToSave("set", saved.name, saved.title, set_text(saved), saved.owner, saved.note, why)
        self.store().save(thing, based_on=based_on)
        self.look()
        return saved

    def _read(self, store: ShopStore) -> None:
        found, faults = {}, []
        for entry in store.things("set"):
            try:
                found[entry.id] = read_kept_set(entry, store.where)
            except TrellisError as problem:
                faults.append(problem)
        self._own, self.faults, self._every = found, tuple(faults), {**shipped_sets(), **found}


def shop_sets() -> SavedSets:
    """The sets of the shop library where it usually is; one that is in a file is made by the first save."""

    def opened() -> ShopStore:
        from lean_trellis.core.shop.store.store import open_store

        return open_store()

    return SavedSets(opened, library_is_there)


def read_kept_set(entry: Kept, where: str) -> ParameterSet:
    """The set of a version in the library. Raises `LibraryError` where a newer program has written it."""
    kept = read_set_text(entry.document, entry.id, f"{where}, set {entry.id}")
    return replace(kept, version=entry.version, owner=entry.owner)
