"""What two options of a request cannot mean together: one table, asked before anything is looked at."""

from collections.abc import Callable

from saltcart.errors import UsageError
from saltcart.planning.request import Request
from saltcart.shelves.archive import is_archive
from saltcart.system import os


def unpacks(request: Request) -> bool:
    """Whether what is in archives is to move, and not the archives."""
    return not request.packed and any(map(is_archive, map(os.path.expanduser, request.shelves)))


def chooses_files(request: Request) -> bool:
    """Whether single files move."""
    return bool(request.from_list) or any(os.path.isfile(os.path.expanduser(path)) for path in request.shelves)


# When two options contradict each other, what is wrong then, and what to do.
CONTRADICTIONS: tuple[tuple[Callable[[Request], bool], str, str], ...] = (
    (
        lambda asked: asked.keep_entries and not asked.signpost,
        "--keep-entries needs --signpost",
        "Without a link at the old place the entries would lead nowhere.",
    ),
    (
        lambda asked: asked.copy and asked.signpost,
        "--copy leaves the originals, --signpost a link in their place",
        "Leave one of them out.",
    ),
    (
        lambda asked: asked.copy and asked.set_aside_gathered,
        "--copy leaves the originals, --set-aside-gathered does not",
        "To copy what is elsewhere too: --gather",
    ),
    (
        lambda asked: bool(asked.arrange) and asked.signpost,
        "--arrange gives each sound another place, and a signpost leads to one folder",
        "Leave --signpost out: entries are rewritten.",
    ),
    (
        lambda asked: bool(asked.arrange) and unpacks(asked),
        "--arrange is for folders",
        "Unpack the archive first; then arrange what came out of it.",
    ),
    (
        lambda asked: bool(asked.small_to or asked.signpost_at) and not unpacks(asked),
        "--small-to and --signpost-at are for archives that are unpacked",
        "For a folder: --only, --signpost.",
    ),
    (
        lambda asked: bool(asked.only or asked.leave_out) and not unpacks(asked) and chooses_files(asked),
        "--only and --exclude are for folders",
        "Name the files themselves, or the folder.",
    ),
    (
        lambda asked: bool(asked.search) and not asked.searches,
        "--no-search without a place searches nothing, --search gives places to search",
        "Leave one of them out, or say which places --no-search means.",
    ),
)


def refuse_contradictions(request: Request) -> None:
    """Raise UsageError when two options of a request cannot both be followed."""
    for contradicts, what, remedy in CONTRADICTIONS:
        if contradicts(request):
            raise UsageError(what, remedy)
