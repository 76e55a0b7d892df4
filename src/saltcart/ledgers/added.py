"""Formats and containers of other packages, used like ours.

A format is a module with NAME, claims(name, head) and spans(data), as those in `ledgers.formats`; WRAPPER and
about(spans) if it needs them.  A container is one with spans(data, rules), and splice(spans, texts) with rest(spans)
where bytes outside of the spans change too.

What one does wrong is a ValueError for the file when it is read, and CannotSpell when it is written: never more.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from msgspec import Struct

from saltcart.errors import CannotSpell
from saltcart.ledgers.rules import At
from saltcart.ledgers.spans import Span, SpanFinder, Spans
from saltcart.ledgers.text_ledger import Shape
from saltcart.ledgers.wrappers import PLAIN, Wrapper
from saltcart.plugins import CONTAINERS, FORMATS, usable


class AddedFormat(Struct, frozen=True):
    """A format of another package, used like one of ours."""

    module: Any

    @property
    def NAME(self) -> str:
        """What it is called."""
        return str(self.module.NAME)

    @property
    def WRAPPER(self) -> Wrapper:
        """What peels off before reading."""
        wrapper: Wrapper = getattr(self.module, "WRAPPER", PLAIN)
        return wrapper if is_ours(wrapper) else GuardedWrapper(self.NAME, wrapper)

    @property
    def says(self) -> str:
        """The first line of what it says of itself."""
        return (self.module.__doc__ or "").split("\n")[0].rstrip(".")

    def claims(self, name: str, head: bytes) -> bool:
        """Whether it says that it reads a file of that name that begins with `head`."""
        try:
            return bool(self.module.claims(name, head))
        except Exception:  # of whatever kind: then it does not read this file
            return False

    def spans(self, data: bytes) -> Sequence[Span] | Spans:
        """See SpanFinder."""
        return guarded(self.NAME, self.module.spans)(data)

    def about(self, spans: Spans) -> Iterator[tuple[int, str | None, float | None]]:
        """Number, title and seconds of what it knows more of; nothing when it fails."""
        try:
            yield from getattr(self.module, "about", lambda _spans: ())(spans)
        except Exception:
            return


def is_ours(thing: object) -> bool:
    """Whether something is made by a class of ours, which does what it says."""
    return type(thing).__module__.startswith("saltcart.")


def writing(name: str, function: Callable[..., Any]) -> Callable[..., Any]:
    """What an addition does when something is written, with CannotSpell for whatever goes wrong in it."""

    def done(*some: Any) -> Any:
        try:
            return function(*some)
        except CannotSpell:
            raise
        except Exception as error:
            what = f"the plug-in {name} fails while it writes ({type(error).__name__}: {error})"
            raise CannotSpell(what, "The ledger was left as it is; tell whoever made the plug-in.") from error

    return done


class GuardedWrapper(Struct, frozen=True):
    """A wrapper of an addition."""

    name: str
    inner: Any

    def peel(self, data: bytes) -> bytes:
        """See Wrapper.peel."""
        try:
            return bytes(self.inner.peel(data))
        except Exception as error:
            raise ValueError(f"the plug-in {self.name} fails on it ({type(error).__name__}: {error})") from error

    def put_back(self, data: bytes, content: bytes) -> bytes:
        """See Wrapper.put_back."""
        return bytes(writing(self.name, self.inner.put_back)(data, content))

    def others(self, data: bytes) -> Iterator[bytes]:
        """See Wrapper.others."""
        found: list[bytes] = writing(self.name, lambda: list(self.inner.others(data)))()
        return iter(found)


class GuardedCoding(Struct, frozen=True):
    """A coding of an addition."""

    name: str
    inner: Any

    @property
    def sure(self) -> bool:
        """See Coding.sure."""
        return bool(self.inner.sure)

    @property
    def marks(self) -> str | None:
        """See Coding.marks: not known, so that each text is worked out by itself."""
        return None

    @property
    def plain_escapes(self) -> str:
        """See Coding.plain_escapes."""
        return ""

    def decode(self, raw: bytes) -> str:
        """See Coding.decode; what was read once is read again without fail."""
        return str(self.inner.decode(raw))

    def otherwise(self, raw: bytes) -> str | None:
        """See Coding.otherwise: an addition says in which encoding it is."""
        return None

    def encode(self, text: str, like: bytes) -> bytes:
        """See Coding.encode."""
        return bytes(writing(self.name, self.inner.encode)(text, like))


def guarded(name: str, find: Callable[..., Sequence[Span] | Spans]) -> Callable[..., Sequence[Span] | Spans]:
    """The finder of an addition, with ValueError for whatever goes wrong in it."""

    def found(data: bytes, *more: Any, **named: Any) -> Sequence[Span] | Spans:
        try:
            spans = find(data, *more, **named)
            if not isinstance(spans, Spans):
                spans = list(spans)
                in_order(name, spans, data)
                spans = [
                    one if is_ours(one.coding) else one._replace(coding=GuardedCoding(name, one.coding))
                    for one in spans
                ]
            return spans
        except (ValueError, RecursionError, MemoryError):
            raise
        except Exception as error:
            raise ValueError(f"the plug-in {name} fails on it ({type(error).__name__}: {error})") from error

    return found


def in_order(name: str, spans: Sequence[Span], data: bytes) -> None:
    """Raise ValueError when spans overlap or lie outside of the data, since nothing could be put in their places; and
    whatever their codings raise for the texts in them.
    """
    last = 0
    for span in spans:
        if not last <= span.start <= span.end <= len(data):
            raise ValueError(f"the plug-in {name} finds places that overlap or lie outside of the file")
        if not isinstance(span.coding.sure, bool):
            raise ValueError(f"the plug-in {name} does not say in which encoding a path is")
        span.coding.decode(data[span.start : span.end])
        last = span.end


def formats(taken: Sequence[str]) -> list[AddedFormat]:
    """The formats that are added, but for names that are `taken`."""
    return [AddedFormat(one.module) for one in usable(FORMATS) if one.module.NAME not in taken]


def container(name: str) -> Any:
    """The module of a container that is added; None when there is none of that name."""
    return next((one.module for one in usable(CONTAINERS) if one.name == name), None)


def container_names() -> list[str]:
    """The names of the containers that are added."""
    return [one.name for one in usable(CONTAINERS)]


def finder_in(name: str, module: Any, rules: Sequence[At]) -> SpanFinder:
    """The finder of an added container for some rules."""
    find = guarded(name, module.spans)
    return lambda data: find(data, rules=rules)


def shape_in(name: str, module: Any) -> Shape | None:
    """How an added container is put together, where splicing is not enough."""
    if not hasattr(module, "splice") or not hasattr(module, "rest"):
        return None
    return Shape(writing(name, module.splice), writing(name, module.rest))
