"""Damage files of every kind, and read them with everything that reads files of others.

    python tools/fuzz.py 3600          # for so many seconds
    python tools/fuzz.py 60 7          # the same again: the number is the seed

Each file must be read, or be refused with one of our own errors, within some seconds and some memory.  What ends
otherwise is kept in the folder that is named at the end; the exit status is 1 then.
"""

import os
import random
import resource
import signal
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from saltcart.cart import load
from saltcart.errors import SaltCartError
from saltcart.learning.learn import learn
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.mentions.content import UNREADABLE, mentions_in
from saltcart.mentions.search_places import forms_of, parent_forms
from saltcart.planning.relative_references import relative_targets
from saltcart.shelves.archive import Reader, contents
from saltcart.shelves.audio import header_trouble
from saltcart.shelves.headers import read_header
from saltcart.waybills import collection, waybill
from tests.ledgers.samples import samples
from tests.world import wav

SECONDS, GROWTH = 20, 300 << 20
SLOWEST = 5.0  # seconds of processor time from which on a file is told, though it came to an end
OLD = "/keel/S"
Reads = Callable[[str], object]


class TooLong(Exception):
    """A file took too long."""


def seeds(folder: Path) -> Iterator[Path]:
    """Whole files of every kind, to be damaged."""
    for ledger in samples(str(folder)):
        yield Path(ledger.path)
    root = Path(__file__).parents[1]
    yield from (root / "src/saltcart/demo").rglob("*.toml")
    sound = folder / "a.wav"
    wav(sound, 1)
    yield sound


def readers() -> dict[str, Reads]:
    """Everything that reads files of others."""
    forms = forms_of([OLD]) + parent_forms([OLD])
    return {
        "open formats": lambda path: list(open_ledger(path, []).entries()),
        "search": lambda path: mentions_in(path, forms),
        "relative": relative_targets,
        "learn": lambda path: learn([path], [OLD]),
        "map": load_map,
        "cart": load,
        "waybill": waybill.read,
        "collection": collection.read,
        "archive": lambda path: [stream.read(1 << 20) for _place, stream in Reader(path).read(contents(path).members)],
        "sound": header_trouble,
        "header": read_header,
    }


def damaged(data: bytes, chance: random.Random) -> bytes:
    """The bytes with some damage: changed, cut, doubled, moved, put together with themselves."""
    raw = bytearray(data)
    for _turn in range(chance.choice((1, 1, 2, 5, 20))):
        at, size = chance.randrange(len(raw) + 1), chance.choice((1, 2, 4, 8, 64, 1024))
        kind = chance.randrange(7)
        if kind == 0:
            raw[at : at + size] = bytes(chance.randrange(256) for _ in range(min(size, 8)))
        elif kind == 1:
            del raw[at : at + size]
        elif kind == 2:
            raw[at:at] = raw[at : at + size] * chance.choice((1, 2, 50))
        elif kind == 3:
            raw[at : at + 4] = chance.choice((b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\x80\0\0\0"))
        elif kind == 4:
            raw[at:at] = chance.choice((b"<", b"[", b"{", b"(", b"<!--", b"../", b'"', b"\\", b"%", b"&", b"\r")) * size
        elif kind == 5:
            del raw[at:]
        else:
            source = chance.randrange(len(raw) + 1)
            raw[at:at] = raw[source : source + size]
        if len(raw) > 1 << 20:
            del raw[1 << 20 :]
    return bytes(raw)


def trouble_of(read: Reads, path: str) -> str | None:
    """What is wrong with how a file was read, if anything is."""
    before, began = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.process_time()
    signal.alarm(SECONDS)
    try:
        read(path)
    except TooLong:
        return f"took more than {SECONDS} s"
    except (SaltCartError, *UNREADABLE):
        pass
    except Exception:  # which nobody foresaw
        return traceback.format_exc()
    finally:
        signal.alarm(0)
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) << 10
    seconds = time.process_time() - began
    if grown > GROWTH:
        return f"took {grown >> 20} MB more"
    return f"took {seconds:.0f} s" if seconds > SLOWEST else None


def stop(_number: int, _frame: object) -> None:
    """End what takes too long."""
    raise TooLong


def main(seconds: float, seed: int) -> int:
    """Damage and read until the time is over; 0 when nothing was found."""
    chance, kept = random.Random(seed), Path(tempfile.mkdtemp(prefix="saltcart-fuzz-"))
    signal.signal(signal.SIGALRM, stop)
    os.environ["SALTCART_HOME"] = str(kept / "data")
    end, number, found = time.monotonic() + seconds, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        whole = [(path.name, path.read_bytes()) for path in seeds(Path(folder))]
        every = readers()
        while time.monotonic() < end:
            name, data = chance.choice(whole)
            path = Path(folder) / f"x{os.path.splitext(name)[1]}"
            path.write_bytes(damaged(data, chance))
            for kind, read in every.items():
                number += 1
                if why := trouble_of(read, str(path)):
                    found += 1
                    target = kept / f"{found}-{kind.replace(' ', '-')}{path.suffix}"
                    target.write_bytes(path.read_bytes())
                    print(f"{target}: {why}", flush=True)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10
    print(f"{number:,} reads of damaged files, seed {seed}: {found} found; at most {peak} MB in all")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main(float(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else int(time.time())))
