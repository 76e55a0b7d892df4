"""The switch: several renames, links and new contents that happen together or not at all.

The model.  Each step is a *deed*, plain data: swap a ledger's content, rename a folder, make or remove a link or
folder.  All deeds are recorded in the logbook before the first is done.  A deed can be repeated, since it looks at
the world first: digests tell an old ledger from a new one, names tell whether a folder was set aside.

- A crash leaves the plan.  `carry_out` continues it, whatever part was done.  It looks at the disk for every
  deed, even one that is recorded as done: it may have been undone after that.
- A failure or an interrupt makes `carry_out` undo what was done, the last deed first.  Then each deed is looked
  at again.  Only when all are *seen* undone does it raise `TakenBack`, and only then may the trip's record say so.
- When that cannot be seen (the drive has gone, a program wrote to a ledger meanwhile), `HalfDone` is raised and the
  record keeps saying that the switch is under way: it can be carried on, or undone, once the drive is there again.

Not guaranteed: that a program does not write to a ledger between the last look at it and the rename.
"""

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType

from saltcart.errors import HalfDone, SaltCartError, show
from saltcart.switching.deed_kinds import Rename, Swap
from saltcart.switching.deeds import Deed, perform, recorded, revert, standing
from saltcart.switching.one_deed import DONE, UNDONE, UNSEEN
from saltcart.system import here, os
from saltcart.trips.trip import Trip


class TakenBack(SaltCartError):
    """A plan failed and was seen to be undone; `cause` is what it failed of."""

    def __init__(self, cause: BaseException):
        super().__init__(str(cause))
        self.cause = cause


def carry_out(trip: Trip, plan: str) -> None:
    """Do the recorded deeds of `plan` that are not seen to be done, whatever the record says of them.

    Raises TakenBack when one failed and all are undone again, HalfDone when that could not be reached or seen.
    """
    try:
        for number, deed, done in recorded(trip, plan):
            if not (done and stays_done(deed)):
                perform(deed)
                trip.logbook.mark_deed(plan, number, True)
    except BaseException as error:
        # From here on an impatient second interrupt must not leave half of the deeds undone.
        with interrupts_held():
            troubles = take_back(trip, plan)
        if troubles:
            raise half_done(trip, error, troubles) from error
        raise TakenBack(error) from error


def stays_done(deed: Deed) -> bool:
    """Whether a deed that is recorded as done needs nothing more.

    The record loses its mark before a deed is undone, so that one which has its mark was not.  Hence a ledger that
    is neither as before nor as after was written to by its program since it switched; and what lies at the new name is
    what was renamed, even if something of the same kind is at the old name by now.
    """
    stands = standing(deed)
    if stands == UNSEEN and isinstance(deed, Swap):
        return os.path.exists(deed.path) and not os.path.lexists(deed.staged)
    return stands == DONE or (stands == UNSEEN and isinstance(deed, Rename) and os.path.lexists(deed.new))


def half_done(trip: Trip, error: BaseException, troubles: list[str]) -> HalfDone:
    """The error for a plan that could neither be finished nor be undone."""
    why = error.what if isinstance(error, SaltCartError) else (str(error) or "it was interrupted")
    trip.logbook.tell(f"stopped in the middle: {why}; not rolled back: {'; '.join(troubles)}")
    return HalfDone(
        f"The switch of trip {trip.name} stopped in the middle ({why}), and could not be rolled back",
        "Nothing is lost: what it was about is kept. Connect the drive again, or close the program, then finish it:"
        f" saltcart repoint {trip.name}   or undo it: saltcart undo {trip.name}",
        troubles[:20],
    )


def take_back(trip: Trip, plan: str) -> list[str]:
    """Undo the deeds of `plan` from the last to the first, where that is possible; what is not seen undone then, a line
    each.

    One that fails is no reason to leave the others: ledgers on another drive can still become whole.
    """
    deeds = recorded(trip, plan)
    why: dict[int, str] = {}
    for number, deed, _done in reversed(deeds):
        try:
            trip.logbook.mark_deed(plan, number, False)  # first: a mark says that it is done and was not undone
            revert(deed)
        except SaltCartError as error:
            why[number] = error.what
        except OSError as error:
            why[number] = f"{show(deed.place)}: {error.strerror or error}"
    left = [
        (number, deed)
        for number, deed, _done in deeds
        if (stands := standing(deed)) not in deed.back or (number in why and stands != UNDONE)
    ]
    return [why.get(number) or f"{show(deed.place)} is not as it was before" for number, deed in left]


def half_way(trip: Trip, plan: str) -> bool:
    """Whether any content, rename or link of a recorded plan is done in the world, whatever the record says."""
    telling = [deed for _number, deed, _done in recorded(trip, plan) if deed.telling]
    return any(standing(deed) == DONE for deed in telling)


def lacks_staged(trip: Trip, plan: str) -> bool:
    """Whether a ledger still waits for new content that is no longer there: a plan that cannot be carried on."""
    swaps = [deed for _number, deed, _done in recorded(trip, plan) if isinstance(deed, Swap)]
    return any(standing(deed) == UNDONE and not os.path.lexists(deed.staged) for deed in swaps)


def waiting_swaps(trip: Trip, plan: str) -> set[str]:
    """The paths of ledgers whose new content has not taken its place yet."""
    swaps = [deed for _number, deed, _done in recorded(trip, plan) if isinstance(deed, Swap)]
    return {deed.path for deed in swaps if os.path.lexists(deed.staged)}


@contextmanager
def interrupts_held() -> Iterator[None]:
    """Let the first interrupt that comes inside pass without effect; one more ends the program, as it must at last."""
    if threading.current_thread() is not threading.main_thread():
        yield  # only the main thread is interrupted
        return
    count = 0

    def hold(_number: int, _frame: FrameType | None) -> None:
        nonlocal count
        count += 1
        if count > 1:
            raise KeyboardInterrupt

    before = {number: signal.signal(number, hold) for number in here.INTERRUPTS}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
