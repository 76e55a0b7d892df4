"""Running the program in a forked child that dies at its Nth durable operation, as in a power cut.

With a power cut, names may be lost too: whatever was done to a folder that was not flushed since.
`Names` keeps what it takes to undo that, and at the death forgets all of it, or that of every other
folder, as a drive may that writes folders in an order of its own.
"""

import os
import sys
from contextlib import suppress
from importlib import import_module

import blake3  # noqa: F401  (loaded here once, rather than in every child)
import mutagen  # noqa: F401
import psutil  # noqa: F401
import rich.progress  # noqa: F401
import tomlkit  # noqa: F401

from saltcart.cli.main import main
from saltcart.cli.parser import COMMANDS

for command in COMMANDS:
    import_module(f"saltcart.cli.{command}")

DURABLE = ("replace", "rename", "symlink", "unlink", "rmdir", "fsync", "link", "mkdir", "utime")
KILLED, FAILED = 137, 50
os_fsync = os.fsync


class Names:
    """What was done to names and is not flushed yet."""

    def __init__(self):
        self.real = {name: getattr(os, name) for name in DURABLE}
        self.pending = []  # folder, how to undo it, the backup that needs
        self.backups = 0

    def backup(self, path):
        """A second name for what stands at `path`, or None."""
        if not os.path.lexists(path) or (os.path.isdir(path) and not os.path.islink(path)):
            return None
        self.backups += 1
        other = os.path.join(os.path.dirname(path), f".forgotten-{self.backups}")
        self.real["link"](path, other, follow_symlinks=False)
        return other

    def note(self, name, arguments, options):
        """Remember how to undo an operation that is about to be done."""
        if options.get("dir_fd") is not None or name in ("fsync", "utime"):
            return
        path = os.path.abspath(
            os.fspath(arguments[-1] if name in ("replace", "rename", "symlink", "link") else arguments[0])
        )
        kept = self.backup(path) if name in ("replace", "rename", "unlink") else None
        undo = {
            "replace": lambda: self.real["rename"](path, arguments[0]),
            "rename": lambda: self.real["rename"](path, arguments[0]),
            "symlink": lambda: self.real["unlink"](path),
            "link": lambda: self.real["unlink"](path),
            "mkdir": lambda: self.real["rmdir"](path),
            "rmdir": lambda: self.real["mkdir"](path),
            "unlink": lambda: None,
        }[name]
        self.pending.append((os.path.dirname(path), undo, kept, path))

    def flushed(self, handle):
        """A folder was flushed: what was done in it stays."""
        folder = os.readlink(f"/proc/self/fd/{handle}")
        for place, _undo, kept, _path in self.pending:
            if place == folder and kept:
                self.real["unlink"](kept)
        self.pending = [one for one in self.pending if one[0] != folder]

    def forget(self, some):
        """Undo what is not flushed, of every folder or every other one."""
        folders = sorted({one[0] for one in self.pending})
        lost = folders[::2] if some else folders
        for place, undo, kept, path in reversed(self.pending):
            with suppress(OSError):
                if place in lost:
                    undo()
                    if kept:
                        self.real["rename"](kept, path)
                elif kept:
                    self.real["unlink"](kept)


def run_until(words, environment, deaths_at, failing=None, forget=None):
    """Run the program in a child; its exit status, KILLED when it died at operation `deaths_at`.

    `forget` "all" or "some" also loses names that are not flushed.  With `failing` the Nth operation raises that
    error instead, as a failing drive does, and the status is FAILED more than the program's own.
    """
    child = os.fork()
    if child:
        return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    status = 99
    try:
        silence = os.open(os.devnull, os.O_RDWR)
        for handle in (0, 1, 2):
            os.dup2(silence, handle)
        os.environ.update(environment)
        count = 0
        names = Names() if forget else None

        def fatal(real):
            def operation(*arguments, **options):
                nonlocal count
                count += 1
                if count == deaths_at:
                    if failing:
                        raise failing
                    if names:
                        names.forget(forget == "some")
                    os._exit(KILLED)
                if names and real is os_fsync:
                    names.flushed(*arguments)
                elif names:
                    names.note(real.__name__, arguments, options)
                return real(*arguments, **options)

            return operation

        for name in DURABLE:
            setattr(os, name, fatal(getattr(os, name)))
        sys.argv = ["saltcart", *words]
        status = main(words) + (FAILED if 0 < deaths_at <= count else 0)
    finally:
        os._exit(status)
