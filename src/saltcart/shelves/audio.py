"""Audio files: which names promise sound, and whether the header keeps the promise."""

import os

# Kinds by suffix; what a file really is, its header says.
KINDS = {
    ".wav": "WAV", ".bwf": "WAV", ".rf64": "WAV", ".w64": "W64", ".aif": "AIFF", ".aiff": "AIFF", ".aifc": "AIFF",
    ".flac": "FLAC", ".ogg": "Ogg", ".oga": "Ogg", ".opus": "Opus", ".mp3": "MP3", ".mp2": "MP2", ".m4a": "MPEG-4",
    ".mp4": "MPEG-4", ".aac": "AAC", ".wv": "WavPack", ".ape": "APE", ".au": "AU", ".snd": "AU", ".caf": "CAF",
}  # fmt: skip
# What the decoder reads; for the rest the tag reader looks at the header.
DECODED = {"WAV", "W64", "AIFF", "FLAC", "Ogg", "AU", "CAF"}


def kind_of(path: str) -> str | None:
    """The kind of sound the name of `path` promises, or None."""
    return KINDS.get(os.path.splitext(path)[1].lower())


def header_trouble(path: str) -> str | None:
    """Why the file at `path` does not open as the sound its name promises; None when it does, or promises none.

    OSError when the file cannot be read at all.
    """
    kind = kind_of(path)
    if kind is None:
        return None
    if os.path.getsize(path) == 0:
        return "is empty"
    return decoder_trouble(path) if kind in DECODED else tag_trouble(path)


def decoder_trouble(path: str) -> str | None:
    """What the decoder says against the header of the file at `path`."""
    import soundfile

    try:
        with open(path, "rb") as stream:
            soundfile.info(stream)
    except (soundfile.LibsndfileError, RuntimeError, ValueError) as error:
        return f"does not open as {kind_of(path)} ({getattr(error, 'error_string', error)})"
    return None


def tag_trouble(path: str) -> str | None:
    """What the tag reader says against the header of the file at `path`."""
    import mutagen

    try:
        opened = mutagen.File(path)
    except mutagen.MutagenError as error:
        return f"does not open as {kind_of(path)} ({error})"
    return None if opened is not None else f"does not open as {kind_of(path)}"
