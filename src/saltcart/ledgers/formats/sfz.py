"""SFZ instruments: `sample=` names a file from the instrument's folder, after the `default_path` in force.

A value runs to the next opcode, header, comment or line end, blanks included.  `#define $NAME value`
stands for text anywhere after it; `#include "file"` puts a further file there, in which everything counts
from the folder of the instrument itself; `*name` is a built-in generator and no file.  `default_path` is put
before the name as it is, so that it may end within a name.  Either slash is used, and case is often not that
of the disk.
"""

import re
from collections.abc import Hashable, Iterator
from functools import partial
from typing import NamedTuple
from urllib.parse import quote

from msgspec import Struct, field
from msgspec.structs import replace

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.base import Entry
from saltcart.ledgers.codings import Escape, one_line
from saltcart.ledgers.rules import must_match
from saltcart.ledgers.spans import Span
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.ledgers.textual import Found, byte_spans, decoded, line_of
from saltcart.ledgers.where import Where
from saltcart.shelves.true_names import AnyCase
from saltcart.spelling import spelling_named
from saltcart.spelling.foreign import EITHER_SLASH
from saltcart.system import os

NAME, PART = "sfz", "sfz part"
TOKEN = re.compile(
    r"(?P<comment>//[^\r\n]*|/\*.*?(?:\*/|\Z))"
    r'|\#define[ \t]+(?P<name>\$\w+)[ \t]+(?P<meaning>\S+)|\#include[ \t]*"(?P<include>[^"\r\n]*)"'
    r"|<(?P<header>\w+)>"
    r"|(?:(?<=\s)|(?<=^)|(?<=>))(?P<opcode>sample|default_path)=",
    re.DOTALL,
)
# A value ends before a line end, a comment, a header or a directive, with the blanks before it, or before blanks and
# the next opcode.  Each run of blanks is looked at once.
ENDS = r"(?:[\r\n]|//|/\*|<\w+>|\Z|\#define\b|\#include\b)"
VALUE = re.compile(rf"(?:[^\r\n \t/<\#]++|[ \t]++(?!{ENDS}|[\w$]++=)|(?!{ENDS})[/<\#])*+")
VARIABLE = re.compile(r"\$\w+")
DEEPEST, MOST_INCLUDED, MOST_TEXT = 32, 10_000, 64 << 20


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name is such an instrument."""
    return name.lower().endswith(".sfz")


class Start(NamedTuple):
    """What samples start from: a folder (the number of its place in the same file, an entry of another file, None for
    the ledger's own), and what is before their names in it.
    """

    folder: int | Entry | None = None
    before: str = ""


class State(Struct):
    """What is in force at one place of an instrument."""

    variables: dict[str, str] = field(default_factory=dict)
    start: Start = field(default_factory=Start)

    def copy(self) -> "State":
        """The same, to be changed apart from this."""
        return State(dict(self.variables), self.start)

    def seen_by(self, text: str) -> Hashable:
        """What of this a file with that text can tell."""
        return (*sorted((name, value) for name, value in self.variables.items() if name in text), self.start)


class Instrument(Struct, dict=True):
    """An instrument with all that it includes: `parts` has the states in which each included file is read.  The drive
    is asked once for each name, however often it is included.
    """

    path: str
    parts: dict[str, dict[Hashable, State]] = field(default_factory=dict)
    names: AnyCase = field(default_factory=AnyCase)
    paths: dict[str, str | None] = field(default_factory=dict)  # of included files, by name; None for what is no file
    texts: dict[str, tuple[int, str | None]] = field(default_factory=dict)  # by path: bytes, and None for no text
    count: int = 0
    read: int = 0

    @property
    def folder(self) -> Entry:
        """Where everything counts from, for the files that are included; a URI stands for the folder it lies in."""
        uri = "file://" + quote(os.fsencode(self.path))
        return Entry(None, Where("the instrument"), uri, spelling_named("uri"), "folder")

    def include(self, name: str, state: State, within: tuple[str, ...]) -> None:
        """Read an included file for what it changes in `state`.  ValueError when there is no end to them."""
        if name not in self.paths:
            self.paths[name] = self.path_of(name)
        path = self.paths[name]
        if not path or path in within or path == self.path or len(within) >= DEEPEST:
            return  # in a circle, or missing: which is reported with its entry
        if path not in self.texts:
            self.texts[path] = text_of(path)
        size, text = self.texts[path]
        self.count, self.read = self.count + 1, self.read + size
        if self.count > MOST_INCLUDED or self.read > MOST_TEXT:
            raise ValueError(f"includes more than {MOST_INCLUDED:,} files or {MOST_TEXT >> 20} MB")
        if text is None:
            return  # it includes nothing, and cannot be opened as a part either
        self.parts.setdefault(path, {}).setdefault(state.seen_by(text), state.copy())
        inner = Reading(text, state, self, (*within, path))
        inner.run()
        if isinstance(state.start.folder, int):
            state.start = state.start._replace(folder=inner.as_entry(state.start.folder))

    def path_of(self, name: str) -> str | None:
        """The file that is included by a name; None when it is not there."""
        place = EITHER_SLASH.read(name, os.path.dirname(self.path))
        path = place and os.path.realpath(self.names.path(place))
        return path if path and os.path.isfile(path) else None


def text_of(path: str) -> tuple[int, str | None]:
    """How many bytes a file has, and its text; None when it has none, or more than may be read."""
    size = os.path.getsize(path)
    try:
        with open(path, "rb") as stream:
            return size, decoded(stream.read(MOST_TEXT)).text if size <= MOST_TEXT else None
    except (OSError, ValueError):
        return size, None


class Reading(Struct, dict=True):
    """One file of an instrument, read from top to bottom."""

    text: str
    state: State
    instrument: Instrument | None = None
    within: tuple[str, ...] = ()
    found: list[Found] = field(default_factory=list)
    lines: list[tuple[int, int]] = field(default_factory=list)

    def run(self) -> list[Found]:
        """The samples, default paths and included files."""
        place = 0
        while token := TOKEN.search(self.text, place):
            place = token.end()
            if token["name"]:
                self.state.variables[token["name"]] = token["meaning"]
            elif token["include"]:
                where = line_of(self.text, token.start(), self.lines)
                escape = self.escape(token["include"])
                base = self.instrument.folder if self.instrument and self.within else None
                span = token.span("include")
                self.found.append(Found(*span, where._replace(place="#include"), escape, EITHER_SLASH, "file", base))
                if self.instrument:
                    self.include(self.instrument, meaning(escape, token["include"]))
            elif token["opcode"]:
                place = self.opcode(token["opcode"], token.end())
        return self.found

    def include(self, instrument: Instrument, name: str) -> None:
        """Read what is included here, with what is in force."""
        own = self.state.start
        folder = self.as_entry(own.folder) if isinstance(own.folder, int) else own.folder or instrument.folder
        self.state.start = handed = own._replace(folder=folder)
        instrument.include(name, self.state, self.within)
        if self.state.start == handed:
            self.state.start = own

    def escape(self, raw: str) -> Escape:
        """How one value stands for a path."""
        return with_variables(dict(self.state.variables)) if "$" in raw else PLAIN

    def opcode(self, name: str, start: int) -> int:
        """Note the value of one opcode that begins at `start`; where it ends."""
        value = must_match(VALUE, self.text, start)
        raw, where = value[0], line_of(self.text, start, self.lines)
        if name == "default_path":
            self.default_path(raw, start, where)
        elif raw and not raw.startswith("*"):
            folder, before = self.state.start
            escape = self.escape(raw)
            escape = behind(before, escape) if before else escape
            self.found.append(Found(start, value.end(), where, escape, EITHER_SLASH, "file", folder))
        return value.end()

    def default_path(self, raw: str, start: int, where: Where) -> None:
        """Note what is before the samples from here on: a folder, and the beginning of their names when it ends
        within one.
        """
        own = Start(self.instrument.folder) if self.instrument and self.within else Start()
        cut = max(raw.rfind("/"), raw.rfind("\\")) + 1
        before = meaning(self.escape(raw[cut:]), raw[cut:])
        if before.endswith(("/", "\\")):
            cut, before = len(raw), ""
        if cut:
            escape = self.escape(raw[:cut])
            place = Found(
                start, start + cut, where._replace(place="default_path"), escape, EITHER_SLASH, "folder", own.folder
            )
            self.found.append(place)
            own = own._replace(folder=len(self.found) - 1)
        self.state.start = own._replace(before=before)

    def as_entry(self, number: int) -> Entry:
        """One of the folders found here, for samples of another file."""
        one = self.found[number]
        text = meaning(one.escape, self.text[one.start : one.end])
        base = one.base if isinstance(one.base, Entry) else None
        return Entry(None, one.where, text, EITHER_SLASH, "folder", base=base)


def meaning(escape: Escape, raw: str) -> str:
    """What a value means once its variables have been put in."""
    return "".join(map(escape.mean, escape.signs.findall(raw)))


def with_variables(variables: dict[str, str]) -> Escape:
    """Text in which variables stand for other text; the longest name that is defined counts."""

    def mean(sign: str) -> str:
        if not sign.startswith("$") or len(sign) == 1:
            return sign
        name = max((name for name in variables if sign.startswith(name)), key=len, default=None)
        return variables[name] + sign[len(name) :] if name else sign

    return Escape(f"sfz {sorted(variables.items())}", re.compile(r"\$\w+|.", re.DOTALL), mean, value_text, marks="$")


def behind(before: str, escape: Escape) -> Escape:
    """The same for names of which the beginning is elsewhere."""
    return replace(escape, name=f"{escape.name} behind {before}", before=before)


def value_text(text: str) -> str:
    """Text that reads as one value."""
    if re.search(r"//|/\*|<\w+>|[ \t][\w$]+=|\$\w", text) or text != text.strip():
        raise CannotSpell(f"an SFZ instrument cannot name {show(text)}")
    return one_line(text)


PLAIN = Escape("sfz", re.compile(r".", re.DOTALL), str, value_text)


def spans(data: bytes, state: State | None = None, path: str | None = None, within: tuple[str, ...] = ()) -> list[Span]:
    """See SpanFinder; `path` is where the instrument lies, and `state` how the file `within` it is read."""
    text = decoded(data)
    instrument = Instrument(path) if path and b"#include" in data.replace(b"\0", b"") else None
    reading = Reading(text.text, state.copy() if state else State(), instrument, within)
    return byte_spans(text, reading.run())


class InstrumentLedger(TextLedger):
    """An instrument, which tells what it includes."""

    def parts(self) -> Iterator[tuple[str, dict[Hashable, TextLedger]]]:
        """The files that it includes, with a reading for each state that some place includes them in.  Raises
        BadLedger.
        """
        self.find()
        data = self.last[0]
        if b"#include" not in data.replace(b"\0", b""):
            return
        instrument = Instrument(self.path)
        Reading(decoded(data).text, State(), instrument).run()
        for path, states in instrument.parts.items():
            yield (
                path,
                {
                    key: TextLedger(path, PART, partial(spans, state=state, path=self.path, within=(path,)))
                    for key, state in states.items()
                },
            )


def opened(path: str) -> InstrumentLedger:
    """The instrument at `path`."""
    return InstrumentLedger(path, NAME, partial(spans, path=path))
