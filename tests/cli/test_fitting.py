"""Tables on narrow terminals: nothing is cropped, and what is left out is said to be."""

import os
import pty
import re
import subprocess
import unittest
from itertools import cycle

from hypothesis import given, settings
from hypothesis import strategies as st

from saltcart.cli.fitting import GAP, fit, shortened
from tests.launcher import in_shells
from tests.world import PLAYER_MAP, WorldCase, build_studio

CELLS = st.one_of(
    st.integers(0, 10**9).map("{:,}".format),
    st.lists(st.text("abÜ ", min_size=1, max_size=12), min_size=1, max_size=7).map("/".join),
    st.text("abÜ ", min_size=1, max_size=12).map("{}/".format),
    st.text("ab ", max_size=40),
)
TABLES = st.integers(1, 7).flatmap(
    lambda count: st.tuples(
        st.lists(st.sampled_from([">No", "?>Files", "Ledger", "Place", "Verdict"]), min_size=count, max_size=count),
        st.lists(st.lists(CELLS, min_size=count, max_size=count), min_size=1, max_size=5),
    )
)


class Fitting(unittest.TestCase):
    @settings(max_examples=300, deadline=None)
    @given(TABLES, st.integers(20, 200))
    def test_numbers_stand_whole_within_the_width(self, table, width):
        columns, rows = table
        found = fit(columns, rows, width)
        natural = [max(len(columns[at].lstrip("?>")), *(len(row[at]) for row in rows)) for at in range(len(columns))]
        if found is None:
            return
        self.assertLessEqual(sum(found.widths.values()) + GAP * (len(found.widths) - 1), width)
        self.assertEqual(len(found.widths) + len(found.left_out), len(columns))
        for at, room in found.widths.items():
            if ">" in columns[at]:
                self.assertEqual(room, natural[at])
            self.assertLessEqual(room, natural[at])
        if sum(natural) + GAP * (len(columns) - 1) <= width:
            self.assertEqual(list(found.widths.values()), natural)

    def test_paths_lose_parts_of_their_middle(self):
        path = "keel/Music/Collection/Low Water/07 Lost.flac"
        for width, wanted in [
            (60, path),
            (40, "keel/Music/\u2026/Low Water/07 Lost.flac"),
            (31, "keel/\u2026/Low Water/07 Lost.flac"),
            (23, "keel/\u2026/07 Lost.flac"),
            (5, "\u2026/07 Lost.flac"),
        ]:
            self.assertEqual(shortened(path, width), wanted)
        self.assertEqual(shortened("a long text without any", 5), "a long text without any")


class Terminals(WorldCase):
    def test_at_each_width_every_number_stands_whole(self):
        self.furnish()
        words = ["survey", str(self.keel), "--ledger", *self.ledgers, "--map", str(PLAYER_MAP)]
        report = self.run_json(*words, status=1)
        for width in (45, 60, 80, 100, 120, 160):
            with self.subTest(width):
                shown = self.on_a_terminal(width, *words)
                lines = [line for line in shown.split("\n") if "saltcart" not in line]
                self.assertLessEqual(max(map(len, lines)), width)
                left_out = " ".join(re.findall("No room for: ([^(]*)", shown))
                for one in report["shelves"]:
                    if "Files" not in left_out:
                        self.assertRegex(shown, rf"(?<![\d,.]){one['files']}(?![\d,.])")
                for verdict in ("found", "missing"):
                    for one in report["ledgers"]:
                        if verdict.capitalize() not in left_out:
                            self.assertRegex(shown, rf"(?<![\d,.]){one['entries'][verdict]}(?![\d,.])")

    def test_every_command_fits_its_window(self):
        """The job on the demo's studio, each step in a window of another width."""
        build_studio(self.top / "s")
        new, booth, widths = "lighter/Sounds", "dinghy/Booth", cycle((80, 60, 100, 120, 160))
        for step in (
            ("drives", "keel", "lighter", "anchor", "bucket", "--for", "keel/Sounds/Bell Tones"),
            ("tidy", "keel"),
            ("ledgers", "keel/workstation/night ferry.passage"),
            ("folders", "--all"),
            ("draft", "keel/Music/Collection", "--to", new, "--arrange", "{kind}/{artist}/{title}", "--all"),
            ("move", "keel/Sounds/Bell Tones", "keel/Music/Collection", "--to", new, "--yes"),
            ("check", "--all", "--play", "2"),
            ("trips",),
            ("report",),
            ("carry", f"{new}/Collection", "--to", booth, "--lists", "--yes", "--arrange", "{kind}/{title}"),
            ("settle", booth),
            ("release", "--yes", "--own"),
            ("mend", "--in", "lighter"),
        ):
            width = next(widths)
            with self.subTest(step, width=width):
                shown = self.on_a_terminal(width, *step)
                self.assertNotRegex(shown, "Internal error|Traceback")
                lines = [line.rstrip() for line in shown.split("\n") if "saltcart" not in line and "\x1b[" not in line]
                self.assertEqual([line for line in lines if len(line) > width and " " in line[width // 2 :]], [])

    def on_a_terminal(self, width, *words):
        """What the program shows in a window so many columns wide, without colours."""
        ours, theirs = pty.openpty()
        environment = {**self.environment, "COLUMNS": str(width), "TERM": "xterm"}
        place = self.top / "s" if (self.top / "s").is_dir() else self.top
        program = [f"{in_shells()}/saltcart", *words]
        child = subprocess.Popen(
            program, env=environment, stdout=theirs, stderr=theirs, stdin=subprocess.DEVNULL, cwd=place
        )
        os.close(theirs)
        shown = b""
        try:
            while data := os.read(ours, 65536):
                shown += data
        except OSError:
            pass  # the other end is closed
        child.wait()
        os.close(ours)
        return re.sub(r"\x1b\[[0-9;]*m", "", shown.decode()).replace("\r", "")
