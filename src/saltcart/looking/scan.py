"""One walk through the places of a survey."""

from bisect import bisect_left
from collections.abc import Sequence
from functools import partial

from saltcart.cart import Cart
from saltcart.drives import Presence
from saltcart.drives.named import meant_place
from saltcart.errors import BadLedger, Refused, SaltCartError, counted, show
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import LedgerState
from saltcart.judging.levels import wrong_levels
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.instrument_parts import with_parts
from saltcart.ledgers.kinds import head_of, open_ledger, recognised
from saltcart.ledgers.maps import Map
from saltcart.looking.survey_report import Finding, SurveyedShelf, SurveyReport
from saltcart.own_names import SET_ASIDE
from saltcart.progress import Progress, Tick
from saltcart.shelves.folder_tree import FolderTree, all_folders, proposed_shelves, read_tree
from saltcart.shelves.oddities import litter, plain_name, shortcut
from saltcart.shelves.programs import is_program, units
from saltcart.shelves.true_names import told_apart, true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import os


class NoFolder(Refused):
    """A place to look at is no folder, or its drive is not connected: `why`."""

    def __init__(self, place: str, why: str):
        super().__init__(f"{show(place)} {why}", "Check the path. If its drive is not connected, connect it.")
        self.why = why


class Scan:
    """Walks the places and gathers what they hold; no folder is walked twice."""

    def __init__(self, cart: Cart, maps: Sequence[Map], progress: Progress):
        self.cart, self.maps, self.progress = cart, maps, progress
        self.report = SurveyReport([])
        self.found: dict[str, None] = {}
        self.links: list[str] = []
        self.nowhere: dict[str, str] = {}
        self.programs: list[str] = []
        self.presence = Presence(cart.drives)

    def look_at(self, place: str, reached_as: str | None = None) -> None:
        """Walk one place.  Refused when it is no folder."""
        top = true_path(meant_place(place))
        # Given twice, or within another: nothing is counted twice.
        if any(tail_below(top, done) is not None for done in self.report.places):
            return
        if not os.path.isdir(top):
            away = self.presence.away(top)
            word = (
                "is not a folder" if os.path.exists(top) else f"cannot be reached: {away}" if away else "is not there"
            )
            raise NoFolder(place, word)
        self.report.places.append(top)
        tree = read_tree(top, self.trouble, self.progress, lambda name: bool(SET_ASIDE.search(name)))
        folders = all_folders(tree)
        for folder in folders:
            self.look_closer(folder)
        declared = [folder for folder in folders if self.cart.shelf(folder.path)] if self.cart.shelves else []
        for found in declared + [
            found for found in proposed_shelves(tree, top=reached_as is None) if found not in declared
        ]:
            if not any(tail_below(found.path, shelf.tree.path) is not None for shelf in self.report.shelves):
                known = self.cart.shelf(found.path)
                name, care = (known.name, known.care) if known else (os.path.basename(found.path), "own")
                self.report.shelves.append(SurveyedShelf(found, name, care, reached_as))

    def trouble(self, path: str, error: OSError) -> None:
        """Name what could not be read, and go on."""
        self.tell("unreadable", path, f"could not be read: {error.strerror}")

    def tell(self, kind: str, path: str, what: str) -> None:
        """Add a finding."""
        self.report.findings.append(Finding(kind, path, what))

    def look_closer(self, folder: FolderTree) -> None:
        """Look at what in one folder is no sound: links, shortcut files, ledgers, odd things."""
        self.links += [os.path.join(folder.path, name) for name in folder.links]
        for name in folder.odd:
            self.tell("odd", os.path.join(folder.path, name), "is a pipe, socket or device; it was not opened")
        for name in folder.loose:
            path = os.path.join(folder.path, name)
            try:
                head = head_of(path)
            except SaltCartError as error:
                self.tell("unreadable", path, error.what)
                continue
            if is_program(path, head):
                self.programs.append(path)
            elif kind := shortcut(name, head):
                self.tell(
                    "shortcut", path, f"is {kind} of a file manager. Programs do not follow it; use a signpost instead"
                )
            else:
                remarks: list[str] = []
                look_for_ledger(path, self.maps, self.found, remarks, head)
                for remark in remarks:
                    self.tell("ledger", path, remark)
        for path in folder.skipped:
            trip = path.rpartition("-")[2]
            self.tell("set aside", path, f"holds originals set aside by trip {trip}; see: saltcart trips {trip}")

    def follow_links(self) -> None:
        """See where the links lead: to shelves elsewhere, to drives that are away, nowhere, or under a wrong name."""
        for link in self.links:
            target = os.path.realpath(link)
            meant = plain_name(os.path.basename(link))
            if meant and not os.path.lexists(os.path.join(os.path.dirname(link), meant)):
                self.tell(
                    "link name", link, f'is called "{show(os.path.basename(link))}"; programs look for "{show(meant)}"'
                )
            if os.path.isdir(target):
                self.tell("link", link, f"leads to {show(target)}")
                if self.leads_on(link, target):
                    self.look_at(target, reached_as=link)
                for shelf in self.report.shelves:
                    if shelf.tree.path == target:
                        shelf.reached_as = link
            elif not os.path.exists(target):
                away = self.presence.away(target)
                if away:
                    self.tell("offline", link, f"leads to {show(target)}: {away}; plug it in, nothing is lost")
                else:
                    self.nowhere[link] = target

    def name_shelves(self) -> None:
        """Give shelves with the same name different names; the largest come first."""
        shelves = self.report.shelves
        shelves.sort(key=lambda shelf: -shelf.tree.bytes)
        names = told_apart([shelf.name for shelf in shelves], [shelf.tree.path for shelf in shelves])
        for shelf, name in zip(shelves, names, strict=True):
            shelf.name = name

    def judge(self, named: Sequence[str], resolver: Resolver) -> None:
        """Judge the ledgers that were named now, those that the cart knows, and those that were found.  One that cannot
        be opened and that nobody named now is noted, and the survey goes on.
        """
        paths = list(dict.fromkeys([*named, *map(true_path, self.cart.ledgers), *self.found]))
        judge = Judge(headers=False, presence=self.presence, resolver=resolver)

        def noted(path: str, error: SaltCartError) -> None:
            if path in named:
                raise error
            self.report.ledgers.append(LedgerState(path, "", trouble=error))

        for number, ledger in enumerate(with_parts(paths, partial(open_ledger, maps=self.maps), noted)):
            self.progress(Tick("judge", ledger.path, number, len(paths)))
            self.report.ledgers.append(state := judge.ledger(ledger))
            for level in wrong_levels(state, resolver):
                better = f"what starts from there lies in {show(level.better)}"
                self.tell("level", level.ledger, f"lists the folder {show(level.folder)}; {better}")

    def leads_on(self, link: str, target: str) -> bool:
        """Whether what a link leads to is looked at as if it lay there: not for links within a shelf, nor for those
        to what holds the link itself, which may be the whole machine.
        """
        within = (shelf for shelf in self.report.shelves if tail_below(link, shelf.tree.path))
        return tail_below(link, target) is None and next(within, None) is None

    def tell_of_programs(self) -> None:
        """Name the shelves that hold programs, which stay when a shelf moves."""
        for shelf in self.report.shelves:
            top = shelf.tree.path
            found = list(dict.fromkeys(units(tail for path in self.programs if (tail := tail_below(path, top)))))
            if found:
                names = show(", ".join(found[:3])) + (" ..." if found[3:] else "")
                self.tell(
                    "programs",
                    top,
                    f"holds {counted(len(found), 'program or plug-in', 'programs or plug-ins')}, which would stay:"
                    f" {names}",
                )

    def tell_of_links_to_nowhere(self) -> None:
        """Name the links that lead nowhere and lie in a shelf or beside one, should lead into one, or are on the way
        of an entry.
        """
        shelves = [*(shelf.tree.path for shelf in self.report.shelves), *(shelf.path for shelf in self.cart.shelves)]
        beside = {os.path.dirname(shelf) for shelf in shelves}
        lost = (one.resolved for state in self.report.ledgers for one in state.judgements(plain=False))
        missing = sorted(path for path in lost if path)
        for link, target in self.nowhere.items():
            first = bisect_left(missing, link)
            named = any(tail_below(path, link) is not None for path in missing[first : first + 2])
            near = any(tail_below(path, shelf) is not None for path in (link, target) for shelf in shelves)
            if named or near or os.path.dirname(link) in beside:
                self.tell("broken link", link, f"leads to {show(target)}, which is not there")


def look_for_ledger(
    path: str, maps: Sequence[Map], found: dict[str, None], remarks: list[str], head: bytes | None = None
) -> None:
    """Add the file at `path` to `found` when a format or map reads it; backups of ledgers are left in peace."""
    if litter(os.path.basename(path)):
        return
    try:
        if ledger := recognised(path, maps, head):
            next(iter(ledger.entries()), None)
            found[path] = None
    except SaltCartError as error:
        remarks.append(error.why if isinstance(error, BadLedger) else error.what)
