"""Salt Cart: move folders of sounds to another drive, repoint what names them, prove that nothing was lost.

The same steps as on the command line, with typed results.  Each name is loaded when
it is first used, so that `import saltcart` costs next to nothing.
"""

__version__ = "0.1.0"

STEPS = {
    "survey": "saltcart.trips.survey",
    "tidy": "saltcart.trips.tidy",
    "learn": "saltcart.trips.learn",
    "list_entries": "saltcart.trips.listing",
    "traces": "saltcart.trips.traces",
    "candidates": "saltcart.drives.candidates",
    "load_cart": "saltcart.cart",
    "Request": "saltcart.trips.request",
    "draft": "saltcart.trips.draft",
    "write_waybill": "saltcart.trips.waybill_text",
    "haul": "saltcart.trips.haul",
    "haul_waybill": "saltcart.trips.haul",
    "leave_out": "saltcart.trips.choices",
    "accept": "saltcart.trips.choices",
    "repoint": "saltcart.trips.repoint",
    "check_trip": "saltcart.trips.check",
    "check_ledgers": "saltcart.trips.check",
    "release": "saltcart.trips.release",
    "undo": "saltcart.trips.undo",
    "account": "saltcart.trips.account",
    "history": "saltcart.trips.account",
    "SaltCartError": "saltcart.errors",
}


def __getattr__(name: str) -> object:
    """Load a step when it is asked for (PEP 562)."""
    from importlib import import_module

    if name not in STEPS:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(STEPS[name]), {"write_waybill": "write", "load_cart": "load"}.get(name, name))


def __dir__() -> list[str]:
    """The names on offer."""
    return sorted([*STEPS, "__version__"])
