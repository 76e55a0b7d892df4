"""DAWproject sessions (version 1): a zip file whose project.xml names files; only external ones lie outside the zip."""

from saltcart.ledgers.containers import xml
from saltcart.ledgers.rules import At, Matcher, must_match
from saltcart.ledgers.spans import Span
from saltcart.ledgers.wrappers import ZIP_MAGIC, ZipMember
from saltcart.spelling import spelling_named

NAME = "dawproject"
WRAPPER = ZipMember("project.xml")
# Audio and video files, and the state of plug-ins.
RULES = tuple(At(f"**/{name}/@path", spelling_named("auto")) for name in ("File", "State"))


def claims(name: str, head: bytes) -> bool:
    """Whether a file of that name that begins with `head` is such a session."""
    return head.startswith(ZIP_MAGIC) and name.lower().endswith(".dawproject")


def spans(data: bytes) -> list[Span]:
    """The paths of elements that say external="true"; the others lie in the zip itself."""
    text = xml.read(data)
    raw = text.text.encode("utf-8", "surrogatepass")
    rule_for = Matcher(RULES)
    places = [place for place in xml.Reader(raw, rule_for).places() if is_external(raw, place[0])]
    return xml.place_spans(text, raw, places, rule_for)


def is_external(raw: bytes, place: int) -> bool:
    """Whether the tag around an attribute value is marked as external."""
    start = raw.rindex(b"<", 0, place)
    tag = raw[start : must_match(xml.TAG_END, raw, start).end()]
    return any(one[1] == b"external" and (one[2] or one[3]) == b"true" for one in xml.ATTRIBUTE.finditer(tag))
