"""Turtle (W3C RDF 1.1), as LV2 presets and states use it: IRIs that are files, and literals typed as paths.

Names of vocabularies (`@prefix`) and web addresses are no files, but a prefix may stand for a folder.  An IRI that
is a predicate or a class is never a relative one in such files.
"""

import re

from saltcart.errors import CannotSpell, show
from saltcart.ledgers.codings import TOML, Escape, json_mean, one_line
from saltcart.ledgers.textual import Found, finder, line_of
from saltcart.ledgers.where import Where
from saltcart.spelling import spelling_of
from saltcart.spelling.uris import REFERENCE

NAME = "turtle"
TOKEN = re.compile(
    r"(?P<comment>\#[^\r\n]*)"
    r'|(?P<string>"""(?P<long>(?:[^"\\]++|\\.|"(?!""))*+)"""|\'\'\'(?P<longer>(?:[^\'\\]++|\\.|\'(?!\'\'))*+)\'\'\''
    r'|"(?P<double>(?:[^"\\\r\n]++|\\.)*+)"|\'(?P<single>(?:[^\'\\\r\n]++|\\.)*+)\')'
    r"(?P<type>\^\^(?:<[^<>]*>|[\w.-]*:[\w.-]*))?"
    r"|(?:@prefix|PREFIX)\s+(?P<prefix>[\w.-]*):\s*<(?P<stands>[^<>]*)>"
    r"|(?<![\w.:%\\-])(?P<space>[\w-][\w.-]*|):(?P<local>(?:[\w:%-]|\.(?=[\w:%\\-])|\\.)++)"
    r"|(?P<base>(?:@base|BASE)\s+)?<(?P<iri>[^<>\"{}|^`\s]*)>",
    re.DOTALL | re.IGNORECASE,
)
LITERALS = ("long", "longer", "double", "single")
PATH_TYPE = re.compile(r"\^\^(?:<[^<>]*[#/]Path>|[\w.-]*:Path)")


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name is in Turtle."""
    return name.lower().endswith(".ttl")


def iri_text(text: str) -> str:
    """Text that may be in an IRI."""
    if re.search(r"[\x00-\x20<>\"{}|^`\\]", text):
        raise CannotSpell(f"an IRI cannot hold {show(text)} as it is")
    return one_line(text)


IRI = Escape("iri", re.compile(r"\\U[0-9a-fA-F]{8}|\\u[0-9a-fA-F]{4}|.", re.DOTALL), TOML.mean, iri_text)
# What follows a prefix: characters that mean something else have a backslash before them (section 6.5, PN_LOCAL).
LOCAL_SIGN = re.compile(r"[\w:%.~-]|[^\x00-\x7f]")


def local_text(text: str) -> str:
    """Text that may follow a prefix."""
    if "/" in text:
        raise CannotSpell(f"{show(text)} cannot follow a prefix that stands for a folder")
    return "".join(sign if LOCAL_SIGN.fullmatch(sign) else "\\" + sign for sign in iri_text(text))


LOCAL = Escape("local", re.compile(r"\\.|.", re.DOTALL), lambda sign: sign[-1], local_text)
LITERAL = Escape(
    "literal",
    TOML.signs,
    lambda sign: "'" if sign == "\\'" else json_mean(sign) if sign[:2] != "\\U" else TOML.mean(sign),
    lambda text: TOML.write(text).replace("'", "\\'"),
)


def found(text: str) -> list[Found]:
    """The files named by IRIs and by literals of type Path."""
    rows: list[Found] = []
    known: list[tuple[int, int]] = []
    base = None
    folders: dict[str, int] = {}

    def spot(token: re.Match[str], group: str) -> tuple[int, int, Where]:
        return *token.span(group), line_of(text, token.start(), known)

    for token in TOKEN.finditer(text):
        if token["prefix"] is not None:
            if token["stands"].endswith("/") and is_file(token["stands"]):
                folders[token["prefix"]] = len(rows)
                rows.append(Found(*spot(token, "stands"), IRI, REFERENCE, "folder", base))
        elif token["local"]:
            if token["space"] in folders:
                rows.append(Found(*spot(token, "local"), LOCAL, REFERENCE, "file", folders[token["space"]]))
        elif token["iri"] and token["base"]:
            leads = is_file(token["iri"])
            rows.append(Found(*spot(token, "iri"), IRI, REFERENCE if leads else None, "folder"))
            base = len(rows) - 1 if leads else None
        elif token["iri"]:
            if is_file(token["iri"]):
                rows.append(Found(*spot(token, "iri"), IRI, REFERENCE, "file", base))
        elif group := path_in(token):
            rows.append(Found(*spot(token, group), LITERAL, spelling_of(token[group]), "file"))
    return rows


def path_in(token: re.Match[str]) -> str | None:
    """The group of a token that holds a literal of type Path."""
    of_paths = token["type"] and PATH_TYPE.fullmatch(token["type"])
    return next((name for name in LITERALS if token[name]), None) if of_paths else None


def is_file(iri: str) -> bool:
    """Whether an IRI may name a file: a file: URI, or a relative reference with a name in it."""
    marked = "#" in iri or "?" in iri  # in RDF a relative reference with these names a thing, not a file
    return REFERENCE.read(iri, "/") is not None and (iri[:5].lower() == "file:" or not marked)


spans = finder(found)
