"""A stand-in for a sampler: settings that hold its content folder, and instruments that name samples below it.

    python -m saltcart.standins.sampler SETTINGS play-all

An instrument is a text file `*.voice`; each of its lines reads `KEY = SAMPLE`, the key as a
note number from 0 to 127, the sample as a path from the content folder.
"""

import configparser
import sys
from collections.abc import Iterator, Mapping
from pathlib import Path

from saltcart.standins.sound import plays, report


def write_settings(settings: str, content: str) -> None:
    """Write the settings of a sampler whose content lies in `content`."""
    Path(settings).write_text(
        f"; written by the sampler\n[content]\nfolder = {content}\n\n[voices]\nmost = 64\n", encoding="utf-8"
    )


def write_voice(path: str, keys: Mapping[int, str]) -> None:
    """Write one instrument."""
    lines = [f"{key} = {sample}" for key, sample in keys.items()]
    Path(path).write_text("\n".join(["# voice", *lines, ""]), encoding="utf-8")


def content_of(settings: str) -> Path:
    """The content folder that the settings name."""
    reader = configparser.ConfigParser(interpolation=None)
    reader.read(settings, encoding="utf-8")
    return Path(reader["content"]["folder"])


def play_all(settings: str) -> Iterator[tuple[str, str | None]]:
    """Every sample of every instrument, and why it does not play."""
    content = content_of(settings)
    voices = sorted(content.rglob("*.voice"))
    if not voices:
        yield str(content), "not found"
    for voice in voices:
        for line in voice.read_text("utf-8").splitlines():
            if line and not line.startswith("#"):
                sample = str(content / line.split("=", 1)[1].strip())
                yield sample, plays(sample)


def main(words: list[str]) -> int:
    """The stand-in's own command line."""
    settings, _verb = words
    return report("sampler", play_all(settings))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
