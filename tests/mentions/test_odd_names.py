"""Shelves whose names have hardly a letter of ASCII: all files that refer to them are found and updated."""

import html
import json
import re
import sqlite3
from contextlib import closing, suppress
from urllib.parse import quote, unquote

from tests.world import WorldCase, wav

HEAD = '<?xml version="1.0"?><playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList>'


def numbered(text):
    """XML with numbers for what is beyond ASCII."""
    return text.encode("ascii", "xmlcharrefreplace").decode()


def write(folder, sounds):
    """Files that refer to sounds, each in another way."""
    folder.mkdir(parents=True)
    tracks = "".join(f"<track><location>file://{quote(one)}</location></track>" for one in sounds)
    (folder / "uris.xspf").write_text(f"{HEAD}{tracks}</trackList></playlist>")
    (folder / "session.song").write_text(json.dumps({"clips": [{"file": one} for one in sounds]}))
    pads = "".join(f'<pad wave="{numbered(one)}"/>' for one in sounds)
    (folder / "pads.kitx").write_text(f"<kit>{pads}</kit>")
    for encoding in ("cp1252", "cp932", "mac_roman", "utf-8"):
        with suppress(UnicodeEncodeError):
            (folder / f"{encoding}.m3u").write_bytes("".join(f"{one}\n" for one in sounds).encode(encoding))
    with closing(sqlite3.connect(folder / "library.lib")) as database, database:
        database.execute("CREATE TABLE sound (id INTEGER PRIMARY KEY, place TEXT)")
        database.executemany("INSERT INTO sound(place) VALUES (?)", [(f"file://{quote(one)}",) for one in sounds])


def read(folder):
    """The paths in these files, as their programs would read them."""
    with closing(sqlite3.connect(folder / "library.lib")) as database:
        places = database.execute("SELECT place FROM sound ORDER BY id").fetchall()
    said = {"library.lib": [unquote(place).removeprefix("file://") for (place,) in places]}
    said["session.song"] = [one["file"] for one in json.loads((folder / "session.song").read_text())["clips"]]
    uris = re.findall("<location>file://(.*?)</location>", (folder / "uris.xspf").read_text())
    said["uris.xspf"] = [unquote(html.unescape(one)) for one in uris]
    pads = re.findall('wave="(.*?)"', (folder / "pads.kitx").read_text())
    said["pads.kitx"] = [html.unescape(one) for one in pads]
    for playlist in folder.glob("*.m3u"):
        said[playlist.name] = playlist.read_bytes().decode(playlist.stem).splitlines()
    return said


class OddNames(WorldCase):
    def test_all_that_refers_to_them_follows(self):
        user = self.top / "user"
        self.environment["HOME"] = str(user)
        for name in ("été", "Äbc 0", "日本 音"):
            with self.subTest(name):
                shelf, new = user / "Sounds" / name, self.lighter / "Sounds" / name
                sounds = [shelf / f"{number}.wav" for number in range(6)]
                for number, sound in enumerate(sounds):
                    wav(sound, number)
                folder = user / "Files" / str(len(name.encode()))
                write(folder, list(map(str, sounds)))
                before = {file.name: file.read_bytes() for file in folder.iterdir()}
                self.run_program("move", shelf, "--to", new.parent, "--yes")
                there = [str(new / sound.name) for sound in sounds]
                self.assertEqual(read(folder), dict.fromkeys(before, there))
                self.run_program("undo", "--yes", "--drop-copies")
                self.assertEqual({file.name: file.read_bytes() for file in folder.iterdir()}, before)
