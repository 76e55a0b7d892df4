"""Break the promises of Salt Cart on purpose, one at a time, and see whether the tests notice.

    python tools/break_promises.py            # all
    python tools/break_promises.py flush      # those whose name holds the word

Each breakage takes one thing out of a copy of the program: a flush, a proof, a look at the world.  The tests named
beside it are run against that copy, and must fail.  Exit status 0 when every breakage was noticed.  Run it by hand,
after a change to what a promise rests on; it takes some minutes.
"""

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
CRASH, ALIVE = "tests.switching.test_crash", "tests.switching.test_alive"
ARCHIVES, CARRYING = "tests.hauling.test_archives", "tests.carrying.test_carrying"
ARRANGE = "tests.planning.test_arrange"
KEPT, GUARDS = "tests.switching.test_kept", "tests.switching.test_guards"
LEFT, ODD = "tests.switching.test_left", "tests.hauling.test_odd"
OWN, FAULTS, JOB = "tests.switching.test_own_places", "tests.hauling.test_faults", "tests.switching.test_job"


class Breakage(NamedTuple):
    """A promise by its number, what is broken, in which file, the text that is replaced and by what, and the tests."""

    promise: int
    name: str
    file: str
    old: str
    new: str
    tests: tuple[str, ...]


BREAKAGES = (
    Breakage(
        1,
        "flush of a copied group",
        "hauling/group_copy.py",
        "flush_files([job.temporary for job in copied], target.mount, target.filesystem)",
        "pass",
        (f"{ALIVE}.Durable", f"{CRASH}.Crash.test_haul"),
    ),
    Breakage(
        1,
        "flush of the folders of placed copies",
        "hauling/group_copy.py",
        "        sync_folder(folder)\n    copies = ",
        "        pass\n    copies = ",
        (f"{CRASH}.Crash.test_haul", f"{CRASH}.CrashOnItsDrive"),
    ),
    Breakage(
        1,
        "flush of folders that the haul made",
        "safefile.py",
        "            sync_handle(handle, folder)\n            outer",
        "            outer",
        (f"{ALIVE}.Durable", f"{CRASH}.Crash.test_haul"),
    ),
    Breakage(
        1,
        "reading copies back",
        "hauling/group_copy.py",
        "if outcome.digest == group.digests[job.path]:",
        "if True:",
        (FAULTS,),
    ),
    Breakage(
        1,
        "the clean check before a release",
        "switching/release.py",
        "        refuse_unclean(check)\n",
        "",
        (JOB, FAULTS),
    ),
    Breakage(
        1,
        "what changed is kept by a release",
        "switching/release.py",
        "keep = newer_originals(trip, number, aside)",
        "keep = set()",
        (JOB, FAULTS, OWN),
    ),
    Breakage(
        1,
        "flush after a release",
        "switching/release.py",
        "    sync_folder(os.path.dirname(aside))\n",
        "",
        (f"{ALIVE}.Durable",),
    ),
    Breakage(
        2,
        "flush of a swapped ledger's folder",
        "switching/transaction.py",
        '    os.replace(deed["staged"], path)\n    sync_folder(os.path.dirname(path))',
        '    os.replace(deed["staged"], path)',
        (f"{CRASH}.Crash.test_repoint", f"{ALIVE}.Durable"),
    ),
    Breakage(
        2,
        "flush of a staged ledger's content",
        "safefile.py",
        "    sync_file(path)\n    if digest_of(path, past",
        "    if digest_of(path, past",
        (f"{CRASH}.Crash.test_repoint", f"{ALIVE}.Durable"),
    ),
    Breakage(
        2,
        "taking back what was done",
        "switching/transaction.py",
        "            revert(deed)\n",
        "",
        (f"{CRASH}.Crash", ALIVE),
    ),
    Breakage(
        3,
        "proof of a rewritten text",
        "ledgers/spans.py",
        "return found.inside == texts and self.shape.rest(spans) == self.shape.rest(found)",
        "return True",
        ("tests.ledgers.test_proofs",),
    ),
    Breakage(
        3,
        "proof of a rewritten database",
        "ledgers/sqlite/ledger.py",
        "            self.prove(copy, changes, swaps, rows)\n",
        "",
        ("tests.ledgers.test_proofs",),
    ),
    Breakage(
        3,
        "proof of a database's types",
        "ledgers/sqlite/tables.py",
        'f" OR typeof({x}) <> typeof({y})" if column in self.untyped else ""',
        '""',
        ("tests.ledgers.test_proofs", "tests.ledgers.test_maps"),
    ),
    Breakage(
        3,
        "proof of a database's indexes",
        "ledgers/sqlite/ledger.py",
        "trouble = differing_schema(copy)",
        "trouble = None",
        ("tests.ledgers.test_proofs",),
    ),
    Breakage(
        4,
        "the world is believed before the record",
        "switching/repoint.py",
        "if trip.state == HAULED and transaction.half_way(trip, PLAN):",
        "if False:",
        (ALIVE,),
    ),
    Breakage(
        4,
        "what is verified is not copied again",
        "hauling/haul.py",
        "return (EQUAL, row.digest) if same_size else (CLASH, None)",
        "return CLASH, None",
        ("tests.hauling.test_haul", FAULTS),
    ),
    Breakage(
        5,
        "the drive's identity before a shelf",
        "hauling/shelf_copy.py",
        "        drives.require(self.shelf.new_drive, self.drive.mount, f'the shelf \"{self.shelf.name}\"')\n       "
        " self.make_folders()",
        "        self.make_folders()",
        (FAULTS,),
    ),
    Breakage(
        5,
        "the drive's identity before a group",
        "hauling/shelf_copy.py",
        "                drives.require(self.shelf.new_drive, self.drive.mount, f'the shelf \"{self.shelf.name}\"')\n",
        "",
        (FAULTS,),
    ),
    Breakage(5, "where a drive hangs that is away", "planning/destination.py", "    refuse_hole(new)\n", "", (OWN,)),
    Breakage(
        6,
        "two paths that become one",
        "ledgers/sqlite/ledger.py",
        "            except sqlite3.IntegrityError as error:",
        "            except ZeroDivisionError as error:",
        ("tests.ledgers", "tests.planning"),
    ),
    Breakage(
        7,
        "broken before stays broken before",
        "proving/results.py",
        "and self.before in (None, FOUND)",
        "",
        (JOB, "tests.demo"),
    ),
    Breakage(
        8,
        "open programs",
        "switching/programs.py",
        "    while holders := list(in_the_way(ledgers)):",
        "    while holders := []:",
        ("tests.planning.test_refusals", CRASH),
    ),
    Breakage(
        9,
        "ledgers held against what was written",
        "proving/check.py",
        "            one.state.trouble = one.state.trouble or flipped(trip, row)\n",
        "            pass\n",
        (FAULTS,),
    ),
    Breakage(
        9,
        "reading ledgers back",
        "safefile.py",
        "if digest_of(path, past_cache=True) != digest:",
        "if False:",
        (FAULTS,),
    ),
    Breakage(
        10,
        "looking again after taking back",
        "switching/transaction.py",
        '        if (stands := standing(deed)) not in KINDS[deed["do"]].back or (',
        "        if False and (",
        (ALIVE,),
    ),
    Breakage(
        10,
        "interrupts held while taking back",
        "switching/transaction.py",
        "    if threading.current_thread() is not threading.main_thread():",
        "    if True:",
        (ALIVE,),
    ),
    Breakage(
        10,
        "what is away is not gone",
        "switching/undo.py",
        "        refuse_absent_drives(trip, without_new)\n",
        "",
        (ALIVE,),
    ),
    Breakage(
        10,
        "a half-done switch recorded as taken back",
        "switching/repoint.py",
        "transaction.half_way(trip, PLAN)",
        "False",
        (ALIVE,),
    ),
    Breakage(
        11,
        "no removal crosses a mount",
        "shelves/removal.py",
        "if mount_number(handle) != self.mount:",
        "if False:",
        (OWN,),
    ),
    Breakage(
        11,
        "no removal follows a link",
        "shelves/removal.py",
        "os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW",
        "os.O_RDONLY | os.O_DIRECTORY",
        (OWN,),
    ),
    Breakage(
        11,
        "mounts in a shelf",
        "shelves/mountinfo.py",
        'if mount.place.startswith(path.rstrip("/") + "/")',
        "if False",
        (OWN,),
    ),
    Breakage(
        11,
        "copies that a ledger names",
        "switching/dropping.py",
        "        if any(tail_below(place, one) is not None for one in named):",
        "        if False:",
        (ALIVE,),
    ),
    Breakage(
        1,
        "the sums of an archive",
        "hauling/unpacking.py",
        '        remove_if_there(job.temporary)\n        return Outcome("", f"is damaged in the archive ({error})")',
        "        return Outcome(worker.hexdigest())",
        (ARCHIVES,),
    ),
    Breakage(
        1,
        "what cannot be had again is asked about",
        "cli/release.py",
        "    if own and options.yes and not options.own:",
        "    if False:",
        (JOB,),
    ),
    Breakage(
        6,
        "another sound of the same name",
        "mending/rules.py",
        "        if facts.contradict:",
        "        if False:",
        ("tests.mending",),
    ),
    Breakage(
        6,
        "two files that are equally likely",
        "mending/findings.py",
        "        if len(best) == 1:",
        "        if best:",
        ("tests.mending",),
    ),
    Breakage(
        6,
        "a file that a ledger names already",
        "mending/findings.py",
        "        if named or max(holders.values()) > 1:",
        "        if False:",
        ("tests.mending",),
    ),
    Breakage(
        6,
        "names alone are not enough",
        "mending/rules.py",
        "    elif rule.named >= ENOUGH:\n        rule.sure = BY_NAMES",
        "    elif rule.named >= ENOUGH:\n        rule.sure = PROVEN",
        ("tests.mending",),
    ),
    Breakage(
        9,
        "what stays lost is never exit 0",
        "cli/mend.py",
        "        left = found.losses.entries - again",
        "        left = 0",
        ("tests.mending",),
    ),
    Breakage(
        9,
        "what is found through a folder of a list alone",
        "planning/folder_lists.py",
        "            if now and not then:",
        "            if False:",
        ("tests.planning.test_folders",),
    ),
    Breakage(
        11,
        "names in an archive that lead out",
        "shelves/archive.py",
        '    if not parts or ".." in parts or name.startswith("/") or DRIVE_LETTER.match(name) or "\\0" in name:',
        "    if not parts:",
        (ARCHIVES,),
    ),
    Breakage(
        11,
        "chosen files alone",
        "waybills/waybill.py",
        "        if self.files:  # a pattern would mean files of that name in any folder",
        "        if False:",
        ("tests.planning.test_divided",),
    ),
    Breakage(
        1,
        "ledgers that changed in a collection are not written over",
        "carrying/carry.py",
        '    if changed:\n        raise Refused(\n            f"{len(changed)} ledger(s) in the collection',
        '    if False:\n        raise Refused(\n            f"{len(changed)} ledger(s) in the collection',
        (CARRYING,),
    ),
    Breakage(
        1,
        "sounds that changed in a collection are not written over",
        "hauling/haul.py",
        "    return known is not None and os.path.isfile(place) and digest_file(place, known[0]) == known[1]",
        "    return known is not None",
        (CARRYING,),
    ),
    Breakage(
        6,
        "only rows of the same sound are merged",
        "ledgers/sqlite/merging.py",
        "if known[key][0] == leads(others[key][0])}",
        "}",
        (CARRYING,),
    ),
    Breakage(
        9,
        "an altered collection is told before anything begins",
        "carrying/stands.py",
        "    plan.problems += altered(wanted, watch)",
        "    list(altered(wanted, watch))",
        (CARRYING,),
    ),
    Breakage(
        6,
        "arranged: what a session finds by where it lies stays",
        "planning/arrange.py",
        "    return path in held\n",
        "    return False\n",
        (ARRANGE,),
    ),
    Breakage(
        1,
        "arranged: a name that is taken",
        "planning/arrange.py",
        "if folded(name, self.limits) in names else name",
        "if False else name",
        (ARRANGE,),
    ),
    Breakage(
        4,
        "arranged: new folders that an undo removes",
        "hauling/shelf_copy.py",
        "        if missing := [place for place in places if not os.path.isdir(place)]:\n",
        "        if missing := [place for place in places if not os.path.isdir(place)] and []:\n",
        (ARRANGE,),
    ),
    Breakage(
        11,
        "carried names known again on the way back",
        "carrying/agreement.py",
        "shelf.place(row.item.path)[len(shelf.new) + 1 :] if coming else row.item.path",
        "row.item.path",
        (ARRANGE,),
    ),
    Breakage(
        9,
        "a sound that is cut short",
        "proving/playing.py",
        "        if short := cut_short(path):\n",
        "        if short := None:\n",
        ("tests.proving.test_playing",),
    ),
    Breakage(
        9,
        "a drive behind a signpost in a report",
        "report/trip_page.py",
        "        there = find_drive(identity, mount)\n",
        "        there = None\n",
        ("tests.cli.test_pages",),
    ),
    Breakage(
        8,
        "somebody else at work on a share",
        "carrying/in_use.py",
        "    if ours and began(process) != start:",
        "    if True:",
        (CARRYING,),
    ),
    Breakage(
        1,
        "an original edited with size and time kept",
        "switching/release.py",
        "        keep |= set(edited.paths)\n",
        "",
        (KEPT,),
    ),
    Breakage(
        1,
        "the last look at an original",
        "switching/release.py",
        "            return ours or mark_of(state) == (item.inode, item.ctime_ns)",
        "            return True",
        (KEPT,),
    ),
    Breakage(
        1,
        "originals where times prove nothing",
        "switching/release.py",
        "                return self.holds_what_was_copied(row)",
        "                return True",
        (KEPT,),
    ),
    Breakage(
        1,
        "an original edited between haul and switch",
        "switching/repoint.py",
        "            edited = altered_since(trip, number, shelf.old).paths\n",
        "            edited: list[str] = []\n",
        (KEPT,),
    ),
    Breakage(
        1,
        "an original edited while it is copied",
        "hauling/file_copy.py",
        "    edited = job.exact and job.sharing != NAMES and mark_of(now) != before\n",
        "    edited = False\n",
        (KEPT,),
    ),
    Breakage(
        1,
        "copies dropped by size alone",
        "switching/dropping.py",
        "        if exact and row.copy == mark_of(state):",
        "        if True:",
        (KEPT,),
    ),
    Breakage(
        1,
        "a link that is no link any more is no copy of ours",
        "switching/dropping.py",
        "            return stat.S_ISLNK(state.st_mode) and os.readlink(place) == says",
        "            return True",
        (KEPT,),
    ),
    Breakage(
        1,
        "an archive that was replaced",
        "switching/release.py",
        "    if not whole or not is_as_unpacked(trip, shelf, state, report):",
        "    if not whole:",
        (GUARDS,),
    ),
    Breakage(
        1,
        "the way to the copies is flushed before a release",
        "switching/release.py",
        "            sync_folder(folder)\n\n\ndef refuse_mounted",
        "            pass\n\n\ndef refuse_mounted",
        (GUARDS,),
    ),
    Breakage(
        1,
        "a newcomer at the new place",
        "hauling/group_copy.py",
        "        if not may_replace(job.final, job.replaces):",
        "        if False:",
        (KEPT,),
    ),
    Breakage(
        1,
        "a further name of a file is read under that name",
        "hauling/shelf_copy.py",
        "        if digest != first.digest:",
        "        if False:",
        (KEPT,),
    ),
    Breakage(
        5,
        "a folder that became a link",
        "hauling/shelf_copy.py",
        "        if not stat.S_ISDIR(os.stat(path, dir_fd=handle, follow_symlinks=False).st_mode):",
        "        if False:",
        (KEPT,),
    ),
    Breakage(
        11,
        "a manifest of somebody else",
        "hauling/haul.py",
        "            if path := foreign_manifest(trip, shelf):",
        "            if path := None:",
        ("tests.carrying.test_kept",),
    ),
    Breakage(
        11,
        "a person's words beside a collection",
        "carrying/carry.py",
        "    if os.path.lexists(path) and (os.path.islink(path) or digest_of(path) != before):",
        "    if False:",
        ("tests.carrying.test_kept",),
    ),
    Breakage(
        10,
        "deeds that are recorded as done are looked at",
        "switching/transaction.py",
        "            if not (done and stays_done(deed)):",
        "            if not done:",
        (KEPT,),
    ),
    Breakage(
        10,
        "a mark goes before its deed is undone",
        "switching/transaction.py",
        "            trip.logbook.mark_deed(plan, number, False)  # first: a mark says that it is done and was not"
        " taken back\n            revert(deed)\n",
        "            revert(deed)\n            trip.logbook.mark_deed(plan, number, False)\n",
        (KEPT,),
    ),
    Breakage(
        4,
        "what a command began is finished first",
        "trips/trip.py",
        "        if state == began or (dropping and half_dropped):",
        "        if False:",
        (KEPT,),
    ),
    Breakage(
        2,
        "a ledger that was written to since it was prepared",
        "switching/transaction.py",
        '    if found != deed["before"]:\n        raise changed(path)',
        "    if False:\n        raise changed(path)",
        (GUARDS,),
    ),
    Breakage(
        2,
        "what a program wrote is not written over when a switch is undone",
        "switching/transaction.py",
        '    if os.path.exists(deed["path"]) and digest_of(deed["path"]) == deed["after"] != deed["before"]:',
        '    if os.path.exists(deed["path"]):',
        (GUARDS,),
    ),
    Breakage(
        1,
        "trips are undone in order",
        "switching/undo.py",
        "            refuse_later(trip)\n",
        "            pass\n",
        (KEPT,),
    ),
    Breakage(
        4,
        "the record is flushed",
        "trips/logbook.py",
        'self.database.execute("PRAGMA synchronous = FULL")',
        'self.database.execute("PRAGMA synchronous = OFF")',
        (GUARDS,),
    ),
    Breakage(
        2,
        "ledgers of a collection wait for the switch",
        "carrying/carry.py",
        "        supersede_ledgers(plan.draft, before)\n",
        "        pass\n",
        ("tests.carrying.test_crash",),
    ),
    Breakage(
        13,
        "what was edited in a collection and is gone at home",
        "carrying/carry.py",
        "    return lambda state: stat.S_ISREG(state.st_mode) and digest_file(place, one.kind) == one.digest",
        "    return lambda state: stat.S_ISREG(state.st_mode)",
        (GUARDS,),
    ),
    Breakage(
        13,
        "offline is never gone",
        "carrying/carry.py",
        "        if place in plan.offline or any(tail_below(place, top) is not None for top in away):",
        "        if False:",
        ("tests.carrying.test_kept",),
    ),
    Breakage(
        13,
        "entries for what is offline go on pointing to its copy",
        "planning/draft.py",
        "        relinks=[Relink(old, new, what=PLACE) for old, new in request.kept],\n",
        "",
        ("tests.carrying.test_kept",),
    ),
    Breakage(
        3,
        "relative links follow folders with other names",
        "waybills/waybill.py",
        "        return os.path.relpath(wanted, folder)\n",
        "        return target\n",
        (ODD,),
    ),
    Breakage(
        6,
        "times that no record can hold",
        "shelves/marks.py",
        "    return max(EARLIEST_NS, min(LATEST_NS, nanoseconds))",
        "    return nanoseconds",
        (ODD,),
    ),
    Breakage(
        11,
        "what others have left beside a ledger",
        "switching/repoint.py",
        "    leftovers.sweep(row.place, trip)\n",
        "",
        (LEFT,),
    ),
    Breakage(
        11,
        "prepared files of another computer",
        "cli/trips.py",
        "    ours = [one for one in found if not one.foreign]",
        "    ours = found",
        (LEFT,),
    ),
    Breakage(
        7,
        "what was mended and is lost again",
        "switching/repoint.py",
        "    record_found(trip)\n    folder",
        "    folder",
        (LEFT,),
    ),
    Breakage(
        8,
        "programs are asked about before anything is copied",
        "cli/move.py",
        "        refuse_busy_ledgers(plan.waybill, options.wait, watch)",
        "        pass",
        (LEFT,),
    ),
    Breakage(
        10,
        "away is not gone when a mend is undone",
        "switching/undo.py",
        "            refuse_away(trip, row)\n",
        "            pass\n",
        (LEFT,),
    ),
    Breakage(
        5,
        "our own data is never made anew where its drive was",
        "home.py",
        "    if top in SEEN and SEEN[top] != which(top):",
        "    if False:",
        (LEFT,),
    ),
    Breakage(
        10,
        "a mend whose drive has gone",
        "switching/repoint.py",
        "        if one.what in (ALL, ONE, LEVEL) and not os.path.lexists(one.new):",
        "        if False:",
        (LEFT,),
    ),
    Breakage(
        10,
        "a drive that fails while a header is read",
        "shelves/sound_stream.py",
        "            if stream.error:\n                raise stream.error\n",
        "            pass\n",
        (ODD,),
    ),
    Breakage(
        9,
        "a few first bytes prove no type",
        "mentions/file_types.py",
        "    return any(head.startswith(magic) and parses(head, size) for magic, parses in TYPES)",
        "    return any(head.startswith(magic) for magic, parses in TYPES)",
        ("tests.mentions.test_evidence",),
    ),
    Breakage(
        9,
        "a log is told by its form",
        "mentions/content.py",
        "            mention.log = is_log(head)\n",
        '            mention.log = "log" in path.lower()\n',
        ("tests.mentions.test_evidence",),
    ),
    Breakage(
        9,
        "other drives are searched",
        "mentions/search_places.py",
        "    drives = [*(mount_of(place) for place in (*shelves, *news)), *other_drives(cart)]",
        "    drives = [mount_of(shelf) for shelf in shelves]",
        ("tests.mentions.test_evidence",),
    ),
    Breakage(
        3,
        "old encodings are told by the disk",
        "ledgers/legacy.py",
        "    return best if hits[best] else USUAL",
        "    return USUAL",
        ("tests.ledgers.test_legacy",),
    ),
    Breakage(
        4,
        "a row of a stranger's collection is not taken for our own",
        "carrying/agreement.py",
        " and mark_of_row(one) in ours]",
        "]",
        ("tests.carrying.test_strangers",),
    ),
    Breakage(
        4,
        "nothing is proposed where things are started from",
        "carrying/own_record.py",
        "    return bool(parts) and not hidden and true_path(path) == path",
        "    return bool(parts)",
        ("tests.carrying.test_strangers",),
    ),
    Breakage(
        9,
        "a file that anybody can write hides nothing from the search",
        "mentions/search.py",
        "        return trip.waybill.collection == top",
        "        return True",
        ("tests.mentions.test_evidence",),
    ),
    Breakage(
        4,
        "a cart.toml that others may write is not believed",
        "cart.py",
        "    return state.st_uid == os.getuid() and not state.st_mode & others",
        "    return state.st_uid == os.getuid()",
        ("tests.proving.test_playing",),
    ),
    Breakage(
        4,
        "a player is named by the user alone",
        "cart.py",
        "if chosen or path == users_own() else []",
        "",
        ("tests.proving.test_playing",),
    ),
    Breakage(
        8,
        "patterns that could take long are refused",
        "patterns.py",
        "            raise BadPattern(",
        "            return re.compile(self.pattern)\n            raise BadPattern(",
        ("tests.ledgers.test_patterns",),
    ),
)


def noticed(one: Breakage, top: Path) -> bool:
    """Whether the tests fail when the program is broken in this way."""
    source = top / "src"
    shutil.rmtree(source, ignore_errors=True)
    shutil.copytree(ROOT / "src", source)
    path = source / "saltcart" / one.file
    text = path.read_text("utf-8")
    if text.count(one.old) != 1:
        raise SystemExit(f"{one.name}: {one.file} no longer holds the text that is to be broken, once")
    path.write_text(text.replace(one.old, one.new), "utf-8")
    words = [sys.executable, "-m", "tests", *one.tests]
    environment = {**os.environ, "PYTHONPATH": str(source)}
    return subprocess.run(words, cwd=ROOT, env=environment, capture_output=True, check=False).returncode != 0


def main(words: list[str]) -> int:
    """Break what is asked for; 0 when all was noticed."""
    wanted = [one for one in BREAKAGES if not words or any(word in one.name for word in words)]
    missed = 0
    with tempfile.TemporaryDirectory() as folder:
        for one in wanted:
            seen = noticed(one, Path(folder))
            missed += not seen
            print(f"{'noticed' if seen else 'MISSED '}  promise {one.promise}: {one.name}", flush=True)
    print(f"{len(wanted) - missed} of {len(wanted)} noticed")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
