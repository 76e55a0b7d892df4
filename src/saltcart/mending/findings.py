"""What a search for lost entries found: rules, single files, what is unclear, and the plan that mends what is sure."""

import os
from collections import Counter
from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct, field

from saltcart.cart import Cart
from saltcart.drives.drive import mount_of
from saltcart.judging.judge import Judge
from saltcart.ledgers import Map
from saltcart.mending.anywhere import matches
from saltcart.mending.evidence import DIGEST, ENOUGH, LENGTH, SIZE, Facts, Files, KnownMoves, Recorded
from saltcart.mending.losses import Losses, Lost, losses_of
from saltcart.mending.places import Places, name_key, usual_places
from saltcart.mending.rules import PROVEN, Rule, preferred, rules_of, strength
from saltcart.progress import Progress, silent
from saltcart.safefile import digest_of
from saltcart.shelves.audio import kind_of
from saltcart.shelves.tags import tags_of
from saltcart.spelling.moves import joined, tail_below
from saltcart.waybills.relinks import ONE, Relink
from saltcart.waybills.waybill import LedgerLine, Waybill

UNCLEAR, DOUBLE, NOT_FOUND, CONTRADICTED, RENAMED, CONVERTED, ELSEWHERE, BY_NAME = (
    "unclear",
    "named already",
    "not found",
    "another file",
    "renamed",
    "in another format",
    "found elsewhere",
    "likely by its name",
)
NEAREST = 3


class Single(Struct):
    """One lost path by itself: why it is none of a rule, and files that may be meant, the likeliest first.

    `chosen` is the one that will be named; `alike` are the rules that lead to them and are equally good.
    """

    lost: Lost
    why: str
    files: list[str] = field(default_factory=list)
    evidence: list[str] = field(default_factory=list)
    chosen: str | None = None
    alike: list[Rule] = field(default_factory=list)


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

    def entries_of(self, rule: Rule) -> int:
        """How many entries a rule mends, or would if it were taken alone."""
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
    places: Sequence[str] = (),
    progress: Progress = silent,
) -> Findings:
    """Look for what ledgers have lost, in `places` or where sounds are known to be."""
    losses = losses_of(ledgers, maps, judge, progress)
    if not losses.lost:
        return Findings(losses, Places([], progress))
    known, recorded, files = KnownMoves(), Recorded(), Files()
    for one in losses.lost.values():
        recorded.fill(one)
    where = list(places) or [*usual_places(cart, losses.lost), *known.places()]
    found = Findings(losses, Places(where, progress))
    found.files, found.shelves = files, [shelf.path for shelf in cart.shelves]
    rules = rules_of(losses.lost, found.places, files, known)
    settle(found, rules)
    explained = [rule for rule, _file in found.mended.values()]
    used = {id(rule) for rule in (*explained, *(rule for one in found.singles for rule in one.alike))}
    found.rules = [rule for rule in rules if id(rule) in used]
    return found


def settle(found: Findings, rules: Sequence[Rule]) -> None:
    """Say what becomes of each lost path by these rules alone."""
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
    """Leave alone what a ledger would name twice: it names the file already, or two lost paths lead to one."""
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
                    [f"{lost.plays} plays of it, {found.losses.plays[file]} of the one that is named"] if named else []
                )
                found.singles.append(Single(lost, DOUBLE, [file], words))


def tell_the_rest(found: Findings, rules: Sequence[Rule], files: Files) -> None:
    """Say of each path that no rule mends what is nearest to it, and mend files that were renamed by themselves."""
    told = found.mended.keys() | {one.lost.path for one in found.singles}
    contradicted = {path: rule for rule in rules for path in rule.contradicted}
    left = sorted(found.losses.lost.keys() - told)
    homes = homes_of({os.path.dirname(path) for path in left}, found)
    beside = Beside(named_files(found))
    rest: list[Single] = []
    for path in left:
        lost, folder = found.losses.lost[path], os.path.dirname(path)
        if covered(lost, found):
            continue
        folder = homes.get(folder, folder)
        one = renamed(lost, folder, beside, files) or converted(lost, folder, beside, files)
        if one is None:
            near = sorted(found.places.called(path), key=lambda file: -common(path, file))[:NEAREST]
            against = files.facts(lost, near[0]).contradict if near and not lost.folder else ()
            words = [f"its {word} differs" for word in against]
            one = Single(lost, CONTRADICTED if against or (near and path in contradicted) else NOT_FOUND, near, words)
        rest.append(one)
    look_anywhere(rest, found, files)
    claims = Counter(file for one in rest if one.why in (RENAMED, UNCLEAR) for file in one.files)
    for one in rest:
        if one.chosen and claims[one.chosen] > 1:  # it may be any of several, renamed
            one.why, one.chosen = UNCLEAR, None
    found.singles += rest


def look_anywhere(rest: Sequence[Single], found: Findings, files: Files) -> None:
    """Let lost sounds that were found in no place where they should be be found anywhere."""
    left = [one for one in rest if one.why in (NOT_FOUND, CONTRADICTED) and not one.lost.folder]
    claimed = {file for one in rest if one.why in (RENAMED, UNCLEAR) for file in one.files}
    now = matches([one.lost for one in left], found.places, claimed | named_files(found), files) if left else {}
    for one in left:
        if match := now.get(one.lost.path):
            one.why, one.files, one.evidence = ELSEWHERE if match.sure else BY_NAME, [match.file], match.evidence
            one.chosen = match.file if match.sure else None


def homes_of(folders: set[str], found: Findings) -> dict[str, str]:
    """Where what lay in each of these folders lies now: with its neighbours, else where the best rule leads.  Proven
    rules alone tell: what was renamed is taken by itself, and must not rest on names.
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
    if not lost.folder:
        return False
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


class Beside:
    """The files of one folder that no entry names."""

    def __init__(self, taken: set[str]):
        self.taken = taken
        self.known: dict[str, list[str]] = {}

    def files(self, folder: str) -> Iterator[str]:
        """Those of a folder, the sounds alone."""
        return (path for path in self.all(folder) if path not in self.taken)

    def all(self, folder: str) -> list[str]:
        """All sounds in a folder, those that are named too."""
        if folder not in self.known:
            try:
                with os.scandir(folder) as entries:
                    self.known[folder] = sorted(one.path for one in entries if one.is_file() and kind_of(one.name))
            except OSError:
                self.known[folder] = []
        return self.known[folder]


def renamed(lost: Lost, folder: str, beside: Beside, files: Files) -> Single | None:
    """The one file in the folder of a lost one, that nobody names, of the same kind, and the same in all that is known:
    size and length, or a digest.  Where others there are of that size, sounds were cut to one length, and only a digest
    tells them apart.
    """
    if lost.size is None and lost.digest is None:
        return None
    suffix = os.path.splitext(lost.path)[1].lower()
    alike: list[tuple[str, Facts]] = []
    of_one_length = any(
        path in beside.taken and files.size(path) == lost.size and path.lower().endswith(suffix)
        for path in beside.all(folder)
    )
    for path in beside.files(folder):
        if os.path.splitext(path)[1].lower() == suffix:
            facts = files.facts(lost, path)
            if SIZE in facts.agree and files.as_long(lost, path):
                facts = Facts((*facts.agree, LENGTH), facts.contradict)
            if not facts.contradict and (facts.points >= ENOUGH or SIZE in facts.agree):
                alike.append((path, facts))
    sure = [
        (path, facts)
        for path, facts in alike
        if facts.points >= ENOUGH and (DIGEST in facts.agree or not of_one_length)
    ]
    if len(alike) == len(sure) == 1:
        path, facts = sure[0]
        return Single(lost, RENAMED, [path], list(facts.agree), path)
    return Single(lost, UNCLEAR, [path for path, _facts in alike]) if alike else None


def converted(lost: Lost, folder: str, beside: Beside, files: Files) -> Single | None:
    """A file of the same name but for its kind, and of the same length; it is offered, never taken by itself."""
    stem = name_key(os.path.splitext(os.path.basename(lost.path))[0])
    if lost.length is None or not kind_of(lost.path):
        return None
    for path in beside.all(folder):
        if name_key(os.path.splitext(os.path.basename(path))[0]) == stem:
            header = files.header(path)
            if header.trouble is None and abs(header.seconds - lost.length) <= 0.1:
                title = tags_of(path).get("title")
                words = [LENGTH, *(["title"] if title and lost.title and title == lost.title else [])]
                return Single(lost, CONVERTED, [path], words)
    return None


def common(one: str, other: str) -> int:
    """How many names two paths share, from their ends."""
    count = 0
    for left, right in zip(reversed(one.split("/")), reversed(other.split("/")), strict=False):
        if name_key(left) != name_key(right):
            break
        count += 1
    return count


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


def waybill_for(
    found: Findings,
    maps: Sequence[Map],
    means: Sequence[str],
    take: Callable[[Rule], bool] = is_proven,
    here: bool = False,
    signposts: bool = False,
) -> Waybill:
    """The plan that mends what the rules that are taken explain, and the singles that are chosen; with `here` what is
    spelt as on another system gets this one's spelling, and with `signposts` links that lead nowhere are turned where
    that mends what goes through them.
    """
    posts: dict[str, str] = {}
    exact = {one.lost.path: (one.chosen, one.why) for one in found.singles if one.chosen}
    broad: list[Relink] = []
    olds: set[str] = set()
    by_rule: dict[int, dict[str, str]] = {}
    for path, (rule, file) in found.mended.items():
        by_rule.setdefault(id(rule), {})[path] = file
    taken = [rule for rule in found.rules if take(rule)]
    for rule in taken:
        mine = by_rule.get(id(rule), {})
        if signposts and (pair := signpost_for(rule)):
            posts |= [pair]
            continue
        folders = {path: file for path, file in mine.items() if found.losses.lost[path].folder}
        files = len(mine) - len(folders)
        if files == rule.seen > 1 and rule.exact and rule.old not in olds:  # then the rule says it all
            olds.add(rule.old)
            broad.append(Relink(rule.old, rule.new, why="; ".join(rule.evidence())))
            mine = {path: file for path, file in folders.items() if tail_below(path, rule.old) is None}  # those above
        exact |= {path: (file, ", ".join(rule.evidence())) for path, file in mine.items()}
    relinks = broad + [Relink(path, file, what=ONE, why=why) for path, (file, why) in sorted(exact.items()) if file]
    mended = [found.losses.lost[path] for rule in taken for path in by_rule.get(id(rule), ())]
    chosen = [one.lost for one in found.singles if one.chosen]
    touched = set[str]().union(*{lost.ledgers for lost in (*mended, *chosen)})
    lines = [
        LedgerLine(ledger.path, ledger.map_name, digest=digest_of(ledger.path))
        for ledger in found.losses.ledgers
        if ledger.path in touched or here
    ]
    return Waybill([], lines, [plan.path for plan in maps], means=list(means), relinks=relinks, here=here,
                   signposts=sorted(posts.items()))  # fmt: skip


def signpost_for(rule: Rule) -> tuple[str, str] | None:
    """The link that leads nowhere and through which a rule goes, and where it should lead; None where there is none."""
    place, tail = rule.old, ""
    while place != "/" and not os.path.islink(place):
        place, _slash, name = place.rpartition("/")
        place, tail = place or "/", f"/{name}{tail}"
    if place == "/" or os.path.exists(place) or not rule.new.endswith(tail) or rule.lacking or rule.contradicted:
        return None
    return place, rule.new[: len(rule.new) - len(tail)]
