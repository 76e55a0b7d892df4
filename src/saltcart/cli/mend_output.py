"""What `saltcart mend` found, and what came of it, in words and as a document."""

from collections.abc import Mapping, Sequence

from saltcart.cli.account import WHY_NOT
from saltcart.cli.mend_singles import FEW, NEAREST, SHOWN, show_singles
from saltcart.cli.screen import Screen, many, place, size
from saltcart.errors import show, typed
from saltcart.judging.judgements import ALTERED, FOUND, MISSING, UNREADABLE, add_counts
from saltcart.mending.discovery import Discovery
from saltcart.mending.findings import Findings, is_proven
from saltcart.mending.one_by_one import BY_NAME, Single
from saltcart.mending.rules import Rule
from saltcart.proving.results import CheckReport
from saltcart.shelves.tags import tags_of
from saltcart.system import os
from saltcart.waybills.waybill import Waybill

SHOWN_NAMES = 3  # of ledgers in one sentence


def show_findings(screen: Screen, found: Findings, taken: Sequence[Rule]) -> None:
    """The state in a sentence, what waits for a drive, rules before files."""
    show_state(screen, found, taken)
    columns = (">No", ">Entries", "From", "To", "How sure", "Evidence")
    rows = [
        (number, found.entries_of(rule), place(rule.old), place(rule.new), sureness(found, rule, taken),
         "; ".join(rule.evidence()))
        for number, rule in enumerate(found.rules, 1)
    ]  # fmt: skip
    screen.table("Matches: what was below FROM is below TO now", columns, rows)
    for rule in (rule for rule in found.rules if rule.means and not any(rule is one for one in taken)):
        screen.say(f"By all evidence that means: --drive {typed(rule.means or '')}   (in cart.toml: means = [...])")
        screen.say("Programs on this machine do not know that. To let these ledgers live here from now on: --for-here")
    show_singles(screen, found)
    if found.leftovers:
        files = many(found.leftovers, "sound that no entry lists lies", "sounds that no entry lists lie")
        screen.say(f"{files} below the found places.")
    show_warnings(screen, found)
    show_choices(screen, found, taken)


def show_state(screen: Screen, found: Findings, taken: Sequence[Rule]) -> None:
    """How much is lost, how much of it can be mended, and where it was looked for."""
    lost, losses = found.losses.entries, found.losses
    looked = many(len(losses.states), "ledger", "ledgers")
    if not losses.states and found.discovered.unknown:
        screen.say("Salt Cart found files that list sounds that are gone, but none that it can mend.")
    elif not losses.states:
        screen.say(
            "Salt Cart found no file that lists sounds that are gone. If a program still misses some:"
            " --ledger FILE, and --in where the sounds are now."
        )
    elif not lost:
        screen.say(f"Nothing is missing in {looked} that {'was' if len(losses.states) == 1 else 'were'} looked at.")
    else:
        sure = {path for path, (rule, _file) in found.mended.items() if any(rule is one for one in taken)}
        likely = sum(losses.lost[path].entries for path in found.mended.keys() - sure)
        likely += sum(one.lost.entries for one in found.singles if one.why == BY_NAME and not one.chosen)
        count = sum(losses.lost[path].entries for path in sure) + sum(one.lost.entries for one in chosen_ones(found))
        rest = f"; {likely:,} more may be, based only on names" if likely else ""
        losing = len({ledger for one in losses.lost.values() for ledger in one.ledgers})
        places = looked if losing == len(losses.states) else f"{losing:,} of {looked}"
        screen.say(f"{many(lost, 'entry is', 'entries are')} lost in {places}; {count:,} can be mended{rest}.")
    for why, count in sorted(losses.offline.items()):
        screen.say(f"{many(count, 'entry waits', 'entries wait')} for a drive, and nothing else: {why}. Plug it in.")
    for error in losses.troubles:
        screen.remark(f"{show(error.what)}; it is left out")
    if lost:
        looked_in = ", ".join(map(place, found.places.tops)) or "nowhere: name a place with --in"
        screen.say(
            f"Looked in {looked_in} ({many(len(found.places.files), 'file', 'files')},"
            f" {many(found.headers, 'header', 'headers')} read)."
        )


def show_choices(screen: Screen, found: Findings, taken: Sequence[Rule]) -> None:
    """How to apply what is not applied automatically."""
    if any(found.as_good_as(rule) for rule in found.rules):
        screen.say("Where rules are as good as each other, say which are not meant: saltcart mend --not N")
    left = [(number, rule) for number, rule in enumerate(found.rules, 1) if not any(rule is one for one in taken)]
    if any(not is_proven(rule) and not rule.doubt for _number, rule in left):
        screen.say(
            "Matches based only on file names are not applied automatically. To apply them: --by-name, or --only-rule N"
        )
    for number, rule in left:
        if rule.doubt:
            screen.say(
                f"The names fit rule {number}, but something speaks against it: {rule.doubt}. --by-name leaves it out."
                f" If you know that it is right: --only-rule {number}"
            )


def show_warnings(screen: Screen, found: Findings) -> None:
    """What else a person should know of these ledgers and places."""
    losses = found.losses
    for level in losses.levels:
        screen.remark(
            f"{place(level.ledger)} lists the folder {place(level.folder)}, and what starts from there lies in"
            f" {place(level.better)}: saltcart folders fix-level"
        )
    for ledger, twice in losses.doubles.items():
        files = many(len(twice), "file", "files")
        screen.remark(
            f"{place(ledger)} lists {files} twice, such as {place(twice[0])}: perhaps it was imported once more."
            " Nothing is merged"
        )
    for folder in found.places.unread[:SHOWN]:
        screen.remark(f"{place(folder)} could not be read: what lies in it was not looked at")
    if emptied := losses.emptied():
        more = f" and {len(emptied) - SHOWN_NAMES:,} more" if emptied[SHOWN_NAMES:] else ""
        names = ", ".join(place(path) for path in emptied[:SHOWN_NAMES]) + more
        them = "it until it is" if len(emptied) == 1 else "them until they are"
        screen.remark(
            f"More than half of the entries are lost in {names}: do not sync a player or a phone with {them} repaired"
        )


def sureness(found: Findings, rule: Rule, taken: Sequence[Rule]) -> str:
    """How sure a rule is, and why it is not taken."""
    if not any(rule is one for one in taken):
        return f"{rule.sure}, not applied"
    others = ", ".join(map(str, found.as_good_as(rule)))
    return f"as good as {others}: choose" if others else str(rule.sure)


def show_sample(screen: Screen, found: Findings, rule: Rule) -> None:
    """Three of the files that a rule leads to, beside what the ledgers say of them."""
    mended = sorted((path, file) for path, (one, file) in found.mended.items() if one is rule)
    pairs = [pair for pair in mended if not os.path.isdir(pair[1])]
    for path, file in dict.fromkeys([pairs[0], pairs[len(pairs) // 2], pairs[-1]] if pairs else []):
        lost, header = found.losses.lost[path], found.files.header(file)
        told = facts_in_words(lost.size, lost.length, lost.title)
        seen = facts_in_words(found.files.size(file), header.seconds, tags_of(file).get("title"))
        screen.say(f"  {place(path)}{f'  ({told})' if told else ''}")
        screen.say(f"    -> {place(file)}  ({seen})")


def facts_in_words(count: int | None, seconds: float | None, title: str | None) -> str:
    """Size, length and title, where they are known."""
    parts = [
        size(count) if count is not None else "",
        f"{seconds:.1f} s" if seconds else "",
        f'"{show(title)}"' if title else "",
    ]
    return ", ".join(filter(None, parts))


def chosen_ones(found: Findings) -> list[Single]:
    """The singles for which a file is chosen."""
    return [one for one in found.singles if one.chosen]


def tell_unknown(screen: Screen, discovered: Discovery) -> None:
    """Say which files name sounds that are gone, and cannot be mended."""
    rows = sorted(discovered.unknown.items(), key=lambda pair: -pair[1])
    for path, count in rows[:FEW]:
        what = many(count, "sound that is gone", "sounds that are gone")
        screen.remark(f"{place(path)} lists {what}, but Salt Cart cannot mend that yet")
    if rows[FEW:]:
        others = many(len(rows) - FEW, "more file lists", "more files list")
        screen.remark(f"{others} sounds that are gone, but Salt Cart cannot mend that yet")
    if rows:
        screen.remark("A link from the old place to where the sounds are now lets their programs find them again")
    for why in dict.fromkeys(gap.why for gap in discovered.gaps):
        some = [gap.path for gap in discovered.gaps if gap.why == why]
        more = f" and {len(some) - NEAREST:,} more" if some[NEAREST:] else ""
        screen.remark(
            f"Not searched for lost sounds, {WHY_NOT[why]}: {', '.join(map(place, some[:NEAREST]))}{more}. If a"
            " program uses it: --ledger FILE"
        )


def show_outcome(screen: Screen, waybill: Waybill, found: Findings | None, report: CheckReport, changes: str) -> int:
    """How many entries are found again, and what is not; how many stay as before."""
    counts = report.counts
    if found:
        before = [state for state in found.losses.states if state.path in {line.path for line in waybill.ledgers}]
        earlier = add_counts(before)
        made = sum(counts.values()) - sum(earlier.values())  # folders that were added
        again = there(counts) - there(earlier) - made  # as seen now, not as was hoped
        left = found.losses.entries - again
        silent = still_lost(found, report)
        sounds = [path for path, lost in found.losses.lost.items() if not lost.folder]
        if sounds:
            found_now = len(sounds) - len(silent)
            screen.say(f"{found_now:,} of {many(len(sounds), 'lost sound', 'lost sounds')} found again.")
        screen.say(
            f"{again:,} of {many(found.losses.entries, 'lost entry', 'lost entries')} found again, by {changes}."
        )
        if silent:
            names = ", ".join(show(os.path.basename(path)) for path in silent[:FEW])
            screen.say(f"Still missing: {names}{f' and {len(silent) - FEW:,} more' if silent[FEW:] else ''}.")
    else:
        total = sum(counts.values())
        left = total - there(counts)
        screen.say(f"{changes[:1].upper()}{changes[1:]}. {total - left:,} of {many(total, 'entry', 'entries')} found.")
    if left:
        screen.say(f"{many(left, 'entry stays', 'entries stay')} as before.")
    if unsound := there(counts) - counts[FOUND]:
        what = many(unsound, "entry leads to", "entries lead to")
        screen.remark(f"{what} a file that is there and does not read as a sound: saltcart check {report.trip}")
    return left


def still_lost(found: Findings, report: CheckReport) -> list[str]:
    """The sounds that some ledger still names where they are not, as it was seen after the switch."""
    changed = {one.state.path for one in report.ledgers}
    silent = {path: None for path, lost in found.losses.lost.items() if not lost.folder and not lost.ledgers <= changed}
    for one in report.ledgers:  # where a folder of names follows, what is still lost in it has another path
        judged = (judgement for judgement in one.state.judgements() if judgement.verdict == MISSING)
        silent |= dict.fromkeys(judgement.resolved for judgement in judged if not judgement.entry.is_folder)
    return list(silent)


def there(counts: Mapping[str, int]) -> int:
    """How many entries point to something that exists, whether it is a sound or not."""
    return counts[FOUND] + counts[ALTERED] + counts[UNREADABLE]


def document(found: Findings, taken: Sequence[Rule]) -> dict[str, object]:
    """The findings."""
    return {
        "lost": found.losses.entries,
        "offline": dict(found.losses.offline),
        "places": found.places.tops,
        "rules": [
            {
                "from": rule.old,
                "to": rule.new,
                "entries": found.entries_of(rule),
                "lacking": rule.lacking,
                "contradicted": sorted(rule.contradicted),
                "sure": rule.sure,
                "taken": any(rule is one for one in taken),
                "evidence": rule.evidence(),
                "means": rule.means,
                "as_good_as": found.as_good_as(rule),
            }
            for rule in found.rules
        ],
        "entries": [
            {
                "path": one.lost.path,
                "entries": one.lost.entries,
                "why": one.why,
                "files": one.files,
                "chosen": one.chosen,
                "evidence": one.evidence,
            }
            for one in found.singles
        ],
        "headers_read": found.headers,
        "leftovers": found.leftovers,
        "emptied": found.losses.emptied(),
        "doubles": found.losses.doubles,
        "not_understood": found.discovered.unknown,
        "not_searched": [{"path": gap.path, "why": gap.why} for gap in found.discovered.gaps],
        "unread": found.places.unread,
    }
