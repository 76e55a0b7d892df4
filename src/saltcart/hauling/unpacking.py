"""Unpacking an archive in place of copying a folder: the same groups, temporary names, reading back and records."""

from collections.abc import Callable, Sequence
from typing import IO

from saltcart.errors import Refused
from saltcart.hauling.file_copy import FileCopy, FileTrouble, Tell, open_target, refusal
from saltcart.hauling.shelf_copy import ShelfCopy
from saltcart.hauling.workers import InProcess, Outcome, Workers
from saltcart.safefile import remove_if_there, sync_folder
from saltcart.shelves.archive import DAMAGED, Reader
from saltcart.shelves.digests import CHUNK, worker_for
from saltcart.system import os
from saltcart.trips.records import Row


class Unpacking(InProcess):
    """Writes members of an archive under the temporary names of the copies."""

    def __init__(self, path: str):
        self.reader = Reader(path)

    def copy(self, jobs: Sequence[FileCopy], tell: Tell) -> Callable[[], list[Outcome]]:
        """See Workers.copy: what the archive's own sums do not agree with is not copied."""

        def unpack_all() -> list[Outcome]:
            wanted = {job.path: job for job in jobs}
            outcomes: dict[str, Outcome] = {}
            try:
                for path, stream in self.reader.read(wanted):
                    outcomes[path] = unpack(wanted[path], stream, tell)
            except Refused as error:
                outcomes = {path: outcomes.get(path, Outcome("", error.what)) for path in wanted}
            return [outcomes.get(job.path, Outcome("", "is not in the archive any more")) for job in jobs]

        return unpack_all


def unpack(job: FileCopy, stream: IO[bytes], tell: Tell) -> Outcome:
    """Write one member; its digest, or why there is none.  OSError of the destination."""
    try:
        handle = open_target(job)
    except FileTrouble as error:
        return Outcome("", error.what)
    worker, left = worker_for(job.digests), job.size
    try:
        with os.fdopen(handle, "wb", buffering=0) as target:
            while chunk := stream.read(min(CHUNK, left + 1)):
                left -= len(chunk)
                if left < 0:
                    break
                worker.update(chunk)
                target.write(chunk)
                tell("copy", job.path, len(chunk))
            os.utime(target.fileno(), ns=(job.new_mtime_ns, job.new_mtime_ns))
    except OSError as error:
        remove_if_there(job.temporary)
        if why := refusal(error):
            return Outcome("", why)
        raise
    except DAMAGED as error:
        remove_if_there(job.temporary)
        return Outcome("", f"is damaged in the archive ({error})")
    except BaseException:
        remove_if_there(job.temporary)
        raise
    if left:
        remove_if_there(job.temporary)
        return Outcome("", "is not as long as the archive says")
    return Outcome(worker.hexdigest())


class ArchiveCopy(ShelfCopy):
    """Carries what is in an archive to the new place of its shelf."""

    def worth_several_processes(self) -> bool:
        """An archive is read from its beginning to its end."""
        return False

    def helpers(self) -> Workers:
        """See ShelfCopy.helpers."""
        return Unpacking(self.shelf.old)

    def finish_folder(self, row: Row) -> None:
        """Flush one folder; an archive says little of folders."""
        sync_folder(self.place(row))
