"""Audio files: which names promise sound, and whether the header keeps the promise."""

from collections.abc import Callable

from saltcart.errors import show
from saltcart.shelves.plain_wav import is_plain_wav
from saltcart.shelves.sound_stream import sound_stream
from saltcart.system import os

# Kinds by suffix; what a file really is, its header says.
KINDS = {
    ".wav": "WAV", ".bwf": "WAV", ".rf64": "WAV", ".w64": "W64", ".aif": "AIFF", ".aiff": "AIFF", ".aifc": "AIFF",
    ".flac": "FLAC", ".ogg": "Ogg", ".oga": "Ogg", ".opus": "Opus", ".mp3": "MP3", ".mp2": "MP2", ".m4a": "MPEG-4",
    ".mp4": "MPEG-4", ".aac": "AAC", ".wv": "WavPack", ".ape": "APE", ".au": "AU", ".snd": "AU", ".caf": "CAF",
}  # fmt: skip
# What else makes up libraries: played by what makes the sound, so that no header tells rates or lengths.
MATERIAL = {
    ".mid": "MIDI", ".midi": "MIDI", ".kar": "MIDI", ".rmi": "MIDI",
    ".sf2": "sound font", ".sf3": "sound font", ".dls": "sound font",
    ".mod": "module", ".xm": "module", ".s3m": "module", ".it": "module",
}  # fmt: skip
# What the decoder reads; for the rest the tag reader looks at the header.
DECODED = {"WAV", "W64", "AIFF", "FLAC", "Ogg", "AU", "CAF"}


def is_material(path: str) -> bool:
    """Whether the name of `path` promises something that programs look for in a folder of sounds."""
    return os.path.splitext(path)[1].lower() in (*KINDS, *MATERIAL, ".sfz")


def kind_of(path: str) -> str | None:
    """The kind of sound the name of `path` promises, or None."""
    dot = path.rfind(".")
    return KINDS.get(path[dot:].lower()) if dot > 0 and path[dot - 1] != "/" else None


def header_trouble(path: str) -> str | None:
    """Why the file at `path` does not open as the sound its name promises; None when it does, or promises none.

    OSError when the file cannot be read at all.
    """
    kind = kind_of(path)
    if kind is None:
        return None
    if os.path.getsize(path) == 0:
        return "is empty"
    if kind == "WAV" and is_plain_wav(path):
        return None
    return decoder_trouble(path) if kind in DECODED else tag_trouble(path)


def decoder_trouble(path: str) -> str | None:
    """What the decoder says against the header of the file at `path`."""
    import soundfile

    def opened() -> bool:
        with sound_stream(path) as stream:
            soundfile.info(stream)
        return True

    return trouble_of(path, opened)


def tag_trouble(path: str) -> str | None:
    """What the tag reader says against the header of the file at `path`."""
    import mutagen

    return trouble_of(path, lambda: mutagen.File(path) is not None)


def trouble_of(path: str, opened: Callable[[], bool]) -> str | None:
    """Why a sound does not open, in words; OSError when its file cannot be read.

    Whatever else a parser raises says that the file is not what it claims to be.  Parsers of other people raise many
    things on odd files, and one such file must not end a trip.
    """
    try:
        return None if opened() else f"does not open as {kind_of(path)}: its beginning is that of no such sound"
    except OSError:
        raise
    except Exception as error:
        why = getattr(error, "error_string", None) or str(error) or type(error).__name__
        if isinstance(error.__cause__ or error.__context__, OSError):
            raise error.__cause__ or error.__context__ or error from None  # the drive, not the sound
        return f"does not open as {kind_of(path)} ({show(why)})"
