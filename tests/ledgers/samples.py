"""One table of samples for every format: a ledger that names files below /keel/S in all its manners."""

import os
import sqlite3
from contextlib import closing

from saltcart.ledgers import load_map
from saltcart.ledgers.kinds import TEXT_FORMATS, open_ledger
from saltcart.standins import player
from tests.world import PLAYER_MAP

M3U = {
    "plain.m3u": b"/keel/S/a.wav\n/keel/S/b c.wav\n\n# /keel/S/a.wav\n",
    "bom.m3u8": "\ufeff#EXTM3U\r\n#EXTINF:3,x\r\n/keel/S/Été.wav\r\n  \r\n/keel/S".encode(),
    "legacy.m3u": "/keel/S/Été.wav\r\n/keel/Gäste/x.wav".encode("cp1252"),
    "odd bytes.m3u": b"/keel/S/\x81\xff.wav\n/keel/S/\x00".replace(b"\x00", b"end"),
    "uris.m3u8": b"file:///keel/S/%C3%A9.wav\nhttp://radio.example/a\nfile:///keel/S/a%20b.wav\n",
    "relative.m3u": b"../keel/S/x.wav\n./../keel/S/y.wav\nsub/z.wav\n",
}


def text_samples(folder):
    """Every text sample, written below `folder`: (format name, path)."""
    for name, data in M3U.items():
        path = os.path.join(folder, name)
        with open(path, "wb") as stream:
            stream.write(data)
        yield "m3u", path


def samples(folder):
    """An open ledger for every sample of every format and container."""
    for _form, path in text_samples(folder):
        yield open_ledger(path, [])
    library = os.path.join(folder, "library.db")
    player.create(library)
    player.add_folder(library, "/keel/S")
    player.add_tracks(library, [(f"/keel/S/Été {number} #%.wav", "t", "a", 1.0, 3, 4, None) for number in range(5)])
    with closing(sqlite3.connect(library)) as database, database:
        database.execute("INSERT INTO tracks (place, title, rating) VALUES (CAST(? AS TEXT), 'raw', 1.0)", (b"file:///keel/S/\xff.wav",))
        database.execute("INSERT INTO tracks (place, title) VALUES ('http://radio.example/x', 'remote')")
    yield open_ledger(library, [load_map(str(PLAYER_MAP))])


def formats_without_sample(folder):
    """Names of text formats that no sample covers."""
    return {form.NAME for form in TEXT_FORMATS} - {form for form, _path in text_samples(folder)}
