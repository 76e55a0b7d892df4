"""The table of what can be read as a ledger: open formats by name, and maps over containers."""

from collections.abc import Sequence
from functools import lru_cache, partial
from types import ModuleType

from saltcart.errors import BadLedger, Refused, SaltCartError, show, typed
from saltcart.ledgers import added
from saltcart.ledgers.added import AddedFormat
from saltcart.ledgers.base import Entry, Ledger
from saltcart.ledgers.containers import chunks, counted, json, lines, xml
from saltcart.ledgers.formats import cart_toml, cue, dawproject, jspf, m3u, pls, sfz, turtle, xspf
from saltcart.ledgers.map_file import CONTAINERS
from saltcart.ledgers.maps import Map, load_map
from saltcart.ledgers.rules import NUMBER, At
from saltcart.ledgers.spans import SpanFinder
from saltcart.ledgers.sqlite.ledger import SqliteLedger
from saltcart.ledgers.sqlite.opening import claims
from saltcart.ledgers.text_ledger import Shape, TextLedger
from saltcart.ledgers.where import Where
from saltcart.ledgers.wrappers import PLAIN, ZIP_MAGIC
from saltcart.shelves.beginning import beginning
from saltcart.spelling import spelling_named
from saltcart.system import os

# A format is a module with NAME, claims(name, head) and spans(data); WRAPPER when it comes wrapped.
OUR_FORMATS: tuple[ModuleType, ...] = (m3u, pls, xspf, jspf, cue, sfz, turtle, dawproject)
HEAD_BYTES = 4096
UNTRUSTED = "is binary, and only the lengths before its texts are known (to rewrite it all the same: --trust-map)"


@lru_cache(maxsize=1)
def text_formats() -> tuple[ModuleType | AddedFormat, ...]:
    """Our formats, and those that other packages add."""
    return (*OUR_FORMATS, *added.formats([form.NAME for form in OUR_FORMATS]))


def head_of(path: str) -> bytes:
    """The first bytes of the regular file at `path`.  Raises Refused when there is none to read."""
    if not os.path.exists(path):
        raise Refused(
            f"There is no ledger at {show(path)}", "Check the path; if its drive is not connected, plug it in."
        )
    if not os.path.isfile(path):
        raise Refused(f"{show(path)} is not a file, so it cannot be a ledger", "Name the playlist or database itself.")
    try:
        return beginning(path, HEAD_BYTES)
    except OSError as error:
        raise Refused(f"The ledger {show(path)} cannot be read: {error.strerror}", "Check its permissions.") from error


def finder_of(plan: Map) -> SpanFinder:
    """The function from bytes to spans for a map over anything but a database."""
    return finder_for(plan, plan.places)


def finder_for(plan: Map, places: Sequence[At]) -> SpanFinder:
    """The function from bytes to the spans at some places."""
    if plan.container == "plist":
        from saltcart.ledgers.containers import plist  # the one that is seldom met and takes long to load

        return partial(plist.spans, rules=places)
    if plan.counting:
        return partial(counted.spans, rules=places, counting=plan.counting)
    finders: dict[str, SpanFinder] = {
        "xml": partial(xml.spans, rules=places),
        "json": partial(json.spans, rules=places),
        "text": partial(lines.pattern_spans, rules=places),
        "chunks": partial(chunks.spans, rules=places, encoding=plan.encoding),
    }
    if module := None if plan.container in CONTAINERS else added.container(plan.container):
        return added.finder_in(plan.container, module, places)
    return finders.get(plan.container) or partial(lines.spans, plan.container, rules=places)


def shape_of(plan: Map) -> Shape | None:
    """How a changed container is put together and compared, where splicing is not enough."""
    if plan.container == "chunks":
        holders = chunks.holders_of(plan.places)
        return Shape(partial(chunks.splice, holders=holders), partial(chunks.rest, holders=holders))
    if plan.counting:
        return Shape(counted.splicer(plan.counting), counted.rest_of(plan.counting))
    if plan.container == "plist":
        from saltcart.ledgers.containers import plist

        return Shape(plist.splice, plist.rest)
    return None if plan.container in CONTAINERS else added.shape_in(plan.container, added.container(plan.container))


def joint_of(plan: Map) -> bytes | None:
    """What usually is between the folders of a list in such a file, if it has one."""
    rule = next((at for at in plan.places if at.names == "folder"), None)
    name = rule.at.rpartition("/")[2] if rule else "@"
    if rule and rule.parts:
        return rule.parts.separator.encode() or None
    fixed = "*" not in name and NUMBER not in name  # else nobody knows the name of one more
    usual = {
        "json": '", "',
        "toml": '", "',
        "plist": "</string><string>",
        "xml": f"</{name}><{name}>" if fixed else "",
        "ini": f"\n{name}=" if fixed else "",
    }.get(plan.container)
    return usual.encode() if usual and not name.startswith("@") else None


def mapped(path: str, plan: Map) -> Ledger:
    """The ledger at `path` as a map reads it.  Raises BadLedger or BadFile when its content folders cannot be read."""
    if plan.container == "sqlite":
        ledger: SqliteLedger | TextLedger = SqliteLedger(path, plan)
    else:
        ledger = TextLedger(path, plan.name, finder_of(plan), plan.wrapper, shape_of(plan))
        ledger.program, ledger.usual_joint = plan.program, joint_of(plan)
        ledger.mapped = True
        ledger.grows_alone = plan.container not in ("xml", "ini") or any(at.parts for at in plan.places)
        ledger.past_finder = finder_for(plan, plan.past_places) if plan.past_places else None
        ledger.untrusted = UNTRUSTED if plan.counting and not plan.trusted else ""
    ledger.lists = any(one.names != "file" for one in plan.rules) or any(one.names != "file" for one in plan.places)
    if plan.content:
        ledger.content = content_folders(os.path.join(os.path.dirname(path), plan.content[0]), plan.content[1])
    return ledger


def content_folders(path: str, plan: str) -> tuple[Entry, ...]:
    """The folders that the ledger at `path` lists, as full paths; that ledger is where each is."""
    if not os.path.isfile(path):
        raise BadLedger(path, "is not there; it should list the content folders", "Mend [content] of the map.")
    folder = os.path.dirname(path)
    found = [
        entry.spelling.read(entry.written, folder)
        for entry in mapped(path, load_map(plan)).entries()
        if entry.is_folder
    ]
    return tuple(
        Entry(number, Where(ledger=path), place, spelling_named("native"), "folder")
        for number, place in enumerate(filter(None, found))
    )


def recognised(path: str, maps: Sequence[Map], head: bytes | None = None) -> Ledger | None:
    """The ledger at `path` as the first map or format that fits reads it; None when none does.

    `head` is its beginning (`head_of`), for whoever has read that already.
    """
    head, name = head_of(path) if head is None else head, os.path.basename(path)
    for plan in maps:
        if plan.claims(name, head) and (plan.container != "sqlite" or not SqliteLedger(path, plan).misfit()):
            return mapped(path, plan)
    for form in text_formats():
        if form.claims(name, head):
            if form is sfz:
                return sfz.opened(path)
            return TextLedger(
                path, form.NAME, form.spans, wrapper=getattr(form, "WRAPPER", PLAIN), about=getattr(form, "about", None)
            )
    return None


def known_by_name(name: str, maps: Sequence[Map]) -> bool:
    """Whether a file of that name may be one that a map or format reads: a map that goes only by content may read any
    file.
    """
    ends = name.lower().endswith
    return any(not plan.suffixes or ends(plan.suffixes) for plan in maps) or known_suffix(os.path.splitext(name)[1])


@lru_cache(maxsize=1024)
def known_suffix(suffix: str) -> bool:
    """Whether a format claims files whose names end so, whatever is in them."""
    return any(form.claims(f"x{suffix}", head) for form in text_formats() for head in (b"", ZIP_MAGIC))


def reads(path: str, plan: Map) -> bool:
    """Whether a map that does not claim a file finds entries in it."""
    try:
        if plan.container == "sqlite":
            return claims(head_of(path)) and not SqliteLedger(path, plan).misfit()
        return any(True for _entry in mapped(path, plan).entries())
    except SaltCartError:
        return False


def open_ledger(path: str, maps: Sequence[Map], named: str | None = None) -> Ledger:
    """The ledger at `path`; `named` asks for one format or map by name.

    Raises BadLedger when nothing reads it, saying what the nearest map lacks.
    """
    head = head_of(path)
    if named == cart_toml.NAME:
        return TextLedger(path, named, cart_toml.spans)
    for plan in maps:
        if plan.name == named and plan.container != "sqlite":
            return mapped(path, plan)
    if named:
        maps = [plan for plan in maps if plan.name == named]
    ledger = recognised(path, maps, head)
    if ledger and named in (None, ledger.map_name):
        return ledger
    fitting = [] if named or ledger else [plan for plan in maps if reads(path, plan)]
    if len(fitting) == 1:  # what nothing claims, one map alone reads
        return mapped(path, fitting[0])
    raise not_read(path, [plan for plan in maps if plan.container == "sqlite"], claims(head))


def not_read(path: str, plans: Sequence[Map], database: bool) -> BadLedger:
    """The error for a file that nothing reads, with what a database lacks of the first of some maps that it misses."""
    misfits = (SqliteLedger(path, plan).misfit() for plan in plans) if database else ()
    if misfit := next(filter(None, misfits), None):
        return BadLedger(path, misfit, "Use the map that fits this database, or correct the map.")
    known = ", ".join(form.NAME for form in text_formats())
    neither = ", and it is not an SQLite database" if plans else ""
    return BadLedger(
        path,
        f"no format known here reads it (formats: {known}){neither}",
        f"Let Salt Cart work out how to read it: saltcart learn {typed(path)} --keep",
    )
