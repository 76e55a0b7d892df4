"""The figure of mending: a library of which every entry is lost, and its files in another place.

python -m bench.mend [ENTRIES FILES]

By default 1,000,000 entries and 300,000 files: two rules, and 1,000 files that were renamed by themselves.  Looking is
measured, against `find` over the place and reading the column.
"""

import shlex
import sqlite3
import struct
import sys
import tempfile
from contextlib import closing
from pathlib import Path

from bench.timing import in_turns, show

MAP = (
    'name = "t"\ncontainer = "sqlite"\n[[entries]]\ntable = "t"\ncolumn = "path"\nspelling = "native"\nsize = "size"\n'
    'length = "seconds"\n'
)
PROGRAM = """
import gc, sys
from saltcart.cart import Cart
from saltcart.cli.main import SELDOM
from saltcart.judging.judge import Judge
from saltcart.ledgers.maps import load_map
from saltcart.mending.findings import find
from saltcart.mending.plan import waybill_for
gc.set_threshold(SELDOM)
maps = [load_map(sys.argv[1] + "/t.toml")]
found = find([sys.argv[1] + "/t.db"], maps, Cart(), Judge(headers=False), [sys.argv[1] + "/new"])
plan = waybill_for(found, maps, [])
print(len(found.losses.lost), len(found.mended), len(plan.relinks), found.headers, file=sys.stderr)
"""
RENAMED = 1000
WAVE = struct.Struct("<4sI4s4sIHHIIHH4sI")  # the header of a sound of 16 bits at 8 kHz in one channel


def build(top: Path, entries: int, files: int) -> None:
    """The files, of sizes of their own, and the library that names them where they were."""
    rows = []
    for number in range(files):
        half, pack, name = number % 2, number // 100, f"{number % 100:02d} Übung.wav"
        old = f"/gone/{'Sounds' if half else 'Music'}/Pack {pack}/{name}"
        folder = top / "new" / ("A" if half else "B/Deep") / f"Pack {pack}"
        folder.mkdir(parents=True, exist_ok=True)
        place, size = folder / (f"renamed {name}" if number < RENAMED else name), 10_000 + 2 * number
        with place.open("wb") as sound:  # which holds silence, without a block on the drive
            sound.write(WAVE.pack(b"RIFF", size - 8, b"WAVE", b"fmt ", 16, 1, 1, 8000, 16000, 2, 16, b"data",
                                  size - WAVE.size))  # fmt: skip
            sound.truncate(size)
        rows.append((old, size, (size - WAVE.size) / 2 / 8000))
    with closing(sqlite3.connect(top / "t.db")) as database:
        database.execute("CREATE TABLE t (id INTEGER PRIMARY KEY, path TEXT, size INTEGER, seconds REAL)")
        cells = (rows[number % files] for number in range(entries))
        database.executemany("INSERT INTO t (path, size, seconds) VALUES (?, ?, ?)", cells)
        database.commit()
    (top / "t.toml").write_text(MAP)


def main(words: list[str]) -> int:
    """Build, measure, show; 1 when the wanted ratio is not kept."""
    entries, files = map(int, words) if words else (1_000_000, 300_000)
    with tempfile.TemporaryDirectory(prefix="bench-", dir="/tmp") as folder:
        top = Path(folder)
        build(top, entries, files)
        ours = [sys.executable, "-c", PROGRAM, folder]
        read = f"sqlite3 {shlex.quote(folder)}/t.db 'SELECT path FROM t'"
        theirs = f"find {shlex.quote(folder)}/new > /dev/null; {read} > /dev/null"
        mine, system = in_turns(ours, theirs, runs=2)
        return 0 if show(f"mend {entries:,} entries, {files:,} files", mine, system, 3, 500 << 20) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
