"""The graph: keys made once a revision of a job, results kept up to so many bytes."""

from __future__ import annotations

from collections.abc import Hashable, MutableMapping
from dataclasses import fields
from typing import Any, TypeVar, cast

from cachetools import LRUCache

from lean_trellis.core.derive.alike import Alike
from lean_trellis.core.derive.guard import guarded
from lean_trellis.core.derive.key import Key, token
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import Need, Node, Reader, Subject
from lean_trellis.core.derive.size import size_of
from lean_trellis.core.heavy import begins
from lean_trellis.core.job.job import Job
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

T = TypeVar("T")
USUAL_BYTES = 1_500_000_000
_MOST_REVISIONS = 8
_MISSING = object()
_PLAIN = frozenset({str, int, float, bool})
_SHARED = tuple(
    entry.name for entry in fields(Job)
    if entry.name not in {"name", "parts", "supports", "stacks", "sets", "released", "trials", "loaded_grams", "due",
                          "waivers", "link"}
)  # fmt: skip
"""Fields that belong to the job as a whole, and on which results follow."""


class Revision:
    """One job with the keys known so far."""

    def __init__(self, job: Job, before: Revision | None = None) -> None:
        self.job = job
        self.near = Neighbours(job)
        self._keys: dict[tuple[str, int], tuple[Subject, Key]] = {}
        self._local: dict[tuple[str, int], tuple[Subject, Key]] = {}
        self._read: dict[tuple[str, int], tuple[Hashable, ...]] = {}
        if before is not None and before.shares_fields_with(job):
            there = {id(thing) for thing in (*job.parts, *job.supports, *job.stacks)}
            there |= {id(part.mesh) for part in job.parts}
            self._local = {at: known for at, known in before._local.items() if at[1] in there}
            self._read = {at: known for at, known in before._read.items() if at[1] in there}
            self._keys.update(self._local)
        self._needs: dict[tuple[str, int], tuple[Need, ...]] = {}
        self._telling: dict[tuple[str, int], tuple[Need, ...]] = {}
        self._tokens: dict[str, Any] = {}

    def key(self, node: Node[Any], subject: Subject) -> Key:
        """What a result follows from, by the node's declaration."""
        at = (node.name, id(subject))
        known = self._keys.get(at)
        if known is not None:
            return known[1]
        read = self._read.get(at)
        if read is None:
            read = self._read[at] = tuple([self._token(path, subject) for path in node.reads])
        if node.follows_from is None:
            needed = tuple([self.key(*need) for need in self.needs(node, subject)])
        else:
            needed = tuple([self.key(*need) for need in node.follows_from(subject, self.job, self.near)])
        key = Key(node.name, (*read, node.token(subject, self.job, self.near), *needed))
        self._keys[at] = (subject, key)  # the subject is kept, so that its id stays its own
        if node.is_local:
            self._local[at] = (subject, key)
        return key

    def shares_fields_with(self, job: Job) -> bool:
        """Whether another job has the same machine, material and so on: all fields but its lists."""
        pairs = ((getattr(self.job, name), getattr(job, name)) for name in _SHARED)
        return all(mine is other or (type(mine) in _PLAIN and mine == other) for mine, other in pairs)

    def needs(self, node: Node[Any], subject: Subject) -> tuple[Need, ...]:
        """The other results that one needs."""
        at = (node.name, id(subject))
        if at not in self._needs:
            self._needs[at] = tuple(node.needs(subject, self.job, self.near))
        return self._needs[at]

    def telling(self, node: Node[Any], subject: Subject) -> tuple[Need, ...]:
        """The nearest results that one follows from, directly or not, which can be told to be like others."""
        at = (node.name, id(subject))
        known = self._telling.get(at)
        if known is None:
            needs: dict[tuple[str, int], Need] = {}
            for need, about in self.needs(node, subject):
                nearest = ((need, about),) if need.content is not None else self.telling(need, about)
                needs |= {(one.name, id(other)): (one, other) for one, other in nearest}
            known = self._telling[at] = tuple(needs.values())
        return known

    def _token(self, path: str, subject: Subject) -> Any:
        if not path.startswith("job."):
            return token(_at(subject, path))
        if path not in self._tokens:
            self._tokens[path] = token(_at(self.job, path))
        return self._tokens[path]


def _at(thing: Any, path: str) -> Any:
    """The value at a dotted path whose first step names the thing itself; None below what is None."""
    for step in path.split(".")[1:]:
        if not step:
            break
        if thing is None:
            return None
        thing = getattr(thing, step)
    return thing


class Graph:
    """Derives results and keeps the latest. Not for use from two threads at once.

    It keeps no more than `most_bytes`; None: everything, without measuring it. `is_guarded`: nodes read through guards,
    and what they did not declare raises; for tests.
    """

    def __init__(self, most_bytes: int | None = USUAL_BYTES, *, is_guarded: bool = False) -> None:
        self._kept: MutableMapping[Key, Any] = {} if most_bytes is None else LRUCache(most_bytes, getsizeof=size_of)
        self._revisions: list[Revision] = []
        self._is_guarded = is_guarded
        self._touched: dict[Key, Any] = {}
        self._alike = Alike()
        self.made: list[tuple[str, Subject]] = []
        """What was made, not found: name of the node and subject, in order."""

    @property
    def bytes_kept(self) -> int:
        """Bytes of all results that are kept."""
        if isinstance(self._kept, LRUCache):
            return int(self._kept.currsize)
        return sum(size_of(result) for result in self._kept.values())

    def revision(self, job: Job) -> Revision:
        """The revision of a job; the latest few are kept."""
        for place, revision in enumerate(self._revisions):
            if revision.job is job:
                if place:
                    self._revisions.insert(0, self._revisions.pop(place))
                return revision
        revision = Revision(job, self._revisions[0] if self._revisions else None)
        self._revisions.insert(0, revision)
        del self._revisions[_MOST_REVISIONS:]
        return revision

    def key(self, node: Node[Any], subject: Subject, job: Job) -> Key:
        """The key of a result for a job as it is."""
        return self.revision(job).key(node, subject)

    def known(self, node: Node[T], subject: Subject, job: Job) -> T | None:
        """A result if it is kept; None where it is not."""
        result: T | None = self._kept.get(self.key(node, subject, job))
        return result

    def kept(self, key: Key) -> Any:
        """The result that is kept under a key; None where none is."""
        return self._kept.get(key)

    def has(self, key: Key) -> bool:
        """Whether the result of a key is kept."""
        return key in self._kept

    def get(self, node: Node[T], subject: Subject, job: Job, watch: Watch = UNWATCHED) -> T:
        """A result, found or made. Raises what its making raises; nothing is kept then."""
        self._touched.clear()
        result = self._get(node, subject, self.revision(job), watch)
        # What results make of themselves while they are used grows them: they are measured again.
        if isinstance(self._kept, LRUCache):
            for key, touched in tuple(self._touched.items()):
                self.keep(key, touched)
        return result

    def keep(self, key: Key, result: Any) -> None:
        """Keep a result under its key; one that is larger than everything may be is not kept."""
        try:
            self._kept[key] = result
        except ValueError:
            return

    def clear(self) -> None:
        """Forget every result."""
        self._kept.clear()
        self._alike.clear()

    def _get(self, node: Node[T], subject: Subject, revision: Revision, watch: Watch) -> T:
        key = revision.key(node, subject)
        kept = self._kept.get(key, _MISSING)
        if kept is not _MISSING:
            result: T = kept
            self._touched[key] = result
            return result
        made = self._like_before(node, subject, revision, watch) if node.is_kept else _MISSING
        if made is _MISSING:
            begins(node.name)
            made = node.make(self._reader(node, subject, revision, watch))
            self.made.append((node.name, subject))
            del self.made[:-10_000]
            self._alike.note(node, key, made)
        if node.is_kept:
            self.keep(key, made)
            self._touched[key] = made
        return cast(T, made)

    def _like_before(self, node: Node[Any], subject: Subject, revision: Revision, watch: Watch) -> Any:
        """The result where all that it follows from turns out to hold what it held before; else nothing.

        What tells that is made first: a moved part makes the supports beside it anew, which mostly stay as they are.
        """
        key = revision.key(node, subject)
        for telling, about in revision.telling(node, subject):
            if self._alike.has_others(telling) and revision.key(telling, about) not in self._kept:
                self._get(telling, about, revision, Stretch(watch, 0.0, 0.0))
        if self._alike.is_empty:
            return _MISSING
        first = self._alike.first_of(key)
        return _MISSING if first is key else self._kept.get(first, _MISSING)

    def _reader(self, node: Node[T], subject: Subject, revision: Revision, watch: Watch) -> Reader[T]:
        def take(need: Node[Any], about: Subject, part: Watch) -> Any:
            return self._get(need, about, revision, part)

        seen, job = subject, revision.job
        if self._is_guarded:
            own = [path.partition(".")[2] for path in node.reads if not path.startswith("job.")]
            of_job = [path.partition(".")[2] for path in node.reads if path.startswith("job.")]
            seen = subject if subject is None or "" in own else guarded(subject, node.name, own)
            job = guarded(revision.job, node.name, of_job)
        own_token = node.token(subject, revision.job, revision.near)
        return Reader(seen, job, watch, own_token, revision.needs(node, subject), take)
