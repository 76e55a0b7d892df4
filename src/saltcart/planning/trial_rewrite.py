"""The ledgers of a trip that is drafted: found, judged, and rewritten on trial."""

from collections.abc import Iterable, Mapping, Sequence
from functools import partial

from msgspec import Struct, field

from saltcart.errors import CannotSpell, SaltCartError, show
from saltcart.judging.judge import Judge
from saltcart.judging.judgements import FOUND, JudgedBatch, Judgement, LedgerState
from saltcart.judging.levels import wrong_levels
from saltcart.ledgers.base import NEW_THINGS, Ledger
from saltcart.ledgers.instrument_parts import PartLedger, with_parts
from saltcart.ledgers.kinds import open_ledger
from saltcart.looking.survey import usual_ledgers
from saltcart.mentions.content import mentions_in, naming
from saltcart.mentions.mention import Mention, Spot
from saltcart.mentions.search_places import forms_after, relative_forms
from saltcart.planning.folder_lists import new_things, wanted_folder
from saltcart.planning.request import Request
from saltcart.planning.shelf_inspection import DraftedShelf, ShelfInspector
from saltcart.planning.views import leaving, narrowed_lists
from saltcart.progress import Progress
from saltcart.rewriting.content_folders import added_folders, divides, in_lists, new_root
from saltcart.rewriting.routes import Routes
from saltcart.rewriting.staging import changes_for, judged, on_trial, routes_for
from saltcart.safefile import digest_of
from saltcart.shelves.true_names import true_path
from saltcart.spelling.moves import tail_below
from saltcart.system import os
from saltcart.waybills.relinks import LEVEL, Relink
from saltcart.waybills.waybill import LedgerLine, Waybill


class DraftedLedger(Struct):
    """One ledger as the draft saw it; `changes` entries would be rewritten; `travels` when it lies in a shelf.

    `links` are those that its entries go through into a shelf, with whether they would be turned.
    `uncovered` mentions of the shelves would be left in it that no entry accounts for; `spots` are some of them.
    The folders `narrowed` that it lists would show less than now; `folders` are all it names.
    """

    line: LedgerLine
    state: LedgerState
    changes: int
    travels: bool
    links: dict[str, bool] = field(default_factory=dict)
    uncovered: int = 0
    spots: Sequence[Spot] = ()
    narrowed: Sequence[str] = ()
    folders: frozenset[str] = frozenset()


class Trial:
    """Judges ledgers, and rewrites each on trial as the trip would."""

    def __init__(self, request: Request, waybill: Waybill, inspector: ShelfInspector, drafted: Sequence[DraftedShelf]):
        self.waybill, self.turn_links, self.turn_folders = waybill, request.turn_links, request.turn_folders
        self.judge = Judge(headers=False, resolver=waybill.resolver())
        self.front = [true_path(path) for path in request.front]
        self.like = request.like
        self.lists = [open_ledger(path, inspector.maps) for path in self.front]
        self.kept: dict[str, str] = {}  # ledgers that name a folder of which a part moves, and get no other beside it
        self.added = added_folders(self.lists, waybill.shelves, self.judge.resolver)
        self.narrowed: dict[str, list[str]] = {}  # of ledgers, the listed folders that will show less
        self.new_things: list[tuple[str, str, str]] = []  # ledger, folder now, folder then
        olds, news = [old for old, _new in waybill.sought()], [new for _old, new in waybill.sought()]
        self.forms = forms_after(olds, news, waybill.means) if request.searches else []
        for one in drafted if request.searches else ():
            # What a file that travels names beside itself, and that stays, would be looked for at the new place.
            vain = [one.shelf.place(kept[len(one.shelf.old) + 1 :]) for kept in one.kept]
            self.forms += relative_forms(one.tops, one.shelf.old) + relative_forms(vain, one.shelf.new)

    def look_for_lists(self, ledger: Ledger) -> None:
        """Let a ledger that lists a folder of which a part moves, or in which a shelf lies, get the new one in front
        of it, where it can.
        """
        parts: list[str] = []
        try:
            if ledger.path in self.front:
                return
            parts = divides(ledger, self.waybill.shelves, self.judge.resolver)
            above = narrowed_lists(ledger, self.waybill.shelves, self.judge.resolver)
            if not parts and not above:
                return
            self.narrowed[ledger.path] = above
            members = {folder for _entry, folder in in_lists(ledger, self.judge.resolver)}
            turned = bool(parts) and all(map(self.waybill.moves().covers, parts)) and not above
            if turned or not members:
                self.keep_or_turn(ledger, parts)
                return
            added = added_folders([*self.lists, ledger], self.waybill.shelves, self.judge.resolver)
            routes = routes_for(self.waybill, ledger.path, True, self.judge.resolver, added)
            with on_trial(ledger, changes_for(ledger, routes, ledger.path, True)):
                pass  # it can be written
        except CannotSpell:
            self.keep_or_turn(ledger, parts)
        except SaltCartError:
            return  # told when it is tried
        else:
            self.narrowed[ledger.path] = [folder for folder in above if folder not in members]
            self.front.append(ledger.path)
            self.lists.append(ledger)
            self.added = added

    def keep_or_turn(self, ledger: Ledger, parts: Sequence[str]) -> None:
        """Let the one folder that a ledger can hold stay as it is, or become the new one, as was asked for."""
        if not parts:
            return
        folder = parts[0]
        news = filter(None, (new_root(folder, shelf) for shelf in self.waybill.shelves))
        if self.turn_folders and (new := next(news, None)):
            self.waybill.relinks.append(Relink(folder, new, ledger.path, LEVEL))
        else:
            self.kept[ledger.path] = folder

    def aim(self, ledger: Ledger, request: Request) -> None:
        """Let folders of a ledger become what the request asks for, beside what moves."""
        resolver, waybill = self.judge.resolver, self.waybill
        if request.new_things:
            wanted = new_things(wanted_folder(request.new_things, waybill), ledger, resolver)
            waybill.relinks += [one for one in wanted if one not in waybill.relinks]
        if request.right_level:
            state = self.judge.ledger(ledger)
            found = [] if state.trouble else wrong_levels(state, resolver)
            relinks = (Relink(one.folder, one.better, one.ledger, LEVEL) for one in found)
            waybill.relinks += [one for one in relinks if one not in waybill.relinks]

    def run(self, ledger: Ledger) -> DraftedLedger:
        """One ledger; one that cannot spell the new place stays as it is, with the reason."""
        place = self.waybill.moves().follow(ledger.path)
        in_front = ledger.path in self.front
        travels = place is not None
        routes = routes_for(
            self.waybill, ledger.path, travels, self.judge.resolver, self.added, lambda _link: self.turn_links
        ).styled(self.like)
        digest = digest_of(ledger.path)
        rewrite, why, changed, left, kept = True, "", 0, Mention(ledger.path), 0
        state = judged(ledger, self.judge)
        try:
            changes = changes_for(ledger, routes, place or ledger.path, in_front, self.waybill.folders)
            with on_trial(ledger, changes) as staged:
                left = self.left_in(staged, os.path.dirname(place or ledger.path))
            changed = changes.count(ledger, (part.batch for part in state.judged))
            if changed and place is None:
                require_writable(ledger.path)
            kept = len(changes.edits.front)  # folders behind the new ones, for what stays in them
        except CannotSpell as error:
            changed = 0
            rewrite, why = False, f"{error.what}. {error.remedy}".rstrip(". ")
            left = self.left_in(ledger.path, os.path.dirname(ledger.path))
        like = self.like if rewrite else ""
        line = LedgerLine(ledger.path, ledger.map_name, rewrite, digest, why, in_front, like)
        self.note_new_things(ledger.path, state, routes if rewrite else None)
        past = naming(state.past, self.forms, os.path.dirname(place or ledger.path)) if self.forms else 0
        known = kept + past
        if rewrite:
            uncovered = max(0, unexplained(left, state, routes) - known)
        else:
            uncovered = max(left.live(known=True) - past, losing(state, routes))
        folders = frozenset(one.resolved for part in state.judged for one in folders_named(part))
        return DraftedLedger(
            line,
            state,
            changed,
            place is not None,
            routes.links,
            uncovered,
            left.spots if uncovered else (),
            self.narrowed.get(ledger.path, ()),
            folders,
        )

    def note_new_things(self, path: str, state: LedgerState, routes: Routes | None) -> None:
        """Take up where the program of a ledger puts new things, now and then; without `routes` that stays."""
        if not any(part.batch.entry(0).names == NEW_THINGS for part in state.judged):
            return
        for one in state.judgements():
            if one.entry.names == NEW_THINGS:
                then = routes.wanted(one.entry, one.resolved) if routes else one.resolved
                self.new_things.append((path, one.resolved, then))

    def left_in(self, path: str, folder: str) -> Mention:
        """What still names an old place in a ledger, as it would lie in `folder`."""
        return mentions_in(path, self.forms, folder) if self.forms else Mention(path)


def folders_named(part: JudgedBatch) -> Iterable[Judgement]:
    """What is said of folders in one part of a judged ledger."""
    return part.judgements() if part.batch.texts and part.batch.entry(0).is_folder else ()


def require_writable(path: str) -> None:
    """Raise CannotSpell when nothing can take the place of the file at `path`."""
    folder = os.path.dirname(path)
    if not os.access(folder, os.W_OK | os.X_OK):
        remedy = "Give permission to write there, or leave the ledger out."
        raise CannotSpell(f"{show(folder)} cannot be written to, and the new content must be put there", remedy)


def losing(state: LedgerState, routes: Routes) -> int:
    """How many entries of a ledger that stays as it is name something that moves and is there now."""
    found = (one for one in state.judgements() if one.verdict == FOUND)
    return sum(routes.moves.follow(routes.led(one.resolved)) is not None for one in found)


def unexplained(left: Mention, state: LedgerState, routes: Routes) -> int:
    """How many of the mentions that are left no entry accounts for: some name what stays at the old place."""
    count = left.live(known=True)
    if count <= 0:
        return 0
    olds = [move.old for move in routes.moves.moves]
    stay = sum(
        routes.moves.follow(path) is None and any(tail_below(path, old) is not None for old in olds)
        for path in (routes.led(one.resolved) for one in state.judgements())
    )
    return max(0, count - stay)


def others_than_named(request: Request, inspector: ShelfInspector, progress: Progress) -> tuple[list[str], list[str]]:
    """The ledgers that stay in a shelf or are found elsewhere, and the places that were searched for these."""
    if not request.elsewhere:
        return [], []
    if request.ledgers:
        return list(inspector.staying), []
    elsewhere, searched = usual_ledgers(request.cart, inspector.maps, progress, request.searches)
    return [*inspector.staying, *elsewhere], [*filter(None, [request.cart.path]), *searched]


def gather_ledgers(
    request: Request, trial: Trial, inspector: ShelfInspector, progress: Progress
) -> tuple[list[DraftedLedger], list[str]]:
    """The ledgers of the trip, tried out, and the places that were searched for them.

    Named ones and those that travel are all taken; of those that stay in a shelf, and without named ones of those
    elsewhere, the ones that lean on what leaves.
    """
    named = dict.fromkeys([*map(true_path, request.ledgers), *trial.front, *inspector.found])
    elsewhere, searched = others_than_named(request, inspector, progress)

    def left_out(path: str, error: SaltCartError) -> None:
        if path in named:
            raise error
        inspector.left_out[path] = error.what

    look_ahead(request, trial, [*named, *elsewhere], inspector)
    ledgers, others, instruments = [], [], {}
    for ledger in with_parts([*named, *elsewhere], partial(open_ledger, maps=inspector.maps), left_out):
        try:
            one = trial.run(ledger)
        except SaltCartError as error:
            left_out(ledger.path, error)
            continue
        if ledger.path in named or one.changes or one.links or one.narrowed or not one.line.rewrite:
            ledgers.append(one)
        else:
            others.append(one)
        if isinstance(ledger, PartLedger):
            instruments[ledger.path] = ledger.instruments
    kept = whole_instruments({one.line.path for one in ledgers}, instruments)
    for one in others:
        if one.line.path in kept:
            ledgers.append(one)
    return ledgers, searched


def look_ahead(request: Request, trial: Trial, paths: Sequence[str], inspector: ShelfInspector) -> None:
    """Find, before any ledger is tried, what lists will hold one folder more, and which folders will be others."""
    parts = any(shelf.divided and shelf.own_folder for shelf in trial.waybill.shelves)
    divided = parts and not request.collection
    aims = request.new_things or request.right_level
    looks = divided or aims or (leaving(trial.waybill.shelves) and not request.collection)
    for ledger in with_parts(paths, partial(open_ledger, maps=inspector.maps), ignored) if looks else ():
        if aims:
            trial.aim(ledger, request)
        if divided or ledger.lists:
            trial.look_for_lists(ledger)


FEW = 3  # ledgers that are named in a remark; more are counted
# Whether the one folder that a ledger can hold will be the new one.
KEPT = {
    False: (
        "{} lists the folder {}, of which a part moves, and it can list only one. It will not find what moves. To list"
        " the new folder instead, and not find what stays: --turn-folders. To leave links: --signpost"
    ),
    True: (
        "{} lists the folder {}, from which all sounds move. It will list the new folder, and will not find what stays"
    ),
}


def ignored(_path: str, _error: SaltCartError) -> None:
    """What cannot be opened is reported when it is tried."""


def divided_lists(trial: Trial, explicit: Sequence[str]) -> list[str]:
    """A remark for each ledger that lists a folder of which a part moves."""
    given = set(map(true_path, explicit))
    front = [path for path in trial.front if path not in given]
    first = ", ".join(map(show, front[:FEW])) + (f" and {len(front) - FEW:,} more" if front[FEW:] else "")
    several = len(front) > 1
    added = (
        f"{first} {'list folders' if several else 'lists a folder'} of which a part moves: the new place is added to"
        f" {'each' if several else 'the'} list, in front of the old one"
    )
    return [added] * bool(front) + [
        KEPT[trial.waybill.moves().covers(folder)].format(show(path), show(folder))
        for path, folder in trial.kept.items()
    ]


def whole_instruments(kept: set[str], instruments: Mapping[str, Sequence[str]]) -> set[str]:
    """The paths of `kept` ledgers with the rest of each instrument of which one file is among them: parts can be read
    only through it, and are proven with it.  `instruments` has those that include each part.
    """
    size = -1
    while size != len(kept):
        size = len(kept)
        for part, mains in instruments.items():
            if part in kept or kept.intersection(mains):
                kept = kept | {part, *mains}
    return kept


def links_of(ledgers: Sequence[DraftedLedger]) -> dict[str, bool]:
    """The links that entries of any ledger go through, in order, with whether they would be turned."""
    links: dict[str, bool] = {}
    for one in ledgers:
        links |= {link: turned or links.get(link, False) for link, turned in one.links.items()}
    return dict(sorted(links.items()))
