"""The command `saltcart drives`: show which drives could take a load."""

import argparse
from collections.abc import Sequence

from msgspec.structs import asdict

from saltcart.cart import Cart, load
from saltcart.cli.arguments import add_cart
from saltcart.cli.screen import Screen, many, place, size
from saltcart.drives.candidates import away, candidates
from saltcart.drives.drive import Drive, drive_of, find_drive
from saltcart.drives.fit import Fit, Load, Reason, is_spinning, judge
from saltcart.drives.known import remembered
from saltcart.drives.limits import HARD
from saltcart.drives.measure import Speed, measure
from saltcart.errors import Refused, UsageError, show
from saltcart.progress import Progress
from saltcart.shelves.walk import walk
from saltcart.system import os
from saltcart.waybills.collection_file import collections_on

SHOWN = 5


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What is to be carried, and what to measure."""
    parser.add_argument(
        "place", nargs="*", metavar="PLACE", help="look only at the drives that hold these folders (default: all)"
    )
    parser.add_argument(
        "--for",
        nargs="+",
        action="extend",
        default=[],
        dest="shelves",
        metavar="SHELF",
        help="judge each drive for carrying these folders",
    )
    parser.add_argument(
        "--headroom", type=int, metavar="PERCENT", help="how much of a drive should stay free (default: 2)"
    )
    parser.add_argument(
        "--measure",
        action="append",
        default=[],
        metavar="DRIVE",
        help="write and read a test file there (a name or folder), then remove it",
    )
    parser.add_argument("--picture", metavar="FILE", help="draw the drives before and after (.png or .svg)")
    add_cart(parser)


def run(options: argparse.Namespace) -> int:
    """Show every drive and what speaks against it."""
    screen = Screen(options)
    cart = load(options.cart)
    if options.headroom is not None:
        if not 0 <= options.headroom <= 90:
            raise UsageError("--headroom is a share from 0 to 90 percent", "Try --headroom 5.")
        cart.headroom_percent = options.headroom
    with screen.watch() as watch:
        load_ = load_of(options.shelves, watch) if options.shelves else None
        found = candidates(places_of(options.place, cart), cart)
        speeds = {drive.identity: measure(drive, progress=watch) for drive in chosen(found, options.measure)}
    fits = [
        judge(drive, load_, cart, speeds[drive.identity].write if drive.identity in speeds else None) for drive in found
    ]
    show_drives(screen, fits, cart, load_)
    show_collections(screen, found)
    missing = [] if options.place else away(found, cart)
    for identity, name in missing:
        screen.remark(f"{show(name)} is not connected ({show(identity)})")
    for drive in found:
        if drive.identity in speeds:
            show_speed(screen, drive, speeds[drive.identity])
    if options.picture:
        draw(screen, fits, load_, options.picture)
    screen.document(document(fits, speeds, missing, load_))
    return 1 if load_ and not any(fit.fits and not is_home(fit, load_) for fit in fits) else 0


def places_of(words: Sequence[str], cart: Cart) -> list[str]:
    """The folders that words mean: folders, or drives by name.  UsageError for what is neither."""
    places = []
    for word in words:
        path = os.path.expanduser(word)
        if not os.path.lexists(path):
            every = candidates([], cart)
            seen = [
                find_drive(identity, fact["mount"]) for identity, fact in remembered().items() if fact["name"] == word
            ]
            named = [drive.mount for drive in (*every, *filter(None, seen)) if drive.name == word]
            if not named:
                names = ", ".join(dict.fromkeys(show(drive.name) for drive in every))
                raise UsageError(f"There is no folder and no drive called {show(word)}", f"Drives here: {names}.")
            path = named[0]
        places.append(path)
    return places


def load_of(shelves: Sequence[str], watch: Progress) -> Load:
    """The load of these folders.  Refused for one that is no folder."""
    load_ = Load()
    for path in shelves:
        real = os.path.realpath(os.path.expanduser(path))
        if not os.path.isdir(real):
            raise Refused(f"{show(path)} is not a folder", "Name the folders that shall move.")
        load_.add(real, list(walk(real)))
    return load_


def is_home(fit: Fit, load_: Load) -> bool:
    """Whether the load lies on this drive now."""
    return all(drive.identity == fit.drive.identity for drive in load_.drives)


def chosen(found: Sequence[Drive], words: Sequence[str]) -> list[Drive]:
    """The drives to measure, by name or by a folder on them."""
    drives = []
    for word in words:
        named = [drive for drive in found if drive.name == word]
        if not named and os.path.isdir(os.path.expanduser(word)):
            named = [drive_of(os.path.expanduser(word))]
        if not named:
            raise UsageError(
                f"There is no drive called {show(word)}",
                f"Drives here: {', '.join(show(drive.name) for drive in found)}.",
            )
        drives += named
    return drives


def show_drives(screen: Screen, fits: Sequence[Fit], cart: Cart, load_: Load | None) -> None:
    """The table of drives, then the reasons against each."""
    columns = ["Drive", "Mounted at", ">Free", "?>Total"]
    if load_:
        load = f"{many(len(load_.shelves), 'shelf', 'shelves')}, {size(load_.bytes)}"
        screen.say(f"To carry: {load}. {answer(fits, load_)}", style="bold")
        screen.say()
        columns = ["Drive", "Mounted at", "Fits", ">Free", "?>Needs", ">Free after", ">Takes about", "?>Total"]
        order = ("yes", "lies here", "no")
        fits = sorted(fits, key=lambda fit: order.index(verdict(fit, load_)))
    rows = []
    for fit in fits:
        drive = fit.drive
        after = fit.free_after_bytes or 0
        left = size(after) if after > 0 else "none"
        free, total = size(drive.free_bytes), size(drive.total_bytes)
        row = [show(drive.name), place(drive.mount), free, total]
        if load_:
            need, seconds = size(fit.need_bytes or 0), duration(fit.seconds or 0)
            row = [*row[:2], verdict(fit, load_), free, need, left, seconds, total]
        rows.append([*row, show(drive.filesystem) or "unknown", kind(drive, cart)])
    screen.table("Drives", [*columns, "File system", "Kind"], rows)
    for fit in fits:
        if fit.reasons:
            screen.say(f"{show(fit.drive.name)} ({place(fit.drive.mount)})", style="bold")
        for reason in sorted(fit.reasons, key=lambda one: one.weight != HARD):
            screen.say(
                f"  {'AGAINST' if reason.weight == HARD else 'note'}: {reason.what}",
                style="red" if reason.weight == HARD else "",
            )
            show_files(screen, reason)


def show_collections(screen: Screen, found: Sequence[Drive]) -> None:
    """Which collections are on the drives, and to which machines they are known."""
    for drive in found:
        for one in collections_on(drive.mount):
            others = ", ".join(map(show, one.who_knows()[1:]))
            screen.say(
                f"{show(drive.name)} holds a collection, {place(one.top)}: carried {one.made[:10]} by {show(one.who)}"
                + (f"; known to {others} too" if others else "")
            )


def show_files(screen: Screen, reason: Reason) -> None:
    """The first files a reason speaks of."""
    for one in reason.obstacles[:SHOWN]:
        screen.say(f"      {show(one.path)} {show(one.what)}")
    if len(reason.obstacles) > SHOWN:
        screen.say(f"      ... and {len(reason.obstacles) - SHOWN} more (see --json)")


def answer(fits: Sequence[Fit], load_: Load) -> str:
    """Where it fits, in a sentence."""
    names = [show(fit.drive.name) for fit in fits if verdict(fit, load_) == "yes"]
    return f"It fits on {', '.join(names)}." if names else "It fits on none of these."


def verdict(fit: Fit, load_: Load) -> str:
    """Whether the load fits, in a word."""
    return "lies here" if is_home(fit, load_) else "yes" if fit.fits else "no"


def kind(drive: Drive, cart: Cart) -> str:
    """What kind of hardware it is, if the system says so."""
    if drive.facts.network:
        return "network"
    spinning = is_spinning(drive, cart)
    word = "not reported by the system" if spinning is None else "spinning" if spinning else "solid"
    bus = drive.facts.bus_bits_per_second
    return f"{word}, USB {f'{bus // 10**9} Gbit/s' if bus >= 10**9 else f'{bus // 10**6} Mbit/s'}" if bus else word


def duration(seconds: float) -> str:
    """A length of time for a person."""
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return f"{round(seconds / 60)} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def show_speed(screen: Screen, drive: Drive, speed: Speed) -> None:
    """What was measured."""
    screen.say(
        f"{show(drive.name)}: writes {size(int(speed.write))}/s, reads {size(int(speed.read))}/s; "
        f"streams about {speed.voices} stereo 24-bit 48 kHz voices (scattered reads: {size(int(speed.scattered))}/s)"
    )
    if not speed.past_cache:
        screen.remark("this file system does not let reads by the system's memory; the reading figures may be too good")


def draw(screen: Screen, fits: Sequence[Fit], load_: Load | None, path: str) -> None:
    """The picture of the drives; the one the load comes from is drawn without it afterwards."""
    from saltcart.report.drawing import save
    from saltcart.report.pictures import DriveBar, drives_picture

    bars = []
    for fit in fits:
        need = fit.need_bytes or 0
        coming = -need if load_ and is_home(fit, load_) else need
        bars.append(
            DriveBar(
                fit.drive.name,
                fit.drive.total_bytes - fit.drive.free_bytes,
                fit.drive.free_bytes,
                coming,
                fit.fits is False,
            )
        )
    save(drives_picture(bars, "Room on the drives" + (", before and after" if load_ else "")), path)
    screen.say(f"Picture written: {place(os.path.abspath(path))}")


def document(
    fits: Sequence[Fit], speeds: dict[str, Speed], missing: Sequence[tuple[str, str]], load_: Load | None
) -> dict[str, object]:
    """The drives as the design fixes them."""
    return {
        "load": {"shelves": load_.shelves, "bytes": load_.bytes} if load_ else None,
        "drives": [drive_document(fit, speeds.get(fit.drive.identity)) for fit in fits],
        "away": [{"identity": identity, "name": name} for identity, name in missing],
    }


def drive_document(fit: Fit, speed: Speed | None) -> dict[str, object]:
    """One drive."""
    drive = fit.drive
    measured = (
        {
            "write_bytes_per_second": round(speed.write),
            "read_bytes_per_second": round(speed.read),
            "scattered_bytes_per_second": round(speed.scattered),
            "voices": speed.voices,
            "past_cache": speed.past_cache,
        }
        if speed
        else None
    )
    return {
        "name": drive.name,
        "mount": drive.mount,
        "identity": drive.identity,
        "filesystem": drive.filesystem,
        "simulated": drive.simulated,
        "total_bytes": drive.total_bytes,
        "free_bytes": drive.free_bytes,
        "reserved_bytes": drive.reserved_bytes,
        "read_only": drive.read_only,
        "facts": drive.facts._asdict(),
        "limits": asdict(drive.limits),
        "fits": fit.fits,
        "need_bytes": fit.need_bytes,
        "free_after_bytes": fit.free_after_bytes,
        "haul_seconds": fit.seconds,
        "rate_bytes_per_second": fit.rate_bytes_per_second,
        "measured": measured,
        "reasons": [reason_document(reason) for reason in fit.reasons],
        "collections": [
            {"path": one.top, "made": one.made, "who": one.who, "known_to": one.who_knows()}
            for one in collections_on(drive.mount)
        ],
    }


def reason_document(reason: Reason) -> dict[str, object]:
    """One reason against a drive."""
    files = [{"path": one.path, "what": one.what, "renamed": one.renamed} for one in reason.obstacles]
    return {"weight": reason.weight, "kind": reason.kind, "what": reason.what, "files": files}
