"""A stand-in for a studio workstation: sessions, settings with content folders, and an index of what it scanned.

    python -m saltcart.standins.workstation FOLDER play-all

In FOLDER lie `settings.json`, `index.db` and sessions `*.passage`: zip files with the session as XML in the member
`session.xml`, and what was noted down about it in `notes.txt`.  A clip of a session names its file in full, from the
session's own root (which starts from the session when it is no full path), or as `find`, which is looked for in each
content folder in turn.
"""

import json
import sqlite3
import sys
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from pathlib import Path
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr

from saltcart.standins.sound import plays, report


def write_settings(folder: str, content: Sequence[str]) -> None:
    """Write the settings."""
    settings = {"version": 3, "content": {"folders": list(content), "rescan": True}, "colour": "grey"}
    Path(folder, "settings.json").write_text(
        json.dumps(settings, indent="\t", ensure_ascii=False) + "\n", encoding="utf-8"
    )


def write_session(path: str, root: str, clips: Sequence[Mapping[str, str]]) -> None:
    """Write a session whose root is the folder `root`; each clip has `file` or `find`."""
    lines = [
        f"<clip {name}={quoteattr(value)} start='{number * 4}'/>"
        for number, clip in enumerate(clips)
        for name, value in clip.items()
    ]
    text = (
        "\n  ".join(["<?xml version='1.0' encoding='UTF-8'?>", f"<session tempo='96' root={quoteattr(root)}>", *lines])
        + "\n</session>\n"
    )
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for member, content in (("session.xml", text), ("notes.txt", "Mixed on the Petrel, at anchor.\n")):
            archive.writestr(zipfile.ZipInfo(member, (2026, 4, 1, 12, 0, 0)), content, zipfile.ZIP_DEFLATED)


def read_session(path: str | Path) -> ElementTree.Element:
    """The root element of a session."""
    with zipfile.ZipFile(path) as archive:
        return ElementTree.fromstring(archive.read("session.xml"))


def write_index(folder: str, content: Sequence[str]) -> None:
    """Scan the content folders into the index: folders, and the files in each."""
    with closing(sqlite3.connect(Path(folder, "index.db"))) as database, database:
        database.executescript(
            """
            CREATE TABLE folder (id INTEGER PRIMARY KEY, path TEXT NOT NULL UNIQUE);
            CREATE TABLE file (
                folder INTEGER NOT NULL, name TEXT NOT NULL, size INTEGER, tag TEXT,
                PRIMARY KEY (folder, name)) WITHOUT ROWID;"""
        )
        for number, place in enumerate(
            sorted({sound.parent for top in content for sound in Path(top).rglob("*.wav")}), 1
        ):
            database.execute("INSERT INTO folder VALUES (?, ?)", (number, f"{place}/"))
            rows = [(number, sound.name, sound.stat().st_size, "scanned") for sound in sorted(place.glob("*.wav"))]
            database.executemany("INSERT INTO file VALUES (?, ?, ?, ?)", rows)


def clip_path(clip: ElementTree.Element, root: Path, content: Sequence[str]) -> Path:
    """The file that a clip means."""
    if wanted := clip.get("find"):
        return next((place for top in content if (place := Path(top) / wanted).exists()), Path(wanted))
    return root / clip.get("file", "")


def play_all(folder: str) -> Iterator[tuple[str, str | None]]:
    """Every clip of every session, every content folder and every file of the index, and why it does not play."""
    content = json.loads(Path(folder, "settings.json").read_text("utf-8"))["content"]["folders"]
    for top in content:
        yield top, None if Path(top).is_dir() else "not found"
    for session in sorted(Path(folder).glob("*.passage")):
        root = read_session(session)
        for clip in root.iter("clip"):
            place = str(clip_path(clip, Path(folder, root.get("root", "")), content))
            yield place, plays(place)
    with closing(sqlite3.connect(Path(folder, "index.db"))) as database:
        rows = database.execute(
            "SELECT path, name FROM file JOIN folder ON folder.id = file.folder ORDER BY 1, 2"
        ).fetchall()
    for path, name in rows:
        yield path + name, None if Path(path, name).exists() else "not found"


def main(words: list[str]) -> int:
    """The stand-in's own command line."""
    return report("workstation", play_all(words[0]))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
