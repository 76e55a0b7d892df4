"""Drafting `cart.toml` from a survey, and adding to one without touching what a person wrote."""

import re
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from itertools import chain, count
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError

from saltcart.cart import load
from saltcart.drives.drive import Drive
from saltcart.errors import BadFile
from saltcart.looking.survey_report import SurveyedShelf, SurveyReport
from saltcart.safefile import make_folders, replacing
from saltcart.system import os
from saltcart.toml.kinds import as_toml_path

HEAD = """\
What Salt Cart knows of this machine's sounds. Drafted by a survey; edit it as you like:
running the survey again adds what is new and leaves your edits and comments alone.
Everything here is optional.
"""
BACKUP_NOTE = "folders whose presence marks a drive as one for backups"


def write(
    report: SurveyReport, maps: Sequence[str], path: str, roles: Sequence[tuple[Drive, Mapping[str, str]]] | None = None
) -> int:
    """Add what the survey found to the configuration at `path`, new or not; how many tables were added.

    `roles` are the drives with what else is said of them; by default those that the shelves lie on.

    Raises BadFile when the file there is no configuration.
    """
    document = opened(path)
    add_paths(document, "maps", maps)
    here = os.path.dirname(path)
    added = add(
        document, "shelf", "path", here, [(shelf.tree.path, partial(shelf_table, shelf)) for shelf in report.shelves]
    )
    added += add(
        document,
        "ledger",
        "path",
        here,
        [(state.path, partial(plain_table, path=as_toml_path(state.path))) for state in report.ledgers],
    )
    drives = [(shelf.drive, {}) for shelf in report.shelves if shelf.drive] if roles is None else roles
    rows = {drive.identity: partial(drive_table, drive, more) for drive, more in drives}
    added += add(document, "drive", "identity", None, list(rows.items()))
    written(document, path)
    return added


def keep_maps(path: str, texts: Mapping[str, str], ledgers: Sequence[str]) -> list[str]:
    """Write maps, by their names, into the folder `maps` beside the configuration at `path`, and name these and the
    ledgers that they read in it; where the maps are.

    A map that is there already is never written over.
    """
    document, here = opened(path), os.path.dirname(path)
    make_folders(os.path.join(here, "maps"))
    places = []
    for name, text in texts.items():
        stem = re.sub(r"[^\w .-]", "_", name)
        endings = chain([""], (f" {number}" for number in count(2)))
        free = (os.path.join(here, "maps", f"{stem}{ending}.toml") for ending in endings)
        place = next(place for place in free if not os.path.lexists(place) or content_of(place) == text)
        with replacing(place) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
            stream.write(text)
        places.append(place)
    add_paths(document, "maps", places)
    rows = [(os.path.realpath(one), partial(plain_table, path=as_toml_path(one))) for one in ledgers]
    add(document, "ledger", "path", here, rows)
    written(document, path)
    return places


def content_of(path: str) -> str:
    """The text of a file of ours."""
    with open(path, encoding="utf-8", errors="replace") as stream:
        return stream.read()


def opened(path: str) -> tomlkit.TOMLDocument:
    """The configuration at `path`, or the beginning of a new one.  Raises BadFile when the file is none."""
    old = ""
    if os.path.exists(path):
        load(path)
        old = content_of(path)
    try:
        document = tomlkit.parse(old)
    except TOMLKitError as error:
        raise BadFile(path, None, f"is not valid TOML ({error})", "Mend it.") from error
    if not old:
        for line in HEAD.splitlines():
            document.add(tomlkit.comment(line))
        document.add("backup_marks", tomlkit.item([]).comment(BACKUP_NOTE))
    return document


def written(document: tomlkit.TOMLDocument, path: str) -> None:
    """Write the configuration."""
    make_folders(os.path.dirname(path))
    with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
        stream.write(tomlkit.dumps(document))


def keep_places(path: str, places: Sequence[str]) -> None:
    """Name more folders to look in, in the configuration at `path`."""
    if places:
        document = opened(path)
        add_paths(document, "places", places)
        written(document, path)


def add_paths(document: tomlkit.TOMLDocument, key: str, paths: Sequence[str]) -> None:
    """Add paths to a list of the document that it does not hold yet."""
    held = document.get(key)
    full = (as_toml_path(os.path.abspath(os.path.expanduser(one))) for one in paths)
    fresh = [path for path in full if path not in (held or [])]
    if held is not None:
        held.extend(fresh)
    else:
        document.add(key, tomlkit.item(fresh).multiline(True))


def add(
    document: tomlkit.TOMLDocument, kind: str, key: str, here: str | None, rows: Sequence[tuple[str, Callable[[], Any]]]
) -> int:
    """Add the tables of `rows` whose key the document does not hold yet; how many."""
    tables = document.get(kind)
    held = {str(table.get(key)) for table in tables or []}
    if here is not None:
        held = {os.path.realpath(os.path.join(here, os.path.expanduser(text))) for text in held}
    fresh = [make() for value, make in rows if value not in held]
    if not fresh:
        return 0
    if tables is None:
        tables = tomlkit.aot()
        document.add(kind, tables)
    for table in fresh:
        table.trivia.indent = "\n"
        tables.append(table)
    return len(fresh)


def shelf_table(shelf: SurveyedShelf) -> tomlkit.items.Table:
    """One [[shelf]]."""
    table = plain_table(name=shelf.name, path=as_toml_path(shelf.tree.path))
    table.add(
        "care", tomlkit.item(shelf.care).comment('"own": cannot be replaced; "replaceable": can be downloaded again')
    )
    table.add(tomlkit.comment("collection = true     # only in collections tidy looks for sounds that no ledger lists"))
    return table


def drive_table(drive: Drive, more: Mapping[str, str]) -> tomlkit.items.Table:
    """One [[drive]]."""
    return plain_table(identity=drive.identity, name=drive.name, mount=as_toml_path(drive.mount), **more)


def plain_table(**values: str) -> tomlkit.items.Table:
    """A table of texts."""
    table = tomlkit.table()
    for key, value in values.items():
        table.add(key, value.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))
    return table
