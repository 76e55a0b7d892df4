"""Comparing the content of copies with the logbook, and of shelves with their manifests."""

from collections.abc import Container, Iterator, Sequence
from itertools import islice

from saltcart.errors import Refused, show, typed
from saltcart.hauling.workers import Reading, read_all
from saltcart.judging.judgements import ALTERED, MISSING, UNREADABLE
from saltcart.progress import Progress, Tick, silent
from saltcart.proving.results import CheckReport, FileProblem, ShelfCheck
from saltcart.shelves import manifest
from saltcart.shelves.true_names import true_path
from saltcart.shelves.walk import FILE, walk
from saltcart.system import os
from saltcart.trips.trip import Trip
from saltcart.trips.trip_shelf import TripShelf

PORTION = 10_000


class ReadWatch:
    """Tells progress of `total` bytes that are read in several portions."""

    def __init__(self, step: str, total: int, progress: Progress):
        self.step, self.total, self.progress, self.done = step, total, progress, 0

    def __call__(self, _step: str, path: str, count: int) -> None:
        self.done += count
        self.progress(Tick(self.step, path, self.done, self.total, in_bytes=True))


def check_folder(path: str, write: str | None = None, progress: Progress = silent) -> CheckReport:
    """Hold the shelf at `path` against its manifest, every file read; with `write`, a kind of digest, make the
    manifest from what is there now.

    Raises Refused when there is no such shelf, or no manifest.
    """
    shelf = true_path(path)
    if not os.path.isdir(shelf):
        raise Refused(
            f"There is no shelf at {show(shelf)}", "Check the path; if its drive is not connected, plug it in."
        )
    report = ShelfCheck(os.path.basename(shelf), shelf)
    items = {item.path: item.size for item in walk(shelf) if item.kind == FILE}
    report.files, report.bytes = len(items), sum(items.values())
    watch = ReadWatch(f"check {report.name}", report.bytes, progress)
    if write:
        readings = [Reading(item, os.path.join(shelf, item), items[item], write) for item in items]
        outcomes = list(zip(readings, read_all(readings, watch), strict=True))
        report.problems = [FileProblem(reading.place, UNREADABLE, one.why) for reading, one in outcomes if one.why]
        report.manifest = manifest.write(
            shelf, write, ((reading.path, one.digest) for reading, one in outcomes if not one.why)
        )
        return CheckReport(None, None, [], [report])
    kind = manifest.kind_of_manifest(shelf)
    if kind is None:
        raise Refused(
            f"There is no manifest beside {show(shelf)}",
            f"Make it from what is there now: saltcart check {typed(path)} --digests --write",
        )
    report.manifest = manifest.manifest_of(shelf, kind)
    known = dict(manifest.read(shelf, kind))
    report.problems = [
        FileProblem(os.path.join(shelf, name), MISSING, "is in the manifest, but not there")
        for name in known
        if name not in items
    ]
    report.problems += altered(
        [
            (Reading(name, os.path.join(shelf, name), items[name], kind), digest)
            for name, digest in known.items()
            if name in items
        ],
        watch,
    )
    report.unknown = len(items.keys() - known.keys())
    return CheckReport(None, None, [], [report])


def altered_copies(trip: Trip, one: TripShelf, passed_over: Container[str], watch: ReadWatch) -> Iterator[FileProblem]:
    """The copies of a shelf whose content is not what the haul read, some places passed over."""
    placed = ((one.shelf.place(path), path, size, digest) for path, size, digest in one.digests())
    wanted = (
        (Reading(path, place, size, trip.waybill.digests), digest)
        for place, path, size, digest in placed
        if place not in passed_over
    )
    while some := list(islice(wanted, PORTION)):
        yield from altered(some, watch)


def altered(wanted: Sequence[tuple[Reading, str]], watch: ReadWatch) -> Iterator[FileProblem]:
    """Of files with the digests they should have, those that have others or cannot be read."""
    outcomes = read_all([reading for reading, _digest in wanted], watch)
    for (reading, digest), outcome in zip(wanted, outcomes, strict=True):
        if outcome.why:
            yield FileProblem(reading.place, UNREADABLE, outcome.why)
        elif outcome.digest != digest:
            yield FileProblem(reading.place, ALTERED, "its content is not what was recorded")
