"""How paths are in the text of formats: an encoding, and escapes on top of it.

Whatever part of the old bytes still fits the end of the new text is kept to the letter,
so that a writer's own way of escaping survives where it can.
"""

import codecs
import re
import sys
from collections.abc import Callable

from msgspec import Struct

from saltcart.errors import CannotSpell, show

XML_NAMED = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}
JSON_NAMED = {'"': '"', "\\": "\\", "/": "/", "b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t"}


class Escape(Struct, frozen=True):
    """One way of escaping: how raw text falls into characters, what each means, and how text is written.

    Raw text without any of `marks` means itself.  With `quotes` the raw text may be in double quotes, and has
    escapes only there, and gets them when it holds what this finds.  `before` is elsewhere and belongs in
    front of what the raw text means.
    `plain` finds those escapes that mean a letter, or a character that no spelling gives a meaning, and that any writer
    writes alike.
    """

    name: str
    signs: re.Pattern[str]
    mean: Callable[[str], str]
    write: Callable[[str], str]
    quotes: re.Pattern[str] | None = None
    marks: str = ""
    before: str = ""
    plain: str = ""


def xml_mean(sign: str) -> str:
    """What a character or reference of XML text stands for (XML 1.0, section 4.1)."""
    if not sign.startswith("&"):
        return sign
    name = sign[1:-1]
    if name.startswith("#"):
        return chr(int(name[2:], 16) if name[1:2] in "xX" else int(name[1:]))
    return XML_NAMED.get(name, sign)


def xml_write(text: str) -> str:
    """Text as XML character data, safe between either kind of quote."""
    wrong = next((sign for sign in text if sign < " " and sign not in "\t\n\r"), None)
    if wrong is not None or any("\ud800" <= sign <= "\udfff" for sign in text):
        raise CannotSpell(f"XML cannot hold the name {show(text)}")
    text = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace('"', "&quot;")
    return "".join(f"&#{ord(sign)};" if sign in "\t\n\r" else sign for sign in text)


def json_mean(sign: str) -> str:
    """What a character or escape of a JSON string stands for (RFC 8259, section 7)."""
    if not sign.startswith("\\") or sign == "\\":
        return sign
    if sign[1] == "u":
        codes = [int(code, 16) for code in re.findall(r"\\u([0-9a-fA-F]{4})", sign)]
        return b"".join(code.to_bytes(2, "big") for code in codes).decode("utf-16-be", "surrogatepass")
    return JSON_NAMED.get(sign[1], sign)


def json_write(text: str) -> str:
    """Text as the inside of a JSON string; letters beyond ASCII stay as they are."""
    for sign, escape in (("\\", "\\\\"), ('"', '\\"'), ("\n", "\\n"), ("\r", "\\r"), ("\t", "\\t")):
        text = text.replace(sign, escape)
    return "".join(f"\\u{ord(sign):04x}" if sign < " " else sign for sign in text)


def toml_mean(sign: str) -> str:
    """What a character or escape of a basic TOML string stands for (TOML 1.0, String)."""
    if sign.startswith("\\U") and sign != "\\U":
        number = int(sign[2:], 16)
        return chr(number) if number <= sys.maxunicode else sign
    return "\x1b" if sign == "\\e" else json_mean(sign)


def same(text: str) -> str:
    """No escape."""
    return text


def one_line(text: str) -> str:
    """Text that must not break its line."""
    if "\n" in text or "\r" in text:
        raise CannotSpell(f"a line of this ledger cannot hold the line break in {show(text)}")
    return text


def doubled(text: str) -> str:
    """Text inside quotes that are doubled (RFC 4180)."""
    return text.replace('"', '""')


def unquotable(text: str) -> str:
    """Text inside quotes that know no escape."""
    if '"' in text:
        raise CannotSpell(f"this ledger cannot hold the quote in {show(text)}")
    return one_line(text)


ONE = re.compile(r".", re.DOTALL)
LINE = Escape("line", ONE, same, one_line)
QUOTED = Escape("quoted", ONE, same, unquotable)
TOKEN = Escape("token", ONE, same, unquotable, quotes=re.compile(r'[\s"]'))
XML = Escape(
    "xml", re.compile(r"&[^;&<\s]{1,12};|.", re.DOTALL), xml_mean, xml_write, marks="&", plain="amp;|lt;|gt;|quot;"
)
JSON = Escape(
    "json",
    re.compile(r"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}|\\u[0-9a-fA-F]{4}|\\.|.", re.DOTALL),
    json_mean,
    json_write,
    marks="\\",
    plain=r'["\\]|u(?!00[0-7]|[dD][89a-fA-F])[0-9a-fA-F]{4}',
)
TOML = Escape(
    "toml", re.compile(r"\\U[0-9a-fA-F]{8}|\\u[0-9a-fA-F]{4}|\\.|.", re.DOTALL), toml_mean, json_write, marks="\\"
)
CSV = Escape(
    "csv",
    re.compile(r'""|.', re.DOTALL),
    lambda sign: sign[:1] if sign == '""' else sign,
    doubled,
    marks='"',
    plain='"',
)


CSV_FIELD, TSV_FIELD = (
    # A quote that ends the field is no half of a doubled one.
    Escape(name, CSV.signs, CSV.mean, doubled, re.compile(needs), marks='"', plain='"|$')
    for name, needs in (("csv field", r'[,"\r\n]|\A\s|\s\Z'), ("tsv field", r'[\t\r\n]|\A"'))
)


def cdata_write(text: str) -> str:
    """Text inside a CDATA section."""
    if "]]>" in text:
        raise CannotSpell(f"a CDATA section cannot hold {show(text)}")
    return text


CDATA = Escape("cdata", ONE, same, cdata_write)


def mixed_mean(sign: str) -> str:
    """What a part of XML content stands for that may be a comment, an instruction or a section."""
    if sign.startswith("<![CDATA["):
        return sign[len("<![CDATA[") : -len("]]>")]
    return "" if sign.startswith("<") else xml_mean(sign)


MIXED = Escape(
    "mixed",
    re.compile(rf"<!--.*?-->|<\?.*?\?>|<!\[CDATA\[.*?\]\]>|{XML.signs.pattern}", re.DOTALL),
    mixed_mean,
    xml_write,
    marks="&<",
)


class TextCoding(Struct, frozen=True):
    """A path in escaped text of one encoding; `guess` when the encoding is one."""

    encoding: str
    escape: Escape
    guess: bool = False

    @property
    def sure(self) -> bool:
        """See Coding.sure."""
        return not self.guess

    @property
    def marks(self) -> str | None:
        """See Coding.marks."""
        known = is_narrow(self.encoding) and not self.escape.before and (self.escape.mean is same or self.escape.marks)
        return self.escape.marks if known else None

    @property
    def plain_escapes(self) -> str:
        """See Coding.plain_escapes."""
        return self.escape.plain

    def decode(self, raw: bytes) -> str:
        """See Coding.decode."""
        text = self.plain(raw)
        if self.means_itself(text) or (self.escape.quotes and raw[:1] != b'"'):
            return self.escape.before + text
        return self.escape.before + "".join(map(self.escape.mean, self.escape.signs.findall(text)))

    def means_itself(self, text: str) -> bool:
        """Whether there is no escape in raw text, as in most."""
        return (self.escape.mean is same or bool(self.escape.marks)) and not any(
            mark in text for mark in self.escape.marks
        )

    def plain(self, raw: bytes) -> str:
        """The escaped text of `raw`, out of its quotes; a beginning has but the first of them."""
        text = raw.decode(self.encoding, "surrogateescape" if is_narrow(self.encoding) else "surrogatepass")
        if not self.escape.quotes or text[:1] != '"':
            return text
        return text[1:-1] if text[1:].endswith('"') else text[1:]

    def otherwise(self, raw: bytes) -> str | None:
        """See Coding.otherwise: the bytes as the file name itself, where the encoding is a guess."""
        if not self.guess:
            return None
        other = TextCoding("utf-8", self.escape).decode(raw)
        return other if other != self.decode(raw) else None

    def encode(self, text: str, like: bytes) -> bytes:
        """See Coding.encode."""
        raw = self.plain(like)
        if not text.startswith(self.escape.before):
            raise CannotSpell(f"{show(text)} does not begin with {show(self.escape.before)}, which stands elsewhere")
        text = text.removeprefix(self.escape.before)
        was = self.escape.quotes and self.plain(like[:1]) == ""
        if self.escape.quotes and not was:
            needs = self.escape.quotes.search(text)
            written = f'"{self.escape.write(text)}"' if needs else text
        elif self.means_itself(raw):
            kept = common_end(raw, text)
            written = self.escape.write(text[: len(text) - kept]) + text[len(text) - kept :]
        else:
            written = self.with_old_end(text, self.escape.signs.findall(raw))
        if was:
            written = f'"{written}' + ('"' if len(like) > 1 and like.endswith(b'"') else "")
        try:
            return written.encode(self.encoding, "surrogateescape" if is_narrow(self.encoding) else "surrogatepass")
        except UnicodeEncodeError as error:
            raise CannotSpell(
                f"the ledger is written in {self.encoding}, which has no letter {written[error.start]} (in"
                f" {show(text)})",
                "Choose a place whose path it can write, or leave the ledger out.",
            ) from error

    def with_old_end(self, text: str, signs: list[str]) -> str:
        """`text` escaped, its end in the old `signs` where they mean the same."""
        kept, end = 0, len(text)
        while kept < len(signs) and (end or not self.escape.mean(signs[-1 - kept])):
            meaning = self.escape.mean(signs[-1 - kept])
            if not text.endswith(meaning, 0, end):
                break
            end -= len(meaning)
            kept += 1
        # What means nothing, such as a comment, stays in any case.
        mute = [sign for sign in signs[: len(signs) - kept] if not self.escape.mean(sign)]
        return "".join([*mute, self.in_habit(text[:end], signs), *(signs[len(signs) - kept :] if kept else [])])

    def in_habit(self, text: str, signs: list[str]) -> str:
        """`text` escaped, each character as the writer of `signs` escaped it elsewhere, where that can be seen."""
        written = self.escape.write(text)
        habit = {meaning: sign for sign in signs if len(sign) > 1 and len(meaning := self.escape.mean(sign)) == 1}
        if not habit:
            return written
        return "".join(habit.get(sign) or self.escape.write(sign) for sign in text)


def common_end(one: str, other: str) -> int:
    """How many characters two texts share at their ends."""
    low, high = 0, min(len(one), len(other))
    while low < high:
        middle = (low + high + 1) // 2
        if one.endswith(other[len(other) - middle :]):
            low = middle
        else:
            high = middle - 1
    return low


def is_narrow(encoding: str) -> bool:
    """Whether undecodable bytes of an encoding can be kept one by one."""
    return not codecs.lookup(encoding).name.startswith(("utf-16", "utf-32"))
