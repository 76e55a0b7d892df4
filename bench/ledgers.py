"""The figures of ledgers: rewriting and judging large ones.  python -m bench.ledgers [FOLDER]"""

import os
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from pathlib import Path
from urllib.parse import quote
from xml.sax.saxutils import escape

from bench.timing import in_turns, show
from saltcart.cli.main import SELDOM

SIGNS = ("#", "&", "50% ", "it's ", 'a "q" ')
LINES, ROWS, FILES = 100_000, 1_000_000, 100_000
# As the program starts.
START = f"import gc; gc.set_threshold({SELDOM})\n"
REWRITE = (
    START
    + """
import sys
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.spelling import Move, Moves
from saltcart.waybills.routes import Routes
path, target, *maps = sys.argv[1:]
ledger = open_ledger(path, [load_map(one) for one in maps])
routes = Routes(Moves([Move("/keel/Klänge & Töne", "/lighter/Neue Klänge & Töne")]))
ledger.rewrite(target, *routes.changes(ledger, "/l", "/l"))
"""
)
UPDATE = """
import shutil, sqlite3, sys
shutil.copyfile(sys.argv[1], sys.argv[2])
database = sqlite3.connect(sys.argv[2])
database.execute("UPDATE tracks SET place = replace(place, '/keel/Klänge & Töne/', '/lighter/Neue Klänge & Töne/')")
database.commit()
"""
AWAY = "\nimport os; os.unlink(target)"
JUDGE = (
    START
    + """
import sys
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.judging.judge import Judge
print(Judge(headers=False).ledger(open_ledger(sys.argv[1], [load_map(sys.argv[2])])).counts())
"""
)
READ = "import sqlite3, sys; print(sum(1 for _row in sqlite3.connect(sys.argv[1]).execute('SELECT place FROM tracks')))"
MAP = 'name = "bench"\ncontainer = "sqlite"\n[[entries]]\ntable = "tracks"\ncolumn = "place"\nspelling = "native"\n'


def name_of(number: int) -> str:
    """A name as people give them: a third with accents, a tenth with signs that some format escapes."""
    stem = ("Été", "sound", "Glocke")[number % 3]
    return f"Pack {number % 500}/{stem} {SIGNS[number // 10 % 5] if number % 10 == 7 else ''}{number}.wav"


def make(folder: Path) -> None:
    """The ledgers, and the files that the judged one names."""
    paths = [f"/keel/Klänge & Töne/{name_of(number)}" for number in range(LINES)]
    (folder / "list.m3u8").write_text("#EXTM3U\n" + "".join(f"{path}\n" for path in paths))
    tracks = "".join(
        f"<track><location>file://{escape(uri)}</location><title>t</title></track>\n"
        for uri in (quote(path, "/&'") for path in paths)
    )
    (folder / "list.xspf").write_text(
        '<?xml version="1.0"?>\n<playlist version="1"'
        f' xmlns="http://xspf.org/ns/0/"><trackList>\n{tracks}</trackList></playlist>'
    )
    (folder / "map.toml").write_text(MAP)
    database(folder / "big.db", (f"/keel/Klänge & Töne/{name_of(number)}" for number in range(ROWS)))
    for pack in range(500):
        (folder / f"tree/Pack {pack}").mkdir(parents=True)
    names = [folder / f"tree/{name_of(number)}" for number in range(FILES)]
    for name in names:
        os.close(os.open(name, os.O_CREAT | os.O_WRONLY))
    database(folder / "judged.db", (str(names[number % FILES]) for number in range(ROWS)))


def database(path: Path, places) -> None:
    """A library with one row for each place."""
    with closing(sqlite3.connect(path)) as library, library:
        library.execute("CREATE TABLE tracks (id INTEGER PRIMARY KEY, place TEXT, rating INTEGER, plays INTEGER)")
        library.executemany(
            "INSERT INTO tracks (place, rating, plays) VALUES (?, 3, 7)", ((place,) for place in places)
        )


def main() -> int:
    """Measure; 0 when every figure is kept."""
    python = [sys.executable, "-c"]
    with tempfile.TemporaryDirectory(dir=sys.argv[1] if sys.argv[1:] else None) as name:
        folder = Path(name)
        make(folder)
        subprocess.run(["sync"], check=True)
        kept = []
        for ledger in ("list.m3u8", "list.xspf"):
            old, new = "/keel/Klänge & Töne/", r"/lighter/Neue Klänge \& Töne/"
            if ledger.endswith("xspf"):
                old, new = quote(old, "/&").replace("&", "&amp;"), quote(new, "/&\\").replace("&", "&amp;")
            sed = f"sed 's|{old}|{new}|' '{name}/{ledger}' > '{name}/text'"
            kept.append(
                show(
                    f"{ledger} / sed",
                    *in_turns([*python, REWRITE, f"{name}/{ledger}", f"{name}/text"], sed, 9),
                    10,
                    500_000_000,
                )
            )
        update = [*python, UPDATE + AWAY.replace("target", "sys.argv[2]"), f"{name}/big.db", f"{name}/out"]
        rewrite = [*python, REWRITE + AWAY, f"{name}/big.db", f"{name}/out", f"{name}/map.toml"]
        kept.append(show("1,000,000 rows / UPDATE", *in_turns(rewrite, update), 2.5, 500_000_000))
        look = f"find '{name}/tree' > /dev/null; {sys.executable} -c \"{READ}\" '{name}/judged.db'"
        kept.append(
            show(
                "judging 1,000,000 / find and read",
                *in_turns([*python, JUDGE, f"{name}/judged.db", f"{name}/map.toml"], look),
                2,
                500_000_000,
            )
        )
    return 0 if all(kept) else 1


if __name__ == "__main__":
    sys.exit(main())
