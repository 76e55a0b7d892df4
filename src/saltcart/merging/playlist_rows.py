"""A playlist in M3U as rows: one for each path line, with the comments before it, in one list."""

import codecs
import re
from collections import Counter
from collections.abc import Container, Mapping

from saltcart.errors import show
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.formats.m3u import is_utf8
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.merging.forms import REMEDY, CannotMerge, Places, places_of
from saltcart.merging.history import Uid
from saltcart.merging.merged import FILE as FILE_LIST
from saltcart.merging.merged import Merged
from saltcart.merging.rows import LINES, Content, Key, Row, Spot

TRACKS, HEAD, TAIL = "tracks", "head", "tail"
FILE: Spot = "", ()
LINE = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+$")  # no other character ends one


class PlaylistForm:
    """Playlists as rows.  Each is read in UTF-8, which ASCII is a part of."""

    def read(self, ledger: Ledger, places: Places) -> Content:
        """See Form.read."""
        assert isinstance(ledger, TextLedger)
        spans = ledger.find()
        if not is_utf8(spans.data):
            raise CannotMerge(f"{show(ledger.path)} is not in UTF-8", REMEDY)
        means = {key: place for key, _where, place in places_of(ledger, places)}
        head, leads = apart(spans.outside[0].decode())
        rows = [Row(HEAD, ("",), {"text": head})]
        counts: Counter[str] = Counter()
        for number, raw in enumerate(spans.inside):
            path, place = raw.decode(), means.get(number)
            counts[place or path] += 1
            key = place or path, counts[place or path]
            told = {"path": place} if place else {}
            rows.append(Row(TRACKS, key, {"before": leads, "path": path}, {}, told, FILE))
            leads = after_line(spans.outside[number + 1].decode())
        rows.append(Row(TAIL, ("",), {"text": leads}))
        return Content(rows, {HEAD: {"text": LINES}, TAIL: {"text": LINES}})

    def write(self, ledger: Ledger, target: str, merged: Merged, ours: Mapping[Uid, Row]) -> dict[Spot, Uid]:
        """See Form.write."""
        assert isinstance(ledger, TextLedger)
        end = end_of(ledger.find().data)
        known = {one.table: one for one in merged.rows.values() if one.table != TRACKS}
        texts = [str(known[HEAD].cells["text"])]
        for uid in merged.orders.get(FILE_LIST, (b"", []))[1]:
            cells, mine = merged.rows[uid].cells, ours.get(uid)
            as_it_is = mine is not None and mine.cells["before"] == cells["before"]
            before = str(cells["before"]) if as_it_is else with_ends(str(cells["before"]), end)
            texts.append(before + str(cells["path"]) + end)
        texts.append(with_ends(str(known[TAIL].cells["text"]), end))
        with open(target, "w", encoding="utf-8", newline="") as stream:
            stream.write("".join(texts))
        return {(one.table, ("",)): one.uid for one in known.values()}


def without(ledger: Ledger, target: str, content: Content, goes: Container[Key]) -> None:
    """Write a playlist into `target` without some of its rows, and all else as it is."""
    assert isinstance(ledger, TextLedger)
    spans = ledger.find()
    rows = [row for row in content.rows if row.table == TRACKS]
    data = [next(str(row.cells["text"]) for row in content.rows if row.table == HEAD).encode()]
    for number, row in enumerate(rows):
        if row.key not in goes:
            after = spans.outside[number + 1]
            end = after[: len(after) - len(after_line(after.decode()).encode())]
            data += [str(row.cells["before"]).encode(), spans.inside[number], end]
    data += [str(row.cells["text"]).encode() for row in content.rows if row.table == TAIL]
    with open(target, "wb") as stream:
        stream.write(b"".join(data))


def apart(text: str) -> tuple[str, str]:
    """What is before the first path, as the head of the file and what belongs to that path."""
    mark = codecs.BOM_UTF8.decode()
    found = LINE.match(text)
    line = found[0] if found else ""
    is_head = line.removeprefix(mark).upper().startswith("#EXTM3U")
    head = line if is_head else text[: len(mark)] if text.startswith(mark) else ""
    return head, text[len(head) :]


def after_line(text: str) -> str:
    """What follows a path, without the end of its line."""
    return text[2:] if text.startswith("\r\n") else text[1:] if text[:1] in ("\n", "\r") else text


def end_of(data: bytes) -> str:
    """How the lines of a playlist end."""
    return "\r\n" if b"\r\n" in data else "\n" if b"\n" in data or b"\r" not in data else "\r"


def with_ends(text: str, end: str) -> str:
    """Lines with the ends that the file has."""
    return "".join(line.rstrip("\r\n") + end for line in LINE.findall(text))
