"""What a draft saw in each shelf, kept among our own data so that the haul can say what has changed since."""

import json
import os
from collections.abc import Iterable

from saltcart.home import home
from saltcart.safefile import short_name


def keep(shelves: Iterable[tuple[str, Iterable[str]]]) -> str:
    """Keep the paths seen in each shelf; the name under which they are kept, the same for the same paths."""
    text = json.dumps({shelf: list(paths) for shelf, paths in shelves})
    name = short_name(text)
    folder = home() / "drafts"
    folder.mkdir(parents=True, exist_ok=True)
    (folder / f"{name}.json").write_text(text, encoding="ascii")
    return name


def seen(name: str, shelf: str) -> list[str]:
    """The paths the draft of that name saw in `shelf`; none when the list is not (or no longer) here."""
    path = home() / "drafts" / f"{os.path.basename(name)}.json"
    if not name or not path.is_file():
        return []
    with open(path, encoding="ascii") as stream:
        return json.load(stream).get(shelf, [])


def vanished(name: str, shelf: str) -> list[str]:
    """What the draft saw in `shelf` and is not there today."""
    return [path for path in seen(name, shelf) if not os.path.lexists(os.path.join(shelf, path))]


def appeared(name: str, shelf: str, today: Iterable[str]) -> list[str]:
    """What is in `shelf` today and the draft did not see."""
    then = set(seen(name, shelf))
    return [path for path in today if path not in then] if then else []
