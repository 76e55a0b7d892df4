"""Telling text that somebody wrote from records of values, by its structure: no program looks for a sound by what
is in a letter, in the source of another program or on a page.

What parses as a format of records (JSON, XML but for pages, property lists, TOML, tables) is no free text; nor are
lines most of which are a name and a value, a bare path, or a few words and numbers.  Names of files say nothing.
"""

import csv
import json
import re
from collections import Counter
from contextlib import suppress

from saltcart.toml.parsing import loads

PARSED = 8 << 20  # bytes that are parsed as a whole
LINES = 2000  # that are looked at
LONGEST = 1000  # characters of each: to match patterns takes the square of what they match
REGULAR = 0.7  # share of lines that must be records
MOST_WORDS = 12  # in the value of a record
LEADING = 3  # words before a path in one value, from which on it is a sentence
SENTENCE = 4  # words of a line, paths apart
WORD = re.compile(r"[^\W\d_]{2,}")
PATH = r"(?:file:/|~|\.{0,2}/|\$\w+/|[A-Za-z]:[\\/]|\\\\)"
# Names have blanks: a path goes on to the last slash that is near, and to a suffix behind it.
PATHS = re.compile(rf"""{PATH}(?:[^"'<>|\t]{{0,400}}/)?(?:[^"'<>|\t/]{{0,120}}?\.\w{{2,4}}\b|[^\s"']*)""")
# Lines that are records: a comment or a section; a name and a value; a path, or a word or two and a path; figures,
# words and paths in one manner.
RECORD = re.compile(
    rf"""(?x) \s* (?:
      [\#;].* | //.* | \[[^\]]*\] | <[^>]*> .* | [{{}}\[\](),]+
    | (?:export\s+|set\s+|-\s+)? ["']?[\w.\-\\/ ]{{1,48}}["']? \s* [=:] \s* (?P<value>.*)
    | (?:[\w.\-]+\s+){{0,2}} ["']? {PATH} [^"']* ["']?
    | (?:[\w.\-:+]+|"[^"]*"|'[^']*') (?: [\s,;|\t]+ (?:[\w.\-:+]+|"[^"]*"|'[^']*') ){{0,3}}
    ) \s*"""
)
# What is in a record beside words: a text in quotes, a path, a name with its value.
QUOTED = re.compile(rf"""\w+=(?:"[^"]*"|'[^']*'|\S+)|"[^"]*"|'[^']*'|{PATH}\S*""")
CODE = re.compile(
    r"\s*(?:def |class |import |from \w+ import|return\b|if .*[:{(]|for .*[:{(]|while .*[:{(]|else\b|elif |#include|"
    r"function\b|var |let |const |public |private |static |void |int |fi\b|done\b|then\b|esac\b|"
    r"[\w.]+\([^()]*\)\s*[;{]?\s*$)"
)
PAGE = re.compile(rb"(?i)<!doctype html|<html[\s>]|<(?:body|article|p)[\s>]")
MAIL = re.compile(rb"(?m)\A(?:From \S+ .*\n)?(?:[A-Z][A-Za-z-]+: .*\n(?:[ \t].*\n)*){3,}\n")


def is_free(data: bytes, whole: bool) -> bool:
    """Whether content, which begins with `data` and is that as a `whole` or not, is text that somebody wrote."""
    start = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if PAGE.search(start) or MAIL.match(data[:4096]):
        return True
    if start.startswith((b"<", b"bplist")):
        return False
    text = data[:PARSED].decode("utf-16" if data.startswith((b"\xff\xfe", b"\xfe\xff")) else "utf-8", "replace")
    if start.startswith((b"{", b"[")) and (not whole or parses_as_json(text)):
        return False
    if whole and len(data) <= PARSED and (parses_as_toml(text) or is_table(text)):
        return False
    return reads_as_prose([line[:LONGEST] for line in text.splitlines()[:LINES]])


def parses_as_json(text: str) -> bool:
    """Whether a text is JSON, or each of its lines is."""
    with suppress(ValueError, RecursionError):
        json.loads(text)
        return True
    lines = [line for line in text.splitlines() if line.strip()][:LINES]
    with suppress(ValueError, RecursionError):
        return bool(lines) and all(isinstance(json.loads(line), dict | list) for line in lines)
    return False


def parses_as_toml(text: str) -> bool:
    """Whether a text is TOML that says something."""
    with suppress(ValueError):
        return bool(loads(text))
    return False


def is_table(text: str) -> bool:
    """Whether the lines of a text have as many fields each, two at least, with commas, semicolons or tabs between."""
    lines = [line for line in text.splitlines() if line.strip()][:LINES]
    for separator in ",;\t|" if len(lines) > 1 else "":
        with suppress(csv.Error):
            counts = Counter(map(len, csv.reader(lines, delimiter=separator)))
            width, times = counts.most_common(1)[0]
            if width > 1 and times > 0.95 * sum(counts.values()) and times > 1:
                return True
    return False


def reads_as_prose(lines: list[str]) -> bool:
    """Whether most lines are no records, and most of those sentences or the source of a program."""
    some = [line for line in lines if line.strip()]
    told = [line for line in some if not line.lstrip().startswith(("#", ";", "//"))] or some
    code = sum(CODE.match(line) is not None for line in told)
    others = [line for line in told if not is_record(line)]
    if 5 * code >= len(told) > 0:
        return True
    sentences = sum(len(WORD.findall(PATHS.sub(" ", line))) >= SENTENCE for line in others)
    return len(told) - len(others) < REGULAR * len(told) and 2 * sentences >= len(others)


def is_record(line: str) -> bool:
    """Whether a line is a record: see RECORD; or texts in quotes, paths and names with values, and few words."""
    found = RECORD.fullmatch(line)
    if found:
        return len((found["value"] or "").split()) <= MOST_WORDS
    texts = QUOTED.findall(line)
    rest = QUOTED.sub(" ", line)
    words = sum(WORD.fullmatch(token) is not None for token in rest.split())
    return words < LEADING and bool(texts) and not re.search(r"[()]", rest)


def in_sentence(line: str, at: int) -> bool:
    """Whether what begins at a place in a line is part of a sentence: some words are before it in the same value."""
    lead = re.split(r"""["'<>=\t\0|]""", line[:at])[-1]
    return len(WORD.findall(lead)) >= LEADING and lead.count(" ") >= LEADING - 1
