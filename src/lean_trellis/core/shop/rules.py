"""What a shop asks of its releases: kept in the shop library, with every version of it."""

from __future__ import annotations

import json

from pydantic import Field, ValidationError

from lean_trellis.core.errors import LibraryError
from lean_trellis.core.shop.address import library_is_there
from lean_trellis.core.shop.frozen import Frozen

_ID = "release"


class ShopRules(Frozen):
    """`two_people`: who has waived a stop of a build does not release it.

    `most_used`: the utilisation from which this shop wants to be cautioned, by material id, where outcomes said so.
    """

    two_people: bool = False
    most_used: dict[str, float] = Field(default_factory=dict)
    time_factors: dict[str, float] = Field(default_factory=dict)
    """Actual time over estimated, by machine id, where the shop took it over from its builds."""


def shop_rules(url: str = "") -> ShopRules:
    """The rules of the shop's library, at an address or where it usually is; the usual ones where it has none.

    Raises `StoreError` where the library cannot be read, `LibraryError` where they make no sense: a gate that cannot
    read its rules stays shut.
    """
    if not library_is_there(url):
        return ShopRules()
    from lean_trellis.core.shop.store.store import open_store

    store = open_store(url or None)
    try:
        kept = store.latest("rules", _ID)
    finally:
        store.close()
    if kept is None:
        return ShopRules()
    try:
        return ShopRules.model_validate(json.loads(kept.document))
    except (ValidationError, ValueError) as problem:
        fault = str(problem).splitlines()[0]
        raise LibraryError("rules of the shop", f"cannot be read ({fault})", "set them again with 'rules'") from None


def save_rules(rules: ShopRules, *, why: str = "") -> ShopRules:
    """Save the rules as the next version."""
    from lean_trellis.core.shop.store.kept import ToSave
    from lean_trellis.core.shop.store.store import open_store

    store = open_store()
    try:
        there = store.latest("rules", _ID)
        thing = ToSave("rules", _ID, "Rules of release", rules.model_dump_json(indent=1), why=why)
        store.save(thing, based_on=0 if there is None else there.version)
    finally:
        store.close()
    return rules
