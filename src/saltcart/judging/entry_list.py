"""The entries of one ledger with their verdicts, and the kinds of ledgers that are known."""

from collections.abc import Sequence
from types import ModuleType

from msgspec import Struct

from saltcart.judging.judge import Judge
from saltcart.judging.judgements import LedgerState
from saltcart.judging.resolver import Resolver
from saltcart.ledgers.added import AddedFormat
from saltcart.ledgers.kinds import open_ledger, text_formats
from saltcart.ledgers.maps import load_map
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings


class Kind(Struct, frozen=True):
    """One kind of ledger that is known: a built-in format, or a map with its container."""

    name: str
    container: str
    what: str
    path: str | None = None


def known_kinds(maps: Sequence[str]) -> list[Kind]:
    """Every format, and every one of `maps`.  Raises BadFile for a broken map."""
    formats = [Kind(form.NAME, "format", about_format(form)) for form in text_formats()]
    plans = [load_map(path) for path in maps]
    return formats + [
        Kind(plan.name, plan.container, f"map of {plan.program}" if plan.program else "map", plan.path)
        for plan in plans
    ]


def about_format(form: ModuleType | AddedFormat) -> str:
    """What a format says of itself, in a line."""
    return form.says if isinstance(form, AddedFormat) else (form.__doc__ or "").split("\n")[0].rstrip(".")


def list_entries(path: str, maps: Sequence[str], means: Sequence[str] = ()) -> LedgerState:
    """Every entry of the ledger at `path`, judged, and what it says of its sounds.  Raises Refused or BadLedger when
    it cannot be read.
    """
    ledger = open_ledger(true_path(path), [load_map(one) for one in maps])
    state = Judge(headers=False, resolver=Resolver(Meanings(means))).ledger(ledger)
    if state.trouble:
        raise state.trouble
    state.facts = {found.key: found for found in ledger.facts()}
    return state
