"""The draft: what a trip would do, worked out in full before anything is touched.

The steps, each once: choose what moves; take stock of it; weigh the drives; try the ledgers; search for what else names
it.  Archives differ in what is chosen and in where ledgers are looked for; a collection goes the same way.
"""

from collections.abc import Callable, Container, Iterator, Sequence

from msgspec import Struct, field

from saltcart.drives import drive_of
from saltcart.drives.known import remember
from saltcart.errors import Refused, UsageError, counted, show, typed
from saltcart.ledgers.maps import Map, load_map
from saltcart.planning.account import Account, Accounted, without_search
from saltcart.planning.accountant import Accountant
from saltcart.planning.allowed_names import allowed_names
from saltcart.planning.archives import archive_shelves
from saltcart.planning.arrange import Arranged, Arranger, arranged
from saltcart.planning.choosing import chosen_shelves
from saltcart.planning.contradictions import refuse_contradictions, unpacks
from saltcart.planning.inside_archives import inside
from saltcart.planning.request import Request
from saltcart.planning.rooms import Room, rooms_of, seconds_for, weigh
from saltcart.planning.shelf_inspection import DraftedShelf, ShelfInspector
from saltcart.planning.strays import strays_of, taken_along
from saltcart.planning.trial_rewrite import DraftedLedger, Trial, divided_lists, gather_ledgers, links_of
from saltcart.planning.unkept import unkept
from saltcart.progress import Progress, silent
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import true_path
from saltcart.system import os
from saltcart.trips.signposts import leading_to, leads_home
from saltcart.waybills import snapshots
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.relinks import PLACE, Relink
from saltcart.waybills.shelf import Shelf
from saltcart.waybills.waybill import Waybill

# Whether a link is turned, and whether that was asked for.
LINKS = {
    (True, True): "The link {}, which entries go through, will lead to the new place. The entries stay as they are",
    (False, True): (
        "The link {} stays as it is, because not everything it leads to moves to the same place. Entries that go"
        " through it will point to the new place directly"
    ),
    (False, False): (
        "Entries go through the link {}. They will point to the new place directly. To turn the link: --turn-links"
    ),
}


class Draft(Struct):
    """A waybill with what it rests on; `seconds` is how long the haul should take, `links` are as of DraftedLedger,
    `strays` are files elsewhere, with their sizes, that ledgers which travel name; `new_things` are the ledgers that
    say where their programs put what comes next, with that folder now and after the trip; `arranged` is what a pattern
    makes of each shelf.  The files `inside` archives name what will not lie beside them any more.  Ledgers that cannot
    be read are `left_out`.
    """

    waybill: Waybill
    shelves: list[DraftedShelf]
    ledgers: list[DraftedLedger]
    rooms: list[Room]
    seconds: float
    remarks: list[str]
    searched: list[str] = field(default_factory=list)
    links: dict[str, bool] = field(default_factory=dict)
    account: Account | None = None
    strays: dict[str, int] = field(default_factory=dict)
    new_things: list[tuple[str, str, str]] = field(default_factory=list)
    arranged: list[Arranged] = field(default_factory=list)
    inside: list[Accounted] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)

    def open(self) -> list[Accounted]:
        """The files that would still point to the old places, or show less, and nobody has agreed to that."""
        known = [*(self.account.files if self.account else ()), *self.inside]
        told = {one.path for one in known}
        others = (without_search(one, self.waybill) for one in self.ledgers if one.line.path not in told)
        return [one for one in (*known, *filter(None, others)) if one.open]


def refuse_twins(maps: Sequence[Map]) -> None:
    """Raise Refused when two maps have one name, by which the record of a trip would know them."""
    known: dict[str, str] = {}
    for plan in maps:
        other = known.setdefault(plan.name, plan.path)
        if other != plan.path:
            raise Refused(
                f'Two maps are called "{show(plan.name)}": {show(other)} and {show(plan.path)}',
                "Give one of them another name.",
            )


def draft(request: Request, progress: Progress = silent) -> Draft:
    """Work out a trip.  Raises Refused when it cannot be made; nothing is written but our own list of what was seen."""
    if not request.shelves and not request.from_list:
        raise UsageError("No folder was given", "Say which folder to move.")
    refuse_contradictions(request)
    remarks: list[str] = []
    base, makers = chosen(request, remarks, progress)
    homes = [*(place for one in base for place in (one.old, one.new)), *(one.path for one in request.cart.shelves)]

    def work(shelves: list[Shelf]) -> Draft:
        return work_out(request, shelves, list(remarks), progress)

    def more(paths: list[str]) -> list[Shelf]:
        along = taken_along(paths, base[0], base, request.set_aside_gathered)
        return [allowed_names(shelf, request, remarks) for shelf in (makers[0].placed(along) if makers else along)]

    gathers = request.gather or request.set_aside_gathered
    plan, _along = gathered(base, work, more if gathers else None, homes)
    plan.arranged = [one.told for one in makers]
    return plan


def chosen(request: Request, remarks: list[str], progress: Progress) -> tuple[list[Shelf], list[Arranger]]:
    """The shelves of a request, each at its new place, and what arranges them."""
    if unpacks(request):
        return archive_shelves(request, remarks), []
    base = chosen_shelves(request, remarks)
    if not request.arrange:
        return base, []
    # A first draft tells what instruments and sessions in the shelf hold in place.
    first = work_out(request, base, [], progress)
    return arranged(base, request.arrange, first.ledgers, maps_of(request), progress)


def gathered(
    base: list[Shelf],
    work: Callable[[list[Shelf]], Draft],
    more: Callable[[list[str]], list[Shelf]] | None,
    homes: Sequence[str],
    without: Container[str] = (),
) -> tuple[Draft, dict[str, int]]:
    """What `work` makes of the shelves together with what their ledgers name elsewhere, for which `more` gives shelves;
    and the files that are taken along so, with their sizes.  What lies in `homes`, or is among those `without`, is not.
    """
    along: dict[str, int] = {}
    shelves = base
    # What comes along may bring ledgers that name more, so until nothing new is found.
    while True:
        plan = work(shelves)
        found = strays_of(plan.ledgers, homes).items()
        plan.strays = {path: size for path, size in found if path not in along and path not in without}
        if not plan.strays or more is None:
            return plan, along
        along |= plan.strays
        shelves = [*base, *more(sorted(along))]


def work_out(request: Request, shelves: list[Shelf], remarks: list[str], progress: Progress) -> Draft:
    """A trip with these shelves.  Raises Refused when it cannot be made."""
    maps = maps_of(request)
    refuse_twins(maps)
    waybill = Waybill(
        shelves,
        maps=[plan.path for plan in maps],
        means=request.cart.meanings(request.means),
        digests=request.digests,
        collection=request.collection,
        arrange=request.arrange,
        relinks=[*(Relink(old, new, what=PLACE) for old, new in request.kept), *parts_of_one(shelves)],
    )
    inspector = ShelfInspector(waybill, maps, request.leave_out, progress)
    drafted = [inspector.inspect(shelf) for shelf in shelves]
    refuse_unmatched(inspector)
    drives = {shelf.new_drive: landing_drive(shelf.new) for shelf in shelves}
    for drive in drives.values():
        remarks += weigh(drive, drafted, request.cart)
    waybill.left_unread = [true_path(path) for path in (*request.leave_unread, *request.cart.leave_unread)]
    seconds = sum(seconds_for(one, drives[one.shelf.new_drive], request.cart) for one in drafted)
    plan = Draft(waybill, drafted, [], rooms_of(drafted, drives), seconds, remarks)
    if shelves[0].packed:
        look_inside(plan, request, maps, progress)
    else:
        look_around(plan, request, maps, inspector, progress)
    # What was seen is kept, so that the haul can tell what came or changed in between.
    waybill.draft = snapshots.keep((one.shelf.source, one.items) for one in drafted)
    remember([*drives.values(), *(drive_of(shelf.old) for shelf in shelves)])
    for one in drafted:
        limits = drives[one.shelf.new_drive].limits
        remarks += unkept(one.shelf, limits, one.far_times) if one.shelf.in_folder else []
    remarks += inspector.remarks
    remarks += [f"{show(what)}; it is left out" for what in inspector.left_out.values()]
    plan.left_out = list(inspector.left_out)
    if not shelves[0].packed:
        remarks += remarks_on(request, shelves, plan.ledgers, plan.links)
    return plan


def look_around(plan: Draft, request: Request, maps: list[Map], inspector: ShelfInspector, progress: Progress) -> None:
    """Try the ledgers of the trip, and search for what else names the shelves."""
    waybill = plan.waybill
    trial = Trial(request, waybill, inspector, plan.shelves)
    plan.ledgers, plan.searched = gather_ledgers(request, trial, inspector, progress)
    if request.searches:
        plan.account = Accountant(request, waybill, plan.shelves, trial, maps, progress).account(plan.ledgers)
    plan.remarks += divided_lists(trial, request.front)
    if request.new_things and not trial.new_things:
        raise Refused(
            "Which setting is the folder for new things is not known of any program here",
            f"Say which file it is in: saltcart folders new-things {typed(request.new_things)} --ledger FILE",
        )
    waybill.ledgers = [ledger.line for ledger in plan.ledgers]
    plan.links, plan.new_things = links_of(plan.ledgers), trial.new_things
    waybill.turn = list(dict.fromkeys([*waybill.turn, *(link for link, turned in plan.links.items() if turned)]))


def look_inside(plan: Draft, request: Request, maps: list[Map], progress: Progress) -> None:
    """Try the ledgers in archives that are split; nothing outside can name what is packed."""
    ledgers, files = inside(request, plan.waybill.shelves, maps, progress)
    plan.waybill.maps = [one.path for one in maps]
    plan.inside = [one for one in files if one.archive not in plan.waybill.left_unread]
    if follow := sum(one.changes for one in ledgers):
        count = sum(one.changes > 0 for one in ledgers)
        plan.remarks.append(
            f"{counted(follow, 'entry', 'entries')} in {counted(count, 'file', 'files')} from the archive will be"
            " updated"
        )


def parts_of_one(shelves: Sequence[Shelf]) -> Iterator[Relink]:
    """What lies in one part of an archive names what lies in the other."""
    for one in shelves:
        for other in shelves if one.packed else ():
            if one is not other and one.old == other.old:
                yield Relink(one.new, other.new)


def refuse_unmatched(inspector: ShelfInspector) -> None:
    """Raise Refused for what a person wanted to leave out and is not there: more would move than they mean."""
    if inspector.unmatched:
        raise Refused(
            f"--exclude {' '.join(map(show, sorted(inspector.unmatched)))} matches nothing",
            "Patterns are matched against paths from the shelf's top, such as 'Low Bells' or '*.wav'.",
        )


def maps_of(request: Request) -> list[Map]:
    """The maps that describe ledgers on this trip; of several copies of one map the first."""
    found: dict[tuple[str, str | None], Map] = {}
    for plan in map(load_map, dict.fromkeys([*request.maps, *request.cart.maps])):
        found.setdefault((plan.name, digest_of(plan.path)), plan)
    return list(found.values())


def remarks_on_shelf(shelf: Shelf) -> Iterator[str]:
    """What a person should know of one shelf before saying yes."""
    folder = os.path.dirname(shelf.new)
    if shelf.own_folder and os.path.basename(folder) == os.path.basename(shelf.new):
        yield (
            f"{show(shelf.name)} will be at {show(shelf.new)}, because --to is the folder that will contain it."
            f" To move it to {show(folder)}: --to {typed(os.path.dirname(folder))}"
        )
    if drive_of(shelf.old).facts.network and not shelf.original_stays:
        yield (
            f"{show(shelf.name)} lies on a network drive: other machines that read it there will not find it any"
            " more. --copy leaves it there"
        )
    if leads_home(shelf.new, shelf.old):
        yield (
            f"The signpost at {show(shelf.new)} makes room for the shelf when the haul begins; until repoint, what"
            " needs it finds only what is copied"
        )
    for post in leading_to(shelf.old):
        if post != shelf.new and not shelf.original_stays:
            yield f"The signpost at {show(post)} will lead to the new place"


def remarks_on(
    request: Request, shelves: Sequence[Shelf], ledgers: Sequence[DraftedLedger], links: dict[str, bool]
) -> list[str]:
    """What a person should know before saying yes."""
    remarks = []
    folders = [given for given in request.shelves if not os.path.isfile(given)]
    whole = (shelf for shelf in shelves if shelf.own_folder)
    for given, shelf in zip(folders, whole, strict=True):
        if os.path.abspath(os.path.expanduser(given)) != shelf.old:
            remarks.append(f"{show(given)} is a link; what moves is {show(shelf.old)}")
    for shelf in shelves:
        remarks += remarks_on_shelf(shelf)
    posts = {post for shelf in shelves for post in leading_to(shelf.old)}
    remarks += [
        LINKS[turned, request.turn_links].format(show(link)) for link, turned in links.items() if link not in posts
    ]
    left = [one.line for one in ledgers if not one.line.rewrite and not request.collection]
    remarks += [f"{show(line.path)} will be left as it is: {line.why}" for line in left]
    if not ledgers and not request.keep_entries and not request.searches:
        remarks.append(
            "No ledger was given or found in the shelf. Files elsewhere that refer to these sounds will not be updated"
        )
    return remarks
