"""Take the pictures in docs/screenshots from the demo data: python tools/screenshots.py [NAME ...]

Needs root, Xvfb, xterm, ImageMagick's import, and for the page Chromium, or weasyprint with pypdfium2; every other
picture is a real terminal window.
"""

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from saltcart.demo import studio
from saltcart.demo.story import BOOTH, CARRY, DRIVES, MOVE, SHELVES
from saltcart.drives.drive import mounts

TO = Path(__file__).parents[1] / "docs" / "screenshots"
DISPLAY = ":77"
WIDTH, HEIGHT = 1280, 1400  # of the page
STUDIO = Path(tempfile.gettempdir()) / "petrel"
WORDS = shlex.join(MOVE)
PLAYER = "python -m saltcart.standins.player"
PICTURES = {
    "demo": ("", "saltcart demo | head -44"),
    "start": ("rm cart.toml", "saltcart start keel --yes"),
    "survey": ("", "saltcart survey keel"),
    "drives-table": ("", shlex.join(["saltcart", "drives", *DRIVES, "--for", *SHELVES])),
    "ledgers": ("", "saltcart ledgers; saltcart ledgers 'keel/workstation/night ferry.passage'"),
    "learn": ("", shlex.join(["saltcart", "learn", "keel/player/library.db", "--against", *SHELVES])),
    "tidy": ("", "saltcart tidy keel"),
    "draft": ("", shlex.join(["saltcart", "draft", *SHELVES[:2], "--to", "lighter/Sounds", "-o", "trip.toml"])),
    "move": ("", WORDS),
    "haul": (
        shlex.join(["saltcart", "draft", *SHELVES[:2], "--to", "lighter/Sounds", "-o", "trip.toml", "--quiet"]),
        (
            "saltcart haul trip.toml; saltcart check 'lighter/Sounds/Bell Tones' --digests; saltcart repoint --yes;"
            " saltcart release --yes --own; saltcart trips"
        ),
    ),
    "check": (f"{WORDS} --quiet", "saltcart check"),
    "mend": (
        "rm -r cart.toml maps; mkdir lighter/Dragged; mv keel/Music 'keel/Sounds/Bell Tones' lighter/Dragged",
        "saltcart mend --by-name --yes",
    ),
    "folders": (
        "mkdir lighter/Loops",
        (
            "saltcart folders; saltcart folders add lighter/Loops --ledger keel/workstation/settings.json --yes;"
            " saltcart folders"
        ),
    ),
    "undo": (f"{WORDS} --quiet", "saltcart undo --yes --drop-copies; saltcart trips"),
    "carry": ("", shlex.join(CARRY)),
    "settle": (
        "; ".join(
            [
                f"{shlex.join(CARRY)} --quiet",
                f"{PLAYER} {BOOTH}/Ledgers/library.db play 'Slack Tide' 'Landfall'",
                f"{PLAYER} {BOOTH}/Ledgers/library.db rate 'Landfall' 5",
                f"{PLAYER} keel/player/library.db play 'Landfall' 'Salt & Rope'",
                f"{PLAYER} keel/player/library.db rate 'Landfall' 1",
            ]
        ),
        f"saltcart settle {BOOTH} --back --yes --prefer there",
    ),
}


def others() -> list[str]:
    """What this machine has mounted besides, which no picture shows."""
    return [place for place in mounts() if place != "/" and not STUDIO.is_relative_to(place)]


def build() -> None:
    """A fresh studio, as closed to others as a home folder is."""
    shutil.rmtree(STUDIO, ignore_errors=True)
    studio.build(str(STUDIO))
    STUDIO.chmod(0o700)


def shoot(name: str, before: str, command: str) -> None:
    """One picture: a fresh studio, `before` run unseen, `command` run in a terminal window."""
    build()
    home = {
        **os.environ,
        "HOME": str(STUDIO),
        "SALTCART_HOME": str(STUDIO / "saltcart-data"),
        "DISPLAY": DISPLAY,
        "TERM": "xterm-256color",
    }
    alone = ["unshare", "--mount", "bash", "-c", f'umount -l {shlex.join(others())} 2>&-; exec "$@"', "bash"]
    if before:
        subprocess.run([*alone, "bash", "-c", before], cwd=STUDIO, env=home, check=True)
    script = (
        f"cd {STUDIO}; printf '\\033[?25l'; printf '%s\\n' {shlex.quote('$ ' + command)}; {command}; touch"
        f" {STUDIO}/done; sleep 60"
    )
    style = [
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "10",
        "-geometry",
        "156x47+0+0",
        "-bg",
        "#101418",
        "-fg",
        "#d8dee4",
        "+sb",
    ]
    window = subprocess.Popen([*alone, "xterm", *style, "-e", "bash", "-c", script], env=home)
    while not (STUDIO / "done").exists():
        time.sleep(0.2)
    time.sleep(0.7)
    subprocess.run(["import", "-window", "root", str(TO / f"{name}.png")], env=home, check=True)
    window.kill()
    window.wait()


def draw() -> None:
    """The pictures that Salt Cart draws itself."""
    build()
    home = {**os.environ, "HOME": str(STUDIO), "SALTCART_HOME": str(STUDIO / "saltcart-data")}
    subprocess.run(
        ["saltcart", "survey", "keel", "lighter", "--quiet", "--picture", str(TO / "room.png")], cwd=STUDIO, env=home
    )
    subprocess.run(
        ["saltcart", "drives", *DRIVES, "--for", *SHELVES, "--quiet", "--picture", str(TO / "drives.png")],
        cwd=STUDIO,
        env=home,
    )


def show_page() -> None:
    """The page of a trip, as a browser shows it."""
    build()
    home = {**os.environ, "HOME": str(STUDIO), "SALTCART_HOME": str(STUDIO / "saltcart-data")}
    subprocess.run([*MOVE, "--quiet"], cwd=STUDIO, env=home)
    subprocess.run(["saltcart", "report", "-o", "report.html", "--quiet"], cwd=STUDIO, env=home)
    page, picture = STUDIO / "report.html", TO / "report.png"
    if shutil.which("chromium"):
        browser = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars"]
        size = f"--window-size={WIDTH},{HEIGHT}"
        subprocess.run([*browser, size, f"--screenshot={picture}", page.as_uri()], check=True)
    else:
        print_page(page, picture)


def print_page(page: Path, picture: Path) -> None:
    """The top of a page as weasyprint lays it out for a sheet of a window's size (needs weasyprint and pypdfium2)."""
    import pypdfium2
    import weasyprint

    sheet = weasyprint.CSS(string=f"@page {{ size: {WIDTH}px {HEIGHT}px; margin: 0 }}")
    text = page.read_text().replace("@media print", "@media never").replace("@media (max-width", "@media never, (width")
    document = pypdfium2.PdfDocument(weasyprint.HTML(string=text).write_pdf(stylesheets=[sheet]))
    document[0].render(scale=96 / 72).to_pil().save(picture)


def main() -> None:
    """Take the named pictures, or all."""
    if not sys.argv[1:]:
        draw()
        show_page()
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    try:
        for name in sys.argv[1:] or PICTURES:
            shoot(name, *PICTURES[name])
    finally:
        screen.kill()
        shutil.rmtree(STUDIO, ignore_errors=True)


if __name__ == "__main__":
    main()
