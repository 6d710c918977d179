"""A node: one derived result, what it reads and which other results it needs."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeAlias, TypeVar

from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.supports.common.support import Support

if TYPE_CHECKING:
    from lean_trellis.core.derive.neighbours import Neighbours

T = TypeVar("T")
U = TypeVar("U")
Subject: TypeAlias = Mesh | Part | Support | Stack | None
"""What a node is about; None for the job as a whole."""
Need: TypeAlias = "tuple[Node[Any], Subject]"
Kind: TypeAlias = Literal["mesh", "part", "support", "stack", "job"]


def _nothing(subject: Any, job: Job, near: Neighbours) -> Iterable[Need]:
    return ()


def _no_token(subject: Any, job: Job, near: Neighbours) -> Hashable:
    return None


CONSTANTS = ("job.material", "job.machine", "job.layer_height", "job.surface", "job.mode")
"""The fields that the constants of a job follow from: its material as it holds for all of them."""
_NODES: dict[str, Node[Any]] = {}


@dataclass(frozen=True, eq=False)
class Node(Generic[T]):
    """`reads` are dotted paths from the subject ("part.pose") or the job ("job.layer_height").

    `needs` names the other results, `token` adds what a path cannot say. `make` gets a `Reader`, from which it can take
    what was declared and nothing else.
    """

    name: str
    kind: Kind
    make: Callable[[Reader[T]], T]
    reads: tuple[str, ...] = ()
    needs: Callable[[Any, Job, Neighbours], Iterable[Need]] = _nothing
    token: Callable[[Any, Job, Neighbours], Hashable] = _no_token
    follows_from: Callable[[Any, Job, Neighbours], Iterable[Need]] | None = None
    """Results that say all that the needs follow from, where these are many: the key is made of them instead."""
    content: Callable[[T], bytes | None] | None = None
    """A digest of what the result holds. Where it is made anew and holds what one before held, what follows from it is
    not made again."""
    is_kept: bool = True
    is_local: bool = False
    """Whether it follows from its subject and the job's own fields alone: its key then holds for the next revision."""

    def __post_init__(self) -> None:
        if self.name in _NODES:
            raise ValueError(f"two nodes are called {self.name!r}")
        _NODES[self.name] = self

    def __reduce__(self) -> tuple[Callable[[str, str], Node[Any]], tuple[str, str]]:
        """Nodes travel by the module that declares them and their names."""
        return node_named, (self.make.__module__, self.name)


def node_named(module: str, name: str) -> Node[Any]:
    """The node of a name, declared by a module."""
    import_module(module)
    return _NODES[name]


def all_nodes() -> tuple[Node[Any], ...]:
    """Every node that was declared."""
    return tuple(_NODES.values())


@dataclass(frozen=True, eq=False)
class Reader(Generic[T]):
    """What a node is made from: its subject and job (as far as it declared to read them) and the results it needs."""

    subject: Any
    job: Any
    watch: Watch
    token: Any
    """What the node's own `token` gave."""
    needs: tuple[Need, ...]
    take: Callable[[Node[Any], Subject, Watch], Any]

    def subjects(self, node: Node[Any]) -> list[Any]:
        """What the needed results of a node are about, in the order of the declaration."""
        return [subject for need, subject in self.needs if need is node]

    def stretch(self, begin: float, end: float) -> Watch:
        """A share of the work."""
        return Stretch(self.watch, begin, end)

    def one(self, node: Node[U], begin: float = 0.0, end: float = 1.0) -> U:
        """The one result of a node that was declared as needed; `begin` to `end` is its share of the work."""
        (result,) = self.each(node, begin, end)
        return result

    def each(self, node: Node[U], begin: float = 0.0, end: float = 1.0) -> list[U]:
        """All results of a node that were declared as needed, in the order of the declaration."""
        subjects = self.subjects(node)
        step = (end - begin) / max(len(subjects), 1)
        return [
            self.take(node, subject, Stretch(self.watch, begin + number * step, begin + (number + 1) * step))
            for number, subject in enumerate(subjects)
        ]
