"""The board itself: builds, their parts, meshes and orders in the shop library."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, RowMapping, Table, and_, func, insert, select, update
from sqlalchemy.dialects import postgresql, sqlite

from lean_trellis.core.board.rows import AGAIN_ID, AGAIN_NAME, OUTCOMES, STATES, BoardBuild, BoardPart, OrderState
from lean_trellis.core.errors import EditError, FormatError, UnknownNameError
from lean_trellis.core.formats import ply
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.shop.store.store import ShopStore, user_name
from lean_trellis.core.shop.store.tables import BUILD_PARTS, BUILDS, MESHES, ORDERS

_LIST = [column for column in BUILD_PARTS.c if column.name not in ("document", "photo")]
_MOST_PHOTO = 20_000_000
_AT_ONCE = 200


class Board:
    """The board of a shop library. Every method raises `StoreError` where the library cannot be reached."""

    def __init__(self, store: ShopStore) -> None:
        self._store = store

    # --- reading ---

    def builds(self) -> tuple[BoardBuild, ...]:
        """All builds with their parts, the latest changed first; documents are left out."""
        with self._store.connected() as connection:
            heads = connection.execute(select(BUILDS).order_by(BUILDS.c.changed_at.desc(), BUILDS.c.id)).mappings()
            heads_read = heads.all()
            rows = connection.execute(_listed()).mappings().all()
        by_build: dict[str, list[BoardPart]] = {}
        for row in rows:
            by_build.setdefault(row["build"], []).append(_part(row))
        return tuple(_build(head, tuple(by_build.get(head["id"], ()))) for head in heads_read)

    def build(self, build_id: str) -> BoardBuild:
        """One build by id or name. Raises `UnknownNameError`."""
        with self._store.connected() as connection:
            return find_build(connection, build_id)

    def document(self, build_id: str, part_id: str) -> str:
        """What the row of a part holds."""
        with self._store.connected() as connection:
            document = connection.execute(select(BUILD_PARTS.c.document).where(row_of(build_id, part_id))).scalar()
        if document is None:
            raise UnknownNameError(part_id, "no part of that id in this build", "look at the list")
        return str(document)

    @heavy
    def meshes(self, keys: Iterable[str]) -> dict[str, Mesh]:
        """Meshes by their keys. Raises `FormatError` where one is lost or damaged."""
        wanted, meshes = sorted(set(keys)), {}
        with self._store.connected() as connection:
            for first in range(0, len(wanted), _AT_ONCE):
                some = select(MESHES).where(MESHES.c.key.in_(wanted[first : first + _AT_ONCE]))
                for key, content in connection.execute(some):
                    mesh, _ = ply.read_stream(io.BytesIO(content), key, len(content))
                    if mesh.key != key:
                        raise FormatError(self._store.where, f"holds a damaged mesh {key}", "put the part there again")
                    meshes[str(key)] = mesh
        lost = [key for key in wanted if key not in meshes]
        if lost:
            raise FormatError(self._store.where, f"lacks the mesh {lost[0]}", "put the part there again")
        return meshes

    def photo(self, build_id: str, part_id: str) -> bytes | None:
        """The photo of what came out of a part."""
        with self._store.connected() as connection:
            photo = connection.execute(select(BUILD_PARTS.c.photo).where(row_of(build_id, part_id))).scalar()
        return None if photo is None else bytes(photo)

    def orders(self) -> tuple[OrderState, ...]:
        """Every order with what became of it."""
        with self._store.connected() as connection:
            asked = connection.execute(select(ORDERS).order_by(ORDERS.c.due, ORDERS.c.number)).mappings().all()
            rows = connection.execute(
                select(BUILD_PARTS.c.order_number, BUILD_PARTS.c.name, BUILD_PARTS.c.outcome, BUILDS.c.state)
                .join(BUILDS, BUILDS.c.id == BUILD_PARTS.c.build)
                .where(BUILD_PARTS.c.is_gone.is_(False))
            ).all()
        placed: dict[tuple[str, str], int] = {}
        built: dict[tuple[str, str], int] = {}
        for number, name, outcome, state in rows:
            at = (number, plain_name(name))
            if outcome == "well":
                built[at] = built.get(at, 0) + 1
            elif outcome == "" and state not in ("again", "closed"):
                placed[at] = placed.get(at, 0) + 1
        return tuple(
            OrderState(one["number"], one["part"], one["owner"], one["due"], one["asked"],
                       placed.get((one["number"], one["part"]), 0), built.get((one["number"], one["part"]), 0))
            for one in asked
        )  # fmt: skip

    # --- writing ---

    @contextmanager
    def writing(self, build_id: str = "") -> Iterator[Connection]:
        """A transaction; with a build, nobody else writes that one meanwhile."""
        with self._store.connected(writes=True) as connection:
            if build_id and connection.dialect.name == "postgresql":
                connection.execute(select(BUILDS.c.id).where(BUILDS.c.id == build_id).with_for_update())
            yield connection

    @heavy
    def put_meshes(self, meshes: Mapping[str, Mesh]) -> int:
        """Send those meshes that are not there yet; how many these were."""
        with self._store.connected() as connection:
            keys = sorted(meshes)
            there: set[str] = set()
            for first in range(0, len(keys), _AT_ONCE):
                some = select(MESHES.c.key).where(MESHES.c.key.in_(keys[first : first + _AT_ONCE]))
                there |= set(connection.execute(some).scalars())
        sent = [key for key in keys if key not in there]
        for key in sent:
            with self._store.connected(writes=True) as connection:
                put_once(connection, MESHES, {"key": key, "content": ply.ply_bytes(meshes[key])})
        return len(sent)

    def set_state(self, build_id: str, state: str, *, actual_seconds: float | None = None) -> None:
        """Say how far a build is, and, when it is over, how long it took."""
        if state not in STATES:
            raise UnknownNameError.among("state", state, STATES)
        if actual_seconds is not None and not 0 < actual_seconds < 1e9:
            raise EditError("actual time", f"{actual_seconds:g} s is no time of a build", "give hours and minutes")
        values: dict[str, Any] = {"state": state, **stamp()}
        if actual_seconds is not None:
            values["actual_seconds"] = actual_seconds
        with self.writing(build_id) as connection:
            build = find_build(connection, build_id)
            connection.execute(update(BUILDS).where(BUILDS.c.id == build.id).values(values))

    def note_released(self, build_id: str, contents: str) -> None:
        """Keep the ticket of a build that was released."""
        with self.writing(build_id) as connection:
            values = {"state": "released", "released": contents, **stamp()}
            connection.execute(update(BUILDS).where(BUILDS.c.id == build_id).values(values))

    def note_outcome(
        self, build_id: str, part_id: str, outcome: str, *, note: str = "", photo: bytes | None = None
    ) -> None:
        """Say what came of a part; one that failed is put where parts wait to be built again, with the cause."""
        if outcome not in OUTCOMES:
            raise UnknownNameError.among("outcome", outcome, [key for key in OUTCOMES if key])
        if photo is not None and len(photo) > _MOST_PHOTO:
            raise EditError("photo", f"has {len(photo) / 1e6:.0f} MB", "make it smaller than 20 MB")
        if photo is not None:
            _require_picture(photo)
        values: dict[str, Any] = {"outcome": outcome, "outcome_note": note.strip(), **stamp()}
        if photo is not None:
            values["photo"] = photo
        with self.writing(build_id) as connection:
            build = find_build(connection, build_id)
            row = connection.execute(select(BUILD_PARTS).where(row_of(build.id, part_id))).mappings().first()
            if row is None:
                raise UnknownNameError.among("part", part_id, (one.id for one in build.parts))
            connection.execute(update(BUILD_PARTS).where(row_of(build.id, part_id)).values(values))
            if outcome not in ("", "well") and build.id != AGAIN_ID:
                _put_again(connection, row, f"{OUTCOMES[outcome]} in {build.name}. {note.strip()}".strip())

    def order(self, number: str, part: str, owner: str, asked: int, due: str = "") -> None:
        """Note an order, or change it."""
        if asked < 0 or asked > 1_000_000:
            raise EditError(f"order {number}", f"{asked} is no number of parts", "give 1 or more")
        values = {"number": number.strip(), "part": part.strip(), "owner": owner.strip(), "asked": asked, "due": due}
        with self.writing() as connection:
            is_same = and_(ORDERS.c.number == values["number"], ORDERS.c.part == values["part"])
            if not connection.execute(update(ORDERS).where(is_same).values(values)).rowcount:
                connection.execute(insert(ORDERS).values(values))


def _listed() -> Any:
    wanted = select(*_LIST, BUILD_PARTS.c.photo.isnot(None).label("has_photo"))
    return wanted.where(BUILD_PARTS.c.is_gone.is_(False)).order_by(BUILD_PARTS.c.place, BUILD_PARTS.c.id)


def find_build(connection: Connection, build_id: str) -> BoardBuild:
    """A build by id, or by its name where only one has it. Raises `UnknownNameError`."""
    heads = connection.execute(select(BUILDS).where((BUILDS.c.id == build_id) | (BUILDS.c.name == build_id)))
    matches = heads.mappings().all()
    head = next((one for one in matches if one["id"] == build_id), matches[0] if len(matches) == 1 else None)
    if head is None:
        names = connection.execute(select(BUILDS.c.name)).scalars().all()
        raise UnknownNameError.among("build", build_id, names)
    rows = connection.execute(_listed().where(BUILD_PARTS.c.build == head["id"])).mappings().all()
    return _build(head, tuple(_part(row) for row in rows))


def put_once(connection: Connection, table: Table, values: Mapping[str, Any]) -> None:
    """Insert a row unless there is one of its key."""
    dialect = postgresql if connection.dialect.name == "postgresql" else sqlite
    connection.execute(dialect.insert(table).values(**values).on_conflict_do_nothing())


def next_place(connection: Connection, build_id: str) -> int:
    """The place after the last part of a build."""
    last = connection.execute(select(func.max(BUILD_PARTS.c.place)).where(BUILD_PARTS.c.build == build_id)).scalar()
    return 0 if last is None else int(last) + 1


def _put_again(connection: Connection, row: RowMapping, cause: str) -> None:
    put_once(connection, BUILDS, {
        "id": AGAIN_ID, "name": AGAIN_NAME, "state": "again", "machine": "", "material": "", "due": "", "revision": 1,
        "settings": "", "released": "", "actual_seconds": None, **stamp(),
    })  # fmt: skip
    again = dict(row) | {
        "build": AGAIN_ID, "revision": 1, "outcome": "", "outcome_note": cause, "is_gone": False,
        "place": next_place(connection, AGAIN_ID), **stamp(),
    }  # fmt: skip
    at = row_of(AGAIN_ID, row["id"])
    if not connection.execute(update(BUILD_PARTS).where(at).values(again)).rowcount:
        connection.execute(insert(BUILD_PARTS).values(again))


def _require_picture(photo: bytes) -> None:
    """Raise `EditError` where bytes are no picture of a kind that can be shown."""
    from PIL import Image  # not before there is one

    try:
        with Image.open(io.BytesIO(photo), formats=("PNG", "JPEG", "WEBP")) as picture:
            picture.verify()
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as problem:
        raise EditError("photo", "is no picture that can be read", "give a PNG, JPEG or WebP file") from problem


def row_of(build_id: str, part_id: str) -> Any:
    """The condition that picks the row of a part."""
    return and_(BUILD_PARTS.c.build == build_id, BUILD_PARTS.c.id == part_id)


def stamp() -> dict[str, str]:
    """Who changes something, and when."""
    return {"who": user_name(), "changed_at": datetime.now(UTC).isoformat(timespec="milliseconds")}


def plain_name(name: str) -> str:
    """The name of a part without the number that tells copies apart: `Claw (3)` is a Claw."""
    head, bracket, tail = name.rpartition(" (")
    return head if bracket and tail.endswith(")") and tail[:-1].isdigit() else name


def _part(row: RowMapping) -> BoardPart:
    return BoardPart(
        row["id"], row["name"], row["owner"], row["order_number"], row["revision"], row["who"], row["changed_at"],
        row["outcome"], row["outcome_note"], bool(row["has_photo"]), bool(row["is_gone"]),
    )  # fmt: skip


def _build(row: RowMapping, parts: tuple[BoardPart, ...]) -> BoardBuild:
    return BoardBuild(
        row["id"], row["name"], row["state"], row["machine"], row["material"], row["due"], row["revision"], row["who"],
        row["changed_at"], row["actual_seconds"], row["settings"], row["released"], parts,
    )  # fmt: skip
