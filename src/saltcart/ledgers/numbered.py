"""Lists in a text whose members have numbers: `folder1=`, `folder2=`, and perhaps how many there are.

One more member comes last, with the next number, and the texts move up to make room for it where it belongs; when one
goes, the last number goes.  So no key changes but for the ones that come and go.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

NUMBER = re.compile(rb"\d+")
NEAR = 400  # bytes before and after a list in which its length may stand
COUNT = re.compile(rb"(?i)(?:count|size|number|total|num|length)[\w\\/]*[\"']?[ \t]*[=:>][ \t]*[\"']?(\d+)\b")


class Joint(NamedTuple):
    """What stands between two members: `words` around its numbers, the last of these, and by how much each grows."""

    words: tuple[bytes, ...]
    numbers: tuple[bytes, ...]
    steps: tuple[int, ...]

    def after(self, count: int) -> bytes:
        """What stands before the member that is `count` behind the last one."""
        grown = [
            str(int(number) + step * count).encode().rjust(len(number) if number[:1] == b"0" else 0, b"0")
            for number, step in zip(self.numbers, self.steps, strict=True)
        ]
        return self.words[0] + b"".join(number + word for number, word in zip(grown, self.words[1:], strict=True))


def skeleton(text: bytes) -> tuple[bytes, ...]:
    """What a text is but for its numbers."""
    return tuple(NUMBER.split(text))


def joint_of(before: bytes, between: Sequence[bytes]) -> Joint | None:
    """How a list goes on whose first member stands behind `before`, with these texts `between` its members; None when
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
    last_line = re.split(rb"[\r\n]", first)[-1]
    yield re.escape(last_line if last_line or first.endswith((b"\n", b"\r")) else first)
    for word in more:
        yield rb"(\d+)" + re.escape(word)


class Members(NamedTuple):
    """A run of spans that are the numbered members of one list: numbers of the first and behind the last."""

    first: int
    end: int
    joint: Joint


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


def counted_again(text: bytes, old: int, new: int, at_end: bool) -> bytes:
    """A text beside a list, with the length of the list that stands in it."""
    start = max(0, len(text) - NEAR) if at_end else 0
    part = text[start:] if at_end else text[:NEAR]
    found = [one for one in COUNT.finditer(part) if int(one[1]) == old]
    if len(found) != 1:
        return text
    first, last = (start + place for place in found[0].span(1))
    return text[:first] + str(new).encode() + text[last:]


def edit(members: Members, new: Sequence[bytes], outside: list[bytes]) -> tuple[list[bytes], list[bytes]]:
    """The texts `new` as the members of a list, and what stands before, between and behind them then."""
    old = members.end - members.first
    around = outside[members.first : members.end + 1]
    between = [*around[1:-1], *(members.joint.after(more + 1) for more in range(len(new) - old))][: len(new) - 1]
    before = counted_again(around[0], old, len(new), True)
    after = counted_again(around[-1], old, len(new), False) if before == around[0] else around[-1]
    return list(new), [before, *between, after]


def runs_to_edit(numbers: Sequence[int], kinds: Sequence[object], outside: Sequence[bytes]) -> Mapping[int, Members]:
    """The numbered lists in which spans with these numbers stand, by their first member."""
    found = (members_around(number, kinds, outside) for number in numbers)
    return {one.first: one for one in found if one}
