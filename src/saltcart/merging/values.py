"""Values of two sides as one: arrays, lines, sequences, times."""

import json
from collections import defaultdict
from collections.abc import Sequence

import msgspec

from saltcart.merging.rows import LINES, Cell

NAMES = ("uuid", "id", "name", "title")  # members of an object that tell it from others
BEFORE, AFTER = object(), object()  # where members go that are behind nothing, or share nothing with the others


def plain(value: object) -> Cell:
    """A value for a person to see."""
    return value if isinstance(value, str | int | float | bytes | None) else None


def rank(value: object) -> tuple[int, float, str]:
    """What times are compared by, numbers or texts."""
    if isinstance(value, int | float):
        return 1, float(value), ""
    return (2, 0.0, value) if isinstance(value, str) else (0, 0.0, "")


def elements_of_both(here: object, there: object, role: str = "") -> str | None:
    """Two arrays in JSON as one that has the elements of both, or two texts with the lines of both; None for others."""
    if role == LINES:
        lines = sorted([str(one).encode("utf-8", "surrogateescape").splitlines(keepends=True) for one in (here, there)])
        return b"".join(woven(*lines)).decode("utf-8", "surrogateescape")
    try:
        first, second = (msgspec.json.decode(one if isinstance(one, str | bytes) else "") for one in (here, there))
    except msgspec.MsgspecError:
        return None
    if not isinstance(first, list) or not isinstance(second, list) or differ_inside(first, second):
        return None
    one, two = sorted([first, second], key=repr)
    texts = woven(*([msgspec.json.encode(each) for each in side] for side in (one, two)))
    found = [msgspec.json.decode(each) for each in texts]
    if all(isinstance(each, int | float) for each in found) and one == sorted(one) and two == sorted(two):
        found.sort()
    tight = ", " not in f"{here}{there}"
    return json.dumps(found, ensure_ascii=False, sort_keys=True, separators=(",", ":") if tight else None)


def differ_inside(first: Sequence[object], second: Sequence[object]) -> bool:
    """Whether two arrays hold an object of one name or number each, which are not alike: to have both would bring back
    what one side has changed.
    """
    for key in NAMES:
        known = {one[key]: one for one in first if isinstance(one, dict) and isinstance(one.get(key), str | int)}
        others = (one for one in second if isinstance(one, dict) and isinstance(one.get(key), str | int))
        if any(known.get(one[key], one) != one for one in others):
            return True
    return False


def woven(first: Sequence[bytes], second: Sequence[bytes]) -> list[bytes]:
    """The members of both, in the order of the first; each of the others behind what it is behind there, or behind
    all when the two have nothing in common.
    """
    known = set(first)
    behind: dict[object, list[bytes]] = defaultdict(list)
    last: object = BEFORE if known & {*second} else AFTER
    for one in dict.fromkeys(second):
        if one in known:
            last = one
        else:
            behind[last].append(one)
    result = behind[BEFORE]
    for one in first:
        result += [one, *behind.pop(one, ())]
    return result + behind[AFTER]
