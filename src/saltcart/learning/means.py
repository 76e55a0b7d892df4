"""What drives of another system would have to mean here for its paths to lead somewhere."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence

from saltcart.system import os

LETTER = re.compile(r"([A-Za-z]:)[\\/](.+)")
SHARE = re.compile(r"(\\\\[^\\/]+[\\/][^\\/]+)[\\/](.+)")
MOST = 400  # values that are looked at


def proposed_means(values: Iterable[str], shelves: Sequence[str]) -> list[tuple[str, int]]:
    """Declarations such as `D:=/media/lighter`, and how many of the values each would lead to something that is there.

    For each drive or share the folder, among those that the shelves lie in, that has the most of them.
    """
    tops = list(dict.fromkeys(top for shelf in shelves for top in above(shelf)))
    found: dict[str, Counter[str]] = {}
    for value in list(values)[:MOST]:
        split = SHARE.match(value) or LETTER.match(value)
        if split:
            tail = split[2].replace("\\", "/")
            there = (top for top in tops if os.path.exists(os.path.join(top, tail)))
            found.setdefault(split[1].upper() if split[1][1:] == ":" else split[1], Counter()).update(there)
    best = {name: counts.most_common(1)[0] for name, counts in found.items() if counts}
    return [(f"{name}={top}", count) for name, (top, count) in sorted(best.items())]


def above(path: str) -> list[str]:
    """A folder and all above it."""
    parts = path.split("/")
    return ["/".join(parts[:count]) or "/" for count in range(len(parts), 0, -1)]
