"""Patterns that come from files: whoever wrote them, a search takes time in proportion to the text.

They are run by RE2, which cannot express what would take longer (look-around, back references), and refuses it.
Letters, digits and blanks of its classes are those of ASCII.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

SURROGATES = re.compile("[\ud800-\udfff]")  # bytes that were no text; RE2 knows none
MOST_BYTES = 1 << 20  # that a pattern may take, once it is made ready


class BadPattern(ValueError):
    """A text that is no pattern, or one that could take long."""


@dataclass(frozen=True)
class Pattern:
    """A pattern with a group named `path`; with `lines`, `^` and `$` stand for those of each line."""

    pattern: str
    lines: bool = False

    @cached_property
    def ready(self) -> Any:
        """The pattern as RE2 has it.  Raises BadPattern."""
        import re2  # type: ignore[import-untyped]  # few files need it

        options = re2.Options()
        options.max_mem, options.log_errors = MOST_BYTES, False
        try:
            return re2.compile(f"(?m){self.pattern}" if self.lines else self.pattern, options)
        except re2.error as error:
            told = error.args[0] if error.args else ""
            raise BadPattern(told.decode("utf-8", "replace") if isinstance(told, bytes) else str(told)) from None

    @property
    def names_path(self) -> bool:
        """Whether there is a group named `path`.  Raises BadPattern."""
        return "path" in self.ready.groupindex

    def spans(self, text: str) -> Iterator[tuple[int, int]]:
        """Start and end of what the group `path` matches, where that is not nothing."""
        group = self.ready.groupindex["path"]
        for found in self.ready.finditer(SURROGATES.sub("\ufffd", text)):
            start, end = found.span(group)
            if start < end:
                yield start, end
