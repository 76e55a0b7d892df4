"""Refusing a shelf, or a new place for it, that could not work: checked before anything is copied."""

from collections.abc import Sequence

from saltcart.drives import Drive, Presence, drive_of
from saltcart.drives.limits import allowed
from saltcart.errors import Refused, counted, show, typed
from saltcart.safefile import nearest
from saltcart.shelves.mountinfo import mounts_below
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import here, os
from saltcart.trips import history
from saltcart.trips import trip as trips
from saltcart.trips.signposts import leads_home
from saltcart.waybills.new_place import landing_drive
from saltcart.waybills.patterns import matches
from saltcart.waybills.shelf import Shelf

CUT_OFF = (trips.SWITCHING, trips.UNDOING)
UNRELEASED = (*CUT_OFF, trips.SWITCHED, trips.RELEASING)
SHOWN = 20


def moved_by(place: str) -> str | None:
    """What to type when a trip has set the shelf at `place` aside, or is interrupted in the middle of it; None when
    there is none.
    """
    for trip in history.readable():
        for one in trip.shelves:
            shelf, aside = one.shelf, trip.state == trips.SWITCHED and os.path.isdir(one.aside)
            if shelf.old == place and (aside or trip.state in CUT_OFF):
                moved = f"Trip {trip.name} {'moved' if aside else 'is moving'} it to {show(shelf.new)}."
                return f"{moved} {trips.next_step(trip)}"
    return None


def refuse_cut_off(place: str) -> None:
    """Raise Refused when a trip was interrupted while it switched the shelf at `place`: it must end, one way or the
    other, first.
    """
    for trip in history.readable():
        if trip.state in CUT_OFF and any(shelf.old == place for shelf in trip.waybill.shelves):
            raise Refused(f"Trip {trip.name} was interrupted while it switched {show(place)}", trips.next_step(trip))


def half_switched(shelves: Sequence[str], places: Sequence[str]) -> str | None:
    """The id of a move of these shelves, all of them, into these places that was interrupted in its switch: `repoint`
    ends it.  A signpost may be at the old place of a shelf by now, or nothing.
    """
    tops = {os.path.join(true_path(os.path.dirname(path)), os.path.basename(path)) for path in map(whole, shelves)}
    landings = {true_path(whole(place)) for place in places}
    for trip in history.readable():
        moved = [shelf for shelf in trip.waybill.shelves if not shelf.along]
        if trip.state == trips.SWITCHING and not trip.waybill.collection and moved:
            same = {shelf.old for shelf in moved} == tops
            if same and all(os.path.dirname(shelf.new) in landings for shelf in moved):
                return trip.name
    return None


def whole(path: str) -> str:
    """A path as it was typed, from the top."""
    return os.path.abspath(os.path.expanduser(path))


def refuse_unreleased(place: str) -> None:
    """Raise Refused for a shelf that holds, or lies in, what a trip has moved and not released yet.

    Its set-aside originals would travel along, and neither trip could be undone or released any more.
    """
    for trip in history.readable():
        for one in trip.shelves if trip.state in UNRELEASED else ():
            shelf = one.shelf
            if shelf.original_stays:
                continue
            nested = place != shelf.old and lie_in_each_other(place, shelf.old)
            if nested or lie_in_each_other(place, one.aside) or lie_in_each_other(place, shelf.new):
                raise Refused(
                    f"{show(place)} has to do with {show(shelf.name)}, which trip {trip.name} moved from"
                    f" {show(shelf.old)} to {show(shelf.new)} and whose originals are still set aside",
                    f"End that trip first. {trips.next_step(trip)}",
                )


def lie_in_each_other(one: str, other: str) -> bool:
    """Whether one of two places is, or lies in, the other."""
    return tail_below(one, other) is not None or tail_below(other, one) is not None


def refuse_mounts(shelf: Shelf) -> None:
    """Raise Refused when something is mounted in the part of a shelf that travels, even the same drive again."""
    for place in mounts_below(shelf.old):
        tail = place[len(shelf.old) + 1 :]
        above = ["/".join(tail.split("/")[:count]) for count in range(1, tail.count("/") + 2)]
        if not matches(tail, shelf.stay) and (not shelf.only or any(map(shelf.takes, above))):
            raise Refused(
                f"{show(place)} in the shelf is the top of another drive, or of a folder mounted there",
                f"Unmount it, or leave it out: --exclude {typed(tail)}",
            )


def refuse_clashes(shelf: Shelf, clashes: Sequence[str]) -> None:
    """Raise Refused when `clashes`, paths at the new place, are other files of the same names."""
    if clashes:
        raise Refused(
            f"{show(shelf.new)} already contains {counted(len(clashes), 'other file', 'other files')} with the same"
            f" names",
            left_by(shelf.new) or "Choose another place with --to, or move those files away.",
            [show(path) for path in clashes[:SHOWN]],
        )


def left_by(place: str) -> str | None:
    """What to type when a trip that was undone has left its copies at `place`."""
    for trip in history.readable():
        if trip.state == trips.UNDONE and any(shelf.new == place for shelf in trip.waybill.shelves):
            return (
                f"Trip {trip.name}, which was undone, left its copies there. Remove them with: saltcart undo"
                f" {trip.name} --drop-copies"
            )
    return None


def refuse_fixed(old: str) -> None:
    """Raise Refused when the shelf at `old` could be copied, but not set aside after that."""
    folder = os.path.dirname(old)
    if marked := next((one for one in (old, folder) if here.is_fixed(one, None)), None):
        raise Refused(
            f"The shelf {show(old)} cannot be set aside: {show(marked)} is marked as not to be changed",
            f"Take that mark away first: chattr -i -a {typed(marked)}",
        )
    if os.access(folder, os.W_OK | os.X_OK):
        return
    drive = drive_of(folder)
    why = (
        f"the drive {show(drive.name)} is mounted read-only"
        if drive.read_only
        else f"you may not write to {show(folder)}"
    )
    raise Refused(
        f"The shelf {show(old)} cannot be set aside: {why}", "Mount it for writing, or change the permissions."
    )


def refuse_place(old: str, new: str, presence: Presence, files: bool = False) -> None:
    """Raise Refused when a shelf, or chosen `files` of one, cannot go from `old` to `new`, whatever is in it."""
    if new == old:
        what = "What you name" if files else f"The shelf {show(old)}"
        raise Refused(f"{what} is already there", "Choose another folder with --to.")
    if files:
        refuse_destination(new, presence)
        return
    if tail_below(new, old) is not None:
        raise Refused(f"{show(new)} lies inside the shelf itself", "Choose a folder outside of it with --to.")
    if tail_below(old, new) is not None:
        raise Refused(
            f"The shelf {show(old)} lies inside its new place {show(new)}", "Choose another folder with --to."
        )
    if leads_home(new, old):
        if hint := moved_by(new):
            raise Refused(
                f"{show(new)} is a signpost that leads to this very shelf, whose originals are still set aside", hint
            )
        return
    refuse_destination(new, presence)


def refuse_destination(new: str, presence: Presence) -> None:
    """Raise Refused when nothing can be put at `new`."""
    refuse_hole(new, presence)
    place = nearest(new, os.path.lexists)
    if not os.path.isdir(place):
        raise Refused(f"{show(place)} is a file, so no shelf can go there", "Choose a folder with --to.")
    limits = drive_of(place).limits
    for name in new[len(place) :].strip("/").split("/"):
        if what := allowed(name, limits).what:
            raise Refused(
                f"A folder called {show(name)} cannot be made on the new drive: the name {what}",
                "Choose another folder with --to.",
            )


def refuse_hole(new: str, presence: Presence) -> None:
    """Raise Refused for a place on a drive that is not connected: what is written there lands on the system's own
    drive.
    """
    if away := presence.away(new):
        raise Refused(f"Nothing can go to {show(new)}: {away}", "Connect that drive, or choose another place.")


def writable_drive(path: str) -> Drive:
    """The drive that would hold `path`; Refused when nothing can be written there."""
    drive = landing_drive(path)
    folder = nearest(os.path.dirname(path) if os.path.islink(path) else path, os.path.isdir)
    if drive.read_only or not os.access(folder, os.W_OK | os.X_OK):
        why = f"the drive {show(drive.name)} is mounted read-only" if drive.read_only else "you may not write there"
        raise Refused(
            f"Nothing can be written to {show(folder)}: {why}", "Choose another place, or change the permissions."
        )
    return drive
