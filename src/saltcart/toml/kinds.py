"""The kinds of text in our TOML files: what a field of a struct says of its key, once, for reading and writing.

    care: Annotated[str, one_of("own", "replaceable")] = "own"
    path: FullPath

Paths are bytes; TOML holds text.  A path that is not valid UTF-8 is written as a `file:` URI.
"""

from typing import Annotated, Any
from urllib.parse import quote, unquote_to_bytes

from msgspec import Meta

from saltcart.errors import SaltCartError
from saltcart.system import here, os


class NotThat(SaltCartError):
    """A text that is not of its kind."""


def as_toml_path(path: str) -> str:
    """`path` as TOML can hold it: as it is, or as a URI when it is not valid UTF-8."""
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        return "file://" + quote(os.fsencode(path))
    return path


def from_toml_path(text: str, _folder: str = "") -> str:
    """The path meant by `as_toml_path`'s text, or by a person's with `~`."""
    if text.startswith("file://"):
        return os.fsdecode(unquote_to_bytes(text.removeprefix("file://")))
    return os.path.expanduser(text)


EXAMPLE = "D:/Music" if here.LETTERS else "/..."


def full_path(text: str, _folder: str = "") -> str:
    """A path from the top; NotThat for a relative one or a NUL."""
    path = from_toml_path(text)
    if not os.path.isabs(path) or "\0" in path:
        raise NotThat("is not a full path", f"Write it from the top, such as {EXAMPLE}")
    return os.path.normpath(path)


def path_below(text: str, _folder: str = "") -> str:
    """A path from a shelf's or a collection's top; NotThat for one that leads out of it."""
    path = from_toml_path(text)
    detours = any(part in ("", ".", "..") for part in path.split("/"))
    if path.startswith("/") or os.path.isabs(path) or "\0" in path or detours:
        raise NotThat("is not a path below the top", "Write it like: Pack/name.wav")
    return path


def any_path(text: str, _folder: str = "") -> str:
    """A path, or a pattern of paths; NotThat for a NUL, which no name holds."""
    path = from_toml_path(text)
    if "\0" in path:
        raise NotThat("holds a NUL, which no name does", "Correct it.")
    return path


def path_from_file(text: str, folder: str) -> str:
    """A path that may start from the folder of the file that says it."""
    return os.path.normpath(os.path.join(folder, any_path(text)))


def shown(text: str) -> str:
    """A name to read, without what is no text."""
    return text.encode("utf-8", "surrogateescape").decode("utf-8", "replace")


def one_of(*words: Any) -> Meta:
    """That only one of these words is allowed there."""
    return Meta(extra={"one_of": words})


def keys(*names: str) -> Meta:
    """That a pair is a table with these keys."""
    return Meta(extra={"keys": names})


def text_kind(read: Any, write: Any = as_toml_path) -> Meta:
    """How a text is read, given the folder of its file, and written."""
    return Meta(extra={"read": read, "write": write})


AnyPath = Annotated[str, text_kind(any_path)]  # a path, or a pattern of paths, however it begins
FullPath = Annotated[str, text_kind(full_path)]
InnerPath = Annotated[str, text_kind(path_below)]
PathFromFile = Annotated[str, text_kind(path_from_file)]
Shown = Annotated[str, text_kind(lambda text, _folder: text, shown)]
OUTSIDE_FILE = Meta(extra={"outside": True})  # a field that the file does not hold
Pair = Annotated[tuple[InnerPath, InnerPath], keys("from", "to")]
