"""Decoding sounds of each ledger in full: a header that parses says nothing of what comes after it."""

import shlex
import subprocess
import tempfile
from collections.abc import Iterator, Sequence

from msgspec import Struct, field

from saltcart.errors import Refused, show
from saltcart.judging.judgements import FOUND, LedgerState
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.headers import READERS
from saltcart.shelves.sound_stream import sound_stream
from saltcart.shelves.true_names import without_detours
from saltcart.system import os

EVERY = 0  # in place of a number of sounds
BLOCK, FLOAT = 1 << 14, 4  # frames that are decoded at once; bytes of each in one channel
LISTEN_SECONDS = 4.0
PATIENCE = 20.0  # seconds that a player may take for that
WHOLE_FORMS = {b"RIFF": "little", b"FORM": "big"}  # files that say at their beginning how long they are


class Played(Struct):
    """What came of one ledger's sounds: how many it names, how many were decoded and how long these last, how many of
    its folders were met, and (path, why) of what does not play to its end, and of what nothing here decodes.
    """

    ledger: str
    named: int
    decoded: int = 0
    seconds: float = 0.0
    folders: int = 0
    all_folders: int = 0
    troubles: list[tuple[str, str]] = field(default_factory=list)
    unknown: list[tuple[str, str]] = field(default_factory=list)
    heard: list[str] = field(default_factory=list)


def play(state: LedgerState, count: int, progress: Progress = silent) -> Played:
    """Decode `count` sounds of a ledger, or EVERY one."""
    from concurrent.futures import ThreadPoolExecutor  # decoding waits for the drive, and leaves Python's lock

    paths = list(dict.fromkeys(sounds_of(state)))
    chosen = choose(paths, count)
    played = Played(state.path, len(paths))
    played.folders, played.all_folders = (len({os.path.dirname(path) for path in some}) for some in (chosen, paths))
    with ThreadPoolExecutor(READERS) as pool:
        for number, (path, (seconds, why)) in enumerate(zip(chosen, pool.map(decode, chosen), strict=True)):
            progress(Tick("play", os.path.basename(path), number + 1, len(chosen)))
            if why and seconds is None:
                played.unknown.append((path, why))
                continue
            played.decoded += 1
            played.seconds += seconds or 0.0
            played.heard += [path] if not why else []
            played.troubles += [(path, why)] if why else []
    return played


def sounds_of(state: LedgerState) -> Iterator[str]:
    """The sounds that a ledger names and that are there."""
    for one in state.judgements():
        if one.verdict == FOUND and not one.entry.is_folder and kind_of(one.resolved):
            yield without_detours(one.resolved)


def choose(paths: Sequence[str], count: int) -> list[str]:
    """So many of the paths, so that every kind is met, then every folder, until the number is reached; the others
    from all over.
    """
    if count == EVERY or count >= len(paths):
        return list(paths)
    chosen: dict[str, None] = {}
    for key in (kind_of, os.path.dirname):
        met = {key(path) for path in chosen}
        for path in paths:
            if len(chosen) < count and key(path) not in met:
                met.add(key(path))
                chosen[path] = None
    left = [path for path in paths if path not in chosen]
    missing = count - len(chosen)
    chosen |= dict.fromkeys(left[at * len(left) // missing] for at in range(missing)) if missing else {}
    return list(chosen)


def decode(path: str) -> tuple[float | None, str | None]:
    """How many seconds of a sound could be decoded, None when nothing here decodes its kind, and what is wrong."""
    import soundfile

    frames, rate = 0, 1
    try:
        if short := cut_short(path):
            return 0.0, short
        with sound_stream(path) as stream, soundfile.SoundFile(stream) as sound:
            wanted, rate = sound.frames, sound.samplerate
            while read := len(sound.buffer_read(BLOCK, "float32")):
                frames += read // (FLOAT * sound.channels)
    except (OSError, RuntimeError) as error:
        if not frames and no_decoder(path):
            return None, f"no decoder here for {kind_of(path)}"
        why = (getattr(error, "error_string", None) or str(error)).removeprefix("Error : ").rstrip(".")
        return frames / rate, f"stops after {frames / rate:.1f} s: {why}"
    short = frames < wanted and wanted < 1 << 62  # which a stream of unknown length says
    return frames / rate, f"stops after {frames / rate:.1f} of {wanted / rate:.1f} s" if short else None


def cut_short(path: str) -> str | None:
    """What is wrong with a file that says how long it is, and is shorter; RIFF and IFF do so in their first 8 bytes."""
    with open(path, "rb") as stream:
        head = stream.read(8)
    size = os.path.getsize(path)
    order = WHOLE_FORMS.get(head[:4])
    said = int.from_bytes(head[4:], "big" if order == "big" else "little") + 8
    if order is None or said in (8, 0xFFFFFFFF + 8) or said <= size:
        return None
    return f"is cut short: {size:,} bytes are there of {said:,}"


def no_decoder(path: str) -> bool:
    """Whether the decoder does not know sounds of that kind at all."""
    import soundfile

    known = {"WAV", "W64", "AIFF", "FLAC", "AU", "CAF"}
    known |= {"Ogg", "Opus"} if "OGG" in soundfile.available_formats() else set()
    known |= {"MP3", "MP2"} if "MP3" in soundfile.available_formats() else set()
    return kind_of(path) not in known


def listen(paths: Sequence[str], command: Sequence[str]) -> list[tuple[str, str]]:
    """Play a few seconds out of the middle of each sound with a person's own command, which gets the path of a WAV
    file in place of `{}`, or behind its words; (path, why) of what it did not play.  Refused when there is none.
    """
    troubles = []
    for path in paths:
        with tempfile.TemporaryDirectory(prefix="saltcart-") as folder:
            part = os.path.join(folder, "part.wav")
            excerpt(path, part)
            words = [word.replace("{}", part) for word in command]
            words += [] if words != list(command) else [part]
            try:
                done = subprocess.run(words, capture_output=True, stdin=subprocess.DEVNULL, timeout=PATIENCE)
            except subprocess.TimeoutExpired:
                troubles.append((path, f"the player took longer than {PATIENCE:.0f} s"))
                continue
            except OSError as error:
                raise Refused(
                    f"The player {show(shlex.join(command))} cannot be started: {error.strerror}",
                    'Mend listen = ["PLAYER", "{}"] in cart.toml.',
                ) from error
            if done.returncode:
                troubles.append((path, f"the player ended with status {done.returncode}"))
    return troubles


def excerpt(path: str, target: str) -> None:
    """Write a few seconds out of the middle of a sound as WAV."""
    import soundfile

    with sound_stream(path) as stream, soundfile.SoundFile(stream) as sound:
        length = min(sound.frames, int(LISTEN_SECONDS * sound.samplerate))
        sound.seek(max(0, (sound.frames - length) // 2))
        with soundfile.SoundFile(target, "w", sound.samplerate, sound.channels, "PCM_16") as part:
            part.buffer_write(sound.buffer_read(length, "int16"), "int16")
