"""Single files that move: those a person names, or those that a list names."""

from collections.abc import Sequence
from glob import escape

from saltcart.drives.drive import mount_of
from saltcart.errors import Refused, UsageError, show, typed
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import FOUND
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.planning.request import Request
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings
from saltcart.system import os


def named_by(path: str, request: Request) -> list[str]:
    """The files that are there of those that the list at `path` names.  Refused when there is none."""
    ledger = open_ledger(true_path(path), [load_map(one) for one in (*request.maps, *request.cart.maps)])
    resolver = Resolver(Meanings(request.cart.meanings(request.means)))
    state = Judge(headers=False, resolver=resolver).ledger(ledger)
    if state.trouble:
        raise state.trouble
    found = [one.resolved for one in state.judgements() if one.verdict == FOUND and os.path.isfile(one.resolved)]
    if not found:
        raise Refused(f"{show(path)} lists no existing file", f"See: saltcart check --ledger {typed(path)}")
    return list(dict.fromkeys(map(os.path.realpath, found)))


def by_facts(request: Request) -> list[str]:
    """The files that are there of those that ledgers rate high enough, or that were played since a day.  Refused when
    there is none.
    """
    found: list[str] = []
    maps = [load_map(one) for one in dict.fromkeys((*request.maps, *request.cart.maps))]
    for path in dict.fromkeys([*map(true_path, request.ledgers), *map(true_path, request.cart.ledgers)]):
        for one in open_ledger(path, maps).facts():
            rated = request.rated is None or (one.rating is not None and one.rating >= request.rated)
            played = not request.played_since or (one.last_played or "") >= request.played_since
            if rated and played and os.path.isfile(one.path):
                found.append(os.path.realpath(one.path))
    if not found:
        raise Refused(
            "No ledger lists an existing file that is rated so high or was played since then",
            "Name the ledger that knows with --ledger; its map must say which columns hold that.",
        )
    return list(dict.fromkeys(found))


def by_folder(files: Sequence[str], target: str) -> list[tuple[str, str, tuple[str, ...]]]:
    """Files in groups, one for each folder that holds them: that folder, the new place for it, and their names as
    patterns.
    """
    groups: dict[str, list[str]] = {}
    for path in files:
        groups.setdefault(os.path.dirname(path), []).append(path)
    return [(top, target, names_from(top, group)) for top, group in groups.items()]


def by_common_top(files: Sequence[str], target: str) -> list[tuple[str, str, tuple[str, ...]]]:
    """As `by_folder`, for what a list names: one group for each drive, from the folder that holds all of its files on,
    so that the folders below that are kept.
    """
    drives: dict[str, list[str]] = {}
    for path in files:
        drives.setdefault(mount_of(path), []).append(path)
    tops = [os.path.commonpath([os.path.dirname(path) for path in group]) for group in drives.values()]
    names = [os.path.basename(top) or "top" for top in tops]
    if len(set(names)) < len(names):
        raise UsageError(
            "The playlist lists files on several drives, in folders with the same name", "Make a list for each."
        )
    places = [target] if len(tops) == 1 else [os.path.join(target, name) for name in names]
    return [
        (top, place, names_from(top, group)) for top, place, group in zip(tops, places, drives.values(), strict=True)
    ]


def names_from(top: str, files: Sequence[str]) -> tuple[str, ...]:
    """The paths of files from a folder on, as patterns that match nothing else."""
    return tuple(escape(os.path.relpath(path, top)) for path in files)
