"""Making a trip for a waybill."""

import secrets
import shutil

from saltcart.home import made_home, trips_folder
from saltcart.ledgers.maps import load_map
from saltcart.safefile import create_file, digest_of, sync_file, sync_folder
from saltcart.system import os
from saltcart.trips.facts import Fact
from saltcart.trips.logbook import Logbook
from saltcart.trips.logbook_schema import FORMAT
from saltcart.trips.records import now
from saltcart.trips.trip import HAULING
from saltcart.waybills import waybill_file

LETTERS = "bcdfghjkmnpqrstvwxz23456789"  # no two that look alike, no vowels to make words


def create(waybill_path: str) -> str:
    """The id of a new trip for the waybill at `waybill_path`, with copies of the waybill and its maps in its folder.

    It is made under a hidden name and takes its own when it is whole, so that a crash leaves no half of one.
    """
    plan = waybill_file.read(waybill_path)
    for path in plan.maps:
        load_map(path)  # a broken one is better met before anything is made
    name = fresh_name()
    folder = trips_folder() / f".{name}"
    shutil.rmtree(folder, ignore_errors=True)
    for inner in ("ledgers", "maps"):
        made_home("trips", f".{name}", inner)
    copies = {
        "waybill.toml": waybill_path,
        **{f"maps/{number:03d}.toml": path for number, path in enumerate(plan.maps)},
    }
    for inner, source in copies.items():
        create_file(str(folder / inner))
        shutil.copyfile(source, folder / inner)
        sync_file(str(folder / inner))
    create_file(str(folder / "logbook.sqlite"))
    logbook = Logbook(str(folder / "logbook.sqlite"))
    source, digest = os.path.realpath(waybill_path), digest_of(waybill_path)
    facts = {Fact.FORMAT: FORMAT, Fact.STATE: HAULING, Fact.STARTED: now(), Fact.SOURCE: source, Fact.PLAN: digest}
    logbook.record(facts)
    logbook.close()
    for made in (folder / "maps", folder):
        sync_folder(str(made))
    os.rename(folder, trips_folder() / name)
    sync_folder(trips_folder().as_posix())
    return name


def fresh_name() -> str:
    """A short id that no trip has."""
    while True:
        name = "".join(secrets.choice(LETTERS) for _ in range(4))
        if not name.isdigit() and not (trips_folder() / name).exists():
            return name
