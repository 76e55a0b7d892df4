"""Ledgers that are one text, or bytes with texts in them: each path is in a span."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import partial
from operator import attrgetter
from typing import cast

from msgspec import Struct

from saltcart.errors import BadLedger, CannotSpell, show
from saltcart.ledgers.base import NO_EDITS, REMEDY_DEPENDANT, REMEDY_LIST, Batch, Batched, Entry, Key, ListEdits
from saltcart.ledgers.facts import Facts
from saltcart.ledgers.list_length import recounted
from saltcart.ledgers.numbered import Members, edit, is_plain, joint_of_objects, list_around, plain_joint, runs_to_edit
from saltcart.ledgers.raw_swaps import swapped
from saltcart.ledgers.spans import SpanFinder, Spans
from saltcart.ledgers.where import nowhere
from saltcart.ledgers.wrappers import PLAIN, Wrapper
from saltcart.spelling import Spelling
from saltcart.spelling.swaps import Swap
from saltcart.system import os

LARGEST = 256 << 20
BATCH_SPANS = 1000


class Shape(Struct, frozen=True):
    """How new bytes go into a container, and what of it must stay equal: by default splicing, and all bytes outside
    the spans.
    """

    splice: Callable[[Spans, Sequence[bytes]], bytes] = Spans.spliced
    rest: Callable[[Spans], object] = attrgetter("outside")


class TextLedger(Batched):
    """A ledger read by a function from bytes to spans.  Entry keys are the numbers of the spans.

    Of one that is `mapped` nobody knows what else is in it, so that it is looked for what depends on its paths;
    one that is `untrusted`, for the reason that this says, is not rewritten.  A list of one folder that `grows_alone`
    is plainly a list; elsewhere a key or an element may be the only one that its program reads.
    """

    def __init__(
        self,
        path: str,
        map_name: str,
        finder: SpanFinder,
        wrapper: Wrapper = PLAIN,
        shape: Shape | None = None,
        about: Callable[[Spans], Iterator[tuple[int, str | None, float | None]]] | None = None,
    ):
        self.path = path
        self.map_name = map_name
        self.program: str | None = None
        self.finder = finder
        self.wrapper = wrapper
        self.shape = shape or Shape()
        self.usual_joint: bytes | None = None
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
        """The spans with encodings that are no guesses any more, where the names on disk prove it."""
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
                yield Batch(texts, spelling, above, sure, numbers.__getitem__, partial(self.entry_at, numbers, spans))

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
        raise CannotSpell(f"{show(self.path)}: nothing in it shows how one more folder would be written", REMEDY_LIST)

    def with_lengths(self, spans: Spans, numbered: Mapping[int, Members], edits: ListEdits) -> list[bytes]:
        """What is between the texts, with the lengths of lists without numbers as they will be."""
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
        """What is in the place of one span when lists change."""
        encode, text = spans.kinds[number].coding.encode, texts[number]
        front, behind = ([encode(more, text) for more in side.get(number, ())] for side in (edits.front, edits.behind))
        return [*front, *(() if number in edits.gone else (text,)), *behind]

    def close_gap(self, outside: list[bytes], after: bytes, more: bool) -> None:
        """Let one member of a list go, and with it what is between it and the next one, or the one before it."""
        if more and self.is_joint(after):
            return  # what stood before it is before the next
        if not self.is_joint(outside[-1]):
            raise CannotSpell(f"{show(self.path)}: its only folder cannot be removed", REMEDY_LIST)
        outside[-1] = after

    def is_joint(self, text: bytes) -> bool:
        """Whether this is what is between the parts of a list, blanks apart."""
        return self.usual_joint is not None and b"".join(text.split()) == b"".join(self.usual_joint.split())

    def joint(self, spans: Spans, number: int) -> bytes:
        """What is between the parts of a list: as at a neighbour, or as is usual in such a file."""
        beside = [near for near in (number + 1, number) if 0 < near < len(spans.inside)]
        usual = (spans.outside[near] for near in beside if self.is_joint(spans.outside[near]))
        shown = next(usual, None) or plain_joint(number, spans.kinds, spans.outside)
        shown = shown or joint_of_objects(spans.outside[number], spans.outside[number + 1])
        joint = shown or (self.usual_joint if self.grows_alone else None)
        if joint is None:
            raise CannotSpell(
                f"{show(self.path)}: nothing in it shows how one more folder would be written", REMEDY_LIST
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
