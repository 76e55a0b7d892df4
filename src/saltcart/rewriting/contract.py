"""What every ledger format must keep, tried on a sample of it: for whoever writes a format or a container of their own.

Each rule is a function from the format and a sample file to what is wrong, "" when nothing is.
"""

import random
import tempfile
import time
from collections.abc import Callable, Iterator
from copy import copy
from typing import Any, NamedTuple

from saltcart.errors import SaltCartError
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.kinds import HEAD_BYTES
from saltcart.ledgers.spans import SpanFinder
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.rewriting.routes import Routes
from saltcart.spelling import Move, Moves
from saltcart.system import os

NEW_PLACE = "/saltcart/New Place"
DAMAGES, SLOWEST_SECONDS = 200, 5.0
# What no format may take for its own by content: the beginnings of files that everybody has.
OTHERS = {
    "nothing": b"",
    "a text": b"Dear all,\nthe boat leaves at nine.\n",
    "a WAV file": b"RIFF\x24\x08\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00",
    "a FLAC file": b"fLaC\x00\x00\x00\x22",
    "a database": b"SQLite format 3\x00\x10\x00\x01\x01",
    "noise": bytes(range(128, 256)),
}


class Format(NamedTuple):
    """What is tried: how a file is opened, what claims files (None for a container), and the bare finder."""

    opened: Callable[[str], TextLedger]
    claims: Callable[[str, bytes], bool] | None
    find: SpanFinder


class Verdict(NamedTuple):
    """One rule on one sample: `trouble` is "" when it is kept."""

    rule: str
    sample: str
    trouble: str


def verdicts(form: Format, sample: str) -> Iterator[Verdict]:
    """Every rule, tried on the sample at a path."""
    for rule, check in RULES.items():
        try:
            yield Verdict(rule, sample, check(form, sample))
        except SaltCartError as error:
            yield Verdict(rule, sample, error.what)
        except Exception as error:  # of whatever kind: the code under trial may do anything
            yield Verdict(rule, sample, f"{type(error).__name__}: {error}")


def knows_its_files(form: Format, sample: str) -> str:
    """It claims the sample, and no file of another kind."""
    if form.claims is None:
        return ""
    with open(sample, "rb") as stream:
        head = stream.read(HEAD_BYTES)
    if not form.claims(os.path.basename(sample), head):
        return "does not claim it"
    wrong = [what for what, other in OTHERS.items() if form.claims("x.dat", other)]
    return f"also claims {', '.join(wrong)}" if wrong else ""


def finds_entries(form: Format, sample: str) -> str:
    """It finds entries, in the order of the file."""
    return "" if any(True for _entry in form.opened(sample).entries()) else "finds no entry in it"


def keeps_bytes(form: Format, sample: str) -> str:
    """Nothing changes when nothing is asked."""
    with tempfile.TemporaryDirectory() as folder:
        target = os.path.join(folder, os.path.basename(sample))
        form.opened(sample).rewrite(target, {})
        return "" if content(target) == content(sample) else "a rewrite that changes nothing gives other bytes"


def writes_what_is_asked(form: Format, sample: str) -> str:
    """After a rewrite the entries say what was asked, and the others what they said."""
    with tempfile.TemporaryDirectory() as folder:
        target = os.path.join(folder, os.path.basename(sample))
        ledger = form.opened(sample)
        before = {entry.key: entry.written for entry in ledger.entries()}
        asked = rewritten(ledger, way_from(ledger), target)
        after = {entry.key: entry.written for entry in form.opened(target).entries()}
        if not asked:
            return "no entry follows when its sounds move: has the sample full paths, and are they read as such?"
        return "" if after == before | asked else "a rewritten file says something else than was asked"


def there_and_back(form: Format, sample: str) -> str:
    """There and back again gives the same bytes."""
    with tempfile.TemporaryDirectory() as folder:
        there, back = (os.path.join(folder, word, os.path.basename(sample)) for word in ("there", "back"))
        for path in (there, back):
            os.makedirs(os.path.dirname(path))
        ledger = form.opened(sample)
        way = way_from(ledger)
        rewritten(ledger, way, there)
        rewritten(form.opened(there), way.reversed(), back, os.path.dirname(sample))
        return "" if content(back) == content(sample) else "there and back again gives other bytes"


def stands_damage(form: Format, sample: str) -> str:
    """Damaged content is read, or refused with ValueError; neither takes long."""
    good = form.opened(sample).find().data
    chance = random.Random(len(good))
    for _ in range(DAMAGES):
        data = damaged(good, chance)
        began = time.monotonic()
        try:
            for _span in spans_of(form.find(data)):
                pass
        except (ValueError, RecursionError, MemoryError):
            pass
        if time.monotonic() - began > SLOWEST_SECONDS:
            return f"takes {time.monotonic() - began:.0f} s for a damaged file of {len(data):,} bytes"
    return ""


RULES = {
    "knows its files": knows_its_files,
    "finds entries": finds_entries,
    "keeps every byte when nothing changes": keeps_bytes,
    "writes what is asked, and nothing else": writes_what_is_asked,
    "there and back gives the same bytes": there_and_back,
    "stands damaged files": stands_damage,
}


def content(path: str) -> bytes:
    """The bytes of a file."""
    with open(path, "rb") as stream:
        return stream.read()


def spans_of(found: Any) -> Any:
    """Each span that a finder found, whatever it gives them in."""
    return found.inside if hasattr(found, "inside") else found


def way_from(ledger: Ledger) -> Moves:
    """A move of the folder that the first full path of a ledger lies in; an empty one when there is none."""
    resolver, folder = Resolver(), os.path.dirname(ledger.path)
    for entry in ledger.entries():
        path = resolver.path(entry.spelling, entry.written, resolver.start(entry, folder))
        if path and os.path.dirname(path) != folder:
            return Moves([Move(os.path.dirname(path), NEW_PLACE)])
    return Moves([])


def rewritten(ledger: Ledger, moves: Moves, target: str, folder: str = "") -> dict[Any, str]:
    """Rewrite a ledger to `target` as its sounds move, as if it stayed where it is, or in `folder`; the texts asked
    for, by key.
    """
    routes, folder = Routes(moves), folder or os.path.dirname(ledger.path)
    asked = {
        entry.key: text for entry in ledger.entries() if (text := routes.new_text(entry, folder, folder)) is not None
    }
    copy(ledger).rewrite(target, asked)
    return asked


def damaged(data: bytes, chance: random.Random) -> bytes:
    """The data cut short, with some bytes changed, or a part of it twice."""
    changed = bytearray(data)
    first, last = sorted((chance.randrange(len(data) + 1), chance.randrange(len(data) + 1)))
    kind = chance.randrange(3)
    if kind == 0:
        return bytes(changed[:first])
    if kind == 1:
        for _ in range(chance.randrange(1, 9)):
            changed[chance.randrange(len(changed))] = chance.randrange(256)
        return bytes(changed)
    return bytes(changed[:last] + changed[first:])
