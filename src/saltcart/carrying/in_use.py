"""One at a time on a folder that several machines reach: a file there says who is at work.

Locks of the system do not reach over every network, so this is a file that is made only where none is.  It is
never taken over in silence: that of a process of this machine which has ended is, and that is reported; any other stays
until its owner is done, or a person removes it.
"""

import errno
import json
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime

import psutil

from saltcart.carrying.identity import machine_id, whoami
from saltcart.drives.drive import mount_of
from saltcart.errors import Refused, show
from saltcart.own_names import IN_USE
from saltcart.safefile import nearest, remove_if_there
from saltcart.system import os
from saltcart.trips.records import now

LONGEST = 1 << 16  # characters of such a file
NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.ENOSYS, errno.EMLINK)


@contextmanager
def in_use(folder: str) -> Iterator[str]:
    """Be the only one at work in a folder, or in the nearest one above it that is there; what is to be told first, if
    anything.  Refused when somebody else is.
    """
    folder = nearest(folder, os.path.isdir)
    told = above(folder)
    path = os.path.join(folder, IN_USE)
    told = take(path) or told
    try:
        yield told
    finally:
        with suppress(OSError):  # the drive may have gone
            remove_if_there(path)


def above(folder: str) -> str:
    """Look for marks in the folders above on the same drive, where what is in `folder` may not have been there yet;
    what is to be told of one that was left.
    """
    told, mount = "", mount_of(folder)
    while folder not in (mount, os.path.dirname(folder)):
        folder = os.path.dirname(folder)
        path = os.path.join(folder, IN_USE)
        if os.path.lexists(path):
            told = left_over(path)
            remove_if_there(path)
    return told


def take(path: str) -> str:
    """Make the file; what is to be told of one that stood there.  Nothing is made where nothing can be written."""
    mine = {
        "who": whoami(),
        "machine": machine_id(),
        "process": os.getpid(),
        "began": began(os.getpid()),
        "since": now(),
    }
    told = ""
    while True:
        try:
            appear(path, json.dumps(mine))
        except FileExistsError:
            told = left_over(path)
            remove_if_there(path)
            continue
        except OSError:
            return ""  # what has to be written there will say so
        return told


def appear(path: str, text: str) -> None:
    """Make a file with all that is in it, and flushed, or none.  FileExistsError when one is there.

    Where a drive knows no second names, a power cut may leave an empty one.
    """
    fresh = f"{path}-{machine_id()}"  # the same each time, so that nothing is left for good
    remove_if_there(fresh)
    write_new(fresh, text)
    try:
        os.link(fresh, path)
    except OSError as error:
        if error.errno not in NO_LINKS:
            raise
        write_new(path, text)
    finally:
        remove_if_there(fresh)


def write_new(path: str, text: str) -> None:
    """Write a file that was not there, and flush it."""
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666)
    with os.fdopen(handle, "w", encoding="utf-8") as stream:
        stream.write(text)
        stream.flush()
        os.fsync(stream.fileno())


def left_over(path: str) -> str:
    """The words for a file whose process has ended.  Refused for any other."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)  # what lies on a drive may be a pipe, or without an end
        with os.fdopen(handle, encoding="utf-8") as stream:
            found = json.loads(stream.read(LONGEST))
        who, since, process, start = found["who"], found["since"], int(found["process"]), found["began"]
        age = (datetime.now(UTC) - datetime.fromisoformat(since)).total_seconds()
        ours = found["machine"] == machine_id()
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        who, since, process, start, age, ours = "somebody", "an unknown time", 0, None, None, False
    if ours and began(process) != start:
        return f"Salt Cart was interrupted there ({ago(age)}); this continues what it began"
    raise Refused(
        f"{show(os.path.dirname(path))} is in use by {show(str(who))} since {show(str(since))} ({ago(age)})",
        f"Wait until that has ended. If that computer has crashed, remove {show(path)} and type this again.",
    )


def began(process: int) -> float | None:
    """When a process of this machine began, which distinguishes it from another with its number; None without one."""
    try:
        return psutil.Process(process).create_time()
    except (psutil.Error, ValueError, OverflowError):
        return None


def ago(seconds: float | None) -> str:
    """An age in words; a clock that is wrong somewhere shows as such."""
    if seconds is None:
        return "its age is not known"
    if seconds < -60:
        return "by its clock that is still to come"
    minutes = int(max(seconds, 0) // 60)
    return f"{minutes} min ago" if minutes < 120 else f"{minutes // 60} hours ago"
