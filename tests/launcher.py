"""The installed program started over and over: a process that has loaded its modules becomes each run by a fork.

A third of what a short run takes is to load modules, and the tests start the program a thousand times.  A run has its
own process, words, environment, folder and streams; tests of how the program starts use `subprocess` instead.
"""

import atexit
import importlib
import io
import json
import os
import pkgutil
import subprocess
import sys
import tempfile
import threading
from functools import lru_cache
from typing import NamedTuple

from saltcart import cli
from saltcart.cli import main as program

LOADED_LATE = ("mutagen.aiff", "mutagen.easymp4", "mutagen.wave", "soundfile", "tomlkit")  # by the program itself
STARTING = ("PYTHON", "LANG", "LC_")  # what the interpreter heeds when it starts


class Done(NamedTuple):
    """How a run ended, and what it printed."""

    returncode: int
    stdout: str
    stderr: str


def launch(words: list[str], environment: dict[str, str], cwd: str) -> Done:
    """Run the installed program, `words` with its name, to its end."""
    if not os.path.isdir("/proc/self/fd") or starting(environment) != starting(dict(os.environ)):
        done = subprocess.run(words, env=environment, cwd=cwd, stdin=subprocess.DEVNULL, capture_output=True)
        return Done(done.returncode, done.stdout.decode(), done.stderr.decode())
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as errors:
        streams = [f"/proc/{os.getpid()}/fd/{one.fileno()}" for one in (out, errors)]
        loaded = loaded_program(os.getpid())
        loaded.stdin.write(json.dumps([words, environment, cwd, streams]).encode() + b"\n")
        loaded.stdin.flush()
        status = int(loaded.stdout.readline())
        return Done(status, out.read().decode(), errors.read().decode())


def starting(environment: dict[str, str]) -> dict[str, str]:
    """The part of an environment that decides how an interpreter starts."""
    return {name: value for name, value in environment.items() if name.startswith(STARTING)}


@lru_cache(maxsize=1)
def loaded_program(_process: int) -> subprocess.Popen[bytes]:
    """The process that forks; of this process alone."""
    return subprocess.Popen([sys.executable, "-m", "tests.launcher"], stdin=subprocess.PIPE, stdout=subprocess.PIPE)


def serve() -> None:
    """Fork for each request on standard input, until it ends; answer with the exit status of each."""
    for _finder, name, _package in pkgutil.walk_packages(cli.__path__, "saltcart.cli."):
        importlib.import_module(name)
    for name in LOADED_LATE:
        importlib.import_module(name)
    for line in sys.stdin.buffer:
        child = os.fork()
        if child == 0:
            become(*json.loads(line))
        _pid, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)


def become(words: list[str], environment: dict[str, str], cwd: str, streams: list[str]) -> None:
    """Be the program that was started so, and end as it does."""
    status: object = 1
    try:
        take_on(words, environment, cwd, streams)
        status = program.main()
    except SystemExit as end:
        status = end.code
    except BaseException:
        sys.excepthook(*sys.exc_info())
    finally:
        threading._shutdown()
        atexit._run_exitfuncs()
        sys.stdout.flush()
        os._exit(status if isinstance(status, int) else 0 if status is None else 1)


def take_on(words: list[str], environment: dict[str, str], cwd: str, streams: list[str]) -> None:
    """Take the words, environment, folder and streams of a program that was started so."""
    os.chdir(cwd)
    os.environ.clear()
    os.environ.update(environment)
    for number, path in enumerate([os.devnull, *streams]):
        source = os.open(path, os.O_RDWR | os.O_APPEND)
        os.dup2(source, number)
        os.close(source)
    coding, errors = sys.stdout.encoding, sys.stdout.errors
    sys.stdin = io.TextIOWrapper(io.BufferedReader(io.FileIO(0, closefd=False)), coding)
    sys.stdout = io.TextIOWrapper(io.BufferedWriter(io.FileIO(1, "w", closefd=False)), coding, errors)
    sys.stderr = io.TextIOWrapper(
        io.BufferedWriter(io.FileIO(2, "w", closefd=False)), coding, "backslashreplace", line_buffering=True
    )
    sys.argv[:] = words


if __name__ == "__main__":
    serve()
