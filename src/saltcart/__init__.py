"""Salt Cart: move folders of sounds to another drive, repoint what names them, prove that nothing was lost.

The same steps as on the command line, with typed results.  Each name is loaded when
it is first used, so that `import saltcart` costs next to nothing.
"""

__version__ = "0.1.0"

STEPS = {
    "survey": "saltcart.looking.survey",
    "tidy": "saltcart.looking.tidy",
    "learn": "saltcart.learning.learn",
    "list_entries": "saltcart.judging.entry_list",
    "search": "saltcart.mentions.search",
    "candidates": "saltcart.drives.candidates",
    "load_cart": "saltcart.cart",
    "Request": "saltcart.planning.request",
    "draft": "saltcart.planning.draft",
    "write_waybill": "saltcart.waybills.waybill_text",
    "haul": "saltcart.hauling.haul",
    "haul_waybill": "saltcart.hauling.haul",
    "leave_out": "saltcart.switching.omissions",
    "accept": "saltcart.switching.omissions",
    "rename": "saltcart.switching.omissions",
    "repoint": "saltcart.switching.repoint",
    "check_trip": "saltcart.proving.check",
    "check_ledgers": "saltcart.proving.check",
    "release": "saltcart.switching.release",
    "find_lost": "saltcart.mending.findings",
    "change_ledgers": "saltcart.switching.ledger_trip",
    "undo": "saltcart.switching.undo",
    "summary": "saltcart.trips.summary",
    "history": "saltcart.trips.summary",
    "SaltCartError": "saltcart.errors",
}


def __getattr__(name: str) -> object:
    """Load a step when it is asked for (PEP 562)."""
    from importlib import import_module

    if name not in STEPS:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(
        import_module(STEPS[name]), {"write_waybill": "write", "load_cart": "load", "find_lost": "find"}.get(name, name)
    )


def __dir__() -> list[str]:
    """The names on offer."""
    return sorted([*STEPS, "__version__"])
