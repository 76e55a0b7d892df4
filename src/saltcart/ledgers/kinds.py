"""The table of what can be read as a ledger: formats by name, and maps over containers."""

import os
from collections.abc import Sequence
from types import ModuleType

from saltcart.errors import BadLedger, Refused, show
from saltcart.ledgers import m3u, sqlite
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.maps import Map
from saltcart.ledgers.spans import TextLedger

# A text format is a module with NAME, claims(name, head) and spans(data).
TEXT_FORMATS: tuple[ModuleType, ...] = (m3u,)
HEAD_BYTES = 4096


def head_of(path: str) -> bytes:
    """The first bytes of the regular file at `path`.  Raises Refused when there is none to read."""
    if not os.path.exists(path):
        raise Refused(f"There is no ledger at {show(path)}", "Check the path; if its drive is not connected, plug it in.")
    if not os.path.isfile(path):
        raise Refused(f"{show(path)} is not a file, so it cannot be a ledger", "Name the playlist or database itself.")
    try:
        with open(path, "rb") as stream:
            return stream.read(HEAD_BYTES)
    except OSError as error:
        raise Refused(f"The ledger {show(path)} cannot be read: {error.strerror}", "Check its permissions.") from error


def recognised(path: str, maps: Sequence[Map]) -> Ledger | None:
    """The ledger at `path` as the first format or map that fits reads it; None when none does."""
    head = head_of(path)
    for form in TEXT_FORMATS:
        if form.claims(os.path.basename(path), head):
            return TextLedger(path, form.NAME, form.spans)
    if sqlite.claims(head):
        return next((found for plan in maps if not (found := sqlite.SqliteLedger(path, plan)).misfit()), None)
    return None


def open_ledger(path: str, maps: Sequence[Map], named: str | None = None) -> Ledger:
    """The ledger at `path`; `named` asks for one format or map by name.

    Raises BadLedger when nothing reads it, saying what the nearest map lacks.
    """
    if named:
        maps = [plan for plan in maps if plan.name == named]
    ledger = recognised(path, maps)
    if ledger and named in (None, ledger.map_name):
        return ledger
    for plan in maps:
        misfit = sqlite.SqliteLedger(path, plan).misfit()
        if misfit:
            raise BadLedger(path, misfit, "Use the map that fits this database, or mend the map.")
    known = ", ".join(form.NAME for form in TEXT_FORMATS)
    raise BadLedger(path, f"no format known here reads it (formats: {known})", "Describe it with a map and name that with --map.")
