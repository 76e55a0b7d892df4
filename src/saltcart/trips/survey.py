"""The survey: which shelves and ledgers lie in some places, how big they are, and how every entry stands now."""

import os
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from saltcart.errors import Refused, SaltCartError, show
from saltcart.ledgers import Map, load_map, open_ledger, recognised
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.walk import FILE, FOLDER, walk
from saltcart.trips.trip import SET_ASIDE
from saltcart.trips.judge import Judge, LedgerState, add_counts

MOSTLY = 0.5  # the share of bytes in sounds from which a folder counts as one of sounds
# What people call the folders they keep libraries in; such a folder is no library itself.
KEEPING_PLACES = {"sounds", "samples", "audio", "libraries", "sound libraries", "sample libraries", "instruments", "sound sets", "packs", "loops"}


@dataclass(slots=True)
class Heap:
    """Sums over one folder and all below it; `direct` sounds and `loose` other files lie in the folder itself."""

    path: str
    files: int = 0
    bytes: int = 0
    disk_bytes: int = 0
    audio_files: int = 0
    audio_bytes: int = 0
    direct: int = 0
    loose: int = 0
    kinds: Counter[str] = field(default_factory=Counter)
    below: list["Heap"] = field(default_factory=list)

    def add(self, other: "Heap") -> None:
        """Add the sums of a folder below."""
        self.files += other.files
        self.bytes += other.bytes
        self.disk_bytes += other.disk_bytes
        self.audio_files += other.audio_files
        self.audio_bytes += other.audio_bytes
        self.kinds += other.kinds

    @property
    def mostly_sounds(self) -> bool:
        """Whether at least half of the bytes are sounds."""
        return self.audio_files > 0 and self.audio_bytes >= MOSTLY * self.bytes


@dataclass(slots=True)
class SurveyReport:
    """Proposed shelves (largest first), ledgers with verdicts, and what could not be read."""

    shelves: list[Heap]
    ledgers: list[LedgerState]
    remarks: list[str]

    @property
    def counts(self) -> dict[str, int]:
        """Verdict to number of entries over all ledgers."""
        return add_counts(self.ledgers)


def survey(places: Sequence[str], ledgers: Sequence[str] = (), maps: Sequence[str] = (), progress: Progress = silent) -> SurveyReport:
    """Look at `places`, and at `ledgers` that lie elsewhere.  Raises Refused for a place that is no folder."""
    loaded = [load_map(path) for path in maps]
    remarks: list[str] = []
    found = {os.path.realpath(os.path.expanduser(path)): None for path in ledgers}
    shelves: dict[str, Heap] = {}
    for place in places:
        top = os.path.realpath(os.path.expanduser(place))
        if not os.path.isdir(top):
            word = "is not a folder" if os.path.exists(top) else "is not there"
            raise Refused(f"{show(place)} {word}", "Name a folder; if its drive is not connected, plug it in.")
        heap = pile(top, loaded, found, remarks, progress)
        shelves |= {shelf.path: shelf for shelf in proposed(heap, top=True)}
    judge = Judge(headers=False)
    states = []
    for number, path in enumerate(found):
        progress(Tick("judge", path, number, len(found)))
        states.append(judge.ledger(open_ledger(path, loaded)))
    return SurveyReport(sorted(shelves.values(), key=lambda heap: -heap.bytes), states, remarks)


def pile(top: str, maps: Sequence[Map], found: dict[str, None], remarks: list[str], progress: Progress) -> Heap:
    """Walk `top` once: the tree of sums, with the ledgers that lie in it added to `found`."""
    heaps: dict[str, Heap] = {}

    def trouble(path: str, error: OSError) -> None:
        remarks.append(f"{show(path)} could not be read: {error.strerror}")

    for item in walk(top, trouble):
        place = os.path.join(top, item.path) if item.path else top
        if hidden := SET_ASIDE.search(item.path):
            if item.path.endswith(hidden[0]):
                remarks.append(f"{show(place)} holds originals set aside by trip {hidden[1]}: saltcart trips {hidden[1]}")
            continue
        if item.kind == FOLDER:
            heaps[item.path] = Heap(place)
        elif item.kind == FILE:
            heap = heaps[os.path.dirname(item.path)]
            kind = kind_of(item.path)
            heap.files += 1
            heap.bytes += item.size
            heap.disk_bytes += item.disk_bytes
            if kind:
                heap.audio_files += 1
                heap.direct += 1
                heap.audio_bytes += item.size
                heap.kinds[kind] += 1
            else:
                heap.loose += 1
                look_for_ledger(place, maps, found, remarks)
            progress(Tick("survey", item.path, len(heaps), 0))
    for path in reversed(heaps):
        if path:
            parent = heaps[os.path.dirname(path)]
            parent.add(heaps[path])
            parent.below.append(heaps[path])
    return heaps[""] if "" in heaps else Heap(top)


def look_for_ledger(path: str, maps: Sequence[Map], found: dict[str, None], remarks: list[str]) -> None:
    """Add the file at `path` to `found` when a format or map reads it."""
    try:
        if ledger := recognised(path, maps):
            next(iter(ledger.entries()), None)
            found[path] = None
    except SaltCartError as error:
        remarks.append(error.what)


def proposed(heap: Heap, top: bool = False) -> list[Heap]:
    """The folders a person would call shelves, at and below `heap`.

    A folder with sounds of its own is one, and so is a library: a folder of folders of sounds.
    Where people keep several of these side by side (the `top` that was asked about, a folder
    called Sounds or the like, one with mostly other things in it) each is looked at for itself.
    """
    within = [shelf for folder in heap.below if folder.audio_files for shelf in proposed(folder)]
    if heap.direct:
        return [heap] if heap.mostly_sounds else [heap, *within]
    mere_step = len(heap.below) == 1 and not heap.loose
    if top or not heap.mostly_sounds or mere_step or os.path.basename(heap.path).lower() in KEEPING_PLACES:
        return within
    return [heap]
