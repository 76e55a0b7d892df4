"""Running the program in a forked child that meets trouble at its Nth durable operation.

What can happen there: the program is killed; the power is cut, so that what was not flushed is lost; the
operation fails; a person interrupts; the old or the new drive is pulled out.  The last three leave the program
alive, and may come again while it takes back what it had done.

A power cut loses names (whatever was done to a folder that was not flushed since) and contents (a file that was not
flushed is empty, or holds its first block), of everything, or of every other folder and file, as a drive may that
writes in an order of its own.  A folder that was made and whose parent was not flushed is lost with all that is in it.
"""

import builtins
import io
import os
import sys
from contextlib import suppress

from saltcart import renaming
from saltcart.cli.main import main
from saltcart.ledgers.sqlite import ledger as databases
from saltcart.system import linux
from tests import launcher

launcher.load()  # once, rather than in every child

DURABLE = ("replace", "rename", "symlink", "unlink", "rmdir", "fsync", "link", "mkdir", "utime")
KILLED, FAILED = 137, 50
END = -1  # after the program has ended well: a power cut just then
BLOCK = 4096
REAL = {name: getattr(os, name) for name in (*DURABLE, "open")}
real_exclusive = renaming.rename_exclusively
real_open, real_connect, real_sync_drive = builtins.open, databases.connect, linux.flush_drive


class Unflushed:
    """What was done to names, and written into files, and is not flushed yet."""

    def __init__(self, attic):
        self.attic, self.top = attic, os.path.dirname(os.path.realpath(attic))  # where lost folders go; what is watched
        self.pending = []  # folder, how to undo it, the backup that needs, path
        self.dirty = {}  # inode to a handle of our own
        self.backups = 0

    def written(self, path):
        """The file at `path` is being written."""
        if not path.startswith(self.top) or os.path.basename(path) == "logbook.sqlite" or "/locks/" in path:
            return  # SQLite flushes by itself; a lock holds nothing
        with suppress(OSError):
            handle = REAL["open"](path, os.O_WRONLY)
            state = os.fstat(handle)
            if (state.st_dev, state.st_ino) in self.dirty:
                os.close(handle)
            self.dirty.setdefault((state.st_dev, state.st_ino), handle)

    def backup(self, path):
        """A second name for what stands at `path`, or None."""
        if not os.path.lexists(path) or (os.path.isdir(path) and not os.path.islink(path)):
            return None
        self.backups += 1
        other = os.path.join(self.attic, f"forgotten-{self.backups}")
        REAL["link"](path, other, follow_symlinks=False)
        return other

    def note(self, name, arguments, options):
        """Remember how to undo an operation on names that is about to be done."""
        path = os.fspath(arguments[-1] if name in ("replace", "rename", "symlink", "link") else arguments[0])
        if options.get("dir_fd") is not None:
            path = os.path.join(os.readlink(f"/proc/self/fd/{options['dir_fd']}"), path)
        path = os.path.abspath(path)
        if not path.startswith(self.top):
            self.pending.append(("", lambda: None, None, path))
            return
        kept = self.backup(path) if name in ("replace", "rename", "unlink") else None
        undo = {
            "replace": lambda: REAL["rename"](path, arguments[0]),
            "rename": lambda: REAL["rename"](path, arguments[0]),
            "symlink": lambda: REAL["unlink"](path),
            "link": lambda: REAL["unlink"](path),
            "mkdir": lambda: REAL["rename"](path, os.path.join(self.attic, str(len(os.listdir(self.attic))))),
            "rmdir": lambda: REAL["mkdir"](path),
            "unlink": lambda: None,
        }[name]
        self.pending.append((os.path.dirname(path), undo, kept, path))

    def not_done(self):
        """The last operation on names failed."""
        _folder, _undo, kept, _path = self.pending.pop()
        if kept:
            REAL["unlink"](kept)

    def flushed(self, handle):
        """A folder or file was flushed: what was done to it stays."""
        state = os.fstat(handle)
        if mine := self.dirty.pop((state.st_dev, state.st_ino), None):
            os.close(mine)
        folder = os.readlink(f"/proc/self/fd/{handle}")
        self.settle(lambda place: place == folder)

    def settle(self, wanted):
        """What was done in the folders that are `wanted` stays."""
        for place, _undo, kept, _path in self.pending:
            if wanted(place) and kept:
                REAL["unlink"](kept)
        self.pending = [one for one in self.pending if not wanted(one[0])]

    def all_flushed(self, top):
        """A whole drive was flushed."""
        self.settle(lambda place: place.startswith(top))
        while self.dirty:
            os.close(self.dirty.popitem()[1])

    def forget(self, some):
        """Lose what is not flushed, or every other folder's and file's."""
        for number, handle in enumerate(self.dirty.values()):
            if not some or number % 2 == 0:
                os.ftruncate(handle, min(os.fstat(handle).st_size, BLOCK if number % 3 else 0))
        folders = sorted({one[0] for one in self.pending})
        lost = folders[::2] if some else folders
        for place, undo, kept, path in reversed(self.pending):
            with suppress(OSError):
                if place in lost:
                    undo()
                    if kept:
                        REAL["rename"](kept, path)
                elif kept:
                    REAL["unlink"](kept)


class Trouble:
    """What happens at which operations: `at` maps their numbers to an exception to raise or a function to call."""

    def __init__(self, at=None, kill_at=0, forget=None):
        self.at, self.kill_at, self.forget, self.count = at or {}, kill_at, forget, 0

    @property
    def met(self):
        """Whether anything has happened."""
        return any(number <= self.count for number in self.at)

    def name(self):
        """What kind of trouble this is."""
        if self.kill_at:
            return f"power cut, {self.forget} of what was not flushed lost" if self.forget else "killed"
        kinds = ["pulled drive" if callable(event) else type(event).__name__ for event in self.at.values()]
        return " and ".join(kinds) or "none"

    def step(self, unflushed):
        """One operation is about to be done."""
        self.count += 1
        if self.count == self.kill_at:
            if unflushed:
                unflushed.forget(self.forget == "some")
            os._exit(KILLED)
        event = self.at.get(self.count)
        if callable(event) and not isinstance(event, type):
            event()
        elif event:
            raise event


def pull(drive):
    """Pull a drive out: an ordinary, empty folder is left at its mount point."""
    REAL["rename"](drive, f"{drive}.pulled")
    REAL["mkdir"](drive)


def plug_in(drive):
    """Plug a pulled drive in again; what was written into the hole meanwhile, which must be nothing."""
    if not os.path.isdir(f"{drive}.pulled"):
        return []
    left = os.listdir(drive)
    for name in left:
        REAL["rename"](os.path.join(drive, name), f"{drive}.hole-{name}")
    REAL["rmdir"](drive)
    REAL["rename"](f"{drive}.pulled", drive)
    return left


def watched(trouble, unflushed, name, real):
    """An operation `real` that goes through `trouble`, and is remembered as `name` until it is flushed."""

    def operation(*arguments, **options):
        trouble.step(unflushed)
        if unflushed and name not in ("fsync", "utime"):
            unflushed.note(name, arguments, options)
        try:
            real(*arguments, **options)
        except OSError:
            if unflushed and name not in ("fsync", "utime"):
                unflushed.not_done()
            raise
        if unflushed and name == "fsync":
            unflushed.flushed(*arguments)

    return operation


def watch_operations(trouble, unflushed):
    """Let every durable operation of this process go through `trouble`."""

    def sync_drive(top):
        trouble.step(unflushed)
        done = real_sync_drive(top)
        if unflushed:
            unflushed.all_flushed(top)
        return done

    for name in DURABLE:
        setattr(os, name, watched(trouble, unflushed, name, REAL[name]))
    renaming.rename_exclusively = watched(trouble, unflushed, "rename", real_exclusive)
    linux.flush_drive = sync_drive


def watch_contents(unflushed):
    """Take note of every file that this process opens to write."""

    def opened(path, mode="r", *rest, **options):
        stream = real_open(path, mode, *rest, **options)
        if not isinstance(path, int) and set(mode) & set("wax+"):
            unflushed.written(os.fspath(path))
        return stream

    def os_open(path, flags, *rest, **options):
        handle = REAL["open"](path, flags, *rest, **options)
        if flags & (os.O_WRONLY | os.O_RDWR):
            unflushed.written(os.readlink(f"/proc/self/fd/{handle}"))
        return handle

    def connect(path, options):
        if "rwc" in options:
            unflushed.written(path)
        return real_connect(path, options)

    os.open, builtins.open, io.open, databases.connect = os_open, opened, opened, connect


def run_with(words, environment, trouble):
    """Run the program in a child that meets `trouble`; its exit status, KILLED when it died of it, FAILED more than the
    program's own when it met it and lived.
    """
    if where := os.environ.get("SALTCART_COUNT"):  # a line for each history, to count them by
        with real_open(where, "a", encoding="utf-8") as stream:
            stream.write(trouble.name() + "\n")
    child = os.fork()
    if child:
        return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    status = 99
    try:
        silence = os.open(os.devnull, os.O_RDWR)
        for handle in (0, 1, 2):
            os.dup2(silence, handle)
        os.environ.update(environment)
        attic = os.path.join(environment["SALTCART_HOME"], "..", "attic")
        os.makedirs(attic, exist_ok=True)
        unflushed = Unflushed(attic) if trouble.forget else None
        watch_operations(trouble, unflushed)
        if unflushed:
            watch_contents(unflushed)
        sys.argv = ["saltcart", *words]
        status = main(words) + (FAILED if trouble.met else 0)
        if unflushed and trouble.kill_at == END:
            unflushed.forget(trouble.forget == "some")
    finally:
        os._exit(status)


def run_until(words, environment, deaths_at, failing=None, forget=None):
    """Run the program in a child that dies at operation `deaths_at`, or, with `failing`, meets that error there."""
    trouble = Trouble({deaths_at: failing}) if failing else Trouble(kill_at=deaths_at, forget=forget)
    return run_with(words, environment, trouble)
