"""The folders that ledgers list: as they are, and plans that change them though nothing moves."""

from collections.abc import Iterator, Sequence
from functools import partial
from typing import NamedTuple

from saltcart.errors import Refused, SaltCartError, counted, show
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import Judgement
from saltcart.judging.levels import wrong_levels
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import NEW_THINGS, Entry, Ledger
from saltcart.ledgers.instrument_parts import with_parts
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import Map
from saltcart.progress import Progress, Tick, silent
from saltcart.rewriting.content_folders import in_lists, list_edits, listed, same_place
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.relinks import LEVEL, FolderLine, Relink
from saltcart.waybills.waybill import LedgerLine, Waybill

IN_A_LIST, ALONE, STARTS = "in a list", "the only one", "others start from it"


class ListedFolder(NamedTuple):
    """One folder that a ledger names; `use` says what for, `better` is the one that should be there instead."""

    ledger: str
    judgement: Judgement
    use: str
    better: str | None


def folders_of(
    paths: Sequence[str], maps: Sequence[Map], resolver: Resolver, progress: Progress = silent
) -> tuple[list[ListedFolder], list[SaltCartError]]:
    """The folders that ledgers name, and what kept some from being read."""
    found: list[ListedFolder] = []
    troubles: list[SaltCartError] = []
    judge = Judge(headers=False, resolver=resolver)
    ledgers = with_parts(paths, partial(open_ledger, maps=maps), lambda _path, error: troubles.append(error))
    better: dict[tuple[str, str], str] = {}
    for number, ledger in enumerate(ledgers):
        progress(Tick("look", ledger.path, number, len(paths)))
        state = judge.ledger(ledger)
        if state.trouble:
            troubles.append(state.trouble)
            continue
        better |= {(one.ledger, one.folder): one.better for one in wrong_levels(state, resolver)}
        keys = {entry.key for entry, _folder in listed(ledger, resolver)}
        members = {entry.key for entry, _folder in in_lists(ledger, resolver)}
        for one in state.judgements():
            if one.entry.is_folder:
                use = STARTS if one.entry.key not in keys else IN_A_LIST if one.entry.key in members else ALONE
                use = NEW_THINGS if one.entry.names == NEW_THINGS else use
                found.append(ListedFolder(ledger.path, one, use, None))
    return [one._replace(better=better.get((one.ledger, one.judgement.resolved))) for one in found], troubles


def edited(do: str, folder: str, ledger: Ledger, waybill: Waybill) -> list[str]:
    """Let `waybill` add `folder` to the list of a ledger, or remove it there; remarks.  Refused when it cannot be."""
    place, resolver = os.path.abspath(os.path.expanduser(folder)), waybill.resolver()
    found = listed(ledger, resolver)
    if do != "remove" and not os.path.isdir(place):
        raise Refused(
            f"There is no folder at {show(place)}", "Check the path; if its drive is not connected, plug it in."
        )
    if found and do != "remove" and not in_lists(ledger, resolver):
        raise Refused(
            f"{show(ledger.path)} holds one folder only, {show(found[0][1])}, and nothing in it shows how a second one"
            " would be written",
            "Add the second one in its program, if it takes more than one; or move the folder, and the entry follows.",
        )
    line = FolderLine(ledger.path, do, place)
    list_edits(ledger, [line], resolver)
    waybill.folders.append(line)
    near = [one for _entry, one in found if overlap(one, place)] if do != "remove" else []
    return [
        f"{show(ledger.path)} lists {show(one)} too, which {'holds it' if tail_below(place, one) else 'lies in it'}: a"
        " program that looks through both shows everything twice"
        for one in near
    ]


def leaning_on(lists: Sequence[Ledger], paths: Sequence[str], maps: Sequence[Map]) -> list[Ledger]:
    """Of the ledgers at `paths`, those whose program looks for files in the folders that one of `lists` lists."""
    wanted = {ledger.path for ledger in lists}
    opened = with_parts([path for path in paths if path not in wanted], partial(open_ledger, maps=maps), ignored)
    return [ledger for ledger in opened if any(base.where.ledger in wanted for base in ledger.content)]


def ignored(_path: str, _error: SaltCartError) -> None:
    """What cannot be read now leans on nothing that we could tell."""


def refuse_loss(ledgers: Sequence[Ledger], waybill: Waybill) -> list[str]:
    """Remarks on what will be found elsewhere when folders come into lists and go.  Refused when something would not
    be found any more.
    """
    resolver, remarks, lost = waybill.resolver(), list[str](), list[str]()
    for ledger in ledgers:
        home, otherwise = os.path.dirname(ledger.path), 0
        for entry in ledger.entries():
            tried = [(base.where.ledger, resolver.start_at(base, home)) for base in entry.tried]
            now, then = (first_with(entry, folders, resolver) for folders in (tried, after(tried, waybill.folders)))
            if now and not then:
                lost.append(f"{show(ledger.path)}, {entry.where}: {show(entry.written)}")
            otherwise += now not in (None, then)
        if otherwise:
            remarks.append(
                f"{counted(otherwise, 'entry', 'entries')} of {show(ledger.path)} will be found in another folder of"
                " the list"
            )
    if lost:
        raise Refused(
            f"{counted(len(lost), 'entry is', 'entries are')} found only through that folder, and would be lost",
            "Move the folder instead (saltcart move), and the list follows.",
            lost[:20],
        )
    return remarks


def after(tried: Sequence[tuple[str, str]], lines: Sequence[FolderLine]) -> list[tuple[str, str]]:
    """The folders that are tried, each with the ledger that lists it, when those lines are carried out."""
    left = list(tried)
    for line in lines:
        if line.do == "remove":
            left = [one for one in left if one[0] != line.ledger or not same_place(one[1], line.folder)]
        elif line.do == "add first":
            left.insert(0, (line.ledger, line.folder))
        else:
            left.append((line.ledger, line.folder))
    return left


def first_with(entry: Entry, tried: Sequence[tuple[str, str]], resolver: Resolver) -> str | None:
    """The file that an entry means in the first of the folders that has it."""
    paths = (resolver.path(entry.spelling, entry.written, folder) for _ledger, folder in tried)
    return next((path for path in paths if path and os.path.lexists(path)), None)


def overlap(one: str, other: str) -> bool:
    """Whether one of two different folders lies in the other."""
    one, other = os.path.realpath(one), os.path.realpath(other)
    return one != other and (tail_below(one, other) is not None or tail_below(other, one) is not None)


def redirected(folder: str, ledger: Ledger, waybill: Waybill) -> None:
    """Let `waybill` make `folder` the one where the program of a ledger puts new things.  Refused when its map names no
    such entry.
    """
    relinks = list(new_things(wanted_folder(folder, waybill), ledger, waybill.resolver()))
    if not relinks:
        raise Refused(
            f"Which entry of {show(ledger.path)} is the folder for new things is not known",
            'Add the line means = "default" to that entry in its map (saltcart ledgers tells where the map is).',
        )
    waybill.relinks += [one for one in relinks if not same_place(one.old, one.new)]


def wanted_folder(folder: str, waybill: Waybill) -> str:
    """The folder that a person means for new things.  Refused when it is not there, and nothing moves there."""
    place = true_path(folder)
    if not os.path.isdir(place) and all(tail_below(place, shelf.new) is None for shelf in waybill.shelves):
        raise Refused(f"There is no folder at {show(place)}", "Make it, or check the path.")
    return place


def new_things(folder: str, ledger: Ledger, resolver: Resolver) -> Iterator[Relink]:
    """What lets a program put new things into `folder`."""
    home = os.path.dirname(ledger.path)
    for entry in ledger.entries():
        if entry.names == NEW_THINGS:
            old = resolver.path(entry.spelling, entry.written, resolver.start(entry, home))
            yield Relink(old or "", folder, ledger.path, NEW_THINGS)


def levelled(folders: Sequence[ListedFolder], waybill: Waybill) -> None:
    """Let `waybill` turn the folders that are a level too high or too low."""
    waybill.relinks += [
        Relink(one.judgement.resolved, one.better, one.ledger, LEVEL) for one in folders if one.better is not None
    ]


def lines_for(ledgers: Sequence[Ledger]) -> list[LedgerLine]:
    """The ledgers as a waybill names them."""
    return [
        LedgerLine(ledger.path, ledger.map_name, digest=digest_of(ledger.path))
        for ledger in {true_path(ledger.path): ledger for ledger in ledgers}.values()
    ]
