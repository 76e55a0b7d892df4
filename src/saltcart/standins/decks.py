"""A stand-in for a pair of decks: a portable collection kept on the drive itself, among the sounds.

    python -m saltcart.standins.decks COLLECTION play-all

The collection is a file of chunks of its own making: four-letter tag, big-endian length, payload
padded to even.  `DCKS` holds a `HEAD`, a `TRAK` for each track with its `PATH` (UTF-16, from the
top of the drive), `NAME` and `CUES` (places in milliseconds), and a `SETT` for each named set with
its `NAME` and `ITEM` (numbers of tracks).
"""

import struct
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path

from saltcart.standins.sound import plays, report

DRIVE_MARK = ".saltcart-drive.toml"


def chunk(tag: bytes, body: bytes) -> bytes:
    """One chunk."""
    return tag + struct.pack(">I", len(body)) + body + b"\0" * (len(body) & 1)


def text(tag: bytes, words: str) -> bytes:
    """A chunk of text."""
    return chunk(tag, words.encode("utf-16-be") + b"\0\0")


def write(path: str, tracks: Iterable[tuple[str, str, Sequence[int]]], sets: Mapping[str, Sequence[int]]) -> None:
    """Write a collection: (path from the drive's top, title, cue points in milliseconds) of each track, and named sets."""
    body = chunk(b"HEAD", b"decks 1")
    for place, title, cues in tracks:
        body += chunk(b"TRAK", text(b"PATH", place) + text(b"NAME", title) + chunk(b"CUES", struct.pack(f">{len(cues)}I", *cues)))
    for name, numbers in sets.items():
        body += chunk(b"SETT", text(b"NAME", name) + chunk(b"ITEM", struct.pack(f">{len(numbers)}H", *numbers)))
    Path(path).write_bytes(chunk(b"DCKS", body))


def read(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """Tag and payload of each chunk in `data`."""
    place = 0
    while place < len(data):
        tag, size = data[place : place + 4], struct.unpack_from(">I", data, place + 4)[0]
        yield tag, data[place + 8 : place + 8 + size]
        place += 8 + size + (size & 1)


def tracks_of(path: str) -> list[dict[bytes, bytes]]:
    """The chunks of each track in a collection."""
    ((_tag, body),) = read(Path(path).read_bytes())
    return [dict(read(track)) for tag, track in read(body) if tag == b"TRAK"]


def drive_of(path: str) -> Path:
    """The top of the drive that holds a file."""
    folder = Path(path).resolve().parent
    while not (folder / DRIVE_MARK).exists() and not folder.is_mount():
        folder = folder.parent
    return folder


def play_all(path: str) -> Iterator[tuple[str, str | None]]:
    """Every track of a collection, and why it does not play; a track that lost its cue points does not either."""
    top = drive_of(path)
    for track in tracks_of(path):
        place = str(top / track[b"PATH"].decode("utf-16-be").rstrip("\0"))
        yield place, plays(place) or (None if track.get(b"CUES") else "has lost its cue points")


def main(words: list[str]) -> int:
    """The stand-in's own command line."""
    return report("decks", play_all(words[0]))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
