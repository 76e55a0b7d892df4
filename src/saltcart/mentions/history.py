"""What speaks of the past rather than of where a program looks now: logs.

A log is recognised by its form: nearly every line begins with a time.  Names say nothing: a kit may be called after a
crash cymbal or a log drum, and what a program calls its last file is what it opens next.
"""

import re

LINE = "line "
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


def is_log(head: bytes) -> bool:
    """Whether a file that begins with `head` is a log: a text of which nearly every line begins with a time.

    Lines that begin with a blank continue the one before them.
    """
    if b"\0" in head:
        return False
    lines = [line for line in head.splitlines()[:1000] if line.strip() and line[:1] not in (b" ", b"\t")]
    stamped = sum(STAMP.match(line) is not None for line in lines)
    return len(lines) >= LEAST_LINES and stamped >= NEARLY_ALL * len(lines)
