"""The figures of looking: start, survey of 300,000 files, copies among 30,000, a search of 20,000.

python -m bench.look [FOLDER]
"""

import os
import random
import shlex
import subprocess
import sys
import tempfile
from pathlib import Path

from bench.timing import PROGRAM, in_turns, show

COPIES_PROGRAM = """
import os, sys
from saltcart.shelves.duplicates import duplicates
from saltcart.shelves.walk import FILE, walk
top = sys.argv[1]
files = (item for item in walk(top) if item.kind == FILE)
duplicates((os.path.join(top, item.path), item.size, (item.device, item.inode)) for item in files)
"""


# With a memory of its own, so that nothing is known from an earlier run.
SEARCH_PROGRAM = """
import os, sys, tempfile
os.environ["SALTCART_HOME"] = tempfile.mkdtemp(dir=os.path.dirname(sys.argv[1]))
from saltcart.mentions.search import search
from saltcart.mentions.search_places import forms_of
found = search(forms_of(["/mnt/keel/Sounds/Cloches d'été"]), [sys.argv[1]])
assert len(found.found) == 200, len(found.found)
"""
WORDS_OF_PACKS = ("Amber", "Fog", "Harbour", "Lantern", "Low Tide", "Mist")
# As many plain words as a search looks for names.
WORDS = [
    "/mnt/keel/Sounds/Cloches d'été", "mnt/keel/Sounds/Cloches d'été", "~/Sounds/Cloches d'été",
    "$HOME/Sounds/Cloches d'été",
    "/mnt/keel/Sounds/Cloches%20d%27%C3%A9t%C3%A9", "\\/mnt\\/keel\\/Sounds\\/Cloches d'été", "../Sounds/Cloches d'été",
    "D:\\Sounds\\Cloches d'été",
]  # fmt: skip


PACKS = ["Cloches d'hiver", *(f"{word} {kind}" for word in WORDS_OF_PACKS for kind in ("Voices", "Drums", "Übungen"))]


def make_settings(top: Path) -> None:
    """20,000 files of settings of 1 to 30 KB that name twenty packs, one of them beginning like the shelf that one file
    in a hundred names.
    """
    chance = random.Random(2)
    line = '"wave": "/mnt/keel/Sounds/{}/High Bells/E3 high.wav", "level": 0.5,\n'
    for number in range(20_000):
        folder = top / f"{number // 200:03d}"
        folder.mkdir(parents=True, exist_ok=True)
        lines = [line.format(chance.choice(PACKS)) for _ in range(chance.randrange(15, 450))]
        lines += [line.format("Cloches d'été")] if number % 100 == 0 else []
        (folder / f"{number % 200:03d}.json").write_text("".join(lines))


def make_library(top: Path) -> None:
    """300,000 empty sounds in 30 libraries of 50 packs."""
    for library in range(30):
        for pack in range(50):
            folder = top / f"Library {library:02d}" / f"Pack {pack:02d}"
            folder.mkdir(parents=True)
            for number in range(200):
                os.close(os.open(folder / f"sound {number:03d} C{number % 7}.wav", os.O_CREAT | os.O_WRONLY))


def make_copies(top: Path) -> None:
    """30,000 sounds of 4 to 60 KB in 200 folders; two of three share their content with another."""
    chance = random.Random(1)
    seeds: list[int] = []
    for folder in range(200):
        (top / f"{folder:03d}").mkdir(parents=True)
        for number in range(150):
            if not seeds or chance.random() < 0.33:
                seeds.append(len(seeds))
            content = random.Random(seeds[-1] if number % 2 else chance.choice(seeds))
            (top / f"{folder:03d}" / f"{number:03d}.wav").write_bytes(
                content.randbytes(content.randrange(4, 60) * 1024)
            )


def main() -> int:
    """Measure; 0 when every figure is kept."""
    with tempfile.TemporaryDirectory(dir=sys.argv[1] if sys.argv[1:] else None) as folder:
        library, copies, home = (
            Path(folder, "library"),
            Path(folder, "copies"),
            {"SALTCART_HOME": os.path.join(folder, "home")},
        )
        make_library(library)
        make_copies(copies)
        settings = Path(folder, "settings")
        make_settings(settings)
        subprocess.run(["sync"], check=True)
        listing = f"find {shlex.quote(folder)}/copies -type f -print0 | xargs -0 cat > /dev/null"
        kept = [
            show(
                "saltcart --version / python -c pass",
                *in_turns([PROGRAM, "--version"], [sys.executable, "-c", "pass"], 9),
                3,
            ),
            show(
                "survey / find -printf",
                *in_turns(
                    [PROGRAM, "survey", str(library), "--no-search", "--quiet"],
                    ["find", str(library), "-type", "f", "-printf", "%s %p\n"],
                    5,
                    home,
                ),
                3,
                400_000_000,
            ),
            show("copies / cat", *in_turns([sys.executable, "-c", COPIES_PROGRAM, str(copies)], listing), 1.3),
            show(
                "search / grep -rlF",
                *in_turns(
                    [sys.executable, "-c", SEARCH_PROGRAM, str(settings)],
                    ["grep", "-rlF", *(part for word in WORDS for part in ("-e", word)), str(settings)],
                    5,
                ),
                1.5,
                200_000_000,
            ),
        ]
    return 0 if all(kept) else 1


if __name__ == "__main__":
    sys.exit(main())
