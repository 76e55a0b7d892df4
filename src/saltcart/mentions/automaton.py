"""Many runs of bytes looked for in one pass (Aho and Corasick, "Efficient string matching", 1975): the cost follows the
content, and not how many are looked for.
"""

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Any

CHUNK = 1 << 20  # bytes; content may hold a run at every spot, and a list of all spots would be larger than it


class Automaton:
    """What looks for some `runs`, none of them empty, which it numbers as they are: for all of them, or for the
    `longest` where several overlap.
    """

    def __init__(self, runs: Sequence[bytes], longest: bool = False):
        self.runs, self.longest = runs, longest
        self.overlap = max(map(len, runs), default=1) - 1

    @cached_property
    def machine(self) -> Any:
        from ahocorasick_rs import BytesAhoCorasick, MatchKind

        return BytesAhoCorasick(list(self.runs), MatchKind.LeftmostLongest if self.longest else MatchKind.Standard)

    def any_in(self, data: bytes) -> bool:
        """Whether one of them is in `data`."""
        return any(self.machine.find_matches_as_indexes(chunk) for _at, chunk in self.chunks(data))

    def spots(self, data: bytes) -> Iterator[tuple[int, int, int]]:
        """The number, beginning and end of each that is in `data`."""
        for at, chunk in self.chunks(data):
            for number, start, end in self.machine.find_matches_as_indexes(chunk, overlapping=not self.longest):
                if at == 0 or end > self.overlap:  # else the chunk before had it whole
                    yield number, at + start, at + end

    def chunks(self, data: bytes) -> Iterator[tuple[int, memoryview]]:
        """Pieces of `data` and where they begin; each begins with the end of the one before."""
        if not self.runs:
            return
        view = memoryview(data)
        for at in range(0, max(len(data) - self.overlap, 1), CHUNK):
            yield at, view[at : at + CHUNK + self.overlap]
