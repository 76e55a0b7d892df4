"""The haul: list, refuse early what cannot work, copy and verify.  No original and no ledger is touched."""

import errno
from collections import Counter
from collections.abc import Iterable, Sequence

from saltcart.drives import Drive, drive_of, known
from saltcart.drives import drive as drives
from saltcart.drives.known import remember
from saltcart.errors import NameTaken, Refused, Stopped, counted, show
from saltcart.hauling.comparing import compare_destination, refuse_full_drives
from saltcart.hauling.haul_report import HaulReport, Meter, Pace
from saltcart.hauling.listing import list_shelf, record_ledgers, record_unpacked_ledgers
from saltcart.hauling.shelf_copy import ShelfCopy
from saltcart.hauling.unpacking import ArchiveCopy
from saltcart.home import home
from saltcart.own_names import staged_for
from saltcart.planning.destination import refuse_unreleased
from saltcart.progress import Progress, silent
from saltcart.rewriting.links import new_target
from saltcart.safefile import copy_owner
from saltcart.shelves import manifest
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os
from saltcart.trips import history, making, manifests
from saltcart.trips import trip as trips
from saltcart.trips.facts import Fact, ShelfFact
from saltcart.trips.holding import held
from saltcart.trips.records import TROUBLE, Row
from saltcart.trips.remounts import follow_remounts
from saltcart.trips.signposts import make_room
from saltcart.trips.trip import HAULED, HAULING, Trip
from saltcart.trips.trip_shelf import TripShelf
from saltcart.waybills import collection, collection_file, waybill_file
from saltcart.waybills.collection import is_collection
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.shelf import Shelf


def haul_waybill(path: str, pace: Pace | None = None, progress: Progress = silent) -> tuple[str, HaulReport]:
    """Start the trip of the waybill at `path`, or continue it; its id and what was done.

    Raises Refused when it cannot begin (nothing was changed) and Stopped when it ends part-way.
    """
    waybill_file.given(path)
    name = history.unfinished(path)
    fresh = name is None
    if name is None:
        name = making.create(path)
    try:
        return name, haul(name, pace, progress)
    except Refused:
        if fresh:
            with trips.opened(name) as trip:
                trips.discard(trip)
        raise


def haul(name: str, pace: Pace | None = None, progress: Progress = silent) -> HaulReport:
    """Copy what trip `name` has still to copy.  Raises Refused or Stopped."""
    pace = pace or Pace()
    with held(name) as trip:
        trip.require(HAULING, HAULED, step="haul")
        report = HaulReport()
        follow_remounts(trip)
        targets = require_drives(trip)
        for shelf in trip.waybill.shelves:
            if not shelf.original_stays:
                refuse_unreleased(shelf.old)
        for link in trip.waybill.turn:
            new_target(trip.waybill.moves(), link)  # better refused now than after the copying
        make_room(trip)
        for one in trip.shelves:
            list_shelf(trip, one, report)
        record_ledgers(trip)
        for one in trip.shelves:
            compare_destination(trip, one, report)
        refuse_full_drives(trip, targets)
        trip.logbook.tell("copying began")
        note_room(trip, targets)
        meter = Meter(trip, pace.limit, report, progress)
        try:
            for one in trip.shelves:
                carrier = ArchiveCopy if one.shelf.packed else ShelfCopy
                carrier(trip, one, targets[one.number], pace, meter).run()
            note_pace(trip, meter)
            tell_lost(trip, meter.lost, report)
            record_unpacked_ledgers(trip)
            finish(trip, report)
        except OSError as error:
            raise stopped(trip, error) from error
        except Refused as error:  # the drive went away meanwhile, so the trip stays and can continue
            trip.logbook.tell(f"copying stopped: {error.what}")
            raise Stopped(error.what, error.remedy, error.details) from error
        return report


def note_room(trip: Trip, targets: list[Drive]) -> None:
    """Record once how much room there is before the first byte is copied, on the drives of the trip."""
    if trip.logbook.fact(Fact.ROOM) is None:
        sources = [drive_of(shelf.stays_at) for shelf in trip.waybill.shelves]
        drives_ = {drive.identity: drive for drive in [*sources, *targets]}
        room = {key: [one.name, one.mount, one.total_bytes, one.free_bytes] for key, one in drives_.items()}
        trip.logbook.record({Fact.ROOM: room})


def note_remarks(trip: Trip, remarks: Iterable[str]) -> None:
    """Record what a person was told of the trip, each once."""
    trip.logbook.record({Fact.REMARKS: list(dict.fromkeys([*trip.logbook.fact(Fact.REMARKS, []), *remarks]))})


def note_pace(trip: Trip, meter: Meter) -> None:
    """Record how fast the haul went, behind what went before it was interrupted."""
    meter.note_pace(last=True)
    before = trip.logbook.fact(Fact.PACE, [])
    seconds, size = before[-1] if before else (0.0, 0)
    trip.logbook.record({Fact.PACE: [*before, *([seconds + at, size + done] for at, done in meter.points)]})


def stopped(trip: Trip, error: OSError) -> Stopped:
    """The error for a place that fails during the haul; it names the one that did."""
    trip.logbook.tell(f"copying stopped: {error}")
    place = os.fspath(error.filename) if isinstance(error.filename, str) else ""
    where = f" at {show(place)}" if place else ""
    goes_on = f"then: saltcart haul {trip.name}"
    away = next((one for one in trip.waybill.shelves if is_away(one.old_drive, one.stays_at)), None)
    if place and tail_below(place, home().as_posix()) is not None:
        what = f"Salt Cart's own data cannot be written{where}"
        remedy = "Make room there, or give permission"
    elif away or any(tail_below(place, shelf.old) is not None for shelf in trip.waybill.shelves):
        what, remedy = f"The old drive stopped the copying{where}", "Reconnect it, or correct that"
    else:
        what, remedy = f"The new drive stopped the copying{where}", "Make room or reconnect the drive"
    return Stopped(
        f"{what}: {error.strerror or error}", f"Nothing is lost; the originals are untouched. {remedy}, {goes_on}"
    )


def is_away(identity: str, place: str) -> bool:
    """Whether the drive of that identity is not at `place` any more."""
    try:
        known.require(identity, place, "")
    except (Refused, OSError):
        return True
    return False


def require_drives(trip: Trip) -> list[Drive]:
    """The drive each shelf goes to.  Refused when it, or the one it comes from, is not the one of the waybill."""
    targets = []
    for shelf in trip.waybill.shelves:
        for folder, identity, word in ((shelf.old, shelf.old_drive, "from"), (shelf.new, shelf.new_drive, "to")):
            drive = landing_drive(folder) if folder == shelf.new else drive_of(folder)
            if drive.identity != identity:
                known.refuse_other_drive(identity, folder, f'the shelf "{shelf.name}" goes {word}')
        targets.append(drive)
    remember([*targets, *(drive_of(shelf.old) for shelf in trip.waybill.shelves)])
    return targets


def write_manifest(trip: Trip, one: TripShelf) -> str:
    """Write the manifest of a shelf beside its copy; ledgers in it, which their programs change, are left out.

    An earlier one is replaced, so that there is always one; that of a collection in the switch, with what it is about.
    """
    shelf = one.shelf
    path = manifest.manifest_of(shelf.new, trip.waybill.digests)
    ledgers = {row.place for row in trip.logbook.ledgers()}
    waits = bool(trip.waybill.collection) and os.path.exists(path)
    places = ((shelf.place(path), digest) for path, _size, digest in one.digests())
    manifest.write(
        shelf.new,
        trip.waybill.digests,
        ((place[len(shelf.new) + 1 :], digest) for place, digest in places if place not in ledgers),
        lambda digest: one.record(ShelfFact.MANIFEST, [path, digest]),
        staged_for(path, trip.name) if waits else "",
    )
    if here.is_administrator():
        copy_owner(shelf.old, staged_for(path, trip.name) if waits else path)
    return path


def foreign_manifest(trip: Trip, shelf: Shelf) -> str | None:
    """The manifest beside the new place of a shelf that somebody else wrote; None when there is none in the way.

    One that belongs to the collection which is brought up to date is no stranger, whoever carried there last.
    """
    top = trip.waybill.collection
    before = collection_file.read(os.path.join(top, collection.NAME)) if top and is_collection(top) else None
    if before and any(shelf.new == before.at(one.place) for one in before.shelves):
        return None
    return next(iter(manifests.foreign(shelf.new)), None)


def tell_lost(trip: Trip, lost: Counter[str], report: HaulReport) -> None:
    """Say once a kind what the new drive could not keep, and of how many things."""
    for kind, count in sorted(lost.items()):
        note = (
            f"the new drive does not keep {kind}: lost on"
            f" {counted(count, 'copied file or folder', 'copied files or folders')}"
        )
        trip.logbook.tell(note)
        report.remarks.append(note)


def not_copied(trip: Trip, troubles: Sequence[tuple[Shelf, Row]]) -> Stopped:
    """The error for a haul that could not copy everything: of names that are taken, or of anything else."""
    taken = [shelf.place(row.item.path) for shelf, row in troubles if row.existed]
    if len(taken) == len(troubles):
        return NameTaken(
            f"{counted(len(taken), 'file', 'files')} could not be copied, because something else has that name at the"
            " new place by now; all others are copied and verified",
            "What is there was left as it is, and nothing was changed at the old place. Move it away or give it another"
            f" name, then: saltcart haul {trip.name}",
            list(map(show, taken[:20])),
        )
    return Stopped(
        f"{counted(len(troubles), 'file', 'files')} could not be copied; all others are copied and verified",
        f"Correct what is wrong and run: saltcart haul {trip.name}   Or add --exclude NAME, to leave them where they"
        " are, --accept NAME, to go without them, or --rename NAME, where the new drive refuses the name ('*' is all"
        " that could not be copied).",
        [f"{show(os.path.join(shelf.old, row.item.path))}: {row.why}" for shelf, row in troubles[:20]],
    )


def finish(trip: Trip, report: HaulReport) -> None:
    """End the haul: hauled when all is verified, else Stopped with what is not."""
    troubles = [(one.shelf, row) for one in trip.shelves for row in one.rows(TROUBLE)]
    if troubles:
        trip.enter(HAULING, f"haul ends with {counted(len(troubles), 'file', 'files')} not copied")
        raise not_copied(trip, troubles)
    for one in trip.shelves:
        shelf = one.shelf
        if shelf.own_folder:
            known.require(shelf.new_drive, drives.mount_of(shelf.new), f'the manifest of "{shelf.name}"')
            if path := foreign_manifest(trip, shelf):
                report.remarks.append(
                    f"{show(shelf.name)}: {show(path)} is not a manifest of ours, so it was left as it is, and none was"
                    " written"
                )
                continue
            try:
                report.manifests.append(write_manifest(trip, one))
            except OSError as error:
                # A collection could not be settled without it; and a drive that fails may do so with more than this.
                if trip.waybill.collection or error.errno == errno.EIO:
                    raise
                # The copies are proven without it.
                report.without_manifest.append(shelf.name)
                report.remarks.append(
                    f"{show(shelf.name)}: no manifest could be written beside it: {error.strerror or error}"
                )
    note_remarks(trip, report.remarks)
    named = (
        f"; {counted(report.named_files, 'file', 'files')}, {report.named_bytes:,} bytes read and given a second name"
        if report.named_files
        else ""
    )
    trip.enter(
        HAULED,
        f"copied and read back: {counted(report.copied_files, 'file', 'files')}, {report.copied_bytes:,} bytes{named}",
    )
