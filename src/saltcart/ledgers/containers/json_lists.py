"""The named lists in a JSON document, as a map tells where they are."""

import json
from collections import Counter
from collections.abc import Iterator
from typing import Any, NamedTuple


class JsonLists(NamedTuple):
    """Where named lists are: one at each place `at`, its name under `name` in it, else that of the place itself, and
    its members under `members`, else it is their array.  A member says which track it is: by the value of `entry_key`
    beside one of the `entries`, else by the number or name under which that is.
    """

    at: str
    entries: str
    name: str = ""
    members: str = ""
    entry_key: str = ""


class Spot(NamedTuple):
    """A value in a document: its place as entries tell it, the last key on its way that a `*` stands for, what holds
    it, and itself.
    """

    place: str
    key: Any
    holder: Any
    value: Any


def spots(value: Any, path: str, found: Spot | None = None) -> Iterator[Spot]:
    """What is at a path of names, where `*` is each place of an array and each name of an object."""
    spot = found or Spot("", None, None, value)
    name, _slash, rest = path.partition("/")
    holder = spot.value
    if not name:
        yield spot
    elif name == "*":
        numbered = isinstance(holder, list)
        pairs = enumerate(holder) if numbered else holder.items() if isinstance(holder, dict) else ()
        for key, one in pairs:
            part = "*" if numbered else str(key).replace("/", "|")
            yield from spots(value, rest, Spot(f"{spot.place}/{part}".lstrip("/"), key, holder, one))
    elif isinstance(holder, dict) and name.replace("|", "/") in holder:
        one = holder[name.replace("|", "/")]
        yield from spots(value, rest, Spot(f"{spot.place}/{name}".lstrip("/"), spot.key, holder, one))


def listed(text: str, where: JsonLists) -> Iterator[tuple[str, list[tuple[str, int]]]]:
    """Each list of a document: its name, and for each member the place of its entry and which of that place it is,
    from 1, as entries are told.
    """
    document = json.loads(text)
    counts: Counter[str] = Counter()
    tracks: dict[Any, tuple[str, int]] = {}
    for spot in spots(document, where.entries):
        if isinstance(spot.value, str):
            counts[spot.place] += 1
            key = spot.holder.get(where.entry_key) if where.entry_key else spot.key
            tracks.setdefault(as_key(key), (spot.place, counts[spot.place]))
    for number, spot in enumerate(spots(document, where.at)):
        inner = spot.value if isinstance(spot.value, dict) else {}
        name = inner.get(where.name) if where.name else spot.key if isinstance(spot.key, str) else None
        members = inner.get(where.members) if where.members else spot.value
        keys = [as_key(one) for one in members] if isinstance(members, list) else []
        yield str(name or f"list {number + 1}"), [tracks[key] for key in keys if key in tracks]


def as_key(value: Any) -> Any:
    """A value that distinguishes tracks; None for what cannot be one."""
    return value if isinstance(value, str | int | float) else None
