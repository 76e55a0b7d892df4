"""Pages as a browser shows them: no error, nothing beyond the edge of a telephone, every letter readable."""

import json
import re
import shutil
import subprocess
import unittest
from html.parser import HTMLParser

from blake3 import blake3

from tests.world import WorldCase, build_studio

CHROMIUM = next(filter(None, map(shutil.which, ("chromium", "chromium-browser", "google-chrome"))), None)
# What is asked of each page: how far it goes beyond its width, and the least contrast of any of its texts (WCAG 2.2).
PROBE = """
const light = c => { const [r, g, b] = c.match(/[\\d.]+/g).map(x => x / 255)
  .map(x => x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4);
  return 0.2126 * r + 0.7152 * g + 0.0722 * b }
const behind = e => { for (; e; e = e.parentElement) { const c = getComputedStyle(e).backgroundColor;
  if (!/, 0\\)$|transparent/.test(c)) return c } return 'rgb(255, 255, 255)' }
const contrast = e => { const [a, b] = [light(getComputedStyle(e).color), light(behind(e))].sort((x, y) => y - x);
  return (a + 0.05) / (b + 0.05) }
const frames = [...document.querySelectorAll('iframe')]
addEventListener('load', () => { document.title = JSON.stringify(frames.map(f => { const d = f.contentDocument;
  const texts = [...d.querySelectorAll('main *')].filter(e => !e.closest('svg') &&
    [...e.childNodes].some(n => n.nodeType == 3 && n.data.trim()));
  return { beyond: d.documentElement.scrollWidth - f.clientWidth, texts: texts.length,
    contrast: Math.min(...texts.map(contrast)) } })) })
"""


class Outline(HTMLParser):
    """What a page asks for from elsewhere, and whether it has scripts."""

    def __init__(self, page):
        super().__init__()
        self.outside, self.scripts, self.pictures = [], 0, []
        self.feed(page)

    def handle_starttag(self, tag, attrs):
        values = dict(attrs)
        self.scripts += tag == "script"
        self.pictures += [label for label in [values.get("aria-label")] if tag == "svg" and label]
        self.outside += [text for key in ("src", "href") if (text := values.get(key)) and not text.startswith("#")]


class Pages(WorldCase):
    def setUp(self):
        super().setUp()
        self.studio = self.top / "s"
        build_studio(self.studio)
        odd = self.studio / "keel/Sounds/Bell Tones/<script>alert(1)</script>&amp; 鐘"
        shutil.copytree(self.studio / "keel/Sounds/Bell Tones/Low Bells", odd)
        self.pages = {name: self.top / f"{name}.html" for name in ("trip", "own")}
        self.run_program("survey", "keel", "--headers", "--report", self.pages["own"], status=1, cwd=self.studio)
        words = ("keel/Sounds/Bell Tones", "keel/Music/Collection", "--to", "lighter/Sounds", "--yes")
        self.run_program("move", *words, "--arrange", "{kind}/{artist}/{title}", cwd=self.studio)
        self.run_program("report", "-o", self.pages["trip"], cwd=self.studio)
        self.run_program("report", "-o", self.pages["trip"], status=3, cwd=self.studio)

    def test_drives_are_found_behind_signposts_and_told_when_away(self):
        words = ("keel/Sounds/Fog Voices", "--to", "lighter/Fog Voices", "--signpost", "--yes")
        self.run_program("move", *words, cwd=self.studio)
        for away, words in ((False, "[0-9.]+ MB now"), (True, "not connected now")):
            if away:
                (self.studio / "lighter").rename(self.top / "away")
            self.run_program("report", "-o", self.pages["trip"], "--force", status=int(away), cwd=self.studio)
            self.assertIn(
                "--to is the folder that will contain it", self.pages["trip"].read_text(), "what was remarked"
            )
            told = re.search(r'aria-label="(keel: .*?)"', self.pages["trip"].read_text())[1]
            self.assertRegex(
                told, f"^keel: [0-9.]+ MB free before, [0-9.]+ MB now; lighter: [0-9.]+ MB free before, {words}$"
            )

    def test_pages_say_all_and_show_well(self):
        trip, own = (self.pages[name].read_text().replace("<wbr>", "") for name in ("trip", "own"))
        for page, picture in ((trip, "keel: .* lighter: "), (own, "Recordings .* Collection ")):
            outline = Outline(page)
            self.assertEqual((outline.scripts, outline.outside), (0, []))
            # How fast it went is drawn only where copying took long enough to tell.
            pictures = [label for label in outline.pictures if " copied and read back in " not in label]
            self.assertEqual(len(pictures), 1, outline.pictures)
            self.assertRegex(pictures[0], picture)
        document = self.run_json("check", cwd=self.studio)
        for ledger in document["ledgers"]:
            self.assertIn(ledger["path"].replace("&", "&amp;"), trip)
        for words in (document["trip"], "saltcart undo", "Lost%20at%20Sea", "music/Quay Nine/Engine Room.flac", ".b3"):
            self.assertIn(words, trip)
        manifest = self.studio / "lighter/Sounds/Collection.saltcart.b3"
        self.assertIn(blake3(manifest.read_bytes()).hexdigest(), trip)
        for words in ("Fog Voices", "44,100 Hz", "unlisted", "Uses the shelf", "Lost%20at%20Sea", "&lt;script&gt;"):
            self.assertIn(words, own)
        if CHROMIUM is None:
            self.skipTest("no Chromium here to show the pages")
        frames = "".join(
            f'<iframe src="{page}" style="border:0;width:{width}px;height:900px"></iframe>'
            for page in self.pages.values()
            for width in (390, 1280)
        )
        (self.top / "probe.html").write_text(f"<body>{frames}<script>{PROBE}</script>")
        words = ("--headless", "--no-sandbox", "--disable-gpu", "--allow-file-access-from-files", "--dump-dom")
        more = ("--virtual-time-budget=2000", "--enable-logging=stderr", f"--user-data-dir={self.top / 'chromium'}")
        done = subprocess.run(
            [CHROMIUM, *words, *more, (self.top / "probe.html").as_uri()], capture_output=True, timeout=120
        )
        found = json.loads(
            re.search(r"<title>(.*?)</title>", done.stdout.decode(), re.DOTALL)[1].replace("&quot;", '"')
        )
        self.assertEqual(len(found), 4)
        for one in found:
            self.assertLessEqual(one["beyond"], 0)
            self.assertGreater(one["texts"], 50)
            self.assertGreaterEqual(one["contrast"], 4.5)
        self.assertNotIn(b"CONSOLE", done.stderr)


if __name__ == "__main__":
    unittest.main()
