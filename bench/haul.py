"""The figures of the haul: as fast as the system's own copying and reading back.  python -m bench.haul FOLDER [FILES]

With FILES: that many files of 1 to 2 KB against 30,000 such, for memory, for the time each takes, and for a check.
FOLDER should lie on a real drive.  Dropping caches, for the cold runs and the reference, needs root.
Nothing is removed between runs: ext4 is slow to give out again what was freed a moment ago.
"""

import os
import random
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from bench.timing import PROGRAM, Run, best, in_turns, show, timed

SMALL, FOLDERS, LARGE = 30_000, 200, 20
DROP = "echo 3 > /proc/sys/vm/drop_caches"


def make(top: Path, small: int, large: int, sizes: tuple[int, int] = (4_000, 60_000)) -> None:
    """A shelf of `small` files in folders, and `large` ones of 100 MB; sizes in bytes."""
    dice = random.Random(7)
    noise = dice.randbytes(1 << 20)
    for number in range(small):
        folder = top / f"Pack {number % FOLDERS}"
        if number < FOLDERS:
            folder.mkdir(parents=True)
        start = dice.randrange(len(noise) // 2)
        (folder / f"sound {number}.wav").write_bytes(
            number.to_bytes(4, "big") + noise[start : start + dice.randrange(*sizes)]
        )
    for number in range(large):
        top.mkdir(exist_ok=True)
        with (top / f"take {number}.wav").open("wb") as stream:
            for piece in range(100):
                stream.write(piece.to_bytes(4, "big") + noise[: 1_000_000 - 4])


def reference(shelf: Path, target: Path, cold: bool) -> Run:
    """Copy, flush, forget, read once: what any careful copying costs."""
    command = (
        f"mkdir '{target}'; cp -a '{shelf}' '{target}/' && sync && {DROP} && find '{target}' -type f -exec cat {{}} + >"
        " /dev/null"
    )
    return between(shelf, cold, command)


def other_drive(folder: Path) -> Path:
    """Make `folder`, which counts as a drive of its own: a shelf that stays on its drive would not be copied."""
    folder.mkdir()
    kind = subprocess.run(
        ["findmnt", "-n", "-o", "FSTYPE", "-T", str(folder)], check=True, capture_output=True, text=True
    ).stdout.strip()
    (folder / ".saltcart-drive.toml").write_text(
        f'name = "{folder.name}"\nidentity = "bench-{folder.name}"\nfilesystem = "{kind}"\n'
    )
    return folder


def haul(shelf: Path, target: Path, cold: bool, home: Path) -> Run:
    """The same shelf as a trip."""
    shutil.rmtree(home, ignore_errors=True)
    other_drive(target)
    waybill = target.parent / "waybill.toml"
    waybill.unlink(missing_ok=True)
    environment = {"SALTCART_HOME": str(home), "HOME": str(home)}
    subprocess.run(
        [
            PROGRAM,
            "draft",
            str(shelf),
            "--to",
            str(target),
            "--output",
            str(waybill),
            "--signpost",
            "--keep-entries",
            "--quiet",
        ],
        env={**os.environ, **environment},
        check=True,
        stdout=subprocess.DEVNULL,
    )
    return between(shelf, cold, [PROGRAM, "haul", str(waybill), "--quiet"], environment)


def between(shelf: Path, cold: bool, command: str | list[str], environment: dict[str, str] | None = None) -> Run:
    """Time one command from a defined state of the caches."""
    subprocess.run(["sync"], check=True)
    subprocess.run(DROP if cold else f"find '{shelf}' -type f -exec cat {{}} + > /dev/null", shell=True, check=True)
    return timed(command, 1, environment)


def compare(name: str, shelf: Path, folder: Path, times: int = 2) -> bool:
    """Warm and cold, in turns."""
    kept = []
    for word in ("warm", "cold"):
        ours, theirs = [], []
        for number in range(times):
            theirs.append(reference(shelf, folder / f"theirs {shelf.name} {word} {number}", word == "cold"))
            ours.append(haul(shelf, folder / f"ours {shelf.name} {word} {number}", word == "cold", folder / "home"))
        kept.append(show(f"{name}, {word} / cp, sync, read", best(ours), best(theirs), 1.15, 300_000_000))
    return all(kept)


def check(shelf: Path, folder: Path) -> bool:
    """Checking a finished trip against `find` and against reading."""
    haul_folder, home = other_drive(folder / "there"), folder / "home"
    environment = {"SALTCART_HOME": str(home), "HOME": str(home)}
    shutil.rmtree(home, ignore_errors=True)
    subprocess.run(
        [PROGRAM, "move", str(shelf), "--to", str(haul_folder), "--keep-entries", "--signpost", "--yes", "--quiet"],
        env={**os.environ, **environment},
        check=True,
        stdout=subprocess.DEVNULL,
    )
    quick = against_find(haul_folder, environment)
    subprocess.run(DROP, shell=True, check=True)
    read = timed(f"{DROP}; find '{haul_folder}' -type f -exec cat {{}} + > /dev/null")
    digests = show(
        "check --digests / read", timed([PROGRAM, "check", "--digests", "--quiet"], 2, environment), read, 1.1
    )
    return quick and digests


def against_find(top: Path, environment: dict[str, str]) -> bool:
    """Checking the newest trip against `find` over its copies, which looks at each size, too."""
    return show(
        "check / find",
        *in_turns([PROGRAM, "check", "--quiet"], f"find '{top}' -printf '%s' > /dev/null", 3, environment),
        2,
    )


def many(folder: Path, count: int) -> int:
    """Memory, and the time for each file, of a very large shelf against one of 30,000 files."""
    runs = {}
    for number in (SMALL, count):
        make(folder / f"{number}", number, 0, (1_000, 2_000))
        run = runs[number] = haul(folder / f"{number}", folder / f"there {number}", False, folder / f"home {number}")
        print(
            f"{number:,} files: {run.seconds:.1f} s, {1e6 * run.seconds / number:.0f} microseconds a file,"
            f" {run.memory_bytes / 1e6:.0f} MB"
        )
    quick = against_find(
        folder / f"there {count}",
        {"SALTCART_HOME": str(folder / f"home {count}"), "HOME": str(folder / f"home {count}")},
    )
    ratio = runs[count].seconds / count / (runs[SMALL].seconds / SMALL)
    kept = ratio <= 1.15 and runs[count].memory_bytes < 300_000_000
    print(
        f"{'kept ' if kept else 'MISSED'} time a file, many / 30,000: {ratio:.2f} (wanted: at most 1.15), memory"
        " wanted: below 300 MB"
    )
    return 0 if kept and quick else 1


def main() -> int:
    """Measure; 0 when every figure is kept."""
    with tempfile.TemporaryDirectory(dir=sys.argv[1]) as name:
        folder = Path(name)
        if sys.argv[2:]:
            return many(folder, int(sys.argv[2]))
        make(folder / "small", SMALL, 0)
        make(folder / "large", 0, LARGE)
        kept = [
            compare("30,000 small files", folder / "small", folder),
            compare("20 files of 100 MB", folder / "large", folder, 4),
        ]
        kept.append(check(folder / "small", folder))
    return 0 if all(kept) else 1


if __name__ == "__main__":
    sys.exit(main())
