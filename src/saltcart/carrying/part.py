"""What of the ledgers travels when just a part of their sounds does."""

from collections.abc import Sequence

from msgspec.structs import replace

from saltcart.carrying.carry_plan import CarryPlan
from saltcart.cart import NAME as CART
from saltcart.ledgers.formats import cart_toml
from saltcart.ledgers.formats.m3u import is_utf8
from saltcart.mentions.standings import ORIGINALS
from saltcart.planning.draft import Draft
from saltcart.planning.strays import files_named
from saltcart.planning.trial_rewrite import DraftedLedger
from saltcart.shelves.audio import kind_of
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import lies_in
from saltcart.system import os
from saltcart.waybills import collection
from saltcart.waybills.shelf import Shelf

LITTLE = 0.5  # what ledgers name elsewhere comes along as long as it is little against what they name here


def unread_in(draft: Draft, base: Sequence[Shelf]) -> list[str]:
    """The files in the shelves that name what lies in them in a way that nobody here can write anew."""
    files = draft.account.files if draft.account else []
    full = {one.line.path for one in draft.ledgers if not one.line.rewrite}  # which go as they are, and settle
    files = [one for one in files if one.open or (one.standing == ORIGINALS and one.uncovered)]
    files = [one for one in files if one.path not in full]
    tops = {shelf.old for shelf in base}
    return [one.path for one in files if lies_in(one.path, tops)]


def much_elsewhere(draft: Draft, base: Sequence[Shelf], wanted: Sequence[str]) -> dict[str, int]:
    """What ledgers that name something of the shelves name elsewhere, with sizes, when that is much against what
    travels: then a part was meant.
    """
    inside: set[str] = set()
    outside: set[str] = set()
    named, tops = {true_path(path) for path in wanted}, {shelf.old for shelf in base}
    meant = [one for one in draft.ledgers if one.travels or leans(one) or one.line.path in named]
    for one in meant:
        if not ours(one) and not in_collection(one.line.path, draft.waybill.collection):
            for path in filter(kind_of, map(os.path.realpath, files_named(one.state))):
                (inside if lies_in(path, tops) else outside).add(path)
    outside = {path for path in outside if not in_collection(path, draft.waybill.collection)}
    return {path: os.path.getsize(path) for path in sorted(outside)} if len(outside) > LITTLE * len(inside) else {}


def cut_playlists(plan: CarryPlan) -> None:
    """Let playlists go without the lines that name what does not travel."""
    moves = plan.draft.waybill.moves()
    for one in plan.draft.ledgers:
        if one.line.map_name == "m3u" and one.line.rewrite:
            lines = sum(not moves.covers(judged.resolved) for judged in one.state.judgements())
            if lines and is_utf8_text(one.line.path):
                one.line, plan.cut[one.line.path] = replace(one.line, cut=True), lines
    plan.draft.waybill.ledgers = [one.line for one in plan.draft.ledgers]


def is_utf8_text(path: str) -> bool:
    """Whether a playlist is in UTF-8, so that lines can be taken out of it."""
    with open(path, "rb") as stream:
        return is_utf8(stream.read())


def leans(one: DraftedLedger) -> bool:
    """Whether a ledger names something of what travels."""
    return bool(one.changes or one.links or not one.line.rewrite)


def ours(one: DraftedLedger) -> bool:
    """Whether a ledger is a configuration of Salt Cart, not only the one in use: it says what is where on this
    machine, and names ledgers that have nothing to do with what travels.
    """
    return one.line.map_name == cart_toml.NAME or os.path.basename(one.line.path) == CART


def in_collection(path: str, top: str) -> bool:
    """Whether a ledger is one of this collection, or of another: a copy of what is to be carried."""
    folder = os.path.dirname(path)
    while folder != os.path.dirname(folder):
        if folder == top or os.path.lexists(os.path.join(folder, collection.NAME)):
            return True
        folder = os.path.dirname(folder)
    return False
