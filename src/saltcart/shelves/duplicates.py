"""Files of the same content, told cheaply first: by size, by a digest of both ends, and only then in full."""

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Sequence
from functools import partial

from blake3 import blake3

from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.digests import digest_file
from saltcart.shelves.walk import Trouble, ignore
from saltcart.system import os

END = 32 << 10  # bytes read at each end; a file of twice that is read whole at once


def duplicates(
    files: Iterable[tuple[str, int, Hashable]], trouble: Trouble = ignore, progress: Progress = silent
) -> list[list[str]]:
    """Groups of paths with the same content, the largest files first; paths in order within a group.

    `files` are (path, size in bytes, identity); several names of one file have one identity and
    are no copies.  Empty files are passed over.  What cannot be read is reported to `trouble`.
    """
    sizes: dict[int, dict[Hashable, str]] = defaultdict(dict)
    for path, size, identity in files:
        if size:
            sizes[size].setdefault(identity, path)
    candidates = sorted(
        ((size, sorted(paths.values())) for size, paths in sizes.items() if len(paths) > 1), reverse=True
    )
    total = sum(len(paths) for _size, paths in candidates)
    groups, done = [], 0
    for size, paths in candidates:
        for alike in split(paths, partial(ends, size=size), trouble):
            groups += split(alike, digest_file, trouble) if size > 2 * END else [alike]
        done += len(paths)
        progress(Tick("compare sounds", paths[-1], done, total))
    return groups


def split(paths: Sequence[str], key: Callable[[str], Hashable], trouble: Trouble) -> list[list[str]]:
    """Groups of at least two paths for which `key` gives the same."""
    groups: dict[Hashable, list[str]] = defaultdict(list)
    for path in paths:
        try:
            groups[key(path)].append(path)
        except OSError as error:
            trouble(path, error)
    return [group for group in groups.values() if len(group) > 1]


def ends(path: str, size: int) -> bytes:
    """The digest of the first and last bytes of a file of `size`; of all of it when it is small."""
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW)
    try:
        head = os.read(handle, 2 * END if size <= 2 * END else END)
        tail = b"" if size <= 2 * END else os.pread(handle, END, size - END)
    finally:
        os.close(handle)
    return blake3(head + tail).digest()
