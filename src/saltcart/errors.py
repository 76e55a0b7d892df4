"""The one tree of errors.

Each error is one sentence of what happened and to what, and one of what to do
next.  `status` is the exit status the command line gives for it.
"""

import re
import shlex
from collections.abc import Sequence

from saltcart.system import here


def show(name: str | bytes) -> str:
    """A file name fit for a message: undecodable bytes and control characters are escaped."""
    text = name.decode("utf-8", "surrogateescape") if isinstance(name, bytes) else name
    if text.isprintable():  # then there are no escaped bytes either
        return text
    text = text.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return "".join(sign if sign.isprintable() else repr(sign)[1:-1] for sign in text)


def typed(path: str) -> str:
    """A path as a person can type it after a command: quoted for a shell, and never mistaken for an option."""
    path = f"./{path}" if path[:1] in ("-", "~") and not path.startswith("~/") else path
    if here.LETTERS:
        return in_double_quotes(path)
    if path.isprintable():
        return shlex.quote(path)
    return "$'" + "".join(map(in_dollar_quotes, path)) + "'"


def in_double_quotes(path: str) -> str:
    """A path for the shells of Windows, where names hold no `"`; only one of them knows single quotes, and needs them
    before a `$`.
    """
    if re.fullmatch(r"[\w:/\\.+@=,-]+", path):
        return path
    return f"'{path.replace(chr(39), chr(39) * 2)}'" if "$" in path or "`" in path else f'"{path}"'


def in_dollar_quotes(character: str) -> str:
    """A character between `$'` and `'` (POSIX.1-2024, section 2.2.4 of the shell language)."""
    if character in "\\'":
        return f"\\{character}"
    if character.isprintable():
        return character
    return "".join(f"\\{byte:03o}" for byte in character.encode("utf-8", "surrogateescape"))


def counted(number: int, one: str, several: str) -> str:
    """A number with the word that fits it: "1 file", "1,200 files"."""
    return f"{number:,} {one if number == 1 else several}"


class SaltCartError(Exception):
    """What went wrong (`what`), what to do about it (`remedy`), and particulars, a line each (`details`)."""

    status = 3

    def __init__(self, what: str, remedy: str = "", details: Sequence[str] = ()):
        super().__init__(what)
        self.what = what
        self.remedy = remedy
        self.details = list(details)


class UsageError(SaltCartError):
    """The words, the waybill or the map cannot be understood."""

    status = 2


def sentence(place: str, what: str) -> str:
    """A place and what is wrong with it: as one sentence where the second begins with a verb."""
    return f"{place} {what}" if what.startswith(("is ", "cannot ", "says ", "was ", "holds ")) else f"{place}: {what}"


class BadFile(UsageError):
    """A waybill, map or other file of ours does not say what it must; names file, line and key."""

    def __init__(self, path: str, line: int | None, what: str, remedy: str = ""):
        place = f"{show(path)}, line {line}" if line else show(path)
        super().__init__(sentence(place, what), remedy)


class Refused(SaltCartError):
    """The world is not as it must be; nothing was changed."""

    status = 3


class BadLedger(Refused):
    """A ledger cannot be read as what it claims to be."""

    def __init__(self, path: str, what: str, remedy: str = ""):
        super().__init__(
            sentence(show(path), what), remedy or "Leave this ledger out, or name a map that describes it with --map."
        )
        self.why = what


class CannotSpell(Refused):
    """An entry has no way to name its new place; the ledger is left as it is."""


class NotReadBack(Refused):
    """A drive gave back other content than was written to it."""


class LedgerBusy(Refused):
    """A program holds a ledger open, has locked it, or has pages of it still to write."""


class Stopped(SaltCartError):
    """The work ended part-way; what is done is recorded, and the same command continues."""

    status = 4


class NameTaken(Stopped):
    """What should get a name at the new place cannot, because something that is not ours has it; a person decides."""

    status = 1


class HalfDone(Stopped):
    """A switch could neither be finished nor be undone; the record says so, and one command continues from there."""
