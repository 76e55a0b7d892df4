"""What speaks of the past rather than of where a program looks now: logs, recent files, where something came from.

The name of a file says nothing of that: a kit may be called after a crash cymbal or a log drum.  A log is told by its
form: nearly every line begins with a time.
"""

import re

LINE = "line "
# Words in the name of a column or key that speak of what was, rather than of where a program looks now.
PAST_KEYS = re.compile(r"(?i)\b(first|import(ed)?|origin(al)?|added|previous|history|log|recent(ly)?|last)\b")
PAST_TABLES = re.compile(r"(?i)(\b|_)(log|history|recent(ly)?|crash)(\b|_)")
# How a line of a log begins: a date and a time (ISO 8601 and what is near it), a month and a day (RFC 3164), a time
# alone, seconds since 1970 or since the start of the system; in brackets or after a level in capitals, perhaps.
STAMP = re.compile(
    rb"""(?x)
    (?: [A-Z]{4,8} [ :\t]+ )? [\[(<"']?
    (?: \d{4}[-/.]\d\d[-/.]\d\d [T\x20_,]+ \d\d?:\d\d
      | \d\d[-/.]\d\d[-/.]\d{2,4} [\x20,]+ \d\d?:\d\d
      | (?: [A-Z][a-z]{2}\x20 )? [A-Z][a-z]{2}\x20[\x20\d]\d\x20\d\d:\d\d:\d\d
      | \d\d:\d\d:\d\d
      | \d{10}(?:\d{3})?(?:\.\d+)? [\s\]]
      | \s*\d+\.\d{3,6}\]
    )"""
)
LEAST_LINES, NEARLY_ALL = 3, 0.9
KEY_BEFORE = re.compile(r"([A-Za-z][A-Za-z0-9_ -]*)\W*$")


def is_log(head: bytes) -> bool:
    """Whether a file that begins with `head` is a log: a text of which nearly every line begins with a time.

    Lines that begin with a blank go on with the one before them.
    """
    if b"\0" in head:
        return False
    lines = [line for line in head.splitlines()[:1000] if line.strip() and line[:1] not in (b" ", b"\t")]
    stamped = sum(STAMP.match(line) is not None for line in lines)
    return len(lines) >= LEAST_LINES and stamped >= NEARLY_ALL * len(lines)


def is_history(where: str, text: str) -> bool:
    """Whether a spot, where it stands and with what stands around it, speaks of what was."""
    if not where.rpartition(", ")[2].startswith(LINE):
        return bool(speaks_of_past(where.rpartition(".")[2]) or PAST_TABLES.search(where.partition(".")[0]))
    key = KEY_BEFORE.search(re.split(r"file:|[/\\~$%]|[A-Z]:", text)[0])
    return bool(key and speaks_of_past(key[1]))


def speaks_of_past(name: str) -> bool:
    """Whether the name of a column or key speaks of what was."""
    return bool(PAST_KEYS.search(words(name)))


def words(name: str) -> str:
    """The words of a key such as `lastOpened` or `first_import`."""
    return re.sub(r"(?<=[a-z])(?=[A-Z])|[_-]", " ", name)
