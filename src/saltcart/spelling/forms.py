"""The forms in which a program writes a path, each able to read one and to write another in the same manner.

`read(text, base)` gives the absolute path that `text` means in a ledger whose folder
is `base`, or None when it leads to no file at all (a web address).  `write(text, path, base)`
gives the text that means `path` in the manner of `text`: whatever part of the old text
still fits the end of the new path is kept to the letter.
"""

import re

from saltcart.errors import CannotSpell, UsageError, show
from saltcart.spelling.base import Form, Spelling
from saltcart.spelling.foreign import DRIVE, EITHER_SLASH, NAME_ONLY, WINDOWS, WINDOWS_RELATIVE, looks_foreign
from saltcart.spelling.moves import plain, tail_below
from saltcart.spelling.uris import REFERENCE, URI, cut_short
from saltcart.system import here, os

SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+:")
BLANKS = " \t"
VARIABLE = re.compile(r"~(?=/|$)|\$\{\w+\}|\$\w+")


class Absolute(Form):
    """A full path with slashes, or one that begins with `~` or an environment variable."""

    name = "native"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        if VARIABLE.match(text):
            text = expanded(text)
        if here.LETTERS and looks_foreign(text):
            return WINDOWS.read(text, base)
        return plain(text) if os.path.isabs(text) else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; a slash at the end stays, and a variable as long as the path lies in what it stands
        for.
        """
        if here.LETTERS and looks_foreign(text):
            return WINDOWS.write(text, path, base)
        slash = "/" if text.endswith("/") and path != "/" else ""
        if found := VARIABLE.match(text):
            tail = tail_below(path, plain(expanded(found[0])))
            if tail is not None:
                return f"{found[0]}/{tail}{slash}" if tail else found[0] + slash
        return path + slash

    def odd(self, head: str, new: str) -> tuple[str, ...] | None:
        """See Spelling.odd."""
        return ("/[/.]",) if head.startswith("/") else None


class Relative(Form):
    """A path that starts from the ledger's own folder."""

    name = "relative"

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        if here.LETTERS and "\\" in text:
            return WINDOWS_RELATIVE.read(text, base)
        return plain(f"{base}/{text}") if text and not text.startswith("/") else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; a leading `./` and a slash at the end stay."""
        if here.LETTERS and "\\" in text:
            return WINDOWS_RELATIVE.write(text, path, base)
        written = os.path.relpath(path, base)
        lead = "./" if text.startswith("./") else ""
        return lead + written + ("/" if text.endswith("/") else "")


class InContent(Relative):
    """A path that a program looks for in each of its content folders in turn."""

    name = "content"
    start = "content"

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write; no step leads out of a content folder."""
        written = super().write(text, path, base)
        if written.split("/")[0] == "..":
            raise CannotSpell(
                f"{show(path)} would lie in none of the content folders of its program",
                "Put the new folder in front of them (--folder-first, or in the program), or leave a signpost.",
            )
        return written


class Auto(Form):
    """Whichever of the forms a text shows."""

    name = "auto"

    def seen_in(self, text: str) -> Spelling:
        """See Spelling.seen_in."""
        return spelling_of(text) or self

    def read(self, text: str, base: str) -> str | None:
        """See Spelling.read."""
        spelling = spelling_of(text)
        return spelling.read(text, base) if spelling else None

    def write(self, text: str, path: str, base: str) -> str:
        """See Spelling.write."""
        spelling = spelling_of(text)
        if spelling is None:
            raise CannotSpell(f"{show(text)} leads to no file")
        return spelling.write(text, path, base)

    def odd(self, head: str, new: str) -> tuple[str, ...] | None:
        """See Spelling.odd; what begins with a slash or `file:` is a full path whatever follows."""
        spelling = spelling_of(head)
        return spelling.odd(head, new) if spelling else None


def expanded(text: str) -> str:
    """`text` with `~` and variables replaced by what they stand for here."""
    return os.path.expandvars(os.path.expanduser(text))


ABSOLUTE, RELATIVE = Absolute(), Relative()
SPELLINGS: dict[str, Spelling] = {
    form.name: form
    for form in (
        ABSOLUTE,
        RELATIVE,
        URI,
        REFERENCE,
        WINDOWS,
        WINDOWS_RELATIVE,
        DRIVE,
        EITHER_SLASH,
        NAME_ONLY,
        InContent(),
        Auto(),
    )
}


def spelling_of(text: str) -> Spelling | None:
    """The form that `text` itself shows; None for what is no path (empty, a web address)."""
    if text.startswith("/"):
        return ABSOLUTE
    if text[:5].lower() == "file:":
        return URI
    if not text.strip() or (SCHEME.match(text) and "://" in text):
        return None
    if looks_foreign(text):
        return WINDOWS
    if "\\" in text and "/" not in text:
        return WINDOWS_RELATIVE
    return ABSOLUTE if VARIABLE.match(text) else RELATIVE


def readings(spelling: Spelling, texts: tuple[str, ...]) -> tuple[str, ...]:
    """The texts, the likelier first, with those that a raw `?` or `#` of a URI makes possible, and those without the
    blanks around them: a name may hold either, and mostly does not.
    """
    more: list[str | None] = []
    for text in texts:
        if ("#" in text or "?" in text) and spelling.seen_in(text).name.startswith("uri"):
            more.append(cut_short(text))
        if text[:1] in BLANKS or text[-1:] in BLANKS:
            more += [text.lstrip(BLANKS), text.rstrip(BLANKS), text.strip(BLANKS)]
    return tuple(dict.fromkeys((*texts, *filter(None, more)))) if more else texts


def spelling_named(name: str) -> Spelling:
    """The form with that name, as maps call it; UsageError when there is none."""
    try:
        return SPELLINGS[name]
    except KeyError:
        raise UsageError(
            f'there is no path style called "{show(name)}"', f"Known ones: {', '.join(SPELLINGS)}"
        ) from None
