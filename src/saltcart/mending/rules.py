"""Rules: changes of beginning that explain many lost paths at once, and which of them is taken.

The arithmetic.  Each fact that agrees is worth points (`evidence.POINTS`); a rule is *proven* when the facts that are
known of the sounds themselves, or of their drive, add up to ENOUGH over its entries.  What several sounds share is
shared out among them: those that were cut to one length look like those of any other pack that was cut so, and say next
to nothing.  Folders above a name that agree and neighbours that are found together count as well, but make a rule that
is likely only *by names*, which is never applied without a question, or support what little is known: see Rule.proven.
Entries that a known fact contradicts are not explained by a rule; one that is contradicted more than once in five is
none.  What only names support is in `doubt` where any fact contradicts them, and where the folders are each other's
volumes: a second volume has the names of the first.  Without a strong proof a rule must explain nearly all that is lost
of each folder.
"""

from collections import Counter
from collections.abc import Iterable, Sequence
from functools import lru_cache

from msgspec import Struct, field

from saltcart.mending.evidence import (
    DIGEST,
    ENOUGH,
    FOLDERS,
    LENGTH,
    NAME,
    NEIGHBOURS,
    POINTS,
    SIZE,
    Facts,
    Files,
    KnownMoves,
    said,
)
from saltcart.mending.losses import Lost
from saltcart.mending.places import Places
from saltcart.mending.volumes import volumes_differ
from saltcart.shelves.true_names import name_key
from saltcart.spelling.foreign import PSEUDO
from saltcart.spelling.moves import joined

PROVEN, BY_NAMES = "proven", "only by name"
MOST_NEIGHBOURS, MOST_FOLDERS = 4, 2
ALMOST_ALL, CONTRADICTED = 0.9, 0.2
LEAST_DIFFERENT = 5  # sizes and lengths that tell volumes of one work apart
SAMPLE, LEAST_ALIKE, MOSTLY, MOST_ALIKE = 8, 3, 0.7, 5  # sounds of a folder that are held against namesakes elsewhere


class Rule(Struct):
    """What was below `old` is below `new` now, with the evidence for it."""

    old: str
    new: str
    files: dict[str, str] = field(default_factory=dict)  # lost path to the file there
    agreeing: Counter[str] = field(default_factory=Counter)
    said: dict[str, Counter[object]] = field(default_factory=dict)  # by word, how many sounds share each value
    alone: list[str] = field(default_factory=list)  # lost paths with the same length and another size
    volumes: str = ""  # why the two folders are two volumes of one work; "" when they are not
    contradicted: list[str] = field(default_factory=list)
    strong: str | None = None
    sure: str | None = None
    lacking: int = 0  # how many are lost below `old` and are not below `new`
    folders: int = 0  # how many names of folders above agree
    seen: int = 0  # how many were there at first
    exact: bool = True  # names agree to the letter

    @property
    def means(self) -> str | None:
        """What the rule declares of a drive or share of another system, as for --drive; None when it speaks of none."""
        if not PSEUDO.match(self.old):
            return None
        return f"{self.old[1:].replace('/', chr(92))}={self.new}"

    @property
    def points(self) -> int:
        """What is known of the sounds, in points."""
        known = sum(POINTS[word] * sum(1 / count for count in shared.values()) for word, shared in self.said.items())
        return int(known + 1e-9) + (POINTS[self.strong] if self.strong else 0)

    @property
    def proven(self) -> bool:
        """Whether what is known suffices, or what little of it is there is borne out by two folders and neighbours."""
        if self.volumes and not self.strong and DIGEST not in self.said:
            measures = self.said.get(SIZE, Counter()) + self.said.get(LENGTH, Counter())
            return len(measures) >= max(LEAST_DIFFERENT, MOSTLY * len(self.files))
        little = self.points and self.folders == MOST_FOLDERS and self.points + self.named >= 2 * ENOUGH
        return self.points >= ENOUGH or bool(little)

    @property
    def doubt(self) -> str:
        """What speaks against applying it based only on names; "" when nothing does."""
        if self.sure == PROVEN:
            return ""
        against = f"{len(self.contradicted)} of {self.seen} contradicted" if self.contradicted else ""
        return "; ".join(filter(None, (self.volumes, against)))

    @property
    def named(self) -> int:
        """What names and folders say, in points."""
        neighbours = min(MOST_NEIGHBOURS, len(self.files) - 1)
        return self.folders * POINTS[FOLDERS] + neighbours * POINTS[NEIGHBOURS] + self.agreeing[NAME] * POINTS[NAME]

    def evidence(self) -> list[str]:
        """What speaks for it, in words, the strongest first."""
        words = [self.strong] if self.strong else []
        words += [f"{word} ({count} of {len(self.files)})" for word, count in sorted(
            self.agreeing.items(), key=lambda pair: -POINTS[pair[0]]) if word != NAME]  # fmt: skip
        if self.sure != PROVEN:
            words += [f"{self.folders} folder{'s' if self.folders > 1 else ''} above"] if self.folders else []
            words += [f"{len(self.files)} found together"] if len(self.files) > 1 else []
            measures = self.said.get(SIZE, {}).keys() | self.said.get(LENGTH, {}).keys()
            words += ["all of one length"] if len(measures) == 1 < len(self.files) else []
            words += [f"{len(measures)} lengths in all"] if 1 < len(measures) <= len(self.files) // 4 else []
            words += [NAME] if self.agreeing[NAME] else []
            words += [f"but {self.doubt}"] if self.doubt else []
        return words


def parting(lost: str, found: str) -> tuple[str, str, int, bool]:
    """Where two paths part, from their ends: the beginning of each, how many names agree, and whether to the letter."""
    folder, _slash, name = lost.rpartition("/")
    there, _slash, called = found.rpartition("/")
    if name != called or not folder or not there:
        return parting_of(lost, found)
    old, new, count, exact = parting_of(folder, there)
    return old, new, count + 1, exact


@lru_cache(1 << 12)  # most lie in the same folders as others
def parting_of(lost: str, found: str) -> tuple[str, str, int, bool]:
    """The same, of any two."""
    one, other = lost.split("/"), found.split("/")
    count = 0
    while count < min(len(one), len(other)) - 1 and (
        one[-1 - count] == other[-1 - count] or name_key(one[-1 - count]) == name_key(other[-1 - count])
    ):
        count += 1
    exact = one[len(one) - count :] == other[len(other) - count :]
    return "/".join(one[: len(one) - count]) or "/", "/".join(other[: len(other) - count]) or "/", count, exact


def rules_of(lost: dict[str, Lost], places: Places, files: Files, known: KnownMoves) -> list[Rule]:
    """The rules that explain some lost entries, proven ones and those based on names, the weightiest first."""
    rules: dict[tuple[str, str], Rule] = {}
    crowded: dict[str, list[str]] = {}  # lost ones of names that are everywhere, by folder
    for path, one in lost.items():
        candidates = places.called(path) if not one.folder else []
        for found in candidates:
            add_to_rules(rules, path, found, only=len(candidates) == 1)
        if not candidates and not one.folder and places.namesakes(path):
            crowded.setdefault(path.rpartition("/")[0], []).append(path)
    # "Kick 01.wav" is in every pack: such names say nothing one by one, but a folder of them does.
    for paths in crowded.values():
        for folder in folders_alike(paths, lost, places, files):
            for path in paths:
                found = joined(folder, path.rpartition("/")[2])
                if found in places.files:
                    add_to_rules(rules, path, found, only=False)
    tally = Tally(path for path, one in lost.items() if not one.folder)
    taken = []
    for rule in sorted(rules.values(), key=lambda rule: (-len(rule.files), rule.old, rule.new)):
        rule.strong = known.why(rule.old, rule.new)
        rule.volumes = volumes_differ(f"{rule.old}/x", f"{rule.new}/x")
        weigh(rule, lost, files, tally)
        if rule.sure:
            taken.append(rule)
    return taken


def add_to_rules(rules: dict[tuple[str, str], Rule], path: str, found: str, only: bool) -> None:
    """Let the rule that leads from a lost path to a file explain it; whether that is the `only` file of its name."""
    old, new, count, exact = parting(path, found)
    if count:
        rule = rules.get((old, new)) or rules.setdefault((old, new), Rule(old, new))
        rule.files[path] = found
        rule.seen += 1
        rule.exact = rule.exact and exact
        rule.folders = max(rule.folders, min(MOST_FOLDERS, count - 1))
        if only and count > 1:
            rule.agreeing[NAME] = 1


def folders_alike(paths: Sequence[str], lost: dict[str, Lost], places: Places, files: Files) -> list[str]:
    """The folders in which files of the same names have the sizes that the lost ones of one folder had, as some of them
    show; where nothing is known but names that are everywhere, none.
    """
    known = [path for path in paths if lost[path].size is not None]
    sample = known[:: max(1, len(known) // SAMPLE)][:SAMPLE]
    votes = Counter(
        found.rpartition("/")[0]
        for path in sample
        for found in places.namesakes(path)
        if files.size(found) == lost[path].size
    )
    least = max(LEAST_ALIKE, MOSTLY * len(sample))
    return [folder for folder, count in votes.most_common(MOST_ALIKE) if count >= least]


class Tally:
    """How many of some paths are below each folder."""

    def __init__(self, lost: Iterable[str]):
        self.below: Counter[str] = Counter()
        self.inside: Counter[str] = Counter()
        for path in lost:
            folder = path.rpartition("/")[0]
            self.inside[folder] += 1
        for folder, count in self.inside.items():
            place = folder
            while place:
                self.below[place] += count
                place = place.rpartition("/")[0]
            self.below["/"] += count


def weigh(rule: Rule, lost: dict[str, Lost], files: Files, tally: Tally) -> None:
    """Say how sure a rule is, after its entries were held against the files; `sure` stays None for one that is none."""
    torn: dict[str, str] = {}
    if not rule.strong:
        torn = leave_torn_folders(rule, tally)
        # Nothing but parts of folders: most of one may still be told by sizes that differ.
        if not rule.files and torn:
            take_most_of_a_folder(rule, torn, lost, files, tally)
        if not rule.files or (len(rule.files) == 1 and not worth_reading(lost, rule)):
            return
    hold_against_files(rule, list(rule.files.items()), lost, files)
    if rule.proven:
        # What whole folders prove is true of the files of others as well, where something is known of each.
        some = [pair for pair in torn.items() if any(files.facts(lost[pair[0]], pair[1]))]
        hold_against_files(rule, some, lost, files)
    if rule.contradicted:  # where others are other files, one that is merely as long is likely one, too
        for path in rule.alone:
            rule.files.pop(path, None)
        rule.contradicted += rule.alone
    rule.lacking = tally.below[rule.old] - len(rule.files) - len(rule.contradicted)
    if rule.files and not mostly_contradicted(rule):
        rule.sure = PROVEN if rule.proven else BY_NAMES if rule.named >= ENOUGH else None


def mostly_contradicted(rule: Rule) -> bool:
    """Whether so many of the files that a rule led to are others that the rest is chance."""
    return len(rule.contradicted) > CONTRADICTED * (len(rule.files) + len(rule.contradicted))


def take_most_of_a_folder(rule: Rule, torn: dict[str, str], lost: dict[str, Lost], files: Files, tally: Tally) -> None:
    """Let a rule explain more than half of each of some folders, where sizes or lengths that differ speak for it."""
    inside = Counter(path.rpartition("/")[0] for path in torn)
    most = {path: file for path, file in torn.items()
            if inside[folder := path.rpartition("/")[0]] > tally.inside[folder] / 2}  # fmt: skip
    agreeing = {path: file for path, file in most.items() if {SIZE, LENGTH} & set(files.facts(lost[path], file).agree)}
    measures = {lost[path].size or lost[path].length for path in agreeing}
    if len(measures) >= max(LEAST_DIFFERENT, MOSTLY * len(most)):
        rule.files = agreeing
        for path in agreeing:
            del torn[path]


def hold_against_files(rule: Rule, pairs: Sequence[tuple[str, str]], lost: dict[str, Lost], files: Files) -> None:
    """Take up what agrees of some lost paths and the files that a rule has for them, and leave out what contradicts."""
    agreeing: Counter[tuple[str, ...]] = Counter()
    for path, found in pairs:
        facts = files.facts(lost[path], found)
        if facts.contradict:
            rule.contradicted.append(path)
            rule.files.pop(path, None)
        else:
            rule.files[path] = found
            agreeing[facts.agree] += 1
            if lost[path].size is not None and facts.agree == (LENGTH,):
                rule.alone.append(path)
            for word in facts.agree:
                rule.said.setdefault(word, Counter())[said(lost[path], word, facts)] += 1
    for words, count in agreeing.items():
        rule.agreeing.update(dict.fromkeys(words, count))


def worth_reading(lost: dict[str, Lost], rule: Rule) -> bool:
    """Whether anything is known of the one sound that a rule explains."""
    one = lost[next(iter(rule.files))]
    return bool(one.size or one.length or one.digest or one.title) or rule.named >= ENOUGH


def leave_torn_folders(rule: Rule, tally: Tally) -> dict[str, str]:
    """Leave out of a rule the folders of which it explains a part only, unless it explains nearly all below its top;
    what was left out.
    """
    if len(rule.files) >= ALMOST_ALL * tally.below[rule.old]:
        return {}
    torn: dict[str, str] = {}
    explained = Counter(path.rpartition("/")[0] for path in rule.files)
    for path in list(rule.files):
        folder = path.rpartition("/")[0]
        if explained[folder] < ALMOST_ALL * tally.inside[folder]:
            torn[path] = rule.files.pop(path)
    return torn


def strength(facts: Facts, rule: Rule) -> tuple[int, int, int]:
    """How much speaks for one file of a rule, to be compared with another's."""
    return (POINTS[rule.strong] if rule.strong else 0) + facts.points, int(rule.sure == PROVEN), rule.folders


def preferred(options: Sequence[tuple[Rule, str]], shelves: Sequence[str]) -> list[tuple[Rule, str]]:
    """Of several files of one content, those in a shelf of the person's, else those of the rule that explains most."""
    mine = [one for one in options if any(one[1].startswith(joined(shelf, "")) for shelf in shelves)]
    options = mine or list(options)
    most = max(len(rule.files) for rule, _found in options)
    return [one for one in options if len(one[0].files) == most]
