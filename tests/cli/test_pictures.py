"""Pictures: boxes in proportion and inside the paper, names as text, and PNG only where something draws it."""

import re
from pathlib import Path
from xml.etree import ElementTree

from hypothesis import given
from hypothesis import strategies as st

from saltcart.report.drawing import WIDTH, Box, Words, as_svg, width_of
from saltcart.report.pictures import Bar, DriveBar, before_and_now, drives_picture, pace_picture, room_picture
from tests.world import WorldCase, wav

SVG = "{http://www.w3.org/2000/svg}"
names = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=80)
sizes = st.integers(0, 10**14)
bars = st.lists(st.builds(Bar, names, st.integers(0, 1), sizes), max_size=90)
drives = st.lists(
    st.builds(
        lambda name, used, free, load, against: DriveBar(name, used, free, max(load, -used), against),
        *(names, sizes, sizes, st.integers(-(10**6), 10**14), st.booleans()),
    ),
    max_size=6,
)
points = st.lists(st.tuples(st.floats(0, 10**5), sizes), max_size=9).map(
    lambda found: list(zip(sorted(at for at, _size in found), sorted(size for _at, size in found), strict=True))
)


class Pictures(WorldCase):
    def inside(self, drawing):
        """Every box lies on the paper, and every name begins on it; the SVG is well formed."""
        for mark in drawing.marks:
            if isinstance(mark, Box):
                self.assertGreaterEqual(mark.x, 0)
                self.assertLessEqual(mark.x + max(0, mark.width), WIDTH + 1)
                self.assertLessEqual(mark.y + mark.height, drawing.height)
            else:
                self.assertLessEqual(mark.y + mark.size / 2, drawing.height)
                self.assertTrue(0 <= mark.x < WIDTH)
        ElementTree.fromstring(f"<p>{as_svg(drawing, 'told')}</p>")

    @given(bars)
    def test_room(self, some):
        drawing = room_picture(some, "Room")
        self.inside(drawing)
        widths = [mark.width for mark in drawing.marks if isinstance(mark, Box)]
        self.assertLessEqual(len(widths), 60)
        largest = max((bar.bytes for bar in some), default=0) or 1
        if some and len(widths) == len(some):
            for bar, width in zip(some, widths, strict=True):
                self.assertAlmostEqual(bar.bytes * max(widths) / largest, width, delta=0.01)

    @given(drives)
    def test_drives(self, some):
        self.inside(drives_picture(some, "Drives"))
        self.inside(before_and_now([(one, None if one.against else one) for one in some], "Then"))

    @given(points)
    def test_pace(self, some):
        self.inside(pace_picture(some, "Pace"))

    def test_words_behind_the_longest_bar_end_on_the_paper(self):
        drawing = room_picture([Bar("a shelf of wide names 長い名前の棚", 0, 123_456_789_012)], "Room")
        ends = [mark.x + width_of(mark.text, mark.size) for mark in drawing.marks if isinstance(mark, Words)]
        self.assertLessEqual(max(ends), WIDTH)

    def test_svg_needs_nothing_and_png_says_what_it_needs(self):
        wav(self.shelf / "deep <b>&" / "a.wav", 1)
        (self.top / "without" / "matplotlib").mkdir(parents=True)
        (self.top / "without" / "matplotlib" / "__init__.py").write_text("raise ImportError('not here')\n")
        self.environment["PYTHONPATH"] = str(self.top / "without")
        for name in ("room.svg", "room.png"):
            words = ("survey", self.shelf, "--picture", self.top / name)
            done = self.run_program(*words, status=None)
            if name.endswith(".svg"):
                root = ElementTree.parse(self.top / name).getroot()
                self.assertIn("deep <b>&", [one.text for one in root.iter(f"{SVG}text")])
                self.assertGreaterEqual(len(list(root.iter(f"{SVG}rect"))), 2)
            else:
                self.assertEqual(done.returncode, 2)
                self.assertRegex(done.stderr, re.escape("pip install 'saltcart[pictures]'"))
                self.assertFalse(Path(self.top / name).exists())
