"""The survey: shelves and ledgers in some places, which leans on which, and how every entry is now."""

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from saltcart.cart import Cart
from saltcart.drives import Drive, drive_of
from saltcart.errors import show
from saltcart.home import home
from saltcart.judging.judgements import FOUND
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.kinds import known_by_name
from saltcart.ledgers.maps import Map, load_map
from saltcart.looking.scan import NoFolder, Scan, look_for_ledger
from saltcart.looking.survey_report import Finding, Stray, SurveyReport
from saltcart.own_names import SET_ASIDE
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.folder_tree import PASSING_PLACES
from saltcart.shelves.headers import HeaderSums, read_headers
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE, walk
from saltcart.spelling import Meanings
from saltcart.spelling.moves import tail_below
from saltcart.system import os


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
    ours = home().as_posix()
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
        except NoFolder as error:  # nobody asked for it just now: its drive may well be away
            scan.tell("place", place, error.why)
    scan.follow_links()
    scan.name_shelves()
    add_drives(scan.report)
    scan.judge([true_path(path) for path in ledgers], Resolver(Meanings(cart.meanings(means))))
    scan.tell_of_links_to_nowhere()
    scan.tell_of_programs()
    lean(scan.report)
    scan.report.findings += duplicate_shelves(scan.report)
    return scan.report


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
        f"contains files with the same names and sizes as {show(two)}; entries that use this one: {uses[0]}, the"
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
