"""A JSON document as rows: one for each sound that its map tells of, one for each of its lists, and one for each other
value.  It is written in the manner in which it stood, or not at all.
"""

import json
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from copy import deepcopy
from typing import Any

from saltcart.errors import show
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.containers.json_lists import JsonLists, as_key, spots
from saltcart.ledgers.facts import LAST_PLAYED, PLAYS
from saltcart.ledgers.maps import Map
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.ledgers.textual import decoded
from saltcart.merging.forms import REMEDY, CannotMerge, Places, places_of
from saltcart.merging.history import Uid
from saltcart.merging.merged import Merged, Wanted
from saltcart.merging.rows import MOST_PLAYS, NEWEST, REST, SUM, Cell, Content, Key, Row, Spot

LISTS, MEMBERS = "lists", "members"
KEY = "\0"  # the cell for the name under which an element is in an object; no member is called so
WHOLE = ""  # where a document is that is an array itself


class JsonForm:
    """JSON documents as rows, as a map tells where their sounds and lists are."""

    def __init__(self, plan: Map):
        self.plan = plan
        places = [rule.at.strip("/").split("/") for rule in plan.places]
        self.arrays = {
            "/".join(parts[:-2]): parts[-1] for parts in places if parts[-2:-1] == ["*"] and "*" not in parts[:-2]
        }
        self.lists = plan.lists if isinstance(plan.lists, JsonLists) else None

    def read(self, ledger: Ledger, places: Places) -> Content:
        """See Form.read."""
        assert isinstance(ledger, TextLedger)
        document = self.document(ledger)
        told = {(where.place, where.number): place for _key, where, place in places_of(ledger, places)}
        rows = list(self.sounds(document, told))
        rows += self.listed(document, {row.table: [one for one in rows if one.table == row.table] for row in rows})
        rows += (Row(REST, (at,), {"at": at, "value": value}) for at, value in leaves(self.without(document)))
        alike = {name: (column,) for name, column in self.arrays.items()} | {LISTS: ("name",), REST: ("at",)}
        roles = {name: roles_of([row for row in rows if row.table == name]) for name in self.arrays}
        shape = repr([(name, type(at_path(document, name)).__name__) for name in self.arrays])
        return Content(rows, roles, alike, shape)

    def document(self, ledger: TextLedger) -> dict[str, Any]:
        """What the file holds; as the only member of an object where its elements are the sounds.  CannotMerge for what
        is no object, and for one that has lists beside such elements.
        """
        found = json.loads(decoded(ledger.find().data).text)
        if WHOLE in self.arrays and len(self.arrays) == 1 and self.lists is None:
            return {WHOLE: found}
        if WHOLE in self.arrays or not isinstance(found, dict):
            raise CannotMerge(f"{show(ledger.path)} holds no object", REMEDY)
        return found

    def sounds(self, document: dict[str, Any], told: Mapping[tuple[str, int], str | None]) -> Iterator[Row]:
        """A row for each element of an array or object of sounds, told by its path."""
        for name, column in self.arrays.items():
            counts: Counter[str] = Counter()
            for number, (called, one) in enumerate(elements_at(document, name), 1):
                if not isinstance(one, dict) or not isinstance(one.get(column), str):
                    raise CannotMerge(f"an element of {show(name)} refers to no sound", REMEDY)
                place = told.get(("/".join(filter(None, (name, "*", column))), number))
                key = place or one[column]
                counts[key] += 1
                cells: dict[str, Cell] = {member: cell_of(member, value) for member, value in one.items()}
                cells |= {} if called is None else {KEY: called}
                yield Row(name, (key, counts[key]), cells, {}, {column: place} if place else {})

    def listed(self, document: dict[str, Any], sounds: Mapping[str, list[Row]]) -> Iterator[Row]:
        """A row for each list, and one for each member of it."""
        if self.lists is None:
            return
        table = self.lists.entries.rpartition("/*/")[0]
        keys, tracks = self.track_keys(document, table), sounds.get(table, [])
        if len(keys) != len(tracks):
            raise CannotMerge("its lists are of something else than its sounds", REMEDY)
        numbers = dict(zip(keys, tracks, strict=True))
        for number, (name, members, others) in enumerate(self.lists_in(document)):
            yield Row(LISTS, (name, number), {"name": name, **others})
            counts: Counter[Key] = Counter()
            for member in members:
                if (track := numbers.get(as_key(member))) is None:
                    raise CannotMerge(f"the list {show(name)} refers to a track that is not there", REMEDY)
                counts[track.key] += 1
                key = (name, *track.key, counts[track.key])
                yield Row(MEMBERS, key, {}, {"track": track.spot}, within=(LISTS, (name, number)))

    def track_keys(self, document: dict[str, Any], table: str) -> list[Any]:
        """What members of lists call the tracks."""
        key = self.lists.entry_key if self.lists else ""
        found = enumerate(elements_at(document, table))
        return [one.get(key) if key else number if called is None else called for number, (called, one) in found]

    def lists_in(self, document: dict[str, Any]) -> Iterator[tuple[str, list[Any], dict[str, str]]]:
        """Name, members, and what else is in it, of each list; a dot before the keys tells them from the name."""
        assert self.lists is not None
        for spot in spots(document, self.lists.at):
            inner = spot.value if isinstance(spot.value, dict) else {}
            name = inner.get(self.lists.name) if self.lists.name else spot.key
            members = inner.get(self.lists.members) if self.lists.members else spot.value
            if not isinstance(name, str) or not isinstance(members, list):
                raise CannotMerge("a list has no name, or no members", REMEDY)
            left = (self.lists.name, self.lists.members)
            yield name, members, {f".{key}": text_of(value) for key, value in inner.items() if key not in left}

    def without(self, document: dict[str, Any]) -> dict[str, Any]:
        """The document without its sounds and lists."""
        left = deepcopy(document)
        for path in [*self.arrays, *([self.lists.at.removesuffix("/*")] if self.lists else [])]:
            put(left, names_in(path), remove=True)
        return left

    def write(self, ledger: Ledger, target: str, merged: Merged, ours: Mapping[Uid, Row]) -> dict[Spot, Uid]:
        """See Form.write."""
        assert isinstance(ledger, TextLedger)
        data = ledger.find().data
        text = decoded(data)
        style = style_of(text.text)
        if style is None:
            raise CannotMerge(f"{show(ledger.path)} is laid out in a way that Salt Cart cannot keep", REMEDY)
        document = self.document(ledger)
        places: dict[Uid, int] = {}
        for name in self.arrays:
            found = [one for one in merged.rows.values() if one.table == name]
            places |= {one.uid: number for number, one in enumerate(found)}
            known = at_path(document, name)
            if found or known is not None:
                put(document, names_in(name), self.together(name, found, isinstance(known, dict)))
        self.put_lists(document, merged, places)
        for uid in merged.goes:
            if ours[uid].table == REST:
                put(document, names_at(str(ours[uid].key[0])), remove=True)
        for one in merged.rows.values():
            if one.table == REST:
                put(document, names_at(str(one.cells["at"])), json.loads(str(one.cells["value"])))
        try:
            content = style(document[WHOLE] if WHOLE in self.arrays else document)
            written = data[: text.skip] + content.encode(text.encoding)
        except UnicodeEncodeError as error:
            raise CannotMerge(f"{show(ledger.path)} cannot hold what came, in {text.encoding}", REMEDY) from error
        with open(target, "wb") as stream:
            stream.write(written)
        return self.spots(merged)

    @staticmethod
    def element(one: Wanted) -> dict[str, Any]:
        """A row as it is in an array or object."""
        return {key: json.loads(str(value)) for key, value in one.cells.items() if key != KEY}

    def together(self, name: str, found: Sequence[Wanted], named: bool) -> list[Any] | dict[str, Any]:
        """Rows as the array that they are in, or the object, where each is `named`."""
        if not named:
            return [self.element(one) for one in found]
        made = {str(one.cells.get(KEY)): self.element(one) for one in found}
        if len(made) < len(found):
            raise CannotMerge(f"two new sounds have the same name in {show(name)}", REMEDY)
        return made

    def put_lists(self, document: dict[str, Any], merged: Merged, places: Mapping[Uid, int]) -> None:
        """Write all lists."""
        if self.lists is None:
            return
        path = self.lists.at.removesuffix("/*")
        if "*" in path:
            raise CannotMerge("its lists stand in more than one place", REMEDY)
        made: list[tuple[str, Any]] = []
        for one in merged.rows.values():
            if one.table == LISTS:
                tracks = [merged.rows[uid].refs["track"] for uid in merged.orders.get(one.uid, (b"", []))[1]]
                members: Any = [self.member(merged.rows[uid], places[uid]) for uid in tracks]
                name = str(one.cells["name"])
                if self.lists.members:
                    others = {key[1:]: json.loads(str(value)) for key, value in one.cells.items() if key != "name"}
                    members = {
                        **({self.lists.name: name} if self.lists.name else {}),
                        **others,
                        self.lists.members: members,
                    }
                made.append((name, members))
        known = at_path(document, path)
        if made or known is not None:
            named = not self.lists.name if known is None else isinstance(known, dict)
            put(document, names_in(path), dict(made) if named else [value for _name, value in made])

    def member(self, track: Wanted, number: int) -> Any:
        """What a member of a list calls its track."""
        assert self.lists is not None
        key = self.lists.entry_key
        return json.loads(str(track.cells[key])) if key else track.cells.get(KEY, number)

    def spots(self, merged: Merged) -> dict[Spot, Uid]:
        """Where each row is found in what was written."""
        found: dict[Spot, Uid] = {}
        counts: Counter[tuple[str, Any]] = Counter()
        number = 0
        for one in merged.rows.values():
            if one.table in self.arrays:
                key = one.row.key[0]
                counts[one.table, key] += 1
                found[one.table, (key, counts[one.table, key])] = one.uid
            elif one.table == LISTS:
                found[LISTS, (one.cells["name"], number)] = one.uid
                number += 1
            elif one.table == REST:
                found[REST, (one.cells["at"],)] = one.uid
        return found


def cell_of(name: str, value: Any) -> str | int:
    """A value of that name as a cell: a number of plays as such, since it is added up; any other in JSON."""
    return value if type(value) is int and PLAYS.search(name) and 0 <= value < MOST_PLAYS else text_of(value)


def roles_of(rows: Sequence[Row]) -> dict[str, str]:
    """Which members of some objects are counted, by their names and by holding nothing else than numbers; and which are
    dated.
    """
    names = {name for row in rows for name in row.cells}
    dated = {name: NEWEST for name in names if LAST_PLAYED.search(name)}
    counts = (name for name in names - dated.keys() if PLAYS.search(name))
    return dated | {name: SUM for name in counts if all(isinstance(row.cells.get(name, 0), int) for row in rows)}


def text_of(value: Any) -> str:
    """A value as JSON, in one manner.  CannotMerge for what is no number in JSON (RFC 8259, 6)."""
    try:
        return json.dumps(value, ensure_ascii=False, sort_keys=True, allow_nan=False)
    except ValueError as error:
        raise CannotMerge("it holds a number that JSON does not have", REMEDY) from error


def leaves(value: Any, at: str = "") -> Iterator[tuple[str, str]]:
    """Every value in nested objects, with the JSON Pointer to it (RFC 6901); an empty object is one."""
    if isinstance(value, dict) and (value or not at):
        for key, one in value.items():
            yield from leaves(one, f"{at}/{key.replace('~', '~0').replace('/', '~1')}")
    else:
        yield at, text_of(value)


def names_at(pointer: str) -> list[str]:
    """The names on the way that a JSON Pointer tells."""
    return [part.replace("~1", "/").replace("~0", "~") for part in pointer.split("/")[1:]]


def names_in(path: str) -> list[str]:
    """The names on the way that the path of a map tells, in which `|` stands for a slash in a name."""
    return [name.replace("|", "/") for name in path.split("/")]


def at_path(document: Any, path: str) -> Any:
    """What is at the path of a map; None where nothing does."""
    for name in names_in(path):
        document = document.get(name) if isinstance(document, dict) else None
    return document


def elements_at(document: Any, path: str) -> list[tuple[str | None, Any]]:
    """The elements of the array or object at the path of a map, each with its name in the object, None in an array.
    CannotMerge for what is neither.
    """
    found = at_path(document, path)
    if isinstance(found, dict):
        return list(found.items())
    if found is not None and not isinstance(found, list):
        raise CannotMerge(f"{show(path)} is no array", REMEDY)
    return [(None, one) for one in found or ()]


def put(document: dict[str, Any], names: Sequence[str], value: Any = None, remove: bool = False) -> None:
    """Put a value, or nothing, at the end of a way of names."""
    *above, name = names
    for part in above:
        document = document.setdefault(part, {})
    if remove:
        document.pop(name, None)
    else:
        document[name] = value


def style_of(text: str) -> Callable[[Any], str] | None:
    """A writer that puts the document of a text down just as it is there; None when there is none."""
    document = json.loads(text)
    end, ends = text[len(text.rstrip()) :], "\r\n" if "\r\n" in text else "\n"
    for indent in indents_of(text):
        for plain in (False, True):
            for separators in (None, (",", ":"), (", ", ": ")):

                def write(value: Any, indent: Any = indent, plain: bool = plain, separators: Any = separators) -> str:
                    text = json.dumps(value, indent=indent, ensure_ascii=plain, separators=separators)
                    return text.replace("\n", ends) + end  # in strings they are escaped

                if write(document) == text:
                    return write
    return None


def indents_of(text: str) -> list[Any]:
    """How the lines of a document may be indented: as the second one is, if there is one."""
    lines = text.strip().split("\n", 2)
    if len(lines) == 1:
        return [None]
    blanks = lines[1][: len(lines[1]) - len(lines[1].lstrip())]
    return [blanks if blanks.strip(" ") else len(blanks)]
