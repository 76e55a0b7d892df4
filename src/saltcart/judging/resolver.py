"""What an entry means on this machine: where its path starts, drives of other systems, and names in another case."""

from msgspec.structs import replace

from saltcart.ledgers.base import Entry
from saltcart.shelves.true_names import AnyCase, TrueNames
from saltcart.spelling import Meanings, Spelling, encodable
from saltcart.system import os

NO_MEANINGS = Meanings()


class Resolver:
    """Resolves texts of entries to paths here, and finds where new texts start from."""

    def __init__(self, meanings: Meanings = NO_MEANINGS):
        self.meanings = meanings
        self.mounts: dict[str, str] = {}
        self.any_case = AnyCase()
        self.true = TrueNames()

    def settled(self, entry: Entry, folder: str) -> Entry:
        """`entry` with the base it starts from: of those that are tried, the first that has the file, else the
        first.
        """
        if not entry.tried:
            return entry
        having = (
            base
            for base in entry.tried
            if (path := self.path(entry.spelling, entry.written, self.start_at(base, folder))) and os.path.lexists(path)
        )
        return replace(entry, base=next(having, entry.tried[0]), tried=())

    def start_at(self, base: Entry, folder: str) -> str:
        """The folder that a base of an entry stands for, in a ledger that lies in `folder`."""
        return self.base_folder(base, self.path(base.spelling, base.written, self.start(base, folder)) or folder)

    def start(self, entry: Entry, folder: str) -> str:
        """The folder that the text of `entry` starts from, in a ledger that lies in `folder`."""
        if entry.base is not None:
            return self.start_at(entry.base, folder)
        if entry.spelling.start == "drive":
            if folder not in self.mounts:
                from saltcart.drives.drive import mount_of  # few ledgers need to know of drives

                self.mounts[folder] = mount_of(folder)
            return self.mounts[folder]
        return folder

    @staticmethod
    def base_folder(base: Entry, path: str) -> str:
        """The folder that a base entry stands for: of a URI without a slash at its end, the one it lies in (RFC 3986,
        5.2.3).
        """
        uri = base.spelling.seen_in(base.written).name in ("uri", "uri-reference")
        return os.path.dirname(path) if uri and not base.written.endswith("/") else path

    def path(self, spelling: Spelling, text: str, start: str) -> str | None:
        """The path that `text` means in `spelling`, as the drive writes it where its writer, or the drive, does not
        care; None for what is no file.
        """
        read = self.paths(spelling, text, start)
        return read and read[1]

    def paths(self, spelling: Spelling, text: str, start: str) -> tuple[str, str] | None:
        """As `path`, with the path as it was written before it."""
        read = spelling.read(text, start) if encodable(text) else None
        if read is None:
            return None
        here = self.meanings.here(read)
        return here, self.true.path(self.any_case.path(here) if spelling.seen_in(text).folds_case else here)

    def text(self, entry: Entry, text: str, path: str, start: str) -> str:
        """The text for `path` in the manner of `text`.  Raises CannotSpell."""
        like = entry.spelling.read(text, start) or ""
        return entry.spelling.write(text, self.meanings.there(path, like), start)
