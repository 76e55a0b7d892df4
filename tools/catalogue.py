"""Print what Salt Cart says, command by command, on the demo's studio and on a broken one: python tools/catalogue.py

To be read aloud after a change to any text.  With a word, only the scenes whose name holds it; --width N sets columns.
"""

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from saltcart.demo import studio

SCENES = {
    "first look": """
        saltcart
        saltcart survey keel
        saltcart survey keel --all
        saltcart drives
        saltcart drives --for "keel/Sounds/Bell Tones"
        saltcart tidy keel
        saltcart ledgers keel
        saltcart ledgers keel/player/library.db
        saltcart folders
        saltcart trips
        saltcart check
        saltcart release
        saltcart undo
    """,
    "start": """
        rm -r cart.toml maps
        saltcart start keel --yes
        saltcart start keel --yes
        saltcart start nowhere --yes
    """,
    "move": """
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds --dry-run
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds --yes
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds --yes
        saltcart check
        saltcart check --play 3
        saltcart check --all
        saltcart trips
        saltcart release
        saltcart release --yes
        saltcart release --yes --own
        saltcart undo
        saltcart undo --yes
        saltcart trips
    """,
    "move in steps": """
        saltcart draft "keel/Sounds/Fog Voices" --to lighter/Sounds -o plan.toml
        saltcart draft "keel/Sounds/Fog Voices" --to lighter/Sounds -o plan.toml
        saltcart haul plan.toml
        saltcart haul plan.toml
        saltcart repoint --yes
        saltcart repoint --yes
        saltcart undo --yes --drop-copies
        saltcart undo --yes
    """,
    "move with more words": """
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds --signpost --yes
        saltcart move keel/Music/Collection --to lighter/Music --exclude "*.bak" --yes
        saltcart move "keel/Sounds/Fog Voices" --to lighter/Sounds --copy --yes
        saltcart move keel/Recordings --to lighter --arrange "{kind}/{title}" --yes
        saltcart undo --yes
    """,
    "refused": """
        saltcart move nowhere --to lighter
        saltcart move keel/Sounds --to keel/Sounds/New --yes
        saltcart move keel --to lighter --yes
        saltcart move "keel/Sounds/Bell Tones" --to ballast/Sounds --yes
        saltcart move "keel/Sounds/Bell Tones" --to "keel/Sounds/Bell Tones" --yes
        saltcart move "keel/Sounds/Bell Tones" --to thimble --yes
        saltcart haul nothing.toml
        saltcart undo xxxx
        saltcart undu
        saltcart move --tp lighter
        saltcart settle keel
        saltcart carry keel/Music/Collection --to keel/Music/Collection/Booth --yes
        echo nonsense > cart.toml
        saltcart survey keel
    """,
    "dragged": """
        mkdir lighter/Dragged
        mv "keel/Sounds/Bell Tones" keel/Music lighter/Dragged
        saltcart check --ledger keel/player/library.db
        saltcart mend
        saltcart mend --yes
        saltcart mend --yes --by-name
        saltcart mend
        saltcart undo --yes
    """,
    "carry": """
        saltcart carry keel/Music/Collection --to dinghy/Booth
        saltcart carry keel/Music/Collection --to dinghy/Booth --yes --lists
        saltcart carry keel/Music/Collection --to dinghy/Booth --yes
        saltcart settle dinghy/Booth
        saltcart settle dinghy/Booth --back --yes
        sqlite3 dinghy/Booth/Ledgers/library.db "UPDATE tracks SET rating = 5 WHERE id < 4"
        saltcart carry keel/Music/Collection --to dinghy/Booth --yes
        saltcart settle dinghy/Booth --back --yes
        sqlite3 dinghy/Booth/Ledgers/library.db "UPDATE tracks SET rating = 1 WHERE id < 3"
        sqlite3 keel/player/library.db "UPDATE tracks SET rating = 2 WHERE id < 3"
        saltcart settle dinghy/Booth --back
        saltcart settle dinghy/Booth --back --yes
        saltcart undo --yes
    """,
    "another computer": """
        saltcart carry keel/Music/Collection --to dinghy/Booth --yes
        mkdir anchor/mate; mv keel keel.away
        HOME=$PWD/anchor/mate SALTCART_HOME=$PWD/anchor/data saltcart settle dinghy/Booth
        HOME=$PWD/anchor/mate SALTCART_HOME=$PWD/anchor/data saltcart settle dinghy/Booth --here --yes
        HOME=$PWD/anchor/mate SALTCART_HOME=$PWD/anchor/data saltcart settle dinghy/Booth --in-place --yes
    """,
    "folders and learn": """
        mkdir "lighter/More Loops"
        saltcart folders add "lighter/More Loops" --ledger keel/workstation/settings.json --yes
        saltcart folders
        saltcart folders remove "lighter/More Loops" --ledger keel/workstation/settings.json --yes
        saltcart folders add "lighter/More Loops" --ledger keel/sampler/sampler.ini --yes
        saltcart learn keel/sampler/sampler.ini --against keel/Sounds
        saltcart learn keel/Downloads/*.wav --against keel/Sounds
    """,
    "broken studio": """
        truncate -s 4000 keel/player/library.db
        echo "{" > keel/workstation/settings.json
        rm "keel/Sounds/Bell Tones/Low Bells/"*
        saltcart survey keel
        saltcart check --ledger keel/player/library.db keel/workstation/settings.json keel/lists/mooring.m3u8
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds
        saltcart carry keel/Music/Collection --to dinghy/Booth --yes
        saltcart mend
    """,
    "interrupted and unplugged": """
        saltcart move "keel/Sounds/Bell Tones" --to lighter/Sounds --yes --quiet
        mv lighter lighter.away
        saltcart check
        saltcart release --yes
        saltcart undo --yes
        mv lighter.away lighter
        rm "lighter/Sounds/Bell Tones/Low Bells/"*
        saltcart check
        saltcart release --yes
        saltcart undo --yes
    """,
}


def play(name: str, width: int) -> None:
    """Print one scene on a fresh studio."""
    top = Path(tempfile.gettempdir(), "catalogue")
    shutil.rmtree(top, ignore_errors=True)
    top.mkdir(mode=0o700)
    studio.build(str(top / "petrel"))
    place = top / "petrel"
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    home = {"HOME": str(place), "SALTCART_HOME": str(place / "saltcart-data"), "COLUMNS": str(width), "PATH": path}
    print(f"\n{'=' * width}\n{name}\n{'=' * width}")
    for line in filter(None, map(str.strip, SCENES[name].splitlines())):
        print(f"\n$ {line}", flush=True)
        done = subprocess.run(
            ["bash", "-c", line], cwd=place, env={**os.environ, **home}, stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        )  # fmt: skip
        print(done.stdout.rstrip().replace(str(top), "") + (f"\n(status {done.returncode})" if done.returncode else ""))
    shutil.rmtree(top, ignore_errors=True)


def main() -> None:
    """Print the scenes that were asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("word", nargs="?", default="")
    parser.add_argument("--width", type=int, default=100)
    options = parser.parse_args()
    for name in SCENES:
        if options.word in name:
            play(name, options.width)


if __name__ == "__main__":
    main()
