"""The installed program started over and over: a process that has loaded its modules becomes each run by a fork.

A third of what a short run takes is to load modules, and the tests start the program a thousand times.  A run has its
own process, words, environment, folder and streams; tests of how the program starts use `subprocess` instead.
"""

import atexit
import codecs
import gc
import importlib
import io
import json
import os
import pkgutil
import shutil
import subprocess
import sys
import tempfile
import threading
from functools import lru_cache
from typing import NamedTuple, NoReturn

from saltcart import cli
from saltcart.cart import Cart
from saltcart.cli import main as program
from saltcart.drives.drive import Marker
from saltcart.ledgers.legacy import LEGACY
from saltcart.ledgers.map_file import MapFile
from saltcart.toml.reading import fields_of
from saltcart.waybills.collection_file import CarriedToml
from saltcart.waybills.waybill_file import WaybillFile

# What the program itself loads late.
LOADED_LATE = (
    "ahocorasick_rs", "blake3", "jinja2", "mutagen.aiff", "mutagen.easymp4", "mutagen.wave", "psutil", "rich.progress",
    "soundfile", "tomlkit",
    "saltcart.learning.learn", "saltcart.ledgers.dependants", "saltcart.ledgers.sqlite.dependent_cells",
    "saltcart.mentions.free_text", "saltcart.report.trip_page", "saltcart.trips.trip_ledgers",
)  # fmt: skip
CODINGS = (*LEGACY, "ascii", "utf-8-sig", "utf-32-be", "utf-32-le")
# The process of this script is what the run takes its words and streams from; `read` waits for the answer.  The streams
# are kept aside, since the shell puts others in their places while it asks and waits.
SCRIPT = """#!/bin/bash
exec 13<&0 14>&1 15>&2
mkfifo "{folder}/$$"
echo "$$" >"{folder}/asked"
read -r status <"{folder}/$$"
rm "{folder}/$$"
[ "$status" = cold ] && exec "{program}" "$@"
exit "$status"
"""
KEPT_STREAMS = (13, 14, 15)
KEPT: list[subprocess.Popen[bytes]] = []  # processes that serve shells, as long as this one runs
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


def in_shells() -> str:
    """A folder for the front of PATH, in which `saltcart` is the program as `launch` starts it; the program itself
    where that cannot be done.
    """
    program = os.path.join(os.path.dirname(sys.executable), "saltcart")
    return shell_folder(os.getpid(), program) if os.path.isdir("/proc/self/fd") else os.path.dirname(program)


@lru_cache(maxsize=1)
def shell_folder(_process: int, program: str) -> str:
    """The same, of this process alone."""
    folder = tempfile.mkdtemp(prefix="saltcart-shells-")
    script = os.path.join(folder, "saltcart")
    with open(script, "w", encoding="utf-8") as stream:
        stream.write(SCRIPT.format(folder=folder, program=program))
    os.chmod(script, 0o700)
    os.mkfifo(os.path.join(folder, "asked"))
    serving = subprocess.Popen([sys.executable, "-m", "tests.launcher", folder], stdin=subprocess.PIPE)
    KEPT.append(serving)
    return folder


def load() -> None:
    """Load all that the program may need, before the first fork."""
    for _finder, name, _package in pkgutil.walk_packages(cli.__path__, "saltcart.cli."):
        importlib.import_module(name)
    for name in LOADED_LATE:
        importlib.import_module(name)
    for name in CODINGS:
        codecs.lookup(name)
    for kind in (Cart, CarriedToml, MapFile, Marker, WaybillFile):  # what structs hold is found out over and over, else
        fields_of(kind)


def serve() -> None:
    """Fork for each request on standard input, until it ends; answer with the exit status of each."""
    load()
    gc.freeze()  # else each run would copy the pages of all that was loaded to look through it
    for line in sys.stdin.buffer:
        child = os.fork()
        if child == 0:
            words, environment, cwd, streams = json.loads(line)
            become(words, environment, cwd, [os.devnull, *streams])
        _pid, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)


def serve_shells(folder: str) -> None:
    """Fork for each request of the script in `folder`, until the process that made the folder has ended.

    A request is the number of the shell's process, of which the run takes words, environment, folder and streams.
    """
    load()
    gc.freeze()
    threading.Thread(target=end_with_it, args=(folder,), daemon=True).start()
    own = starting(dict(os.environ))
    while True:
        with open(os.path.join(folder, "asked"), encoding="ascii") as asked:
            for line in asked:
                if os.fork() == 0:
                    answer(folder, int(line), own)


def end_with_it(folder: str) -> None:
    """End with the process that this one was started by."""
    sys.stdin.buffer.read()
    shutil.rmtree(folder, ignore_errors=True)
    os._exit(0)


def answer(folder: str, shell: int, own: dict[str, str]) -> NoReturn:
    """Be, in a child, the program that a shell asks for, and tell that shell how it ended."""
    at = f"/proc/{shell}"
    with open(f"{at}/cmdline", "rb") as told:
        words = [os.fsdecode(word) for word in told.read().split(b"\0")[1:-1]]
    with open(f"{at}/environ", "rb") as told:
        pairs = [os.fsdecode(pair).partition("=") for pair in told.read().split(b"\0")[:-1]]
    environment = {name: value for name, _sign, value in pairs}
    status: object = "cold"
    if starting(environment) == own:
        child = os.fork()
        if child == 0:
            become(words, environment, os.readlink(f"{at}/cwd"), [f"{at}/fd/{number}" for number in KEPT_STREAMS])
        status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    with open(os.path.join(folder, str(shell)), "w", encoding="ascii") as stream:
        print(status, file=stream)
    os._exit(0)


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
    for number, path in enumerate(streams):
        source = os.open(path, (os.O_WRONLY if number else os.O_RDONLY) | os.O_APPEND)
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
    serve_shells(sys.argv[1]) if len(sys.argv) > 1 else serve()
