"""Salt Cart: move folders of sounds to another drive, repoint what refers to them, prove that nothing was lost.

The same steps as on the command line, with typed results.  Each name is loaded when
it is first used, so that `import saltcart` costs next to nothing.
"""

TYPE_CHECKING = False  # which type checkers take for true; to import `typing` would cost most of this module's time
if TYPE_CHECKING:  # what they see; at run time each name is loaded by its line in STEPS
    from saltcart.carrying.carry import plan_carry
    from saltcart.carrying.record import finish as finish_carry
    from saltcart.carrying.settle import SettleRequest, plan_settle
    from saltcart.cart import load as load_cart
    from saltcart.drives.candidates import candidates
    from saltcart.errors import SaltCartError
    from saltcart.hauling.haul import haul, haul_waybill
    from saltcart.judging.entry_list import list_entries
    from saltcart.learning.learn import learn
    from saltcart.ledgers.kinds import open_ledger
    from saltcart.ledgers.maps import load_map
    from saltcart.looking.survey import survey
    from saltcart.looking.tidy import tidy
    from saltcart.mending.findings import find as find_lost
    from saltcart.mentions.search import search
    from saltcart.planning.draft import draft
    from saltcart.planning.request import Request
    from saltcart.progress import Tick
    from saltcart.proving.check import check_ledgers, check_trip
    from saltcart.switching.ledger_trip import change_ledgers
    from saltcart.switching.omissions import accept, leave_out, rename
    from saltcart.switching.release import release
    from saltcart.switching.repoint import repoint
    from saltcart.switching.undo import undo
    from saltcart.trips.summary import history, summary
    from saltcart.waybills.waybill_text import write as write_waybill

__version__ = "0.1.0"

# Where each step is: the module, and its name there.
STEPS = {
    "Request": "saltcart.planning.request:Request",
    "SettleRequest": "saltcart.carrying.settle:SettleRequest",
    "SaltCartError": "saltcart.errors:SaltCartError",
    "Tick": "saltcart.progress:Tick",
    "accept": "saltcart.switching.omissions:accept",
    "candidates": "saltcart.drives.candidates:candidates",
    "change_ledgers": "saltcart.switching.ledger_trip:change_ledgers",
    "check_ledgers": "saltcart.proving.check:check_ledgers",
    "check_trip": "saltcart.proving.check:check_trip",
    "draft": "saltcart.planning.draft:draft",
    "find_lost": "saltcart.mending.findings:find",
    "finish_carry": "saltcart.carrying.record:finish",
    "haul": "saltcart.hauling.haul:haul",
    "haul_waybill": "saltcart.hauling.haul:haul_waybill",
    "history": "saltcart.trips.summary:history",
    "learn": "saltcart.learning.learn:learn",
    "leave_out": "saltcart.switching.omissions:leave_out",
    "list_entries": "saltcart.judging.entry_list:list_entries",
    "load_cart": "saltcart.cart:load",
    "load_map": "saltcart.ledgers.maps:load_map",
    "open_ledger": "saltcart.ledgers.kinds:open_ledger",
    "plan_carry": "saltcart.carrying.carry:plan_carry",
    "plan_settle": "saltcart.carrying.settle:plan_settle",
    "release": "saltcart.switching.release:release",
    "rename": "saltcart.switching.omissions:rename",
    "repoint": "saltcart.switching.repoint:repoint",
    "search": "saltcart.mentions.search:search",
    "summary": "saltcart.trips.summary:summary",
    "survey": "saltcart.looking.survey:survey",
    "tidy": "saltcart.looking.tidy:tidy",
    "undo": "saltcart.switching.undo:undo",
    "write_waybill": "saltcart.waybills.waybill_text:write",
}
__all__ = [
    "Request",
    "SaltCartError",
    "SettleRequest",
    "Tick",
    "__version__",
    "accept",
    "candidates",
    "change_ledgers",
    "check_ledgers",
    "check_trip",
    "draft",
    "find_lost",
    "finish_carry",
    "haul",
    "haul_waybill",
    "history",
    "learn",
    "leave_out",
    "list_entries",
    "load_cart",
    "load_map",
    "open_ledger",
    "plan_carry",
    "plan_settle",
    "release",
    "rename",
    "repoint",
    "search",
    "summary",
    "survey",
    "tidy",
    "undo",
    "write_waybill",
]


def __getattr__(name: str) -> object:
    """Load a step when it is asked for (PEP 562)."""
    from importlib import import_module

    if name not in STEPS:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    module, _colon, attribute = STEPS[name].partition(":")
    return getattr(import_module(module), attribute)


def __dir__() -> list[str]:
    """The names on offer."""
    return sorted(__all__)
