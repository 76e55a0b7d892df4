"""What other installed packages add, by entry points (PyPA, "Entry points specification").

    [project.entry-points."saltcart.formats"]
    tide = "my_package.tide"

What cannot be loaded is left out, and says why; nothing of it stops the work on other files.
"""

import sys
from collections.abc import Iterator
from functools import cache
from glob import escape, glob
from typing import Any

from msgspec import Struct

from saltcart.system import os

GROUPS = FORMATS, CONTAINERS, MAPS = "saltcart.formats", "saltcart.containers", "saltcart.maps"
NEEDS = {FORMATS: ("NAME", "claims", "spans"), CONTAINERS: ("spans",), MAPS: ()}
MARK = b"[saltcart."  # begins our groups in the files that packages list their entry points in


class Addition(Struct, frozen=True):
    """One entry point: its name, the package that has it, its module, and why it cannot be used ("" when it can)."""

    name: str
    package: str
    module: Any
    why: str = ""


def folders() -> Iterator[str]:
    """The folders that hold installed packages."""
    return (folder for folder in dict.fromkeys(map(os.path.abspath, sys.path)) if os.path.isdir(folder))


@cache
def any_offered() -> bool:
    """Whether some package offers anything; to ask the library for it costs a tenth of most commands."""
    listed = (path for folder in folders() for path in glob(f"{escape(folder)}/*-info/entry_points.txt"))
    for path in listed:
        try:
            with open(path, "rb") as stream:
                if MARK in stream.read():
                    return True
        except OSError:
            continue
    return False


@cache
def additions(group: str) -> tuple[Addition, ...]:
    """What is offered in a group, in the order of names; the first of each name."""
    if not any_offered():
        return ()
    from importlib.metadata import EntryPoint, entry_points

    found: dict[str, EntryPoint] = {}
    for one in sorted(entry_points(group=group), key=lambda one: (one.name, one.value)):
        found.setdefault(one.name, one)
    return tuple(loaded(group, one.name, one.dist.name if one.dist else "", one.value) for one in found.values())


def loaded(group: str, name: str, package: str, module: str) -> Addition:
    """One addition, with what is wrong with it."""
    from importlib.metadata import EntryPoint

    try:
        value = EntryPoint(name, module, group).load()  # a module, or something in one
    except Exception as error:  # of whatever kind: the package is broken, and only that
        return Addition(name, package, None, f"cannot be loaded ({type(error).__name__}: {error})")
    lacks = [one for one in NEEDS[group] if not hasattr(value, one)]
    return Addition(name, package, value, f"lacks {', '.join(lacks)}" if lacks else "")


def usable(group: str) -> list[Addition]:
    """Those that can be used."""
    return [one for one in additions(group) if not one.why]


def maps() -> list[str]:
    """The maps that packages bring, by their paths."""
    found = []
    for one in usable(MAPS):
        for folder in getattr(one.module, "__path__", ()):
            found += sorted(glob(f"{escape(folder)}/*.toml"))
    return found
