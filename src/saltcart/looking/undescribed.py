"""Unknown files that refer to sounds: a survey lists them, and `start` learns them."""

from collections.abc import Sequence

from msgspec import Struct, field

from saltcart.cart import NAME, Cart
from saltcart.drives.drive import mount_of
from saltcart.ledgers.maps import load_map
from saltcart.looking.survey_report import SurveyReport
from saltcart.mentions.mention import Mention
from saltcart.mentions.search import Search, known_as, search
from saltcart.mentions.search_places import forms_of, search_places
from saltcart.progress import Progress, silent
from saltcart.shelves.oddities import litter
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import os

MOST_TOPS = 40


class Undescribed(Struct):
    """The files that name sounds and that no format or map reads, and what was searched for them."""

    search: Search
    tops: list[str]
    files: list[Mention] = field(default_factory=list)


def undescribed(
    report: SurveyReport, cart: Cart, maps: Sequence[str] = (), means: Sequence[str] = (), progress: Progress = silent
) -> Undescribed:
    """Search for files that refer to the sounds of a survey, beyond its ledgers; what a program keeps as a backup stays
    as it is.
    """
    tops = tops_of(report)
    known = {state.path for state in report.ledgers}
    loaded = [load_map(path) for path in dict.fromkeys([*maps, *cart.maps])]
    places = search_places(tops, cart, known, others=False) if tops else []
    found = search(forms_of(tops, cart.meanings(means)), places, progress)
    files = [
        one
        for one in found.found
        if one.live()
        and true_path(one.path) not in known
        and not litter(os.path.basename(one.path))
        and os.path.basename(one.path) != NAME
        and not known_as(one.path, loaded)
    ]
    return Undescribed(found, tops, files)


def tops_of(report: SurveyReport) -> list[str]:
    """The folders whose mention says that sounds are named: the places that were looked at, or the shelves in those
    that hold more than sounds.
    """
    home = os.path.realpath(os.path.expanduser("~"))
    tops: list[str] = []
    for place in report.places:
        shelves = [one.tree.path for one in report.shelves if tail_below(one.tree.path, place) is not None]
        wide = tail_below(home, place) is not None or mount_of(place) == place
        tops += shelves if wide else [place] if shelves else []
    return list(dict.fromkeys(tops))[:MOST_TOPS]
