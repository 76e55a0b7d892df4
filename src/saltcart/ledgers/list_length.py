"""The length of a list in a text, where the file says it: `size=2`, `"folderCount": 2`, `<folders count="2">`.

It is near the list: in its section, in the object that holds it, in an element around it.  A number elsewhere
stays, whatever it is; where one near the list may be its length and need not, the list is refused.
"""

import re

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.base import REMEDY_LIST

NEAR = 400  # bytes before and after a list in which its length may be
COUNTS = rb"count|size|number|total|num|length"
JOINS = rb"[\"']?[ \t]*[=:>][ \t]*[\"']?|</key>\s*<integer>"  # between a key and its number
COUNT = re.compile(rb"(?i)([\w\\/-]*(?:%b)[\w\\/-]*)(?:%b)(\d+)\b" % (COUNTS, JOINS))
PLAIN_COUNT = re.compile(rb"(?i)%b" % COUNTS)
HEADER = re.compile(rb"(?:\A|(?<=[\r\n]))\[[^\r\n\"'\[\]{},]+\][ \t]*(?=[\r\n])")  # where a section begins
TAG = re.compile(rb"<(/?)([\w:.-]+)[^<>]*?(/?)>")
BRACKETS = re.compile(rb"[{}\[\]]")
# What a list is called: the key or the element before its first member.
NAME = re.compile(rb"([A-Za-z]{3,}?)s?[_\-]?\d*[\"']?(?:[ \t]*[=:>][\s\[{(]*[\"']?|\s[^<>]*>\s*(?:<[^<>]*>\s*)?)?\Z")

MEMBER_KEY = re.compile(rb"[\"']?\d+[\"']?[ \t]*[=:][ \t]*[\"']?\Z")


def recounted(before: bytes, after: bytes, old: int, new: int, name: bytes = b"") -> tuple[bytes, bytes]:
    """What is before and behind a list, with its length in the key that holds it, if one does: a key that says no
    more than that it is a number of things, or of what the list is called.  Raises CannotSpell where that is not plain.
    """
    found = [(True, one) for one in COUNT.finditer(own_part_before(before))]
    found += [(False, one) for one in COUNT.finditer(own_part_behind(after))]
    equal = [(first, one) for first, one in found if int(one[2]) == old]
    if old == new or not equal:
        return before, after
    key, stem = equal[0][1][1], name.lower() or stem_of(before)
    if len(equal) > 1 or not (PLAIN_COUNT.fullmatch(key) or (stem and stem in key.lower())):
        names = ", ".join(sorted({show(one[1].decode("utf-8", "replace")) for _first, one in equal}))
        raise CannotSpell(f"nothing shows whether {names} is the number of folders in its list", REMEDY_LIST)
    at_front, one = equal[0]
    text = before if at_front else after
    text = text[: one.start(2)] + str(new).encode() + text[one.end(2) :]
    return (text, after) if at_front else (before, text)


def stem_of(before: bytes) -> bytes:
    """The name of a list by what is before its first member, without what makes it several."""
    found = NAME.search(MEMBER_KEY.sub(b"", before[-NEAR:]))
    return found[1].lower() if found else b""


def blanked(text: bytes, parts: list[tuple[int, int]]) -> bytes:
    """A text in which some parts are blank, as long as before."""
    raw = bytearray(text)
    for start, end in parts:
        raw[start:end] = b" " * (end - start)
    return bytes(raw)


def own_part_before(text: bytes) -> bytes:
    """What is before a list, blank where it belongs to something else."""
    start = max(0, len(text) - NEAR)
    start = max([start, *(found.end() for found in HEADER.finditer(text, start))])
    tags = list(TAG.finditer(text, start))
    parts = [(0, start)]
    if tags:
        closed = [found[2] for found in tags if found[1]]
        other = [found for found in tags if found[3] or (not found[1] and found[2] in closed)]
        others = [found.span() for found in other if b"=" in found[0]]  # their attributes say nothing of the list
        return blanked(text, parts + others)
    return blanked(
        text, parts + foreign(text, [found.start() for found in BRACKETS.finditer(text, start)][::-1], b"]}")
    )


def own_part_behind(text: bytes) -> bytes:
    """What is behind a list, blank where it belongs to something else."""
    header = HEADER.search(text, 0, NEAR)
    end = header.start() if header else NEAR
    parts = [(min(end, len(text)), len(text))]
    if TAG.search(text, 0, end):
        return blanked(text, parts + [found.span() for found in TAG.finditer(text, 0, end) if b"=" in found[0]])
    return blanked(text, parts + foreign(text, [found.start() for found in BRACKETS.finditer(text, 0, end)], b"[{"))


def foreign(text: bytes, brackets: list[int], inward: bytes) -> list[tuple[int, int]]:
    """The parts of a text in other objects, and beyond the one that holds the list: going away from the list from
    bracket to bracket, of which those `inward` begin another object.
    """
    found: list[tuple[int, int]] = []
    depth, entered, passed = 0, 0, ""
    for at in brackets:
        if text[at] in inward:
            entered = entered if depth else at
            depth += 1
        elif depth:
            depth -= 1
            if not depth:
                found.append((min(entered, at), max(entered, at)))
        else:
            passed += "o" if text[at] in b"{}" else "a"
            # Its own bracket, then that of what holds it; a member that is an object has its own before these.
            if len(passed) == (3 if passed.startswith("oa") else 2):
                return [*found, (0, at) if inward == b"]}" else (at, len(text))]
    return found
