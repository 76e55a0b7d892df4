"""The full paths of folders as most programs write them, in tables by what is around an anchor: nothing is decoded."""

from collections.abc import Iterable, Iterator
from typing import NamedTuple
from urllib.parse import quote

from saltcart.mentions.place_forms import PlaceForms


class Plain(NamedTuple):
    """The full path of folder `number` as bytes, in an encoding."""

    number: int
    encoding: str


Tables = dict[int, dict[bytes, dict[int, dict[bytes, list[Plain]]]]]  # by how long what is before the anchor is, and
# that; then by how long what follows is, and that


def tables(raw: bytes, forms: Iterable[tuple[int, dict[bytes, str]]]) -> Tables:
    """The forms of folders by what is before the anchor `raw` in them, and what follows."""
    found: Tables = {}
    for number, some in forms:
        for form, encoding in some.items():
            if (cut := form.lower().rfind(raw)) >= 0:
                rights = found.setdefault(cut, {}).setdefault(form[:cut], {})
                same = rights.setdefault(len(form) - cut, {}).setdefault(form[cut:], [])
                same.append(Plain(number, encoding))
    return found


def plain_forms(one: PlaceForms) -> dict[bytes, str]:
    """The full path in UTF-8, and as most programs write it in URIs."""
    forms = dict(one.raw)
    for raw in one.raw:
        for safe in ("/", "/!$&'()*+,;=:@"):
            forms.setdefault(quote(raw, safe=safe).encode(), "percent-encoded")
    return forms


def standing(data: bytes, at: int, some: Tables) -> Iterator[tuple[Plain, int, int]]:
    """What of some tables is around an anchor, from where and up to where."""
    for cut, lefts in some.items():
        start = at - cut
        rights = lefts.get(data[start:at]) if start >= 0 else None
        for length, table in rights.items() if rights else ():
            for one in table.get(data[at : at + length], ()):
                yield one, start, at + length
