"""How files begin, which tells what most of them are."""

from saltcart.system import here, os


def beginning(path: str, count: int) -> bytes:
    """The first `count` bytes of a file, or all of a shorter one.  OSError when it cannot be read.

    With very many files this is most of what a look at them costs, so nothing is buffered and nothing read ahead.
    """
    return beginning_and_size(path, count)[0]


def beginning_and_size(path: str, count: int) -> tuple[bytes, int]:
    """The same, and the size of the file in bytes."""
    handle = os.open(path, os.O_RDONLY)
    try:
        here.read_sparingly(handle)
        return os.read(handle, count), os.fstat(handle).st_size
    finally:
        os.close(handle)
