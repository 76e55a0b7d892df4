"""What a type checker knows of the library: checked by mypy, run by nobody."""

from typing import assert_type

import saltcart
from saltcart.carrying.stands import SettlePlan
from saltcart.cart import Cart
from saltcart.drives.drive import Drive
from saltcart.hauling.haul_report import HaulReport
from saltcart.looking.survey_report import SurveyReport
from saltcart.looking.tidy import TidyReport
from saltcart.planning.draft import Draft
from saltcart.proving.results import CheckReport
from saltcart.switching.freeing import ReleaseReport
from saltcart.switching.repoint import RepointReport
from saltcart.switching.undo_ledger import UndoReport
from saltcart.trips.summary import TripSummary


def uses() -> None:
    """Every step with what it gives."""
    cart = saltcart.load_cart("cart.toml")
    assert_type(cart, Cart)
    assert_type(saltcart.survey(["keel"]), SurveyReport)
    assert_type(saltcart.tidy(["keel"]), TidyReport)
    assert_type(saltcart.candidates((), cart), list[Drive])
    assert_type(saltcart.draft(saltcart.Request(shelves=["keel"], to=["lighter"])), Draft)
    assert_type(saltcart.haul_waybill("plan.toml"), tuple[str, HaulReport])
    assert_type(saltcart.repoint("k3vn"), RepointReport)
    assert_type(saltcart.check_trip("k3vn"), CheckReport)
    assert_type(saltcart.release("k3vn"), ReleaseReport)
    assert_type(saltcart.undo("k3vn"), UndoReport)
    assert_type(saltcart.summary("k3vn"), TripSummary)
    assert_type(saltcart.history(), list[TripSummary])
    assert_type(saltcart.plan_settle(saltcart.SettleRequest("dinghy/Booth")), SettlePlan)
