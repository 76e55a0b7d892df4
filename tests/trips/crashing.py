"""Running the program in a forked child that dies at its Nth durable operation, as in a power cut."""

import os
import sys
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


def run_until(words, environment, deaths_at, failing=None):
    """Run the program in a child; its exit status, KILLED when it died at operation `deaths_at`.

    With `failing` the Nth operation raises that error instead, as a failing drive does, and the
    status is FAILED more than the program's own.
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

        def fatal(real):
            def operation(*arguments, **options):
                nonlocal count
                count += 1
                if count == deaths_at:
                    if failing:
                        raise failing
                    os._exit(KILLED)
                return real(*arguments, **options)

            return operation

        for name in DURABLE:
            setattr(os, name, fatal(getattr(os, name)))
        sys.argv = ["saltcart", *words]
        status = main(words) + (FAILED if 0 < deaths_at <= count else 0)
    finally:
        os._exit(status)
