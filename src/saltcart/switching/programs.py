"""Finding programs that must be closed before a ledger may change."""

import time
from collections.abc import Iterable, Sequence
from contextlib import suppress
from typing import TYPE_CHECKING

from saltcart.errors import LedgerBusy, SaltCartError, show
from saltcart.ledgers.base import Ledger
from saltcart.ledgers.kinds import open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.progress import WAITING, Progress, Tick, silent
from saltcart.system import os
from saltcart.waybills.waybill import Waybill

if TYPE_CHECKING:
    import psutil

PAUSE_SECONDS = 0.5


def refuse_busy(ledgers: Sequence[Ledger], wait: bool = False, progress: Progress = silent) -> None:
    """Raise LedgerBusy, naming program and ledger, when any of `ledgers` must not be changed now; or `wait` until all
    may be.
    """
    while holders := list(in_the_way(ledgers)):
        if wait:
            progress(Tick(WAITING, "; ".join(holders), 0, 0))
            time.sleep(PAUSE_SECONDS)
            continue
        raise LedgerBusy(
            "Programs are in the way; no ledger was changed",
            "Close them and run the same command again, or let it --wait.",
            holders,
        )


def refuse_busy_ledgers(waybill: Waybill, wait: bool = False, progress: Progress = silent) -> None:
    """As `refuse_busy`, for the ledgers that a plan changes, before anything is copied: better known now than after
    hours of copying.
    """
    maps = [load_map(path) for path in waybill.maps if os.path.exists(path)]
    ledgers = []
    for line in waybill.ledgers:
        for path in (line.path, line.over) if line.rewrite else ():
            if path and os.path.isfile(path):
                with suppress(SaltCartError):  # what cannot be opened is reported when it is read
                    ledgers.append(open_ledger(path, maps, line.map_name))
    refuse_busy(ledgers, wait, progress)


def in_the_way(ledgers: Sequence[Ledger]) -> Iterable[str]:
    """A line for each program or lock that is in the way."""
    import psutil

    wanted = {os.path.realpath(ledger.path): ledger for ledger in ledgers}
    names = {ledger.program: ledger for ledger in ledgers if ledger.program}
    for process in psutil.process_iter():
        if process.pid == os.getpid():
            continue
        try:
            words = words_of(process)
            if not words and not process.exe():
                continue  # a thread of the kernel, of which half of all processes are: it has no file open
            called = {process.name(), *map(os.path.basename, words[:2])} if names else set()
            opened = {file.path for file in process.open_files()}
        except (psutil.Error, OSError):
            continue
        for program in called & names.keys():
            yield f"{program} is running (process {process.pid}); it uses {show(names[program].path)}"
        for path in opened & wanted.keys():
            yield f"{process.name()} (process {process.pid}) has {show(path)} open"
    for ledger in ledgers:
        if why := ledger.busy():
            yield f"{show(ledger.path)} {why}"


def words_of(process: "psutil.Process") -> list[str]:
    """The words that a process was started by; one that says nothing where they are kept secret."""
    import psutil

    try:
        return list(process.cmdline())
    except psutil.AccessDenied:
        return [""]
