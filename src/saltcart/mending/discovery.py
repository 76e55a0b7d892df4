"""Finding the ledgers that refer to lost sounds when nobody named any: everything was dragged, and nothing works.

Every file that may refer to something is read for texts that look like paths to sounds and lead nowhere.  Where files
of those names lie now says what went where.  Then all that names the old places is searched for, and for files in no
known format maps are learnt as if everything still lay there: a *mirror* shows what is at the new place at the old one.
What speaks of the past, or is somebody's text, is no ledger, as in any search.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import cached_property, lru_cache

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.drives import Presence
from saltcart.home import home
from saltcart.learning.ground import Past
from saltcart.learning.learn import kinds_of, learn
from saltcart.ledgers.maps import Map, load_map
from saltcart.mending.losses import ELSEWHERE
from saltcart.mending.lost_texts import LostTexts, folders_there, lost_texts, meanings_in, take_up
from saltcart.mending.mirrors import Mirror, all_mirrors
from saltcart.mending.places import Places, usual_places
from saltcart.mentions.content import UNREADABLE
from saltcart.mentions.packed import TooMuch
from saltcart.mentions.readers import TOO_MANY_ROWS, TOO_MUCH, UNREADABLE_WORD, closed, vanished
from saltcart.mentions.search import Gap, Search, Walked, candidates, known_as, search
from saltcart.mentions.search_places import forms_of, other_drives, shared_places
from saltcart.planning.accountant import keep_map, worth
from saltcart.progress import Progress, Tick, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.oddities import litter
from saltcart.shelves.true_names import true_path
from saltcart.spelling import Meanings
from saltcart.spelling.foreign import PSEUDO
from saltcart.spelling.moves import outermost, tail_below
from saltcart.system import os

MOST_TOPS = 100  # old places that are searched for


class Discovery(Struct):
    """Ledgers that refer to lost sounds, and maps for those in no known format.

    Files that are `unknown` name so many sounds that are gone, and nobody can read them as ledgers; `gaps` are those
    that could not be looked into.
    """

    ledgers: list[str] = field(default_factory=list)
    maps: list[Map] = field(default_factory=list)
    unknown: dict[str, int] = field(default_factory=dict)
    gaps: list[Gap] = field(default_factory=list)

    @property
    def complete(self) -> bool:
        """Whether all was looked into, and understood."""
        return not self.unknown and not self.gaps


class Losing:
    """The files that name what is gone, in which `folders` they were looked for, and what of it lies elsewhere now.

    Some name what only waits for a drive, or were not read to their end: they lose nothing that is known of, but are
    `doubtful`.
    """

    def __init__(self, folders: Sequence[str], places: Places):
        self.folders, self.places = folders, places
        self.lost: dict[str, LostTexts] = {}
        self.doubtful: list[str] = []
        self.seen = Search(list(folders))

    @cached_property
    def mirrors(self) -> list[Mirror]:
        """What went where."""
        return all_mirrors(self.lost, self.places)

    @cached_property
    def shown(self) -> set[str]:
        """The paths of sounds, and folders of such, that lie elsewhere now."""
        return set().union(*(mirror.shown for mirror in self.mirrors))

    def tops(self) -> list[str]:
        """The old places, those first that mirrors show."""
        mirrored = sorted(set().union(*(mirror.tops() for mirror in self.mirrors)))
        others = folders_of(path for some in self.lost.values() for path in some.sounds() if path not in self.shown)
        more = [one for one in others if all(tail_below(one, top) is None for top in mirrored)]
        return [*mirrored, *more][:MOST_TOPS]

    def knows(self, paths: Iterable[str]) -> bool:
        """Whether some paths that a file does not hold as such are of sounds: one is there, or lies elsewhere."""
        return any(os.path.lexists(path) or self.places.namesakes(path) for path in paths)

    def names_lost(self, path: str) -> bool:
        """Whether a file names a sound that is gone, or what a mirror shows."""
        some = self.lost[path]
        meant = (one for paths in some.meanings.values() for one in paths)
        return any(True for _sound in some.sounds()) or any(one in self.shown for one in meant)


def look_for_losses(
    cart: Cart, inside: Sequence[str] = (), means: Sequence[str] = (), progress: Progress = silent
) -> Losing:
    """Look through this user's files, and all drives, for files that refer to sounds that are gone; these are looked
    for `inside` some places, or the usual ones.
    """
    user = os.path.expanduser("~")
    folders = [user, *shared_places(), *cart.places, *other_drives(cart), *inside]
    folders = list(dict.fromkeys(os.path.realpath(one) for one in folders if os.path.isdir(one)))
    found = Losing(folders, Places(list(inside) or [*usual_places(cart, []), user], progress))
    here, away = Meanings(means).here, lru_cache(maxsize=None)(Presence(cart.drives).away)
    for count, path in enumerate(files_in(found)):
        progress(Tick("look for ledgers", path, count, 0))
        try:
            texts = lost_texts(path, here)
        except UNREADABLE as error:
            if not (isinstance(error, OSError) and (vanished(path, error) or closed(path, error))):
                found.seen.miss(path, TOO_MUCH if isinstance(error, TooMuch) else UNREADABLE_WORD)
            continue
        if texts.trees_cut:
            found.seen.miss(path, TOO_MANY_ROWS)
        if texts.nested and not found.knows(texts.nested):
            texts.forget_nested()
        left = without_offline(texts, away)
        if any(left.meanings.values()):
            found.lost[true_path(path)] = left
        elif any(texts.meanings.values()) or texts.cut:
            found.doubtful.append(true_path(path))
    return found


def files_in(found: Losing) -> Iterator[str]:
    """The files that may refer to something, but what programs keep as backups; what cannot be seen is noted."""
    seen: set[str] = set()
    for top in found.folders:
        for path, _item in candidates(top, Walked(found.seen, frozenset(), [])):
            if path not in seen and not litter(os.path.basename(path)):
                seen.add(path)
                yield path


def without_offline(texts: LostTexts, away: Callable[[str], str | None]) -> LostTexts:
    """What a file names that is gone; what only waits for a drive is not."""
    left = {
        text: meant
        for text, meant in texts.meanings.items()
        if not any((why := away(os.path.dirname(one))) and ELSEWHERE not in why for one in meant)
    }
    return LostTexts(left, texts.cut, texts.in_trees, nested=texts.nested)


def discover(losing: Losing, maps: Sequence[Map], progress: Progress = silent) -> Discovery:
    """The ledgers among the files that name what is gone, and maps that are learnt for those in no known format."""
    found = Discovery(gaps=list(losing.seen.gaps))
    naming = [path for path in losing.lost if losing.names_lost(path)]
    found.maps = learnt_before(maps) if losing.lost else []
    known = [path for path in (*losing.lost, *losing.doubtful) if known_as(path, [*maps, *found.maps])]
    tops = losing.tops()
    seen = search(forms_of(tops), losing.folders, progress, known).found if tops else []
    seen = [one for one in seen if one.live() and not litter(os.path.basename(one.path))]
    live = [true_path(one.path) for one in seen]
    found.ledgers = [*known, *(path for path in live if known_as(path, [*maps, *found.maps]))]
    unknown = [path for path in live if path not in found.ledgers]
    if unknown:
        learn_all(unknown, losing, tops, found)
    count_unknown(naming, unknown, losing, tops, found)
    if losing.mirrors and not any(map(os.path.lexists, tops)):  # then whoever names them has lost what is there
        left = {path: one.live() for path, one in zip(live, seen, strict=True) if path not in found.ledgers}
        found.unknown = {**left, **found.unknown}
    return found


def count_unknown(
    naming: Sequence[str], unknown: Sequence[str], losing: Losing, tops: Sequence[str], found: Discovery
) -> None:
    """Count what is gone in those files that cannot be mended."""
    for path in (path for path in naming if path not in found.ledgers):
        sounds = list(losing.lost[path].sounds())
        searched = any(tail_below(sound, top) is not None for sound in sounds for top in tops)
        if sounds and (path in unknown or not searched):  # else it is a log, or what somebody wrote
            found.unknown[path] = len(sounds)
    for path in naming:
        some = losing.lost[path]
        pieces = some.in_trees if path in found.ledgers else some.in_trees | some.nested
        if left := pieces.intersection(some.meanings):
            found.unknown[path] = max(found.unknown.get(path, 0), len(left))


def ground_of(
    paths: Sequence[str], cart: Cart, means: Sequence[str] = (), progress: Progress = silent
) -> tuple[list[str], Past]:
    """What the values of files can be tried against when nobody says which sounds they refer to: the folders of the
    sounds that they mention, and of those that are gone where they are now.  A file that cannot be read adds nothing.
    """
    here, there = Meanings(means).here, set[str]()
    found = Losing([], Places([], progress))
    for path in paths:
        found.lost[path] = LostTexts()
        with suppress(*UNREADABLE):
            for text in meanings_in(path, found.lost[path], here):
                there.update(folders_there(text))
                take_up(found.lost[path], text)
    if lost := [one for some in found.lost.values() for meant in some.meanings.values() for one in meant]:
        found.places = Places(usual_places(cart, lost), progress)
    once = frozenset(path for some in found.lost.values() for path in some.sounds())
    pairs = [(mirror.old, mirror.new) for mirror in found.mirrors]
    tops = [*few(there), *(found.tops() or folders_of(once))]
    return tops[:MOST_TOPS], Past(pairs, once, sizes_of(found.places))


def few(folders: Iterable[str]) -> list[str]:
    """The outermost of some folders, or those above them while these are too many; none that holds the user's own."""
    user = os.path.realpath(os.path.expanduser("~"))
    tops = outermost(one for one in map(os.path.realpath, folders) if tail_below(user, one) is None)
    while len(tops) > MOST_TOPS:
        above = {top: os.path.dirname(top) for top in tops}
        higher = outermost(one if tail_below(user, one) is None else top for top, one in above.items())
        if higher == tops:
            break
        tops = higher
    return tops


def learn_all(unknown: Sequence[str], losing: Losing, tops: Sequence[str], found: Discovery) -> None:
    """Learn maps for files of any kinds by what mirrors show; where that is too little, by where their sounds were."""
    pairs, sizes = [(mirror.old, mirror.new) for mirror in losing.mirrors], sizes_of(losing.places)
    for group in kinds_of(unknown):
        teach(group, tops, Past(pairs, sizes=sizes), found)
        left = [path for path in group if path not in found.ledgers]
        lost = (losing.lost[path] for path in left if path in losing.lost)
        if once := frozenset(path for some in lost for path in some.sounds()):
            teach(left, folders_of(once)[:MOST_TOPS], Past(pairs, once, sizes), found)


def teach(paths: Sequence[str], tops: Sequence[str], past: Past, found: Discovery) -> None:
    """Learn a map for files of one kind, and take those that it reads."""
    with suppress(*UNREADABLE):
        lesson = learn(paths, tops, past=past)
        if any(map(worth, lesson.proofs)):
            found.maps.append(keep_map(lesson.map_text))
            found.ledgers += [proof.path for proof in lesson.proofs if worth(proof)]


def folders_of(paths: Iterable[str]) -> list[str]:
    """The folders of this system in which some files were, without those that lay in others."""
    return outermost(path.rpartition("/")[0] for path in paths if path.count("/") > 1 and not PSEUDO.match(path))


def learnt_before(maps: Sequence[Map]) -> list[Map]:
    """The maps that were learnt for files of this computer, but for those of names that are taken."""
    names = {plan.name for plan in maps}
    found: list[Map] = []
    for path in sorted((home() / "maps").glob("*.toml")):
        with suppress(*UNREADABLE):
            plan = load_map(str(path))
            if plan.name not in names:
                names.add(plan.name)
                found.append(plan)
    return found


def sizes_of(places: Places) -> frozenset[int]:
    """The sizes in bytes of all sounds that are there."""
    sizes: set[int] = set()
    for path in filter(kind_of, places.files):
        with suppress(OSError):
            sizes.add(os.path.getsize(path))
    return frozenset(sizes)
