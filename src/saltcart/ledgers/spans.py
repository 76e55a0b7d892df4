"""Text ledgers: a format finds spans, one rewriter splices new bytes into them.

A text format is a function from bytes to spans.  It never writes.  Since only the
bytes inside spans are ever replaced, all else in the file stays as it is; `proven`
checks that once more on each result.
"""

import os
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import cached_property, partial
from itertools import accumulate, groupby
from operator import add, attrgetter
from typing import NamedTuple, Protocol, cast

from msgspec import Struct

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import NO_EDITS, REMEDY_DEPENDANT, REMEDY_LIST, Batch, Batched, Entry, Key, ListEdits
from saltcart.ledgers.facts import Facts
from saltcart.ledgers.list_length import recounted
from saltcart.ledgers.numbered import Members, edit, is_plain, list_around, plain_joint, runs_to_edit
from saltcart.ledgers.where import Where, nowhere
from saltcart.ledgers.wrappers import PLAIN, Wrapper
from saltcart.spelling import Spelling
from saltcart.spelling.swaps import Beginnings, Swap
from saltcart.spelling.uris import WIDE

LARGEST = 256 << 20
BATCH_SPANS = 1000


class Coding(Protocol):
    """How a path stands in the bytes of a format: encoding and escapes."""

    @property
    def sure(self) -> bool:
        """Whether the encoding is known, so that there is no second reading."""

    @property
    def marks(self) -> str | None:
        """The signs that begin an escape; None when plain ASCII does not always stand for itself."""

    @property
    def plain_escapes(self) -> str:
        """What follows such a sign, as a pattern, in escapes that mean a letter or a sign without a meaning."""

    def decode(self, raw: bytes) -> str:
        """The path text that `raw` stands for."""

    def otherwise(self, raw: bytes) -> str | None:
        """A second reading of `raw`, where the encoding is a guess."""

    def encode(self, text: str, like: bytes) -> bytes:
        """The bytes for `text` in the manner of the bytes `like` that stood there; CannotSpell when there are none."""


class Span(NamedTuple):
    """The bytes from `start` to `end` hold one path; `spelling` is None for what is no file.

    `base` is the number of the span whose folder the path starts from, where that stands elsewhere; an entry when it
    stands in another file.
    """

    start: int
    end: int
    where: Where
    coding: Coding
    spelling: Spelling | None
    names: str = "file"
    base: int | Entry | None = None


class Kind(NamedTuple):
    """What many spans share: see Span."""

    coding: Coding
    spelling: Spelling | None
    names: str = "file"
    base: int | Entry | None = None


class Spans:
    """All spans of one text in columns: hundreds of thousands are worked on as lists.

    `inside` is what stands in each, `outside` what stands before, between and after them.
    """

    def __init__(
        self,
        data: bytes,
        inside: list[bytes],
        outside: list[bytes],
        kinds: Sequence[Kind],
        where: Callable[[int], Where],
    ):
        self.data, self.inside, self.outside, self.kinds, self.where = data, inside, outside, kinds, where

    @classmethod
    def of(cls, data: bytes, found: "Sequence[Span] | Spans") -> "Spans":
        """What a finder found in `data`, as columns."""
        if isinstance(found, Spans):
            return found
        inside = [data[span.start : span.end] for span in found]
        outside = [
            data[end:start]
            for end, start in zip(
                [0, *(span.end for span in found)], [*(span.start for span in found), len(data)], strict=True
            )
        ]
        kinds = [Kind(span.coding, span.spelling, span.names, span.base) for span in found]
        return cls(data, inside, outside, kinds, lambda number: found[number].where)

    @cached_property
    def starts(self) -> list[int]:
        """Where each begins."""
        return list(
            accumulate(map(add, map(len, self.outside[1:-1]), map(len, self.inside)), initial=len(self.outside[0]))
        )[: len(self.inside)]

    def runs(self) -> Iterator[tuple[Kind, range]]:
        """Numbers of spans that follow each other and are of one kind."""
        first = 0
        for kind, run in groupby(self.kinds):
            last = first + len(list(run))
            yield kind, range(first, last)
            first = last

    def spliced(self, texts: Sequence[bytes]) -> bytes:
        """The data with these texts in the spans."""
        pieces = [b""] * (2 * len(texts) + 1)
        pieces[0::2], pieces[1::2] = self.outside, texts
        return b"".join(pieces)


SpanFinder = Callable[[bytes], Sequence[Span] | Spans]


class Shape(Struct, frozen=True):
    """How new bytes go into a container, and what of it must stay equal: by default splicing, and all bytes outside
    the spans.
    """

    splice: Callable[[Spans, Sequence[bytes]], bytes] = Spans.spliced
    rest: Callable[[Spans], object] = attrgetter("outside")


class TextLedger(Batched):
    """A ledger read by a function from bytes to spans.  Entry keys are the numbers of the spans.

    Of one that is `mapped` nobody knows what else stands in it, so that it is looked for what depends on its paths;
    one that is `untrusted`, for the reason that this says, is not rewritten.  A list of one folder that `grows_alone`
    is plainly a list; elsewhere a key or an element may be the only one that its program reads.
    """

    def __init__(
        self,
        path: str,
        map_name: str,
        finder: SpanFinder,
        program: str | None = None,
        wrapper: Wrapper = PLAIN,
        shape: Shape | None = None,
        usual_joint: bytes | None = None,
        about: Callable[[Spans], Iterator[tuple[int, str | None, float | None]]] | None = None,
    ):
        self.path = path
        self.map_name = map_name
        self.program = program
        self.finder = finder
        self.wrapper = wrapper
        self.shape = shape or Shape()
        self.usual_joint = usual_joint
        self.about = about
        self.mapped, self.untrusted, self.grows_alone = False, "", True
        self.past_finder: SpanFinder | None = None
        self.last = b"", Spans.of(b"", [])
        self.last_swapped: tuple[Spans, list[Swap], list[bytes | None]] = (self.last[1], [], [])

    def find(self) -> Spans:
        """The spans in what is inside the wrapper; looked for once as long as the file stays the same.  Raises
        BadLedger.
        """
        if os.path.getsize(self.path) > LARGEST:
            raise BadLedger(self.path, f"is larger than {LARGEST >> 20} MB, too large for a {self.map_name} ledger")
        with open(self.path, "rb") as stream:
            raw = stream.read(LARGEST + 1)
        if not raw or raw != self.last[0]:
            try:
                data = self.wrapper.peel(raw)
                self.last = raw, self.settle(Spans.of(data, self.finder(data)))
            except (ValueError, RecursionError, MemoryError) as error:
                raise BadLedger(self.path, str(error) or "is nested too deeply") from error
        return self.last[1]

    def settle(self, spans: Spans) -> Spans:
        """The spans with encodings that are no guesses any more, as far as the names on disk tell."""
        if all(kind.coding.sure for kind in spans.kinds):
            return spans
        from saltcart.ledgers.legacy import in_their_encoding  # seldom needed, and it knows formats

        return in_their_encoding(spans, os.path.dirname(self.path))

    def swapped(self, spans: Spans, swaps: Sequence[Swap]) -> list[bytes | None]:
        """The new bytes for each span that a swap covers, None for the others; worked out once."""
        if self.last_swapped[0] is not spans or self.last_swapped[1] != swaps:
            self.last_swapped = spans, list(swaps), swapped(spans, swaps)
        return self.last_swapped[2]

    def batches(self, besides: Sequence[Swap] = ()) -> Iterator[Batch]:
        """See Ledger.batches."""
        spans = self.find()
        fresh = self.swapped(spans, besides) if besides else ()
        if fresh and None not in fresh:
            return
        for (coding, spelling, _names, base), run in spans.runs():
            left: Sequence[int] = [number for number in run if fresh[number] is None] if fresh else run
            for first in range(0, len(left), BATCH_SPANS):
                numbers = left[first : first + BATCH_SPANS]
                texts = [coding.decode(spans.inside[number]) for number in numbers]
                above = self.entry_of(base, spans) if isinstance(base, int) else base
                sure = coding.sure and (spelling is None or spelling.start != "content")
                yield Batch(texts, spelling, above, sure, partial(self.entry_at, numbers, spans))

    def entry_at(self, numbers: Sequence[int], spans: Spans, at: int) -> Entry:
        """The entry at one of some spans."""
        return self.entry_of(numbers[at], spans)

    def entry_of(self, number: int, spans: Spans) -> Entry:
        """The entry at one span."""
        (coding, spelling, names, base), raw = spans.kinds[number], spans.inside[number]
        above = self.entry_of(base, spans) if isinstance(base, int) else base
        tried = self.content if spelling and spelling.start == "content" else ()
        known = cast(Spelling, spelling)  # what has none names no file, and makes no entry
        return Entry(number, spans.where(number), coding.decode(raw), known, names, coding.otherwise(raw), above, tried)

    def rewrite(
        self, target: str, changes: Mapping[Key, str], swaps: Sequence[Swap] = (), edits: ListEdits = NO_EDITS
    ) -> None:
        """See Ledger.rewrite."""
        spans = self.find()
        fresh = self.swapped(spans, swaps)
        texts = [old if new is None else new for old, new in zip(spans.inside, fresh, strict=True)]
        for number, text in changes.items():
            texts[number] = spans.kinds[number].coding.encode(text, spans.inside[number])
        self.write(target, texts, edits)

    def write(self, target: str, texts: Sequence[bytes], edits: ListEdits = NO_EDITS) -> None:
        """Write the ledger to `target` with these texts in its spans, proven.  Raises CannotSpell."""
        spans = self.find()
        same = texts == spans.inside and not edits  # then a container is not put together anew either
        if same:
            result = spans.data
        elif edits:
            result = self.edited(spans, texts, edits)
        else:
            result = self.shape.splice(spans, texts)
        if not same and not edits and not self.proven(spans, texts, result):
            raise CannotSpell(
                f"{show(self.path)}: rewriting would change more than its entries",
                "The ledger was left as it is; tell us about it.",
            )
        whole = self.last[0]
        if not same and self.mapped:
            self.refuse_dependants(spans, texts, len(result) != len(spans.data))
        with open(target, "wb") as stream:
            stream.write(whole if same else self.wrapper.put_back(whole, result))

    def refuse_dependants(self, spans: Spans, texts: Sequence[bytes], resized: bool) -> None:
        """Raise CannotSpell when something else in the file, or beside it in its package, would be untrue then."""
        from saltcart.ledgers.dependants import Change, dependant, digest_of_member  # needed only by what is rewritten

        changes = [
            Change(start, old, kind.coding.decode(old))
            for start, old, new, kind in zip(spans.starts, spans.inside, texts, spans.kinds, strict=True)
            if old != new
        ]
        why = self.untrusted or dependant(spans.data, changes, resized)
        if not why and any(digest_of_member(spans.data, other) for other in self.wrapper.others(self.last[0])):
            why = "holds a digest of what would change, in another of its parts"
        if why:
            raise CannotSpell(f"{show(os.path.basename(self.path))} {why}", REMEDY_DEPENDANT)

    def edited(self, spans: Spans, texts: Sequence[bytes], edits: ListEdits) -> bytes:
        """The data with these texts in the spans, and lists changed; proven to differ in nothing else."""
        touched = sorted({*edits.front, *edits.behind, *edits.gone})
        lists = runs_to_edit(touched, spans.kinds, spans.outside)
        around = self.with_lengths(spans, lists, edits)
        inside: list[bytes] = []
        outside, done = around[:1], 0
        for number, text in enumerate(texts):
            after = around[number + 1]
            if number < done:
                continue
            if one := lists.get(number):
                new = [
                    more for member in range(one.first, one.end) for more in self.in_place(spans, texts, member, edits)
                ]
                if not new:
                    raise CannotSpell(f"{show(self.path)}: a list cannot be left without a folder", REMEDY_LIST)
                fresh, between = edit(one, new, around)
                inside, outside, done = [*inside, *fresh], [*outside[:-1], *between], one.end
                continue
            if number in edits.gone:
                self.close_gap(outside, after, number + 1 < len(texts))
                continue
            encode = spans.kinds[number].coding.encode
            front, behind = (
                [encode(more, text) for more in side.get(number, ())] for side in (edits.front, edits.behind)
            )
            joints = [self.joint(spans, number) for _more in (*front, *behind)]
            inside += [*front, text, *behind]
            outside += [*joints, after]
        result = Spans(b"", inside, outside, [], nowhere).spliced(inside)
        with suppress(ValueError):
            found = Spans.of(result, self.finder(result))
            if (found.inside, found.outside) == (inside, outside):
                return result
        raise CannotSpell(f"{show(self.path)}: its list of folders cannot be changed so", REMEDY_LIST)

    def with_lengths(self, spans: Spans, numbered: Mapping[int, Members], edits: ListEdits) -> list[bytes]:
        """What stands between the texts, with the lengths of lists without numbers as they will be."""
        around = list(spans.outside)
        in_numbered = {number for one in numbered.values() for number in range(one.first, one.end)}
        done: set[int] = set()
        for number in {*edits.front, *edits.behind, *edits.gone} - in_numbered:
            first, last = list_around(number, spans.kinds, around, lambda text: self.is_joint(text) or is_plain(text))
            if first in done:
                continue
            done.add(first)
            members = range(first, last + 1)
            more = sum(len(side.get(one, ())) for side in (edits.front, edits.behind) for one in members)
            old, gone = len(members), sum(one in edits.gone for one in members)
            around[first], around[last + 1] = recounted(around[first], around[last + 1], old, old + more - gone)
        return around

    def in_place(self, spans: Spans, texts: Sequence[bytes], number: int, edits: ListEdits) -> list[bytes]:
        """What stands in the place of one span when lists change."""
        encode, text = spans.kinds[number].coding.encode, texts[number]
        front, behind = ([encode(more, text) for more in side.get(number, ())] for side in (edits.front, edits.behind))
        return [*front, *(() if number in edits.gone else (text,)), *behind]

    def close_gap(self, outside: list[bytes], after: bytes, more: bool) -> None:
        """Let one member of a list go, and with it what stands between it and the next one, or the one before it."""
        if more and self.is_joint(after):
            return  # what stood before it stands before the next
        if not self.is_joint(outside[-1]):
            raise CannotSpell(f"{show(self.path)}: a folder that stands alone cannot be taken out", REMEDY_LIST)
        outside[-1] = after

    def is_joint(self, text: bytes) -> bool:
        """Whether this is what stands between the parts of a list, blanks apart."""
        return self.usual_joint is not None and b"".join(text.split()) == b"".join(self.usual_joint.split())

    def joint(self, spans: Spans, number: int) -> bytes:
        """What stands between the parts of a list: as at a neighbour, or as is usual in such a file."""
        beside = [near for near in (number + 1, number) if 0 < near < len(spans.inside)]
        usual = (spans.outside[near] for near in beside if self.is_joint(spans.outside[near]))
        shown = next(usual, None) or plain_joint(number, spans.kinds, spans.outside)
        joint = shown or (self.usual_joint if self.grows_alone else None)
        if joint is None:
            raise CannotSpell(
                f"{show(self.path)}: nobody knows what stands between the folders of its list", REMEDY_LIST
            )
        return joint

    def proven(self, spans: Spans, texts: Sequence[bytes], result: bytes) -> bool:
        """Whether `result`, read anew, has the same spans with the wanted `texts` in them and the same everywhere
        else.
        """
        try:
            found = Spans.of(result, self.finder(result))
        except ValueError:
            return False
        return found.inside == texts and self.shape.rest(spans) == self.shape.rest(found)

    def facts(self) -> Iterator[Facts]:
        """See Ledger.facts: titles and lengths beside entries, where the format has such; maps over text name none."""
        spans = self.find() if self.about else None
        if self.about is None or spans is None:
            return
        for number, title, length in self.about(spans):
            entry = self.entry_of(number, spans)
            path = entry.spelling and entry.spelling.read(entry.written, os.path.dirname(self.path))
            yield Facts(number, path or "", title=title, length=length)

    def past(self) -> Iterator[str]:
        """See Ledger.past."""
        spans = Spans.of(self.find().data, self.past_finder(self.find().data)) if self.past_finder else None
        for kind, raw in zip(spans.kinds, spans.inside, strict=True) if spans else ():
            yield kind.coding.decode(raw)

    def busy(self) -> str | None:
        """See Ledger.busy; a text file knows no locks."""
        return None


class RawSwap(NamedTuple):
    """A swap as bytes of one coding; `odd` finds what the bytes alone cannot tell the meaning of, and so do
    `patterns` together, which are quicker in one long text.
    """

    old: bytes
    new: bytes
    odd: re.Pattern[bytes]
    patterns: tuple[re.Pattern[bytes], ...]

    @classmethod
    def of(cls, old: bytes, new: bytes, patterns: Sequence[str]) -> "RawSwap":
        """The swap with its patterns compiled."""
        together, *apart = (re.compile(one.encode(), re.MULTILINE) for one in ("|".join(patterns), *patterns))
        return cls(old, new, together, tuple(apart))

    def covers(self, text: bytes) -> bool:
        """Whether this is all that a text needs."""
        return text.startswith(self.old) and not self.odd.search(text, len(self.old) - 1)

    def all_at_once(self, texts: Sequence[bytes]) -> list[bytes | None] | None:
        """All of the texts swapped as one; None when some are not covered."""
        old, new, length = self.old, self.new, len(self.old)
        if not all([text.startswith(old) for text in texts]):
            return None
        tails = [text[length:] for text in texts]
        lines = b"/" + b"\n/".join(tails)  # no pattern knows the end of a line
        if any(pattern.search(lines) for pattern in self.patterns):
            return None
        return [new + tail for tail in tails]


def raw_swap(swap: Swap, coding: Coding, texts: Sequence[bytes]) -> RawSwap | None:
    """`swap` in the bytes of a coding, as one of the texts writes its beginning; None when none does, or when the
    bytes cannot tell.
    """
    if coding.marks is None or not (coding.sure or (swap.old + swap.new).isascii()):
        return None
    depth, plain = swap.old.count("/"), f"(?!{coding.plain_escapes})" if coding.plain_escapes else ""
    seen: set[bytes] = set()
    for text in texts:
        old = text[: len(text) - len(text.split(b"/", depth)[-1])]
        if old in seen:
            continue
        seen.add(old)
        if coding.decode(old) == swap.old:
            new = coding.encode(swap.new, old)
            if coding.encode(swap.new + "x", old + b"x") != new + b"x":
                return None  # it gets quotes
            # An escape in a text says how its writer would escape the same elsewhere.
            wide = not swap.new.isascii() or WIDE in swap.odd
            marks = [re.escape(mark) + ("" if wide and mark == "\\" else plain) for mark in coding.marks]
            return RawSwap.of(old, new, [*swap.odd, *marks])
    return None


def swapped(spans: Spans, swaps: Sequence[Swap]) -> list[bytes | None]:
    """The new bytes for each span that a swap covers, None for the others."""
    fresh: list[bytes | None] = []
    for (coding, spelling, _names, base), run in spans.runs():
        texts = spans.inside[run.start : run.stop]
        suited = [swap for swap in swaps if swap.spelling is spelling and base is None]
        fresh += exchanged(texts, [raw for swap in suited if (raw := raw_swap(swap, coding, texts))])
    return fresh


def exchanged(texts: Sequence[bytes], raws: Sequence[RawSwap]) -> list[bytes | None]:
    """What the first of the swaps that covers a text makes of it, None where there is none."""
    if len(raws) == 1 and (fresh := raws[0].all_at_once(texts)):
        return fresh
    known = Beginnings((raw.old, raw) for raw in raws)
    found = (next((raw for raw in known.of(text) if raw.covers(text)), None) for text in texts)
    return [raw and raw.new + text[len(raw.old) :] for raw, text in zip(found, texts, strict=True)]
