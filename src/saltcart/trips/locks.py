"""Locks of the system on files among our own data: they go when their process does.

A lock file is opened below an opened folder and never has one made for it: if the drive with our data goes, nothing is
made in the empty folder at its mount point.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from saltcart.home import require_home
from saltcart.system import here, os


class Locked(Exception):
    """Somebody else holds the lock."""


@contextmanager
def locked(path: str) -> Iterator[None]:
    """Hold the lock on the file at `path`, which is made if it is not there.  Locked at once when somebody else does,
    OSError when the folder is gone.
    """
    folder = here.open_folder(os.path.dirname(path))
    try:
        require_home()
        handle = folder.open(os.path.basename(path), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError as error:
        raise OSError(error.errno, error.strerror, path) from error
    finally:
        folder.close()
    try:
        here.lock(handle)
    except OSError as error:
        os.close(handle)
        if isinstance(error, BlockingIOError):
            raise Locked from error
        raise
    try:
        yield
    finally:
        os.close(handle)
