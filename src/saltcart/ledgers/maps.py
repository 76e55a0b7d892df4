"""Maps: TOML files that say where the entries of one kind of ledger lie and how they are spelt."""

import os
from dataclasses import dataclass
from typing import Any

from saltcart import tomlfile
from saltcart.spelling import Spelling, spelling_named
from saltcart.spelling.forms import SPELLINGS

SHAPE: dict[str, Any] = {
    "!name": str,
    "!container": ("sqlite",),
    "program": str,
    "!entries": [
        {
            "!table": str,
            "!column": str,
            "spelling": tuple(SPELLINGS),
            "names": ("file", "folder"),
            "plays": str,
            "last_played": str,
        }
    ],
}


@dataclass(frozen=True, slots=True)
class Rule:
    """One column whose cells are entries; `plays` and `last_played` are columns of the same table that say how often and when."""

    table: str
    column: str
    spelling: Spelling
    names: str
    plays: str | None = None
    last_played: str | None = None


@dataclass(frozen=True, slots=True)
class Map:
    """One kind of ledger: its name, the process name of its program, and where its entries lie."""

    name: str
    path: str
    container: str
    program: str | None
    rules: tuple[Rule, ...]


def load_map(path: str) -> Map:
    """The map in the TOML file at `path`.  Raises BadFile with file, line and key."""
    path = os.path.abspath(os.path.expanduser(path))
    tables = tomlfile.read(path, SHAPE)
    rules = tuple(
        Rule(
            entry["table"], entry["column"], spelling_named(entry.get("spelling", "auto")), entry.get("names", "file"),
            entry.get("plays"), entry.get("last_played"),
        )  # fmt: skip
        for entry in tables["entries"]
    )
    return Map(tables["name"], path, tables["container"], tables.get("program"), rules)
