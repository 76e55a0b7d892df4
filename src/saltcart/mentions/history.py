"""What speaks of the past rather than of where a program looks now: logs, recent files, where something came from."""

import os
import re

LINE = "line "
# Words in the name of a column or key that speak of what was, rather than of where a program looks now.
PAST_KEYS = re.compile(r"(?i)\b(first|import(ed)?|origin(al)?|added|previous|history|log|recent(ly)?|last)\b")
PAST_FILES = re.compile(r"(?i)(\b|_)(log|history|recent(ly)?|crash)(\b|_)")
KEY_BEFORE = re.compile(r"([A-Za-z][A-Za-z0-9_ -]*)\W*$")


def is_history(path: str, where: str, text: str) -> bool:
    """Whether a spot, where it stands and with what stands around it, speaks of what was."""
    if PAST_FILES.search(os.path.basename(path)):
        return True
    if not where.rpartition(", ")[2].startswith(LINE):
        return bool(speaks_of_past(where.rpartition(".")[2]) or PAST_FILES.search(where.partition(".")[0]))
    key = KEY_BEFORE.search(re.split(r"file:|[/\\~$%]|[A-Z]:", text)[0])
    return bool(key and speaks_of_past(key[1]))


def speaks_of_past(name: str) -> bool:
    """Whether the name of a column or key speaks of what was."""
    return bool(PAST_KEYS.search(words(name)))


def words(name: str) -> str:
    """The words of a key such as `lastOpened` or `first_import`."""
    return re.sub(r"(?<=[a-z])(?=[A-Z])|[_-]", " ", name)
