"""How a haul goes: how fast it may, how far it is, and what it did."""

import time
from collections import Counter

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.errors import counted
from saltcart.progress import Progress, Tick
from saltcart.trips.records import LISTED, PLACING, TROUBLE, VERIFIED
from saltcart.trips.trip import Trip

TO_COPY = (LISTED, PLACING, TROUBLE)
LEAST_STEP, MOST_POINTS = 0.5, 100  # seconds between two notes of the pace, and about how many there are


class HaulReport(Struct):
    """What a haul did: files and bytes copied now, those of them that got a second name, files that were there
    already, remarks for a person, where the manifests lie, and the shelves beside which none could be written.
    """

    files: int = 0
    bytes: int = 0
    named_files: int = 0
    named_bytes: int = 0
    there_already: int = 0
    remarks: list[str] = field(default_factory=list)
    manifests: list[str] = field(default_factory=list)
    without_manifest: list[str] = field(default_factory=list)

    @property
    def copied_files(self) -> int:
        """Files that were copied."""
        return self.files - self.named_files

    @property
    def copied_bytes(self) -> int:
        """Bytes that were copied."""
        return self.bytes - self.named_bytes


class Pace(Struct, frozen=True):
    """How to copy: at most `limit` bytes a second, and what a person says of the drives."""

    limit: int | None = None
    cart: Cart = field(default_factory=Cart)


class Meter:
    """How far the haul of a whole trip is: each byte counts half when copied and half when read back.  One that resumes
    starts from where it was.
    """

    def __init__(self, trip: Trip, limit: int | None, report: HaulReport, progress: Progress):
        self.there, done = trip.logbook.totals(None, VERIFIED)
        self.files, size = trip.logbook.totals(None, VERIFIED, *TO_COPY)
        self.total, self.done, self.start = 2 * size, 2 * done, 2 * done
        self.limit, self.report, self.progress = limit, report, progress
        self.began = time.monotonic()
        self.points: list[tuple[float, int]] = [(0.0, 0)]  # seconds since it began, and bytes carried by then
        self.lost: Counter[str] = Counter()

    def tell(self, shelf: str, step: str, path: str, count: int) -> None:
        """Report progress, and rest when it goes too fast."""
        self.done += count
        if self.limit:
            time.sleep(max(0.0, (self.done - self.start) / self.limit - (time.monotonic() - self.began)))
        if step == "copy":
            self.report.bytes += count
        elif step == "share":
            self.report.named_bytes += count
            self.report.named_files += 1
        self.note_pace()
        note = f"{self.there + self.report.files:,} of {counted(self.files, 'file', 'files')}, {step}"
        self.progress(Tick("haul", f"{shelf}/{path}", self.done // 2, self.total // 2, note, in_bytes=True))

    def note_pace(self, last: bool = False) -> None:
        """Note how far it is, at most some hundred times, however long it takes."""
        seconds = time.monotonic() - self.began
        if last or seconds - self.points[-1][0] > max(LEAST_STEP, seconds / MOST_POINTS):
            self.points.append((round(seconds, 3), (self.done - self.start) // 2))
