"""Lists in a text whose members have numbers: `folder1=`, `folder2=`, and perhaps how many there are.

One more member comes last, with the next number, and the texts move up to make room for it where it belongs; when one
goes, the last number goes.  So no key changes but for the ones that come and go.
"""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from saltcart.ledgers.list_length import recounted

NUMBER = re.compile(rb"\d+")
LEAD = re.compile(rb'(?:[{<]|(?<=[\r\n]))[^\r\n{<]*\Z|"[^"]*\Z')  # the line, tag or word that a key is in
# Keys and tags: quoted names before a colon, names of elements and attributes, what begins a line up to = or a colon.
KEYS = re.compile(rb"""(["'])[^"']*\1\s*:|</?[\w:.-]+|(?<![\w:.-])[\w:.-]++=(?=["'])|(?<=\n)[\w .\t-]++[=:]""")
LONE_HEAD = re.compile(rb'\[(\s*)\{(\s*"[^"\\]*"\s*:\s*)"\Z')  # an array with one object, up to its only value
LONE_TAIL = re.compile(rb'"(\s*)\}\s*\]')
LONGEST_NAME = 200  # bytes of what a list may be called
Joins = Callable[[bytes], bool]
OTHER_KEY = re.compile(rb"""[\]}]\s*,\s*"[^"]*"\s*:\s*[{\[]""")
STEM = re.compile(rb"([A-Za-z]{3,}?)s?[_\-\\/ ]*\Z")


class Joint(NamedTuple):
    """What is between two members: `words` around its numbers, the last of these, and by how much each grows."""

    words: tuple[bytes, ...]
    numbers: tuple[bytes, ...]
    steps: tuple[int, ...]

    def after(self, count: int) -> bytes:
        """What is before the member that is `count` behind the last one."""
        grown = [
            str(int(number) + step * count).encode().rjust(len(number) if number[:1] == b"0" else 0, b"0")
            for number, step in zip(self.numbers, self.steps, strict=True)
        ]
        return self.words[0] + b"".join(number + word for number, word in zip(grown, self.words[1:], strict=True))


def skeleton(text: bytes) -> tuple[bytes, ...]:
    """What a text is but for its numbers."""
    return tuple(NUMBER.split(text))


def joint_of(before: bytes, between: Sequence[bytes]) -> Joint | None:
    """How a list continues whose first member is behind `before`, with these texts `between` its members; None when
    that cannot be told, or when it has no numbers that grow.
    """
    line = before[max(before.rfind(b"\n"), before.rfind(b"\r")) :]
    last = between[-1] if between else line
    words, rows = skeleton(last), [NUMBER.findall(text) for text in between]
    if any(skeleton(text) != words for text in between) or not NUMBER.search(last):
        return None
    if head := re.search(b"".join(sign_or_number(words)) + rb"\Z", before):
        rows.insert(0, list(head.groups()))
    if len(rows) < 2 and between:
        return None
    columns = list(zip(*([int(number) for number in row] for row in rows), strict=True))
    steps = [{now - then for then, now in pairwise(column)} for column in columns]
    if not between:  # the key of one that is alone: its last number
        return Joint(words, tuple(rows[-1]), (*[0] * (len(columns) - 1), 1)) if words[0][:1] in (b"\n", b"\r") else None
    if any(step not in ({0}, {1}) for step in steps) or {1} not in steps:
        return None
    return Joint(words, tuple(rows[-1]), tuple(step.pop() for step in steps))


def sign_or_number(words: Sequence[bytes]) -> Iterator[bytes]:
    """A pattern for a text of these words with numbers between them; it may begin within the first word."""
    first, *more = words
    yield re.escape(lead[0] if (lead := LEAD.search(first)) else first)
    for word in more:
        yield rb"(\d+)" + re.escape(word)


class Members(NamedTuple):
    """A run of spans that are the numbered members of one list: numbers of the first and behind the last."""

    first: int
    end: int
    joint: Joint


def list_around(number: int, kinds: Sequence[object], outside: Sequence[bytes], joins: Joins) -> tuple[int, int]:
    """The first and the last member of the list that the span with that number is in: spans of one kind, and what
    `joins` members is between them.
    """
    first = last = number
    while first and kinds[first - 1] == kinds[number] and joins(outside[first]):
        first -= 1
    while last + 1 < len(kinds) and kinds[last + 1] == kinds[number] and joins(outside[last + 1]):
        last += 1
    return first, last


def plain_joint(number: int, kinds: Sequence[object], outside: Sequence[bytes]) -> bytes | None:
    """What is between the members of the list around a span, where that says nothing of one of them: it is the same
    everywhere, or holds nothing but keys and tags.  None when it cannot be told.
    """
    first, last = list_around(number, kinds, outside, bool)
    between = outside[first + 1 : last + 1]
    if len(between) > 1 and len(set(between)) == 1:
        return between[0]
    return next((one for near in (number + 1, number) if first < near <= last and is_plain(one := outside[near])), None)


def joint_of_objects(before: bytes, after: bytes) -> bytes | None:
    """What would be between the only member of an array in JSON and a second one, where each is an object that holds
    nothing else; None for others.
    """
    head, tail = LONE_HEAD.search(before), LONE_TAIL.match(after)
    if not head or not tail:
        return None
    gap = head[1] or (b" " if head[2].endswith(b" ") else b"")
    return b'"' + tail[1] + b"}," + gap + b"{" + head[2] + b'"'


def is_plain(joint: bytes) -> bool:
    """Whether a text leads from one member of a list to the next, and could do so once more: nothing in it is a value,
    a number, or the key or name of another list.
    """
    closed, opened = (re.findall(sign + rb"([\w:.-]+)", joint) for sign in (b"</", b"<"))
    same = not OTHER_KEY.search(joint) and (not closed or closed[::-1] == opened)
    return same and not NUMBER.search(joint) and not re.search(rb"\w", KEYS.sub(b"", joint))


def members_around(number: int, kinds: Sequence[object], outside: Sequence[bytes]) -> Members | None:
    """The numbered list that the span with that number is in."""
    last = len(kinds) - 1
    after = number < last and kinds[number + 1] == kinds[number]
    words = skeleton(outside[number + 1]) if after else skeleton(outside[number])
    first = end = number
    while first and kinds[first - 1] == kinds[number] and skeleton(outside[first]) == words:
        first -= 1
    while end < last and kinds[end + 1] == kinds[number] and skeleton(outside[end + 1]) == words:
        end += 1
    joint = joint_of(outside[first], outside[first + 1 : end + 1])
    return Members(first, end + 1, joint) if joint else None


def edit(members: Members, new: Sequence[bytes], outside: list[bytes]) -> tuple[list[bytes], list[bytes]]:
    """The texts `new` as the members of a list, and what is before, between and behind them then.  Raises
    CannotSpell.
    """
    old = members.end - members.first
    around = outside[members.first : members.end + 1]
    between = [*around[1:-1], *(members.joint.after(more + 1) for more in range(len(new) - old))][: len(new) - 1]
    stem = STEM.search(members.joint.words[0][-LONGEST_NAME:])
    before, after = recounted(around[0], around[-1], old, len(new), stem[1] if stem else b"")
    return list(new), [before, *between, after]


def runs_to_edit(numbers: Sequence[int], kinds: Sequence[object], outside: Sequence[bytes]) -> Mapping[int, Members]:
    """The numbered lists in which spans with these numbers are, by their first member."""
    found = (members_around(number, kinds, outside) for number in numbers)
    return {one.first: one for one in found if one}
