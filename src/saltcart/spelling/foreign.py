"""Paths written on, or for, another system: drive letters, network shares, backslashes, paths from a drive's top.

A full path of another system is read as a path below a folder that cannot exist here, such as
`/D:/Sounds/x.wav` or `/\\\\host\\share/x.wav`.  Whoever knows what `D:` stands for here (`Meanings`)
translates it; nobody else can mistake it for a place.
"""

import re
from collections.abc import Iterable

from saltcart.errors import CannotSpell, UsageError, show
from saltcart.spelling.base import Form
from saltcart.spelling.moves import Move, Moves, plain, tail_below
from saltcart.system import here, os

OWN_LETTER = re.compile(r"[A-Z]:(?=/|$)")
LETTER = re.compile(r"([A-Za-z]:)[\\/]")
SHARE = re.compile(r"(?:\\\\|//)([^\\/]+)[\\/]([^\\/]+)")
# How that system names its paths when they may be long: before a letter, and for shares.
LONG, LONG_SHARE = re.compile(r"\\\\[?.]\\(?=[A-Za-z]:)"), re.compile(r"(?i)\\\\[?.]\\UNC\\")
PSEUDO = re.compile(r"/([A-Z]:|\\\\[^/]+)(?=/|$)")


def own(path: str) -> str:
    """A path below what stands for a letter or a share, as a system has it that knows those itself: `D:/Sounds`."""
    if not here.LETTERS or not PSEUDO.match(path):
        return path
    return path[1:].replace("\\", "/") if path[2:3] != ":" else path[1:]


def foreign(path: str) -> str:
    """The opposite."""
    if here.LETTERS and (found := SHARE.match(path)):
        return share(found[1], found[2]) + path[found.end() :]
    return f"/{path}" if here.LETTERS and OWN_LETTER.match(path) else path


def looks_foreign(text: str) -> bool:
    """Whether a text is a full path of a system with drive letters or shares."""
    text = without_long(text)[1]
    return bool(LETTER.match(text)) or (text.startswith("\\\\") and bool(SHARE.match(text)))


def without_long(text: str) -> tuple[str, str]:
    """The mark of a long path, "" when it has none, and the path without it."""
    if found := LONG_SHARE.match(text):
        return found[0], "\\\\" + text[found.end() :]
    found = LONG.match(text)
    return (found[0], text[found.end() :]) if found else ("", text)


def lexical(top: str, tail: str) -> str:
    """The path of `tail` below `top`, steps up taken as that system takes them: before it looks at any folder."""
    kept: list[str] = []
    for part in tail.replace("\\", "/").split("/"):
        if part == "..":
            kept = kept[:-1]
        elif part not in ("", "."):
            kept.append(part)
    return "/".join([top, *kept])


class Windows(Form):
    """`D:\\Sounds\\x.wav`, `D:/Sounds/x.wav`, `\\\\host\\share\\x.wav`."""

    name = "windows"
    folds_case = True

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read; the path lies below a folder that stands for the letter or share."""
        _long, text = without_long(text)
        if found := LETTER.match(text):
            return own(lexical(f"/{found[1].upper()}", text[3:]))
        if found := SHARE.match(text):
            return own(lexical(share(found[1], found[2]), text[found.end() :]))
        return None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; either slash stays as its writer has it, and the case of the letter."""
        path = foreign(path)
        found = PSEUDO.match(path)
        if not found:
            raise CannotSpell(
                f"no drive letter is known for {show(path)}",
                "Declare it: --drive 'D:=/folder', or windows = \"D:\" for the drive in cart.toml.",
            )
        long, text = without_long(text)
        slash = "/" if "\\" not in text and "/" in text else "\\"
        top = found[1]
        if text[:1].islower() and top[1:] == ":":
            top = top.lower()
        own = SHARE.match(text)
        if own and share(own[1], own[2]) == "/" + top:
            top = f"\\\\{own[1]}\\{own[2]}"
        tail = path[found.end() :].lstrip("/")
        if "\\" in tail:
            raise CannotSpell(f"a path of that system cannot hold the backslash in {show(path)}")
        end = slash if text.endswith(("/", "\\")) and tail else ""
        written = top.replace("\\", slash) + slash + tail.replace("/", slash) + end
        if not long:
            return written
        return "\\\\?\\UNC\\" + written[2:] if written[:2] == "\\\\" else "\\\\?\\" + written


def share(host: str, name: str) -> str:
    """The folder that stands for a share; their letters may be of any case."""
    return f"/\\\\{host.lower()}\\{name.lower()}"


class WindowsRelative(Form):
    """A path with backslashes that starts from the ledger's folder."""

    name = "windows-relative"
    folds_case = True

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        return plain(f"{base}/{text.replace(chr(92), '/')}") if text else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write."""
        written = os.path.relpath(path, base)
        if "\\" in written:
            raise CannotSpell(f"a path with backslashes cannot hold the one in the name {show(written)}")
        lead = "./" if text.startswith((".\\", "./")) else ""
        end = "/" if text.endswith(("/", "\\")) else ""
        slashed = lead + written + end
        return slashed if "\\" not in text and "/" in text else slashed.replace("/", "\\")


class FromDrive(Form):
    """A path from the top of the drive the ledger lies on, with or without a slash before it."""

    name = "drive"
    start = "drive"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read; `base` is the drive's top."""
        tail = (text.replace(chr(92), "/") if "/" not in text else text).lstrip("/")
        return plain(f"{base}/{tail}") if tail else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; only what lies on the drive can be written."""
        tail = tail_below(path, base)
        if not tail:
            raise CannotSpell(
                f"{show(path)} is not on the drive this ledger lies on, and the ledger can name nothing else"
            )
        slash = "\\" if "\\" in text and "/" not in text else "/"
        lead = slash if text[:1] in ("/", "\\") else ""
        return lead + tail.replace("/", slash)


class EitherSlash(Form):
    """A path with slashes of either kind, full or from the ledger's folder, in whatever case."""

    name = "either"
    folds_case = True

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        if looks_foreign(text):
            return WINDOWS.read(text, base)
        path = text.replace("\\", "/")
        return plain(path if path.startswith("/") else f"{base}/{path}") if text else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; whichever slash is there stays, relative stays relative."""
        if looks_foreign(text):
            return WINDOWS.write(text, path, base)
        if not text.startswith(("/", "\\")):
            return WINDOWS_RELATIVE.write(text, path, base)
        end = "/" if text.endswith(("/", "\\")) else ""
        return path + end if "\\" not in text else (path + end).replace("/", "\\")


class NameOnly(Form):
    """A file's name; its folder is elsewhere."""

    name = "name"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        return plain(f"{base}/{text}") if text else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; the file must lie right in its folder."""
        folder, name = os.path.split(path)
        if plain(folder) != plain(base):
            raise CannotSpell(
                f"it can refer to {show(name)} only inside {show(base)}, and other entries need that folder too"
            )
        return name


class Meanings:
    """What full paths of other systems mean here: `D:` is this folder, `/Volumes/X` is that one."""

    def __init__(self, declared: Iterable[str] = ()):
        """From declarations such as `D:=/media/lighter`.  Raises UsageError for what is none."""
        self.moves = Moves(Move(*meaning(text)) for text in declared)
        back = self.moves.reversed().moves
        self.letters = Moves(move for move in back if PSEUDO.match(move.new) and move.new[2] == ":")
        self.shares = Moves(move for move in back if PSEUDO.match(move.new) and move.new[2] != ":")
        self.others = Moves(move for move in back if not PSEUDO.match(move.new))

    def here(self, path: str) -> str:
        """The path on this machine for what was read; the same when nothing was declared for it."""
        return self.moves.follow(foreign(path)) or path

    def there(self, path: str, like: str) -> str:
        """The opposite, for an entry that read as `like`: a path of the same kind of system, and only for those; by a
        letter or a share as the entry has it, where both stand for the place.
        """
        like = foreign(like)
        if here.LETTERS and not self.moves.covers(like):
            return path  # what nobody declared is this computer's own letter
        if PSEUDO.match(like):
            first, second = (self.letters, self.shares) if like[2] == ":" else (self.shares, self.letters)
            return first.follow(path) or second.follow(path) or path
        return (self.others.follow(path) or path) if self.moves.covers(like) else path


def meaning(text: str) -> tuple[str, str]:
    """The pair that a declaration `D:=/media/lighter` says.  UsageError when it is none."""
    there, sign, place = text.partition("=")
    path: str | None = plain(there)
    if not there.startswith("/"):
        path = Windows().read(there if there[-1:] in ("/", "\\") else there + "\\", "")
        path = foreign(path) if path else None
    if not sign or not path or not (place.startswith("~") or os.path.isabs(place)):
        raise UsageError(f"{show(text)} does not say what a drive means", "Write it like: --drive 'D:=/media/lighter'.")
    return path, plain(os.path.expanduser(place))


WINDOWS, WINDOWS_RELATIVE, DRIVE, NAME_ONLY = Windows(), WindowsRelative(), FromDrive(), NameOnly()
EITHER_SLASH = EitherSlash()
