"""The page of what a person owns: shelves by size, kinds, rates and depths, ledgers, and what need not travel."""

from collections import Counter
from collections.abc import Iterator
from datetime import UTC, datetime

from rich.filesize import decimal

from saltcart.errors import show
from saltcart.judging.judgements import FOUND, OFFLINE
from saltcart.looking.survey_report import SurveyReport
from saltcart.looking.tidy import Find, TidyReport, totals
from saltcart.report.drawing import as_svg
from saltcart.report.page import render
from saltcart.report.pictures import Bar, room_picture
from saltcart.shelves.folder_tree import packs
from saltcart.shelves.true_names import told_apart
from saltcart.system import os

PACKS_DEEP = 1
MOST_NAMES = 3


def survey_page(report: SurveyReport, tidied: TidyReport, answer: str) -> str:
    """The page of a survey, with what was found that need not travel; `answer` is what is said of it first."""
    names = told_apart([shelf.name for shelf in report.shelves], [shelf.tree.path for shelf in report.shelves])
    total = decimal(sum(shelf.tree.bytes for shelf in report.shelves))
    told = ", ".join(f"{name} {decimal(one.tree.bytes)}" for name, one in zip(names, report.shelves, strict=True))
    return render(
        "survey",
        f"What is here: {total} of sounds",
        ok=not any(count for verdict, count in report.counts.items() if verdict != "found")
        and not any(state.trouble for state in report.ledgers),
        answer=answer,
        room=as_svg(room_picture(list(bars_of(report)), "What takes up space"), show(told)),
        shelves=list(shelf_rows(report, names)),
        kinds=list(kind_rows(report)),
        ledgers=list(ledger_rows(report)),
        leans=[
            (show(report.ledgers[ledger].path), show(names[shelf]), count)
            for (ledger, shelf), count in sorted(report.leans.items())
            if count
        ],
        lost=list(lost_rows(report)),
        finds=[find_row(find) for find in tidied.finds],
        freed=decimal(totals(tidied.finds)[1]),
        remarks=[show(text) for text in tidied.remarks] + [show(f"{one.path} {one.what}") for one in report.findings],
    )


def bars_of(report: SurveyReport) -> Iterator[Bar]:
    """The bars of shelves and their packs."""
    for shelf in report.shelves:
        yield Bar(shelf.name, 0, shelf.tree.bytes)
        for level, tree in packs(shelf.tree, PACKS_DEEP):
            yield Bar(os.path.basename(tree.path), level, tree.bytes)


def shelf_rows(report: SurveyReport, names: list[str]) -> Iterator[tuple[str | int, ...]]:
    """Each shelf."""
    for number, (shelf, name) in enumerate(zip(report.shelves, names, strict=True)):
        tree = shelf.tree
        newest = datetime.fromtimestamp(tree.newest, UTC).strftime("%Y-%m-%d") if tree.newest else ""
        naming = sum(report.leans[ledger, number] > 0 for ledger in range(len(report.ledgers)))
        share, care = f"{tree.audio_share:.0%}", shelf.care
        yield (show(name), decimal(tree.bytes), tree.files, share, newest, care, naming, show(tree.path))


def kind_rows(report: SurveyReport) -> Iterator[tuple[str, int]]:
    """Kinds of sounds, then rates, channels and depths as their headers say."""
    kinds: Counter[str] = Counter()
    rates: Counter[str] = Counter()
    for shelf in report.shelves:
        kinds.update(shelf.tree.kinds)
        if shelf.headers:
            rates.update({f"{rate:,} Hz": count for rate, count in shelf.headers.rates.items()})
            rates.update({f"{bits} bits": count for bits, count in shelf.headers.bits.items()})
            rates.update({f"{count} channel{'s' * (count > 1)}": n for count, n in shelf.headers.channels.items()})
    yield from kinds.most_common()
    yield from rates.most_common()


def ledger_rows(report: SurveyReport) -> Iterator[tuple[str | int, ...]]:
    """Each ledger with its verdicts."""
    for state in report.ledgers:
        counts = state.counts()
        other = counts["altered"] + counts["unreadable"] + counts["unclear"]
        figures = sum(counts.values()), counts["found"], counts["offline"], counts["missing"], other
        yield (show(state.path), state.map_name, *figures)


def lost_rows(report: SurveyReport) -> Iterator[tuple[str, ...]]:
    """Each entry that leads to nothing, but for those of drives that are not connected."""
    for state in report.ledgers:
        for found in state.judgements(plain=False):
            if found.verdict not in (FOUND, OFFLINE):
                entry = found.entry
                yield found.verdict, show(state.path), str(entry.where), show(entry.written), show(found.why)


def find_row(find: Find) -> tuple[str | int, ...]:
    """One finding."""
    names = ", ".join(show(os.path.basename(path)) for path in find.paths[:MOST_NAMES])
    more = " ..." if len(find.paths) > MOST_NAMES else ""
    return find.kind, len(find.paths), decimal(find.bytes), show(find.folder), names + more
