"""Recognising by name or first bytes: links with a spoilt name, shortcut files, litter."""

import re

# Words that file managers stick to the name of a link or a copy they make.
STUCK = re.compile(
    r"(?i)^(?:link to |shortcut to )(?P<after>.+)$|^(?P<before>.+?)(?: - shortcut| - copy| alias| link| copy|"
    r" \(\d+\)|\s+)$"
)
# The first bytes of the shortcut files of other systems' file managers: the shell link header
# size and class id (MS-SHLLINK, section 2.1), and the mark of alias files that hold a bookmark.
SHORTCUT_MAGIC = {b"L\0\0\0\x01\x14\x02\0": "a shortcut file", b"book\0\0\0\0mark": "an alias file"}
SHORTCUT_SUFFIXES = {".lnk": "a shortcut file", ".url": "a web shortcut file", ".webloc": "a web shortcut file"}
# Launchers of programs have this suffix too (Desktop Entry Specification, section 6).
LAUNCHERS, LINKING = ".desktop", re.compile(rb"(?m)^Type\s*=\s*Link\b")


def plain_name(name: str) -> str | None:
    """The name that `name` would have without what a file manager (or a slip) stuck to it; None when nothing is."""
    found = STUCK.match(name)
    return (found["after"] or found["before"]) if found else None


def shortcut(name: str, head: bytes) -> str | None:
    """What kind of shortcut file a file of that name and beginning is, or None.  Programs do not follow these."""
    for magic, kind in SHORTCUT_MAGIC.items():
        if head.startswith(magic):
            return kind
    if name.lower().endswith(LAUNCHERS) and LINKING.search(head):
        return "a shortcut file"
    suffix = name[name.rfind(".") :].lower() if "." in name else ""
    return SHORTCUT_SUFFIXES.get(suffix) if suffix in SHORTCUT_SUFFIXES else None


# What file managers and programs leave lying about.
LITTER = re.compile(
    r"(?i)^(\.ds_store|\._.*|thumbs\.db|desktop\.ini|\.directory|\.fseventsd|\.trashes|~\$.*|.*~"
    r"|.*\.(tmp|temp|part|crdownload)|\.saltcart-.*\.part)$"
)
OLD_BACKUP = re.compile(r"(?i)^.+(\.(bak|old|backup|orig)(\d*|-\d+)|[ ._-](backup|old)[ ._-]?\d*\.(db|sqlite3?))$")


def litter(name: str) -> str | None:
    """What kind of litter a file of that name is, or None."""
    if LITTER.match(name):
        return "left behind by a file manager or a program"
    return "an old backup" if OLD_BACKUP.match(name) else None
