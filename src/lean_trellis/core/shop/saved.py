"""Things of a shop: those that ship, and those that it has saved in its library, whatever their kind."""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Generic, TypeVar

from lean_trellis.core.errors import LibraryError, TrellisError
from lean_trellis.core.shop.address import library_is_there

if TYPE_CHECKING:
    from lean_trellis.core.shop.store.kept import Kept, Kind
    from lean_trellis.core.shop.store.store import ShopStore

_LOOK_AGAIN_S = 2.0
T = TypeVar("T")


@dataclass(frozen=True)
class Head:
    """What every saved thing has: its id, the name that people read, version, owner and notes."""

    id: str
    name: str
    version: int = 1
    owner: str = ""
    note: str = ""


@dataclass(frozen=True)
class Form(Generic[T]):
    """How things of one kind are read, written and named. `called` is what one of them is called in messages."""

    kind: Kind
    called: str
    shipped: Callable[[], Mapping[str, T]]
    head: Callable[[T], Head]
    with_head: Callable[[T, Head], T]
    text: Callable[[T], str]
    read: Callable[[str, str, str], T]
    """From the text of a file, its id, and where it is from; raises `LibraryError`."""

    def read_kept(self, entry: Kept, where: str) -> T:
        """The thing of a version in the library. Raises `LibraryError` where a newer program has written it."""
        read = self.read(entry.document, entry.id, f"{where}, {self.called} {entry.id}")
        return self.with_head(read, Head(entry.id, entry.name, entry.version, entry.owner, entry.note))


class Saved(Generic[T]):
    """Shipped things and those of the shop library, as it is now; without a library what was read last stays.

    `opened` opens the library, when it is first needed; it is tried again after each failure, no more often than the
    library is looked at. `is_there` says whether there is one to be read.
    """

    def __init__(
        self, form: Form[T], opened: Callable[[], ShopStore], is_there: Callable[[], bool] = lambda: True
    ) -> None:
        self.form = form
        self._opened, self._is_there = opened, is_there
        self._looks: threading.Thread | None = None
        self._looking = threading.Lock()
        self._store: ShopStore | None = None
        self._stamp: tuple[int, str] | None = None
        self._own: dict[str, T] = {}
        self._seen: dict[str, int] = {}
        """The version of each thing as it was read last; machines and materials do not know theirs."""
        self._every: Mapping[str, T] | None = None
        self._looked_at = -float("inf")
        self.problem: TrellisError | None = None
        """Why the library could not be read the last time; None when it could."""
        self.faults: tuple[TrellisError, ...] = ()
        """Why things of the library were passed over."""

    def every(self) -> Mapping[str, T]:
        """All things by id, the shipped ones first, as far as they have been read; never waits for the library.

        The same mapping until something has been read. Now and then the library is looked at anew, beside whoever asks.
        """
        is_looking = self._looks is not None and self._looks.is_alive()
        if not is_looking and time.monotonic() - self._looked_at >= _LOOK_AGAIN_S:
            self._looked_at = time.monotonic()
            if not self._is_there():
                return self.all
            self._looks = threading.Thread(target=self.look, daemon=True, name="shop library")
            self._looks.start()
        return self.all

    @property
    def all(self) -> Mapping[str, T]:
        """All things by id as they were read last, the shipped ones first."""
        if self._every is None:
            self._every = {**self.form.shipped(), **self._own}
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
        """Whether the shop has saved a thing under that id: only such can be saved again."""
        return name in self._own

    def save_as(self, base: T, title: str, owner: str = "", *, note: str = "", why: str = "") -> T:
        """Save something as a new thing under a title of its own; without an owner it is the user's.

        Raises `LibraryError` for a title that is taken, `StoreError` where the library cannot be written.
        """
        name = id_of(title)
        self.look()
        if name in self.every():
            raise LibraryError(title, f"is what another {self.form.called} is called", "type another name")
        if any(one.id == name for one in self.away()):
            cure = "type another name, or offer that one again"
            raise LibraryError(title, f"is what an archived {self.form.called} is called", cure)
        return self._saved(self.form.with_head(base, Head(name, title.strip(), owner=owner, note=note.strip())), 0, why)

    def save(self, changed: T, *, why: str = "") -> T:
        """Save an own thing as its next version; the version of `changed` is the one it was made from.

        Machines and materials do not know theirs: for them it is the one that was read last. Raises
        `ChangedMeanwhileError` where there is a later one, `LibraryError` for one that ships.
        """
        head = self.form.head(changed)
        if head.id in self.form.shipped():
            cure = f"save it as a new {self.form.called}"
            raise LibraryError(head.name, "ships with the program and stays as it is", cure)
        return self._saved(changed, head.version or self._seen.get(head.id, 0), why)

    def take_in(self, read: T, *, why: str = "") -> T:
        """Take a thing that was read from a file: as a new one, or as the next version of the own one of its id.

        Nothing is saved where it is what is there already. Raises `LibraryError` for the id of one that ships with
        other values, `StoreError` where the library cannot be written.
        """
        self.look()
        head = self.form.head(read)
        there = self.every().get(head.id)
        if there is not None and self._alike(read, there):
            return there
        if there is not None and not self.is_own(head.id):
            cure = "give the file another name"
            raise LibraryError(head.id, f"is the name of a {self.form.called} that ships", cure)
        version = self._seen.get(head.id) or next((one.version for one in self.away() if one.id == head.id), 0)
        return self._saved(self.form.with_head(read, replace(head, owner="")), version, why)

    def put_away(self, name: str, *, why: str = "") -> None:
        """Put an own thing away: it is offered no more, and can be brought back."""
        self.store().put_away(self.form.kind, name, why=why)
        self.look()

    def bring_back(self, name: str, *, why: str = "") -> None:
        """Offer a thing again that was put away."""
        self.store().put_away(self.form.kind, name, why=why, back=True)
        self.look()

    def away(self) -> tuple[Kept, ...]:
        """The things that were put away. Raises `StoreError`."""
        return self.store().things(self.form.kind, archived=True) if self._is_there() else ()

    def history(self, name: str) -> tuple[Kept, ...]:
        """Every version of an own thing, the first one first; none of one that ships. Raises `StoreError`."""
        return self.store().history(self.form.kind, name) if self.is_own(name) else ()

    def _alike(self, one: T, other: T) -> bool:
        """Whether two things differ in nothing but version and owner."""
        bare = Head("", "")
        heads = (self.form.head(one), self.form.head(other))
        return (heads[0].name, heads[0].note) == (heads[1].name, heads[1].note) and (
            self.form.text(self.form.with_head(one, bare)) == self.form.text(self.form.with_head(other, bare))
        )

    def _saved(self, thing: T, based_on: int, why: str) -> T:
        from lean_trellis.core.shop.store.kept import ToSave
        from lean_trellis.core.shop.store.store import user_name

        head = self.form.head(thing)
        head = replace(head, version=based_on + 1, owner=head.owner or user_name())
        saved = self.form.with_head(thing, head)
        entry = ToSave(self.form.kind, head.id, head.name, self.form.text(saved), head.owner, head.note, why)
        self.store().save(entry, based_on=based_on)
        self.look()
        return saved

    def _read(self, store: ShopStore) -> None:
        things, seen, faults = {}, {}, []
        for entry in store.things(self.form.kind):
            seen[entry.id] = entry.version
            try:
                things[entry.id] = self.form.read_kept(entry, store.where)
            except TrellisError as problem:
                faults.append(problem)
        self._own, self._seen, self.faults = things, seen, tuple(faults)
        self._every = {**self.form.shipped(), **things}


def id_of(title: str) -> str:
    """The id that a thing of a title gets. Raises `LibraryError` for one without a letter or digit."""
    name = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")
    if not name:
        raise LibraryError(title, "is no name", "type one with letters")
    return name


def shop_saved(form: Form[T], url: str = "") -> Saved[T]:
    """Things of the shop library at an address, or where it usually is; one in a file is made by the first save."""

    def opened() -> ShopStore:
        from lean_trellis.core.shop.store.store import open_store

        return open_store(url or None)

    return Saved(form, opened, lambda: library_is_there(url))
