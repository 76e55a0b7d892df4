"""What the tags of sounds say, under one set of names whatever the kind of file, and what kind of recording it is.

Sources: ID3v2.4 (frames), the Vorbis comment fields, RIFF INFO and `smpl` (Multimedia Programming Interface and Data
Specifications 1.0, and its supplement), ISO/IEC 14496-12 (`hdlr` of a track).
"""

import re
from collections.abc import Mapping
from typing import Any

from saltcart.shelves.audio import kind_of
from saltcart.shelves.headers import read_header
from saltcart.shelves.sound_stream import sound_stream
from saltcart.system import os

TITLE, ARTIST = "title", "artist"
# Our names, those of comments and of the tag reader, and ID3 frames.
NAMES = {
    TITLE: ("title", "TIT2"),
    ARTIST: ("artist", "TPE1"),
    "albumartist": ("albumartist", "TPE2"),
    "album": ("album", "TALB"),
    "track": ("tracknumber", "TRCK"),
    "disc": ("discnumber", "TPOS"),
    "year": ("date", "TDRC"),
    "genre": ("genre", "TCON"),
    "tempo": ("bpm", "TBPM"),
}
MUSIC, SPOKEN, FILM, ONE_SHOTS, LOOPS = "music", "spoken word", "film", "one-shots", "loops"
FILMS = {".mov", ".m4v", ".mkv", ".avi", ".webm", ".mpg", ".mpeg"}
SPOKEN_GENRES = {"speech", "spoken", "spoken word", "audiobook", "podcast", "interview", "lecture"}
SHORT_SECONDS = 30.0  # what is shorter, and has neither artist nor album, is material and no piece
SAYS_LOOP = re.compile(r"(?<![a-z])loops?(?![a-z])|(?<!\d)\d{2,3} ?bpm(?![a-z])", re.IGNORECASE)
MOST_OF_IT = 0.9  # of a sound that a loop must span; what is less sustains a note


def tags_of(path: str) -> dict[str, str]:
    """What the tags of the sound at `path` say, by the names of NAMES, where it has them."""
    import mutagen

    try:
        opened = mutagen.File(path, easy=True)
        tags = dict(opened.tags or {}) if opened else {}
    except Exception:  # the reader raises what it likes for damaged tags
        tags = {}
    if not tags and kind_of(path) in ("WAV", "AIFF"):
        tags = comments_of(path)
    found = {name: text for name, keys in NAMES.items() if (text := first_text(tags, keys))}
    if "year" in found:
        found["year"] = found["year"][:4]
    return found


def first_text(tags: Mapping[str, Any], keys: tuple[str, ...]) -> str:
    """The first text under any of `keys`."""
    for key in keys:
        values = tags.get(key) or ()
        values = getattr(values, "text", values)
        text = values if isinstance(values, str) else str(values[0]) if values else ""
        if text.strip():
            return text.strip()
    return ""


def comments_of(path: str) -> dict[str, Any]:
    """What the decoder finds of tags."""
    import soundfile

    try:
        with sound_stream(path) as stream, soundfile.SoundFile(stream) as facts:
            return dict(facts.copy_metadata())
    except (OSError, RuntimeError):
        return {}


def recording_kind(path: str, tags: Mapping[str, str]) -> str:
    """MUSIC, SPOKEN, FILM, ONE_SHOTS or LOOPS, told from header, length and tags; "" when it cannot be."""
    suffix = os.path.splitext(path)[1].lower()
    if suffix in FILMS or (kind_of(path) == "MPEG-4" and has_pictures(path)):
        return FILM
    header = read_header(path) if kind_of(path) else None
    if header is None or header.trouble:
        return ""
    if tags.get("genre", "").casefold() in SPOKEN_GENRES:
        return SPOKEN
    if header.seconds >= SHORT_SECONDS or tags.get(ARTIST) or tags.get("album"):
        return MUSIC
    says_so = SAYS_LOOP.search(os.path.basename(path)) or tags.get("tempo")
    return LOOPS if says_so or is_looped(path, header.seconds * header.rate) else ONE_SHOTS


def has_pictures(path: str) -> bool:
    """Whether an MPEG-4 file has a track of moving pictures."""
    from mutagen.mp4 import Atoms

    try:
        with open(path, "rb") as stream:
            for track in Atoms(stream)[b"moov"].findall(b"trak"):
                handler = track[b"mdia", b"hdlr"]
                stream.seek(handler.offset + 16)  # past size, name, version and flags, and a field of zeros
                if stream.read(4) == b"vide":
                    return True
    except Exception:  # as for tags
        return False
    return False


def is_looped(path: str, frames: float) -> bool:
    """Whether the header of a WAV file says that nearly all of its `frames` are repeated."""
    if kind_of(path) != "WAV":
        return False
    with open(path, "rb") as stream:
        stream.seek(12)
        while len(head := stream.read(8)) == 8:
            size = int.from_bytes(head[4:], "little")
            if head[:4] == b"smpl":
                body = stream.read(min(size, 60))  # 36 bytes, then 24 for each loop: its start and end at 8 and 12
                start, end = (int.from_bytes(body[at : at + 4], "little") for at in (44, 48))
                return len(body) == 60 and end - start >= MOST_OF_IT * frames
            stream.seek(size + size % 2, os.SEEK_CUR)
    return False
