"""Playing, as the stand-ins understand it: decode the whole file."""

from collections.abc import Iterable

import soundfile

SHOWN = 4
BLOCK = 65536  # frames that are decoded at a time


def plays(path: str) -> str | None:
    """Why the file at `path` cannot be played, or None when every frame of it decodes."""
    try:
        with open(path, "rb") as stream, soundfile.SoundFile(stream) as sound:
            frames = 0
            while count := len(sound.buffer_read(BLOCK, "float32")):
                frames += count
    except FileNotFoundError:
        return "not found"
    except (OSError, RuntimeError) as error:
        return f"does not play ({error})"
    return None if frames else "is silent"


def report(program: str, results: Iterable[tuple[str, str | None]]) -> int:
    """Print how many things play and which do not; 0 when all do."""
    rows = list(results)
    bad = [(name, why) for name, why in rows if why]
    print(f"{program}: {len(rows) - len(bad)} of {len(rows)} play")
    for name, why in bad[:SHOWN]:
        print(f"  {why}: {name}".encode("utf-8", "backslashreplace").decode())
    if len(bad) > SHOWN:
        print(f"  ... and {len(bad) - SHOWN} more")
    return 1 if bad else 0
