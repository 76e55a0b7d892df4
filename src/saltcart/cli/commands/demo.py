"""The command `saltcart demo`: build a made-up studio and run the whole job on it."""

import argparse
import shlex
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager

from saltcart.cli.screen import Screen
from saltcart.demo.story import STORY, Scene
from saltcart.errors import Refused, show
from saltcart.system import os

MODULES = {
    "saltcart": "saltcart.cli.main",
    **{name: f"saltcart.standins.{name}" for name in ("player", "sampler", "decks", "workstation")},
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Where to build the studio."""
    parser.add_argument("--into", metavar="FOLDER", help="build the studio there and leave it for you to play with")
    parser.add_argument("--full", action="store_true", help="show every line that comes back")
    parser.add_argument("--build-only", action="store_true", help="with --into: build the studio and stop")


def run(options: argparse.Namespace) -> int:
    """Build the studio and play the story in it."""
    screen = Screen(options)
    with stage(options.into) as top:
        build(top)
        screen.say(
            f"The studio is built in {show(top)}. Every command below is real; type them yourself with: saltcart demo"
            " --into FOLDER"
        )
        results = [] if options.build_only else [play(scene, top, screen, options.full) for scene in STORY]
        ended_well = all(result["status"] == result["expected"] for result in results)
        if results and not options.full:
            screen.say("Long outputs are folded; every line: saltcart demo --full")
        if options.into:
            home = os.path.join(top, "saltcart-data")
            screen.say(
                f"\nThe studio stays in {show(top)}. To continue there:\n  cd {shlex.quote(top)}; export"
                f" SALTCART_HOME={shlex.quote(home)}"
            )
        screen.document({"folder": top if options.into else None, "ok": ended_well, "scenes": results})
    return 0 if ended_well else 1


@contextmanager
def stage(into: str | None) -> Iterator[str]:
    """The folder for the studio: a new one of the user's, or a temporary one."""
    if into is None:
        with tempfile.TemporaryDirectory(prefix="petrel-") as folder:
            yield os.path.join(os.path.realpath(folder), "petrel")
        return
    top = os.path.realpath(os.path.expanduser(into))
    if os.path.lexists(top) and not (os.path.isdir(top) and not os.listdir(top)):
        raise Refused(f"There is something at {show(top)} already", "Name a new folder; the demo touches nothing else.")
    yield top


def build(top: str) -> None:
    """Build the studio.  Refused when the folder cannot be written."""
    from saltcart.demo import studio  # brings in the sound libraries, which take a moment

    try:
        studio.build(top)
    except OSError as error:
        raise Refused(
            f"The studio cannot be built in {show(top)}: {error.strerror}", "Name another folder with --into."
        ) from error


def play(scene: Scene, top: str, screen: Screen, full: bool) -> dict[str, object]:
    """Show one scene: the narration, what is typed, and what really comes back."""
    if scene.said:
        screen.say(f"\n{scene.said}", style="bold")
    screen.say(f"$ {shlex.join(scene.words)}", style="cyan")
    status, output = perform(scene, top, capture=screen.json or screen.quiet or not full)
    for line in folded(output or "", scene):
        screen.say(line)
    return {"command": list(scene.words), "status": status, "expected": scene.status, "output": output}


def folded(output: str, scene: Scene) -> list[str]:
    """The lines of an output that tell most."""
    lines = [line.rstrip() for line in output.splitlines() if line.strip()]
    return [line for line in lines if any(word in line for word in scene.tells)] if scene.tells else lines[:1]


def perform(scene: Scene, top: str, capture: bool) -> tuple[int, str | None]:
    """Run the command of a scene in the studio; its exit status, and its output when captured."""
    program, *words = scene.words
    if program == "drag":
        os.rename(os.path.join(top, words[0]), os.path.join(top, words[1]))
        return 0, "" if capture else None
    sys.stdout.flush()
    done = subprocess.run(
        [sys.executable, "-m", MODULES[program], *words],
        cwd=top,
        env={**os.environ, "SALTCART_HOME": os.path.join(top, "saltcart-data"), "HOME": top},
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE if capture else None,
        text=True,
        errors="backslashreplace",
    )
    return done.returncode, done.stdout if capture else None
