"""The draft: what a trip would do, worked out in full before anything is touched."""

import os
from collections.abc import Iterable, Iterator, Sequence
from glob import escape
from shlex import quote

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.cart import Cart
from saltcart.drives import Drive, drive_of
from saltcart.drives.drive import mount_of
from saltcart.drives.fit import Reason, assumed_rate, state_reasons
from saltcart.drives.known import remember
from saltcart.drives.limits import ADVICE, APART, BLOCKS, HARD, NAMES, allowed, obstacles, renames_of
from saltcart.drives.named import meant_place
from saltcart.errors import Refused, UsageError, show
from saltcart.ledgers import Map, load_map
from saltcart.planning.account import Account, Accountant, Accounted, without_search
from saltcart.planning.arrange import Arranged, Arranger, Pattern, arranged
from saltcart.planning.chosen_files import by_common_top, by_facts, by_folder, named_by
from saltcart.planning.destination import (
    lie_in_each_other,
    moved_by,
    refuse_cut_off,
    refuse_fixed,
    refuse_place,
    refuse_unreleased,
    writable_drive,
)
from saltcart.planning.request import Request
from saltcart.planning.shelf_inspection import DraftedShelf, ShelfInspector
from saltcart.planning.strays import strays_of, taken_along
from saltcart.planning.trial_rewrite import DraftedLedger, Trial, divided_lists, gather_ledgers, links_of
from saltcart.planning.unkept import unkept
from saltcart.progress import Progress, silent
from saltcart.safefile import digest_of
from saltcart.shelves.archive import is_archive
from saltcart.shelves.programs import is_program, units
from saltcart.shelves.true_names import told_apart, true_path
from saltcart.shelves.walk import FILE, Item
from saltcart.spelling.moves import tail_below
from saltcart.trips.signposts import leading_to, leads_home
from saltcart.waybills import snapshots as drafts
from saltcart.waybills.new_place import landing_drive, refuse_lack_of_room, sharing
from saltcart.waybills.relinks import PLACE, Relink
from saltcart.waybills.shelf import Shelf, sorted_out
from saltcart.waybills.waybill import Waybill

ON_ITS_DRIVE = {
    NAMES: (
        "stays on its drive: its files are read and get a second name at the new place; nothing is copied, and no room"
        " is needed or gained"
    ),
    BLOCKS: "stays on its drive: the copies share their room with the originals; none is needed or gained",
    APART: "stays on its drive and is copied there: it takes its room twice until its originals are released",
}
COPIED = "is copied on the drive that it lies on; that is no backup, and takes its room again"
# Whether a link is turned, and whether that was asked for.
LINKS = {
    (True, True): "The link {}, which entries go through, will lead to the new place; they stay as they are",
    (False, True): (
        "The link {} stays as it is, for not all that it leads to comes to the same place; entries that go through it"
        " will name the new place itself"
    ),
    (
        False,
        False,
    ): "Entries go through the link {}; they will name the new place itself. To turn the link instead: --turn-links",
}


class Room(Struct, frozen=True):
    """Free bytes on one drive now, after the haul and after the release."""

    drive: Drive
    before: int
    hauled: int
    released: int


class Draft(Struct):
    """A waybill with what it rests on; `seconds` is how long the haul should take, `links` are as of DraftedLedger,
    `strays` are files elsewhere, with their sizes, that ledgers which travel name; `new_things` are the ledgers that
    say where their programs put what comes next, with that folder now and after the trip; `arranged` is what a pattern
    makes of each shelf.  The files `inside` archives name what will not lie beside them any more.
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

    def open(self) -> list[Accounted]:
        """The files that would go on naming the old places, or show less, and nobody has agreed to that."""
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
        raise UsageError("No shelf was named", "Name the folder to move.")
    if not request.packed and any(map(is_archive, map(os.path.expanduser, request.shelves))):
        from saltcart.planning.archives import draft_archives  # which drafts in its own way, with what is in here

        return draft_archives(request, progress)
    if request.small_to or request.signpost_at:
        raise UsageError("--small-to and --signpost-at are for archives", "For a folder: --only, --signpost.")
    found: list[str] = []
    base = shelves = chosen_shelves(request, found)
    makers: list[Arranger] = []
    if request.arrange:
        first = work_out(request, shelves, [], progress)
        base, makers = arranged(shelves, request.arrange, first.ledgers, maps_of(request), progress)
        shelves = base
    along: dict[str, int] = {}
    while True:
        plan = work_out(request, shelves, list(found), progress)
        homes = [*(place for one in base for place in (one.old, one.new)), *(one.path for one in request.cart.shelves)]
        strays = {path: size for path, size in strays_of(plan.ledgers, homes).items() if path not in along}
        if not strays or not (request.gather or request.set_aside_gathered):
            break
        along |= strays
        more = taken_along(sorted(along), base[0], base, request.set_aside_gathered)
        more = makers[0].placed(more) if makers else more
        shelves = base + [allowed_names(shelf, request, found) for shelf in more]
    plan.strays, plan.arranged = strays, [one.told for one in makers]
    return plan


def chosen_shelves(request: Request, remarks: list[str]) -> list[Shelf]:
    """The shelves that were asked for, each with a name of its own and what its new drive can hold."""
    chosen = [without_kept(shelf, request, remarks) for shelf in distinct(shelves_of(request), remarks)]
    names = told_apart([shelf.name for shelf in chosen], [shelf.old for shelf in chosen])
    return [
        allowed_names(replace(shelf, name=name), request, remarks) for shelf, name in zip(chosen, names, strict=True)
    ]


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
        relinks=[Relink(old, new, what=PLACE) for old, new in request.kept],
    )
    inspector = ShelfInspector(waybill, maps, request.leave_out, progress)
    drafted = [inspector.inspect(shelf) for shelf in shelves]
    refuse_unmatched(inspector)
    drives = {shelf.new_drive: landing_drive(shelf.new) for shelf in shelves}
    for drive in drives.values():
        remarks += weigh(drive, drafted, request.cart)
    waybill.left_unread = [true_path(path) for path in (*request.leave_unread, *request.cart.leave_unread)]
    trial = Trial(request, waybill, inspector, drafted)
    ledgers, searched = gather_ledgers(request, trial, inspector, progress)
    account = (
        Accountant(request, waybill, drafted, trial, maps, progress).account(ledgers) if request.searches else None
    )
    remarks += divided_lists(trial, request.front)
    if request.new_things and not trial.new_things:
        raise Refused(
            "Which setting is the folder for new things is not known of any program here",
            f"Say which file it is in: saltcart folders new-things {quote(show(request.new_things))} --ledger FILE",
        )
    waybill.ledgers = [ledger.line for ledger in ledgers]
    links = links_of(ledgers)
    waybill.turn = list(dict.fromkeys([*waybill.turn, *(link for link, turned in links.items() if turned)]))
    waybill.draft = drafts.keep((one.shelf.source, one.items) for one in drafted)
    remember([*drives.values(), *(drive_of(shelf.old) for shelf in shelves)])
    for one in drafted:
        limits = drives[one.shelf.new_drive].limits
        remarks += [] if one.shelf.gathered else unkept(one.shelf, limits, one.far_times)
    remarks += inspector.remarks + remarks_on(request, shelves, ledgers, links)
    seconds = sum(seconds_for(one, drives[one.shelf.new_drive], request.cart) for one in drafted)
    return Draft(
        waybill,
        drafted,
        ledgers,
        rooms_of(drafted, drives),
        seconds,
        remarks,
        searched,
        links,
        account,
        new_things=trial.new_things,
    )


def refuse_unmatched(inspector: ShelfInspector) -> None:
    """Raise Refused for what a person wanted to leave out and is not there: more would move than they mean."""
    if inspector.unmatched:
        raise Refused(
            f"--leave-out {' '.join(map(show, sorted(inspector.unmatched)))} matches nothing",
            "Patterns are matched against paths from the shelf's top, such as 'Low Bells' or '*.wav'.",
        )


def maps_of(request: Request) -> list[Map]:
    """The maps that describe ledgers on this trip; of several copies of one map the first."""
    found: dict[tuple[str, str | None], Map] = {}
    for plan in map(load_map, dict.fromkeys([*request.maps, *request.cart.maps])):
        found.setdefault((plan.name, digest_of(plan.path)), plan)
    return list(found.values())


def shelves_of(request: Request) -> list[Shelf]:
    """The shelves with their new places.  UsageError when places and shelves do not pair up."""
    targets = list(request.to)
    if not request.shelves:
        targets = []
    elif len(targets) == 1:
        targets *= len(request.shelves)
    if len(targets) != len(request.shelves):
        raise UsageError(
            "Give --to once for all shelves, or once for each",
            f"{len(request.shelves)} shelves, {len(targets)} places.",
        )
    if request.keep_entries and not request.signpost:
        raise UsageError(
            "--keep-entries needs --signpost", "Without a link at the old place the entries would lead nowhere."
        )
    if request.arrange:
        refuse_pattern(request)
    pairs = list(zip(request.shelves, targets, strict=True))
    chosen = [(true_path(path), to) for path, to in pairs if os.path.isfile(path)]
    if (chosen or request.from_list) and (request.only or request.leave_out):
        raise UsageError("--only and --leave-out are for folders", "Name the files themselves, or the folder.")
    groups = [
        one
        for to in dict.fromkeys(to for _path, to in chosen)
        for one in by_folder([p for p, t in chosen if t == to], to)
    ]
    if request.from_list and len(request.to) != 1:
        raise UsageError("--from-list needs one place", "Give --to once.")
    listed = [path for one in request.from_list for path in named_by(one, request)]
    listed += by_facts(request) if request.rated is not None or request.played_since else []
    listed = list(dict.fromkeys(listed))
    groups += by_common_top(listed, request.to[0]) if listed else []
    return [shelf_of(path, to, request) for path, to in pairs if not os.path.isfile(path)] + [
        files_of(top, to, names, request) for top, to, names in groups
    ]


def refuse_pattern(request: Request) -> None:
    """Raise UsageError for a pattern that is none, or for what does not go with one."""
    Pattern(request.arrange)
    if request.signpost or request.keep_entries:
        raise UsageError(
            "--arrange gives each sound another place, and a signpost leads to one folder",
            "Leave --signpost out: entries are rewritten.",
        )


def files_of(top: str, to: str, names: tuple[str, ...], request: Request) -> Shelf:
    """Chosen files of the folder `top` and their new place."""
    refuse_cut_off(top)
    if not request.copy:
        refuse_unreleased(top)
    new = new_place(to)
    refuse_place(top, new, files=True)
    if not request.copy:
        refuse_fixed(f"{top}/x")
    folder = os.path.basename(top) or top
    (first, *more) = sorted_out(names)[0]
    name = f"{len(names)} files of {folder}" if more else os.path.basename(first)
    drives = drive_of(top).identity, writable_drive(new).identity
    leave = left_at(request)
    entries = "keep" if request.keep_entries else "rewrite"
    return Shelf(name, top, new, *drives, leave=leave, only=names, entries=entries, files=True)


def left_at(request: Request) -> str:
    """What a request wants left at the old places: see LEAVE."""
    if request.copy and request.signpost:
        raise UsageError("--copy leaves the originals, --signpost a link in their place", "Leave one of them out.")
    return "original" if request.copy else "signpost" if request.signpost else "nothing"


def new_place(to: str) -> str:
    """The folder that `--to` means."""
    return true_path(meant_place(to))


def shelf_of(path: str, to: str, request: Request) -> Shelf:
    """The shelf at `path` and its new place; Refused when the one is no folder or the other cannot be."""
    given = os.path.abspath(os.path.expanduser(path))
    if not os.path.lexists(given):
        raise Refused(
            f"There is no shelf at {show(given)}",
            moved_by(given) or "Check the path; if its drive is not connected, plug it in.",
        )
    if not os.path.isdir(given):
        raise Refused(f"{show(given)} is not a folder, so it is no shelf", "Name the folder that holds the sounds.")
    old = true_path(given)
    refuse_cut_off(old)
    if not request.copy:
        refuse_unreleased(old)
    if mount_of(old) == old:
        raise Refused(
            f"{show(old)} is the top of a drive; a shelf is a folder on one", "Name the folders on it that hold sounds."
        )
    top = new_place(to)
    new = os.path.join(top, allowed(os.path.basename(old), drive_of(top).limits).name)
    refuse_place(old, new)
    if not request.copy:
        refuse_fixed(old)
    leave = left_at(request)
    known = request.cart.shelf(old)
    return Shelf(
        os.path.basename(new),
        old,
        new,
        drive_of(old).identity,
        writable_drive(new).identity,
        known.care if known else "own",
        leave,
        tuple(request.leave_out),
        tuple(request.only),
        entries="keep" if request.keep_entries else "rewrite",
    )


def distinct(shelves: Sequence[Shelf], remarks: list[str]) -> list[Shelf]:
    """The shelves, those renamed that would land on the name of another.  Refused when they lie in each other."""
    done = [shelf for shelf in shelves if shelf.files]
    refuse_same_names(done)
    for shelf in (beside(shelf, done) for shelf in shelves if not shelf.files):
        for other in done:
            if not other.files and lie_in_each_other(shelf.old, other.old):
                raise Refused(f"{show(other.old)} and {show(shelf.old)} overlap", "Move the outer one alone.")
        new, number = shelf.new, 1
        while any(new.casefold() == other.new.casefold() for other in done):
            number += 1
            new = f"{shelf.new} ({number})"
        if new != shelf.new:
            remarks.append(
                f"{show(shelf.old)} would land on the name of another shelf; it will be called"
                f" {show(os.path.basename(new))}"
            )
        done.append(replace(shelf, new=new, name=os.path.basename(new)))
    return done


def beside(shelf: Shelf, chosen: Sequence[Shelf]) -> Shelf:
    """The shelf without the `chosen` files in it, which go their own way."""
    names = (f"{one.old}/{name}" for one in chosen for name in sorted_out(one.only)[0])
    own = tuple(escape(tail) for name in names if (tail := tail_below(name, shelf.old)))
    return replace(shelf, stay=(*shelf.stay, *own)) if own else shelf


def refuse_same_names(shelves: Sequence[Shelf]) -> None:
    """Raise Refused when chosen files of two folders would come to lie at one place."""
    places: dict[str, str] = {}
    for shelf in shelves:
        for name in sorted_out(shelf.only)[0]:
            old, new = f"{shelf.old}/{name}", shelf.place(name)
            other = places.setdefault(new.casefold(), old)
            if other != old:
                raise Refused(f"{show(other)} and {show(old)} would have one name there", "Move them one by one.")


def without_kept(shelf: Shelf, request: Request, remarks: list[str]) -> Shelf:
    """The shelf without the folders that a person marked to stay.  Refused when it is, or lies in, one of them."""
    kept = [one.path for one in request.cart.shelves if one.keep]
    if holder := next((place for place in kept if tail_below(shelf.old, place) is not None), None):
        raise Refused(f"{show(holder)} is to stay where it is (keep = true in cart.toml)", "Take that line out first.")
    stay = [tail for place in kept if (tail := tail_below(place, shelf.old))]
    if stay:
        remarks.append(f"{show(', '.join(stay))} in {show(shelf.name)} stays, as cart.toml says (keep = true)")
    return replace(shelf, stay=(*shelf.stay, *map(escape, stay))) if stay else shelf


class Programs(Struct):
    """The programs among the things of a walk that goes through here, and whether there was anything else."""

    shelf: Shelf
    found: list[str] = field(default_factory=list)
    others: bool = False

    def among(self, items: Iterable[Item]) -> Iterator[Item]:
        """The things, as they come."""
        for item in items:
            if item.kind == FILE:
                program = is_program(f"{self.shelf.old}/{item.path}")
                self.found += [item.path] if program else []
                self.others = self.others or not program
            yield item

    def units(self, remarks: list[str]) -> list[str]:
        """What stays with them.  Refused when there is nothing else."""
        stay = list(dict.fromkeys(units(self.found)))
        if stay and not self.others:
            raise Refused(
                f"{show(self.shelf.name)} holds nothing but programs, which are looked for where they are",
                "To move them all the same: --with-programs",
            )
        if stay:
            remarks.append(
                f"{len(stay)} program(s) or plug-in(s) in {show(self.shelf.name)} stay where they are, for they are"
                f" looked for there: {show(', '.join(stay[:3]))}{' ...' if stay[3:] else ''}. To take them along:"
                " --with-programs"
            )
        return stay


def allowed_names(shelf: Shelf, request: Request, remarks: list[str]) -> Shelf:
    """The shelf with what its new drive cannot hold renamed or left where it is, and without programs, unless these
    shall come along.  Refused for what cannot go at all.
    """
    limits = landing_drive(shelf.new).limits
    fit = allowed(os.path.basename(shelf.old), limits)
    if fit.what and not shelf.files:
        remarks.append(f"{show(shelf.old)} {fit.what}; it will be called {show(fit.name)}, and entries follow")
    programs = Programs(shelf)
    seek = not request.with_programs and not shelf.files and not shelf.gathered and not shelf.archive
    found = list(obstacles(programs.among(shelf.walk()) if seek else shelf.walk(), limits, len(shelf.new)))
    if stay := programs.units(remarks):
        shelf = replace(shelf, stay=(*shelf.stay, *map(escape, stay)))
        found = [one for one in found if shelf.takes(one.path)]
    hard = [one for one in found if one.weight == HARD]
    if hard:
        raise Refused(
            f"The new drive cannot hold {len(hard)} file(s) of {show(shelf.name)}",
            "Leave them out with --leave-out, or choose another drive.",
            [f"{show(one.path)} {one.what}" for one in hard[:20]],
        )
    staying = tuple(escape(one.path) for one in found if one.kind == "link")
    given = dict(request.names.get(shelf.old, ()))
    renames = tuple(pair for pair in renames_of(found) if pair[0] not in given)
    if staying:
        remarks.append(
            f"{len(staying)} link(s) in {show(shelf.name)} cannot be kept on the new drive and stay where they are"
        )
    if renames:
        first = ", ".join(f"{show(old)} -> {show(os.path.basename(new))}" for old, new in renames[:3])
        remarks.append(
            f"{len(renames)} name(s) in {show(shelf.name)} cannot be kept on the new drive; entries follow the new"
            f" names: {first}{' ...' if renames[3:] else ''}"
        )
    return replace(shelf, stay=(*shelf.stay, *staying), renames=(*given.items(), *renames))


def seconds_for(one: DraftedShelf, drive: Drive, cart: Cart) -> float:
    """The seconds that a shelf should take: every byte is written and read back, or only read."""
    times = 1 if sharing(one.shelf, drive) == NAMES else 2
    return times * one.target_bytes / assumed_rate(drive, cart)


def weigh(drive: Drive, drafted: Sequence[DraftedShelf], cart: Cart) -> list[str]:
    """What is to be said of a drive for this load.  Refused when something hard speaks against it."""
    mine = [one for one in drafted if one.shelf.new_drive == drive.identity]
    need = sum(one.target_bytes for one in mine if not os.path.isdir(one.shelf.new) and not sharing(one.shelf, drive))
    refuse_lack_of_room(drive, need)
    reasons = [reason for reason in state_reasons(drive, cart) if reason.kind not in ("read-only", "not writable")]
    for reason in reasons:
        if reason.weight == HARD:
            raise Refused(
                f"The drive {show(drive.name)} is not for this: {reason.what}",
                "Choose another drive, or mend what cart.toml says of it.",
            )
    if drive.free_bytes - need < drive.total_bytes * cart.headroom_percent // 100:
        reasons.append(Reason(ADVICE, "headroom", f"less than {cart.headroom_percent} % of it would be left free"))
    staying = [
        f"{show(one.shelf.name)}: {COPIED if one.shelf.original_stays else ON_ITS_DRIVE[sharing(one.shelf, drive)]}"
        for one in mine
        if one.shelf.old_drive == drive.identity and not one.shelf.gathered and not one.shelf.archive
    ]
    return [f"{show(drive.name)}: {reason.what}" for reason in reasons] + staying


def rooms_of(drafted: Sequence[DraftedShelf], drives: dict[str, Drive]) -> list[Room]:
    """The room before and after on the drives the shelves come from and go to."""
    everything = dict(drives)
    for one in drafted:
        everything.setdefault(one.shelf.old_drive, drive_of(one.shelf.old))
    rooms = []
    for identity, drive in everything.items():
        moving = [one for one in drafted if not sharing(one.shelf, drives[one.shelf.new_drive])]
        coming = sum(one.target_bytes for one in moving if one.shelf.new_drive == identity)
        going = sum(
            one.disk_bytes for one in moving if one.shelf.old_drive == identity and not one.shelf.original_stays
        )
        rooms.append(Room(drive, drive.free_bytes, drive.free_bytes - coming, drive.free_bytes - coming + going))
    return rooms


def remarks_on(
    request: Request, shelves: Sequence[Shelf], ledgers: Sequence[DraftedLedger], links: dict[str, bool]
) -> list[str]:
    """What a person should know before saying yes."""
    remarks = []
    folders = [given for given in request.shelves if not os.path.isfile(given)]
    whole = (shelf for shelf in shelves if not shelf.files and not shelf.gathered)
    for given, shelf in zip(folders, whole, strict=True):
        if os.path.abspath(os.path.expanduser(given)) != shelf.old:
            remarks.append(f"{show(given)} is reached through a link; what moves is {show(shelf.old)}")
    for shelf in shelves:
        folder = os.path.dirname(shelf.new)
        alone = not shelf.gathered and not shelf.files
        if alone and os.path.basename(folder) == os.path.basename(shelf.new):
            remarks.append(
                f"{show(shelf.name)} will lie at {show(shelf.new)}: --to names the folder that will hold it. To have it"
                f" at {show(folder)}: --to {quote(show(os.path.dirname(folder)))}"
            )
        if drive_of(shelf.old).facts.network and not shelf.original_stays:
            remarks.append(
                f"{show(shelf.name)} lies on a network drive: other machines that read it there will not find it any"
                " more. --copy leaves it there"
            )
        if leads_home(shelf.new, shelf.old):
            remarks.append(
                f"The signpost at {show(shelf.new)} makes room for the shelf when the haul begins; until repoint, what"
                " needs it finds only what is copied"
            )
        remarks += [
            f"The signpost at {show(post)} will lead to the new place"
            for post in leading_to(shelf.old)
            if post != shelf.new and not shelf.original_stays
        ]
    posts = {post for shelf in shelves for post in leading_to(shelf.old)}
    remarks += [
        LINKS[turned, request.turn_links].format(show(link)) for link, turned in links.items() if link not in posts
    ]
    left = [one.line for one in ledgers if not one.line.rewrite and not request.collection]
    remarks += [f"{show(line.path)} will be left as it is: {line.why}" for line in left]
    if not ledgers and not request.keep_entries and not request.searches:
        remarks.append(
            "No ledger was named or found in the shelf: files elsewhere that name these sounds will not be changed"
        )
    return remarks
