"""The survey: shelves and ledgers in some places, which leans on which, and how every entry stands now."""

import os
import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from functools import partial

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.drives import Drive, Presence, drive_of
from saltcart.drives.named import meant_place
from saltcart.errors import Refused, SaltCartError, show
from saltcart.home import home
from saltcart.judging.judge import FOUND, Judge, LedgerState, add_counts
from saltcart.judging.levels import wrong_levels
from saltcart.judging.resolver import Resolver
from saltcart.ledgers import Map, load_map, open_ledger, recognised
from saltcart.ledgers.instrument_parts import with_parts
from saltcart.ledgers.kinds import head_of, known_by_name
from saltcart.own_names import SET_ASIDE
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.folder_tree import PASSING_PLACES, FolderTree, all_folders, proposed_shelves, read_tree
from saltcart.shelves.headers import HeaderSums, read_headers
from saltcart.shelves.oddities import litter, plain_name, shortcut
from saltcart.shelves.programs import is_program, units
from saltcart.shelves.true_names import told_apart, true_path
from saltcart.shelves.walk import FILE, walk
from saltcart.spelling import Meanings
from saltcart.spelling.moves import tail_below


class SurveyedShelf(Struct):
    """One proposed shelf; `reached_as` is the link that leads to it, where one does."""

    tree: FolderTree
    name: str
    care: str = "own"
    reached_as: str | None = None
    drive: Drive | None = None
    headers: HeaderSums | None = None


class Finding(Struct, frozen=True):
    """Something a person should know: its kind in a word, where, and what about it."""

    kind: str
    path: str
    what: str


class Stray(Struct, frozen=True):
    """Entries that lie outside every shelf, by folder: how many entries, of which files, and their bytes."""

    folder: str
    entries: int
    files: list[str]
    bytes: int


class SurveyReport(Struct):
    """All that was seen.  `leans` counts entries by (ledger number, shelf number).  Of what ledgers name outside every
    shelf, `strays` belong to none, and `unseen` may belong to shelves where nobody looked.
    """

    places: list[str]
    shelves: list[SurveyedShelf] = field(default_factory=list)
    ledgers: list[LedgerState] = field(default_factory=list)
    leans: Counter[tuple[int, int]] = field(default_factory=Counter)
    strays: list[Stray] = field(default_factory=list)
    unseen: list[Stray] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    @property
    def counts(self) -> dict[str, int]:
        """Verdict to number of entries over all ledgers."""
        return add_counts(self.ledgers)

    def shelf_of(self, path: str) -> int | None:
        """The number of the shelf that holds the absolute `path`, or None."""
        for number, shelf in enumerate(self.shelves):
            if tail_below(path, shelf.tree.path) is not None:
                return number
        return None


def default_places(cart: Cart) -> list[str]:
    """Where sounds are kept by this system's conventions, and what the configuration names."""
    from platformdirs import user_music_path

    home = os.path.expanduser("~")
    usual = [str(user_music_path()), *(os.path.join(home, name) for name in ("Sounds", "Samples"))]
    wanted = [*cart.places, *(shelf.path for shelf in cart.shelves), *(path for path in usual if os.path.isdir(path))]
    return list(dict.fromkeys(wanted))


def usual_ledgers(
    cart: Cart, maps: Sequence[Map], progress: Progress = silent, by_name: bool = False
) -> tuple[list[str], list[str]]:
    """The ledgers in the places where programs keep settings and people keep playlists, and which places these are;
    `by_name` only those that are known by their names, for whoever reads all files later.
    """
    from platformdirs import user_config_path, user_data_path, user_documents_path, user_music_path

    usual = (
        user_config_path(),
        user_data_path(),
        user_music_path(),
        user_documents_path() / "Playlists",
        "~/Playlists",
        "~/lists",
    )
    places = [str(place) for place in map(os.path.expanduser, map(str, usual)) if os.path.isdir(place)]
    scan = Scan(cart, maps, progress)
    for place in places if not by_name else ():
        scan.look_at(place)
    for path in files_in(places, progress) if by_name else ():
        if known_by_name(os.path.basename(path), maps):
            look_for_ledger(path, maps, scan.found, [])
    ours = str(home())
    found = [path for path in scan.found if tail_below(path, ours) is None]
    return list(dict.fromkeys([*map(true_path, cart.ledgers), *found])), places


def files_in(places: Sequence[str], progress: Progress) -> Iterator[str]:
    """Every file in some places, but for those that trips have set aside."""
    for number, top in enumerate(dict.fromkeys(map(true_path, places))):
        progress(Tick("look for ledgers", top, number, len(places)))
        for item in walk(top, enter=lambda folder: not SET_ASIDE.search(folder)):
            if item.kind is FILE:
                yield os.path.join(top, item.path)


def survey(
    places: Sequence[str],
    ledgers: Sequence[str] = (),
    maps: Sequence[str] = (),
    cart: Cart | None = None,
    means: Sequence[str] = (),
    progress: Progress = silent,
) -> SurveyReport:
    """Look at `places` (the default ones when there are none), and at `ledgers` that lie elsewhere.

    Raises Refused for a place that is no folder.
    """
    cart = cart or Cart()
    loaded = [load_map(path) for path in dict.fromkeys([*maps, *cart.maps])]
    scan = Scan(cart, loaded, progress)
    for place in places:
        scan.look_at(place)
    for place in default_places(cart) if not places else ():
        try:
            scan.look_at(place)
        except Refused as error:  # nobody asked for it just now: its drive may well be away
            scan.tell("place", place, error.what.removeprefix(f"{show(place)}: "))
    scan.follow_links()
    scan.name_shelves()
    add_drives(scan.report)
    scan.judge([true_path(path) for path in ledgers], Resolver(Meanings(cart.meanings(means))))
    scan.tell_of_links_to_nowhere()
    scan.tell_of_programs()
    lean(scan.report)
    scan.report.findings += duplicate_shelves(scan.report)
    return scan.report


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
        if any(tail_below(top, done) is not None for done in self.report.places):
            return
        if not os.path.isdir(top):
            away = self.presence.away(top)
            word = "is not a folder" if os.path.exists(top) else away or "is not there"
            raise Refused(f"{show(place)}: {word}", "Name a folder; if its drive is not connected, plug it in.")
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
                    "shortcut",
                    path,
                    f"is {kind} of a file manager: it opens there, and no program follows it; use a signpost instead",
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
        """Tell shelves of one name apart; the largest come first."""
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
                self.tell("level", level.ledger, f"names the folder {show(level.folder)}; {better}")

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
                self.tell("programs", top, f"holds {len(found)} programs or plug-ins, which would stay: {names}")

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
        remarks.append(error.what)


def add_drives(report: SurveyReport) -> None:
    """Say on which drive each shelf lies."""
    drives: dict[int, Drive] = {}
    for shelf in report.shelves:
        device = os.stat(shelf.tree.path).st_dev
        drive = drives.get(device)
        if drive is None or drive.simulated:
            drive = drives[device] = drive_of(shelf.tree.path)
        shelf.drive = drive


# Names that say nothing: any two records may have these.
NUMBERED = re.compile(r"(?i)(track|take|audio|side)?[ _-]?\d*\.\w+")


def duplicate_shelves(report: SurveyReport) -> list[Finding]:
    """Shelves that are copies of each other, told by the names and sizes of their files, and which of them entries
    name.
    """
    groups: dict[tuple[int, int], list[int]] = {}
    for number, shelf in enumerate(report.shelves):
        if shelf.tree.bytes:
            groups.setdefault((shelf.tree.files, shelf.tree.bytes), []).append(number)
    findings = []
    for group in groups.values():
        seen: list[tuple[int, set[tuple[str, int]]]] = []
        for number in group if len(group) > 1 else ():
            mine = inventory(report.shelves[number].tree.path)
            other = next((one for one, files in seen if files == mine), None)
            seen.append((number, mine))
            telling = any(not NUMBERED.fullmatch(os.path.basename(path)) for path, _size in mine)
            if other is not None and telling:
                findings.append(duplicate_finding(report, number, other))
    return findings


def duplicate_finding(report: SurveyReport, number: int, other: int) -> Finding:
    """The finding that one shelf is a copy of another."""
    uses = [sum(count for (_ledger, shelf), count in report.leans.items() if shelf == one) for one in (number, other)]
    one, two = (report.shelves[which].tree.path for which in (number, other))
    return Finding(
        "twin",
        one,
        f"contains files with the same names and sizes as {show(two)}; entries that name this one: {uses[0]}, the"
        f" other:"
        f" {uses[1]}",
    )


def inventory(top: str) -> set[tuple[str, int]]:
    """Path and size of every file below `top`."""
    return {(item.path, item.size) for item in walk(top) if item.kind == FILE}


def lean(report: SurveyReport) -> None:
    """Count which ledgers lean on which shelves, and gather what lies outside of all."""
    places: dict[str, tuple[str, int | None]] = {}
    outside: dict[str, Counter[str]] = {}
    for number, state in enumerate(report.ledgers):
        for judgement in state.judgements():
            folder, name = os.path.split(judgement.resolved)
            if folder not in places:
                real = os.path.realpath(folder)
                places[folder] = real, report.shelf_of(real)
            real, shelf = places[folder]
            if shelf is None and judgement.entry.is_folder:
                shelf = report.shelf_of(os.path.realpath(judgement.resolved))
            if shelf is not None:
                report.leans[number, shelf] += 1
            elif judgement.verdict == FOUND and judgement.entry.names == "file" and not name.endswith(OF_BUNDLES):
                outside.setdefault(real, Counter())[os.path.join(real, name)] += 1
    for folder, paths in sorted(outside.items()):
        (report.unseen if is_unseen(folder, report.places) else report.strays).append(stray(folder, paths))


# What belongs to a plug-in and would be missed in its folder: code and descriptions.
SEVERAL = 3  # sounds in a folder that is one of a shelf
OF_BUNDLES = (".so", ".dylib", ".dll", ".ttl")


def is_unseen(folder: str, places: Iterable[str]) -> bool:
    """Whether a folder may well be part of a shelf, and lies where nobody looked: it holds several sounds, and is no
    place that things pass through.
    """
    if any(tail_below(folder, place) is not None for place in places):
        return False
    if os.path.basename(folder).casefold() in PASSING_PLACES:
        return False
    try:
        with os.scandir(folder) as entries:
            return sum(kind_of(one.name) is not None for one in entries) >= SEVERAL
    except OSError:
        return False


def stray(folder: str, paths: Counter[str]) -> Stray:
    """The sums of the entries that lie in one folder outside every shelf."""
    return Stray(folder, sum(paths.values()), sorted(paths), sum(os.path.getsize(path) for path in paths))


def read_shelf_headers(report: SurveyReport, progress: Progress = silent) -> None:
    """Read the header of every sound in every shelf; broken ones become findings."""
    for shelf in report.shelves:
        shelf.headers = HeaderSums()
        paths: Iterable[str] = (
            os.path.join(shelf.tree.path, item.path)
            for item in walk(shelf.tree.path)
            if item.kind == FILE and kind_of(item.path)
        )
        for header in read_headers(paths, shelf.tree.audio_files, progress):
            shelf.headers.add(header)
        report.findings += [
            Finding("unreadable", header.path, header.trouble or "") for header in shelf.headers.troubles
        ]
