"""What a search for lost entries found: rules, single files, what is unclear, and the plan that mends what is sure."""

from collections import Counter
from collections.abc import Sequence

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.drives.drive import mount_of
from saltcart.judging.judge import Judge
from saltcart.ledgers.maps import Map
from saltcart.mending.anywhere import matches
from saltcart.mending.discovery import Discovery
from saltcart.mending.evidence import END, Files, KnownMoves, Recorded
from saltcart.mending.losses import Losses, Lost, losses_of
from saltcart.mending.lost_folders import likely_folders
from saltcart.mending.one_by_one import (
    BY_NAME,
    CONTRADICTED,
    CONVERTED,
    DOUBLE,
    ELSEWHERE,
    NEAREST,
    NOT_FOUND,
    RENAMED,
    UNCLEAR,
    Beside,
    Single,
    Stems,
    common,
    converted,
    renamed,
)
from saltcart.mending.places import Places, usual_places
from saltcart.mending.rules import PROVEN, Rule, preferred, rules_of, strength
from saltcart.progress import Progress, silent
from saltcart.shelves.audio import kind_of
from saltcart.shelves.true_names import name_key
from saltcart.spelling.moves import joined, tail_below
from saltcart.system import os


class Findings(Struct):
    """All that was found; `rules` with the lost paths that each mends."""

    losses: Losses
    places: Places
    rules: list[Rule] = field(default_factory=list)
    mended: dict[str, tuple[Rule, str]] = field(default_factory=dict)
    singles: list[Single] = field(default_factory=list)
    headers: int = 0
    leftovers: int = 0
    files: Files = field(default_factory=Files)
    shelves: list[str] = field(default_factory=list)
    discovered: Discovery = field(default_factory=Discovery)

    def entries_of(self, rule: Rule) -> int:
        """How many entries a rule mends, or would if it were the only one taken."""
        mended = [path for path, (other, _file) in self.mended.items() if other is rule]
        alike = [one.lost.path for one in self.singles if any(other is rule for other in one.alike)]
        return sum(self.losses.lost[path].entries for path in (*mended, *alike))

    def as_good_as(self, rule: Rule) -> list[int]:
        """The numbers of the rules that explain the same as one, so that nobody knows which is meant."""
        others = [other for one in self.singles if any(other is rule for other in one.alike) for other in one.alike]
        return [
            number
            for number, other in enumerate(self.rules, 1)
            if other is not rule and any(other is one for one in others)
        ]


def find(
    ledgers: Sequence[str],
    maps: Sequence[Map],
    cart: Cart,
    judge: Judge,
    places: Sequence[str] | Places = (),
    progress: Progress = silent,
) -> Findings:
    """Look for what ledgers have lost, in `places`, which may have been looked at already, or where sounds are known to
    be.
    """
    losses = losses_of(ledgers, maps, judge, progress)
    if not losses.lost:
        return Findings(losses, Places([], progress))
    known, recorded, files = KnownMoves(), Recorded(), Files()
    for one in losses.lost.values():
        recorded.fill(one)
    if not isinstance(places, Places):
        places = Places(list(places) or [*usual_places(cart, losses.lost), *known.places()], progress)
    found = Findings(losses, places)
    found.files, found.shelves = files, [shelf.path for shelf in cart.shelves]
    rules = rules_of(losses.lost, found.places, files, known)
    settle(found, rules)
    explained = [rule for rule, _file in found.mended.values()]
    used = {id(rule) for rule in (*explained, *(rule for one in found.singles for rule in one.alike))}
    found.rules = [rule for rule in rules if id(rule) in used]
    return found


def settle(found: Findings, rules: Sequence[Rule]) -> None:
    """Say what becomes of each lost path by these rules only."""
    found.mended, found.singles = {}, []
    assign(found, rules, found.files, found.shelves)
    leave_doubles(found)
    tell_the_rest(found, rules, found.files)
    found.singles.sort(key=lambda one: (not one.files, one.lost.path))  # those first that can be chosen
    found.headers = found.files.headers
    found.leftovers = leftovers(found)


def assign(found: Findings, rules: Sequence[Rule], files: Files, shelves: Sequence[str]) -> None:
    """Let each lost path be explained by the rule for which most speaks; by none where two files are equally likely."""
    options: dict[str, list[tuple[Rule, str]]] = {}
    for rule in rules:
        for path, file in rule.files.items():
            options.setdefault(path, []).append((rule, file))
    copies: dict[str, list[tuple[Rule, str]]] = {}  # files of one content, of which one is meant
    for path, several in options.items():
        best = several
        if len(several) > 1:
            lost = found.losses.lost[path]
            weights = [strength(files.facts(lost, file), rule) for rule, file in several]
            best = [one for one, weight in zip(several, weights, strict=True) if weight == max(weights)]
        if len(best) > 1 and files.alike([file for _rule, file in best]):
            best = copies[path] = preferred(best, shelves)
        if len(best) == 1:
            found.mended[path] = best[0]
            copies.pop(path, None)
        elif path not in copies:
            found.singles.append(unclear(found, path, best))
    went: Counter[str] = Counter()
    if copies:
        mends = Counter(id(rule) for rule, _file in found.mended.values())
        for rule in rules:
            went[mount_of(rule.new)] += mends[id(rule)]
    for path, best in copies.items():
        drives = [went[mount_of(rule.new)] for rule, _file in best]
        likeliest = [one for one, count in zip(best, drives, strict=True) if count == max(drives)]
        if len(likeliest) == 1:
            found.mended[path] = likeliest[0]
        else:
            found.singles.append(unclear(found, path, best))


def unclear(found: Findings, path: str, best: Sequence[tuple[Rule, str]]) -> Single:
    """A lost path that several files may be meant by."""
    names, alike = [file for _rule, file in best], [rule for rule, _file in best]
    return Single(found.losses.lost[path], UNCLEAR, names, ["no way to tell"], alike=alike)


def leave_doubles(found: Findings) -> None:
    """Do not touch what a ledger would list twice: it names the file already, or two lost paths lead to one."""
    times = Counter([file for _rule, file in found.mended.values()])
    anywhere = set[str]().union(*found.losses.named.values())
    doubtful: dict[str, list[str]] = {file: [] for file, count in times.items() if count > 1 or file in anywhere}
    for path, (_rule, file) in found.mended.items() if doubtful else ():
        if file in doubtful:
            doubtful[file].append(path)
    for file, paths in doubtful.items():
        holders = Counter(ledger for path in paths for ledger in found.losses.lost[path].ledgers)
        named = any(file in found.losses.named.get(ledger, ()) for ledger in holders)
        if named or max(holders.values()) > 1:
            for path in paths:
                del found.mended[path]
                lost = found.losses.lost[path]
                words = (
                    [f"{lost.plays} plays of it, {found.losses.plays[file]} of the one that is listed"] if named else []
                )
                found.singles.append(Single(lost, DOUBLE, [file], words))


def tell_the_rest(found: Findings, rules: Sequence[Rule], files: Files) -> None:
    """Say of each path that no rule mends what is nearest to it, and mend files that were renamed by themselves."""
    told = found.mended.keys() | {one.lost.path for one in found.singles}
    contradicted = {path: rule for rule in rules for path in rule.contradicted}
    left = sorted(found.losses.lost.keys() - told)
    homes = homes_of({os.path.dirname(path) for path in left}, found)
    beside, stems = Beside(named_files(found)), Stems(found.places)
    rest: list[Single] = []
    gone: list[Lost] = []
    for path in left:
        lost, folder = found.losses.lost[path], os.path.dirname(path)
        if lost.folder:
            gone += [] if covered(lost, found) else [lost]
            continue
        folder = homes.get(folder, folder)
        one = renamed(lost, folder, beside, files) or converted(lost, folder, beside, files)
        rest.append(one or nearest(lost, found, stems, files, path in contradicted))
    look_anywhere(rest, found, files)
    claims = Counter(file for one in rest if one.why in (RENAMED, UNCLEAR) for file in one.files)
    for one in rest:
        if one.chosen and claims[one.chosen] > 1:  # it may be any of several, renamed
            one.why, one.chosen = UNCLEAR, None
    found.singles += [*rest, *likely_folders(gone, found.places, found.losses)]


def nearest(lost: Lost, found: Findings, stems: Stems, files: Files, contradicted: bool) -> Single:
    """A lost path with the files that have its name, or its name but for the suffix, and what speaks against them."""
    path = lost.path
    near = sorted(found.places.called(path), key=lambda file: -common(path, file))[:NEAREST]
    against = files.facts(lost, near[0]).contradict if near else ()
    words = ["it ends before its header says" if word == END else f"its {word} differs" for word in against]
    near = near or stems.namesakes(path)[:NEAREST]
    why = CONTRADICTED if against or (near and contradicted) else NOT_FOUND
    if near and name_key(os.path.basename(near[0])) != name_key(os.path.basename(path)):
        why = CONVERTED
    return Single(lost, why, near, words)


def look_anywhere(rest: Sequence[Single], found: Findings, files: Files) -> None:
    """Let lost sounds that were found in no place where they should be be found anywhere."""
    left = [one for one in rest if one.why in (NOT_FOUND, CONTRADICTED)]
    claimed = {file for one in rest if one.why in (RENAMED, UNCLEAR) for file in one.files}
    now = matches([one.lost for one in left], found.places, claimed | named_files(found), files) if left else {}
    for one in left:
        if match := now.get(one.lost.path):
            one.why, one.files, one.evidence = ELSEWHERE if match.sure else BY_NAME, [match.file], match.evidence
            one.chosen = match.file if match.sure else None


def homes_of(folders: set[str], found: Findings) -> dict[str, str]:
    """Where what lay in each of these folders lies now: with its neighbours, else where the best rule leads.  Only
    proven rules tell: what was renamed is applied automatically, and must not rest on names.
    """
    homes = {
        folder: os.path.dirname(file)
        for path, (rule, file) in found.mended.items()
        if (folder := path.rpartition("/")[0]) in folders and is_proven(rule)
    }
    proven = {id(rule): rule for rule, _file in found.mended.values() if is_proven(rule)}
    rules = sorted(proven.values(), key=lambda rule: -rule.seen)
    for folder in folders - homes.keys():
        led = (joined(rule.new, tail) for rule in rules if (tail := tail_below(folder, rule.old)) is not None)
        if there := next((place for place in led if place in found.places.folders), None):
            homes[folder] = there
    return homes


def covered(lost: Lost, found: Findings) -> bool:
    """Whether a lost folder is mended by where the files went that were below it: all into one."""
    news: dict[str, Rule] = {}
    for path, (rule, file) in found.mended.items():
        tail = tail_below(path, lost.path)
        if tail and not found.losses.lost[path].folder:
            news.setdefault("/".join(file.split("/")[: -tail.count("/") - 1]), rule)
    if len(news) != 1:
        return False
    ((new, rule),) = news.items()
    if new in found.places.folders:
        found.mended[lost.path] = rule, new
    return new in found.places.folders


def leftovers(found: Findings) -> int:
    """How many sounds below the places that rules lead to no entry names."""
    tops = tuple({rule.new.rstrip("/") + "/" for rule, _file in found.mended.values()})
    if not tops:
        return 0
    return sum(path.startswith(tops) and kind_of(path) is not None for path in found.places.files - named_files(found))


def named_files(found: Findings) -> set[str]:
    """The files that are named by entries, or will be."""
    return {file for _rule, file in found.mended.values()}.union(*found.losses.named.values())


def choose(found: Findings, numbers: dict[int, int], by_name: bool = False) -> None:
    """Take the file of that number (from 1) for the single of that number; `by_name` those too that are likely so."""
    for one in found.singles if by_name else ():
        one.chosen = one.files[0] if one.why == BY_NAME else one.chosen
    for number, which in numbers.items():
        single = found.singles[number - 1]
        single.chosen = single.files[which - 1]


def is_proven(rule: Rule) -> bool:
    """Whether a rule rests on what is known."""
    return rule.sure == PROVEN
