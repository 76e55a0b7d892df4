"""A stand-in for a pair of decks: a portable collection kept on the drive itself, among the sounds.

    python -m saltcart.standins.decks COLLECTION play-all

The collection is JSON of its own making: `tracks`, each with its `file` from the top of the drive, its
`title` and its `cues` (places in milliseconds); and `sets`, named lists of numbers of tracks.
"""

import json
import os
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from saltcart.standins.sound import plays, report

DRIVE_MARK = ".saltcart-drive.toml"


def write(path: str, tracks: Iterable[tuple[str, str, Sequence[int]]], sets: Mapping[str, Sequence[int]]) -> None:
    """Write a collection: (path from the drive's top, title, cue points in milliseconds) of each track, and named
    sets.
    """
    rows = [{"file": place, "title": title, "cues": list(cues)} for place, title, cues in tracks]
    content = {"decks": 1, "tracks": rows, "sets": {name: list(numbers) for name, numbers in sets.items()}}
    Path(path).write_text(json.dumps(content, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def tracks_of(path: str) -> list[dict[str, Any]]:
    """The tracks of a collection."""
    rows: list[dict[str, Any]] = json.loads(Path(path).read_text("utf-8"))["tracks"]
    return rows


def drive_of(path: str) -> Path:
    """The top of the drive that holds a file."""
    folder = Path(path).resolve().parent
    while not (folder / DRIVE_MARK).exists() and not os.path.ismount(folder):
        folder = folder.parent
    return folder


def play_all(path: str) -> Iterator[tuple[str, str | None]]:
    """Every track of a collection, and why it does not play; a track that lost its cue points does not either."""
    top = drive_of(path)
    for track in tracks_of(path):
        place = str(top / track["file"])
        yield place, plays(place) or (None if track["cues"] else "has lost its cue points")


def main(words: list[str]) -> int:
    """The stand-in's own command line."""
    return report("decks", play_all(words[0]))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
