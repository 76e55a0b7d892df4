"""A messy home: 60,000 files of many kinds with 20 true references hidden in them; what a draft finds, and how fast.

python -m bench.messy [FOLDER] [FILES]

The files are this machine's own (sources, manuals, pages, tables, caches, programs), and some made here: letters, mail,
notes, histories, logs and databases that only mention the sounds.  Wanted: all 20 found, no false report, nothing
rewritten that is no reference; a first draft within three times `grep -rlF` for the same words, a second within 5 s;
below 300 MB.
"""

import gzip
import hashlib
import json
import os
import plistlib
import random
import shutil
import sqlite3
import struct
import subprocess
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from urllib.parse import quote

from bench.timing import PROGRAM, Run, best, show, timed

FILES = 60_000
LARGEST = 2 << 20  # bytes of a file that is copied
OF_A_KIND = 4000  # files with one suffix
SOURCES = ("/usr/share", "/usr/include", "/var/lib/dpkg/info", sys.prefix, os.path.dirname(os.__file__), "/usr/lib")
NAME = "Amber Drums"
OPEN = {"in part", "not read", "cannot be changed", "shows less", "a link into it"}
MEMORY = 300_000_000


def system_files() -> Iterator[str]:
    """Files of this machine, of each suffix up to some number."""
    seen: Counter[str] = Counter()
    for top in SOURCES:
        for folder, folders, names in os.walk(top):
            folders.sort()
            for name in sorted(names):
                path, kind = os.path.join(folder, name), os.path.splitext(name)[1].lower()
                plain = os.path.isfile(path) and not os.path.islink(path) and os.access(path, os.R_OK)
                if plain and seen[kind] < OF_A_KIND and 0 < os.path.getsize(path) <= LARGEST:
                    seen[kind] += 1
                    yield path


def fill(home: Path, count: int) -> int:
    """Copy so many files into folders as people have them; how many there were."""
    chance = random.Random(7)
    tops = ("Documents", "Downloads", "Desktop", "code", ".cache/prog", ".local/share", ".config", "Old/2019", "Mail")
    number = 0
    for path in system_files():
        if number == count:
            break
        target = home / chance.choice(tops) / f"{number % 700:03d}" / f"{number}-{os.path.basename(path)}"
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(path, target)
        number += 1
    return number


def write(path: Path, content: str | bytes) -> Path:
    """Write one file."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


def sounds(home: Path) -> list[Path]:
    """The sounds of the shelf."""
    paths = [home / "Sounds" / NAME / f"hit {number}.wav" for number in range(1, 31)]
    for number, path in enumerate(paths):
        data = hashlib.sha256(str(number).encode()).digest() * 200
        head = (
            b"RIFF"
            + struct.pack("<I", 36 + len(data))
            + b"WAVEfmt "
            + struct.pack("<IHHIIHH", 16, 1, 1, 44100, 88200, 2, 16)
        )
        write(path, head + b"data" + struct.pack("<I", len(data)) + data)
    return paths


def database(path: Path, statements: list[tuple[str, tuple[object, ...]]]) -> Path:
    """A database made by these statements."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with closing(sqlite3.connect(path)) as made, made:
        for statement, values in statements:
            made.execute(statement, values)
    return path


def true_references(home: Path, hits: list[Path]) -> list[Path]:
    """Twenty files by which programs find the sounds, in as many forms."""
    one, two, three = (str(hit) for hit in hits[:3])
    shelf, config, docs = str(hits[0].parent), home / ".config", home / "Documents"
    packed = docs / "old" / "night.song"
    packed.parent.mkdir(parents=True, exist_ok=True)
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("song.json", json.dumps({"clips": [{"file": one}, {"file": two}]}))
    plist = plistlib.dumps({"Slots": [{"Path": one}, {"Path": two}]})
    binary = plistlib.dumps({"Slots": [{"Path": one}, {"Path": two}]}, fmt=plistlib.FMT_BINARY)
    table = "CREATE TABLE hits (id INTEGER PRIMARY KEY, path TEXT, plays INT)"
    rows: list[tuple[str, tuple[object, ...]]] = [(table, ())]
    rows += [("INSERT INTO hits (path, plays) VALUES (?, ?)", (path, at)) for at, path in enumerate((one, two, three))]
    folders = [("INSERT INTO dirs VALUES (4, ?)", (shelf,))] + [
        ("INSERT INTO files (dir, name) VALUES (4, ?)", (hit.name,)) for hit in hits[:5]
    ]
    xml = f'<?xml version="1.0"?>\n<set><pad file="{one}"/><pad file="{two}"/></set>\n'
    return [
        write(config / "pads" / "kit.json", json.dumps({"pads": [{"wave": one, "gain": 1}, {"wave": two, "gain": 2}]})),
        write(config / "deck" / "state.ini", f"[deck]\nleft={one}\nright={two}\nlevel=7\n"),
        write(config / "rack.toml", f'[slots]\nfirst = "{one}"\nsecond = "{two}"\n'),
        write(docs / "songs" / "a.set", xml),
        write(docs / "songs" / "b.passage", gzip.compress(xml.encode())),
        write(docs / "friday.m3u8", f"#EXTM3U\n{one}\n{two}\n"),
        write(docs / "saturday.pls", f"[playlist]\nFile1={one}\nFile2={two}\nNumberOfEntries=2\n"),
        write(home / "Sounds" / "near.m3u8", f"{NAME}/hit 1.wav\n{NAME}/hit 2.wav\n"),
        write(home / "Sounds" / "drums.sfz", f"<region> sample={NAME}/hit 1.wav key=36\n"),
        write(config / "list.csv", f"name,place\na,{one}\nb,{two}\n"),
        write(config / "marks.tsv", f"name\tplace\na\t{one}\nb\t{two}\n"),
        write(home / ".local/share/app/uris.json", json.dumps([{"uri": f"file://{quote(hit)}"} for hit in (one, two)])),
        write(config / "slots.plist", plist),
        write(config / "slots.bin.plist", binary),
        write(docs / "old" / "kit.conf", f"pad {json.dumps(one)} 7\npad {json.dumps(two)} 9\n"),
        write(docs / "old" / "home.kit", f"wave=~/Sounds/{NAME}/hit 1.wav\nwave=~/Sounds/{NAME}/hit 2.wav\n"),
        packed,
        database(home / ".local/share/app/pool.db", rows),
        database(
            home / ".local/share/other/dirs.db",
            [
                ("CREATE TABLE dirs (id INTEGER PRIMARY KEY, path TEXT)", ()),
                ("CREATE TABLE files (id INTEGER PRIMARY KEY, dir INT, name TEXT)", ()),
                *folders,
            ],
        ),
        write(config / "split.json", json.dumps([{"dir": shelf, "name": hit.name, "gain": 1} for hit in hits[:4]])),
    ]  # fmt: skip


def mentions_only(home: Path, hits: list[Path]) -> None:
    """What says the name of the sounds, and is no reference: text that somebody wrote, histories, logs."""
    one, shelf = str(hits[0]), str(hits[0].parent)
    letter = f"Dear Ilse,\n\nI moved all of the drums to {shelf} last night, as we had said.\nIt took a while.\n\nBo\n"
    mail = f"From: bo@petrel\nTo: ilse@petrel\nSubject: drums\nDate: Mon, 30 Nov 2026 10:00:00 +0000\n\n{letter}\n"
    source = f'import os\n\n\ndef kit():\n    """All of the hits in {shelf}."""\n    return os.listdir("{shelf}")\n'
    page = f"<!DOCTYPE html>\n<html><body><p>The kit is in <b>{shelf}</b> by now.</p></body></html>\n"
    write(home / "Documents" / "letter.txt", letter)
    write(home / "Documents" / "notes.md", f'# Drums\n\nThe good ones are all in "{shelf}" since the spring.\n')
    write(home / "Documents" / "label.json", json.dumps({"pack": NAME, "maker": "nobody", "year": 2026}))
    write(home / "Mail" / "drums.eml", mail)
    write(home / "Mail" / "all.mbox", f"From bo@petrel Mon Nov 30 10:00:00 2026\n{mail}\n" * 40)
    write(home / "code" / "kits.py", source)
    write(home / "code" / "page.html", page)
    write(
        home / ".local/share/app/app.log", "".join(f"2026-11-{day:02d} 22:10:01 opened {one}\n" for day in range(1, 29))
    )
    write(home / ".cache/prog/peaks.bin", b"PEAK\0\1" + one.encode() + bytes(200))
    visits = [(f"https://petrel.example/{number}",) for number in range(200)] + [(f"file://{quote(one)}",)]
    database(
        home / ".local/share/browser/visits.db",
        [("CREATE TABLE visits (id INTEGER PRIMARY KEY, address TEXT)", ())]
        + [("INSERT INTO visits (address) VALUES (?)", visit) for visit in visits],
    )


def digests(home: Path) -> dict[str, bytes]:
    """The digest of every file."""
    paths = (path for path in home.rglob("*") if path.is_file())
    return {str(path): hashlib.blake2b(path.read_bytes()).digest() for path in paths}


def judge(home: Path, shelf: Path, to: Path, true: list[Path], environment: dict[str, str]) -> bool:
    """What a draft says of the files, and what a move changes; whether both are as wanted."""
    words = [PROGRAM, "draft", str(shelf), "--to", str(to), "-o", str(to / "w.toml"), "--force", "--json"]
    said = json.loads(subprocess.run(words, env=environment, capture_output=True, check=False).stdout)
    standing = {one["path"]: one["standing"] for one in said["account"]["mentions"]}
    changed = {one["path"] for one in said["ledgers"]}
    wanted = set(map(str, true))
    missed = wanted - standing.keys() - changed
    false = {path for path, word in standing.items() if word in OPEN and path not in wanted} | (changed - wanted)
    unread = {path for path in wanted if standing.get(path) in OPEN}
    print(f"{'kept ' if not missed else 'MISSED'} found {len(wanted) - len(missed)} of {len(wanted)} true references")
    print(f"{'kept ' if not false else 'MISSED'} {len(false)} false reports")
    print(f"      {len(unread)} of the true ones cannot be rewritten, and are named")
    for path in sorted((*missed, *false, *unread)):
        print(f"        {os.path.relpath(path, home)}: {standing.get(path, 'not found')}")
    before = digests(home)
    words = [PROGRAM, "move", str(shelf), "--to", str(to), "--yes", "--no-search", str(home / "gone")]
    words[-2:] = ["--ignore", *sorted(unread | false)] if unread | false else []
    done = subprocess.run(words, env=environment, capture_output=True, text=True, check=False)
    after = digests(home)
    touched = {path for path in before.keys() & after.keys() if before[path] != after[path]} - wanted
    print(f"{'MISSED' if touched else 'kept '} {len(touched)} other files rewritten; move ended with {done.returncode}")
    for path in sorted(touched):
        print(f"        {os.path.relpath(path, home)}")
    return not (missed or false or touched)


def first_draft(draft: str, data: Path, environment: dict[str, str]) -> Run:
    """A draft of which nothing is remembered."""
    shutil.rmtree(data, ignore_errors=True)
    return timed(draft, 1, environment)


def main(top: Path, count: int) -> int:
    """Make the home, measure, judge; 0 when all is as wanted."""
    home, to = top / "home", top / "lighter"
    to.mkdir(parents=True)
    (to / ".saltcart-drive.toml").write_text('name = "lighter"\nidentity = "messy"\ncapacity_bytes = 900000000\n')
    began = time.time()
    hits = sounds(home)
    number = fill(home, count)
    true = true_references(home, hits)
    mentions_only(home, hits)
    size = sum(path.stat().st_size for path in home.rglob("*") if path.is_file() and not path.is_symlink())
    print(f"made {number:,} files, {size / 1e6:,.0f} MB, in {time.time() - began:.0f} s")
    for path in home.rglob("*"):
        if path.is_file():
            os.utime(path, (1_700_000_000, 1_700_000_000))
    time.sleep(3)  # what is fresh is not remembered
    environment = {**os.environ, "HOME": str(home), "SALTCART_HOME": str(top / "data")}
    shelf = hits[0].parent
    tail = str(shelf.relative_to(home))
    names = [str(shelf), f"~/{tail}", f"$HOME/{tail}", quote(str(shelf)), str(shelf).replace("/", "\\/"), f"{NAME}/"]
    grep = ["grep", "-rlF", *(word for name in names for word in ("-e", name)), str(home)]
    draft = f"'{PROGRAM}' draft '{shelf}' --to '{to}' -o '{to}/w.toml' --force; test $? -lt 2"
    timed(grep, 1)  # so that all of it is in memory for both
    theirs, first = timed(grep), best(first_draft(draft, top / "data", environment) for _turn in range(3))
    second = timed(draft, 1, environment)
    kept = show("first draft against grep -rlF", first, theirs, 3, MEMORY)
    kept = show("second draft", second, Run(5, 0), 1, MEMORY) and kept
    return 0 if judge(home, shelf, to, true, environment) and kept else 1


if __name__ == "__main__":
    number = int(sys.argv[2]) if len(sys.argv) > 2 else FILES
    with tempfile.TemporaryDirectory(dir=sys.argv[1] if len(sys.argv) > 1 else None) as place:
        sys.exit(main(Path(os.path.realpath(place)), number))
