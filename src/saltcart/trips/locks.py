"""Locks of the system on files among our own data: they go when their process does.

A lock file is opened below an opened folder and never has one made for it: if the drive with our data goes, nothing is
made in the empty folder at its mount point.
"""

import errno
import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager

from saltcart.home import require_home


class Locked(Exception):
    """Somebody else holds the lock."""


@contextmanager
def locked(path: str) -> Iterator[None]:
    """Hold the lock on the file at `path`, which is made if it is not there.  Locked at once when somebody else does,
    OSError when the folder is gone.
    """
    folder = os.open(os.path.dirname(path), os.O_RDONLY | os.O_DIRECTORY)
    try:
        require_home()
        handle = os.open(os.path.basename(path), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600, dir_fd=folder)
    except OSError as error:
        raise OSError(error.errno, error.strerror, path) from error
    finally:
        os.close(folder)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        os.close(handle)
        if error.errno in (errno.EWOULDBLOCK, errno.EACCES):
            raise Locked from error
        raise
    try:
        yield
    finally:
        os.close(handle)
