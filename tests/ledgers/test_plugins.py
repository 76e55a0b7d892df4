"""Formats, containers and maps of other packages: used like ours, and no mistake of theirs does harm."""

import contextlib
import io
import os
import re
import sys
from pathlib import Path

from saltcart.cli.contract import main as contract
from saltcart.rewriting.contract import RULES
from tests.ledgers.samples import text_samples
from tests.world import WorldCase, wav

PAGE = (Path(__file__).parents[2] / "docs" / "library.md").read_text("utf-8")
TIDES = re.search(r"^## A ledger format of your own\n.*?^```python\n(.*?)^```", PAGE, re.MULTILINE | re.DOTALL)[1]
ENTRY_POINTS = """
[saltcart.formats]
tide = tides.table
torn = tides.torn
raw = tides.raw
gone = tides.nowhere
bare = tides
clay = tides.clay
shell = tides.shell

[saltcart.containers]
dots = tides.dots
odds = tides.odds

[saltcart.maps]
tides = tides
"""
# Finds what it should, and fails where it cannot be foreseen.
TORN = TIDES.replace('NAME = "tide"', 'NAME = "torn"').replace("TIDES", "TORN").replace(
    "spans = finder(found)", "def spans(data):\n    return 1 / 0\n"
)  # fmt: skip
# Gives what is no encoding of bytes.
RAW = """
from saltcart.ledgers.codings import LINE
from saltcart.ledgers.spans import Span
from saltcart.ledgers.where import Where
from saltcart.spelling import spelling_named

NAME = "raw"


def claims(name, head):
    return name.endswith(".raw")


def spans(data):
    return [Span(0, len(data), Where("all"), LINE, spelling_named("auto"))]
"""
DOTS = '''
import re

from saltcart.ledgers.codings import LINE
from saltcart.ledgers.textual import Found, byte_spans, decoded
from saltcart.ledgers.where import Where


def spans(data, rules):
    """What is behind two dots at the beginning of a line, by the one rule "dots"."""
    text = decoded(data)
    rule = next(rule for rule in rules if rule.at == "dots")
    return byte_spans(text, [
        Found(*one.span(1), Where("dots", number), LINE, rule.spelling, rule.names)
        for number, one in enumerate(re.finditer(r"^\\.\\. (.+)$", text.text, re.MULTILINE), 1)
    ])
'''
# Finds and reads, and fails where it writes: by its coding, by its wrapper, by how its container is put together.
CLAY = (
    TIDES.replace('NAME = "tide"', 'NAME = "clay"')
    .replace("TIDES", "CLAY")
    .replace(
        "spans = finder(found)",
        """
class Coding:
    sure, marks, plain_escapes = True, None, ""

    def decode(self, raw):
        return raw.decode()

    def otherwise(self, raw):
        return None

    def encode(self, text, like):
        raise KeyError(text)


def spans(data):
    return [span._replace(coding=Coding()) for span in finder(found)(data)]
""",
    )
)
SHELL = (
    TIDES.replace('NAME = "tide"', 'NAME = "shell"').replace("TIDES", "SHELL")
    + """

class Shell:
    def peel(self, data):
        return data

    def put_back(self, data, content):
        return 1 / 0

    def others(self, data):
        return []


WRAPPER = Shell()
"""
)
ODDS = (
    DOTS.replace("dots", "odds")
    + """

def splice(spans, texts):
    raise OSError("no")


def rest(spans):
    return spans.outside
"""
)
MAP = 'name = "dotted"\ncontainer = "dots"\n[recognise]\nsuffix = [".dots"]\n[[entries]]\nat = "dots"\n'
# What a format may do wrong, and the rule that it breaks.
WRONG = {
    "knows its files": ('return head.startswith(b"TIDES\\n")', "return True"),
    "finds entries": ("(.+)$", "(nothing)$"),
    "writes what is asked, and nothing else": ("*one.span(1), line_of", "*one.span(), line_of"),
    "stands damaged files": (
        "spans = finder(found)",
        "def spans(data):\n    return finder(found)(data) if data.endswith(b'end\\n') else {}['x']",
    ),
}


class Plugins(WorldCase):
    def setUp(self):
        super().setUp()
        packages = self.top / "packages"
        info, module = packages / "tides-1.0.dist-info", packages / "tides"
        for folder in (info, module):
            folder.mkdir(parents=True)
        (info / "METADATA").write_text("Metadata-Version: 2.1\nName: tides\nVersion: 1.0\n")
        (info / "entry_points.txt").write_text(ENTRY_POINTS)
        (module / "__init__.py").touch()
        for name, text in (
            ("table", TIDES),
            ("torn", TORN),
            ("raw", RAW),
            ("dots", DOTS),
            ("odds", ODDS),
            ("clay", CLAY),
            ("shell", SHELL),
        ):
            (module / f"{name}.py").write_text(text)
        (module / "dotted.toml").write_text(MAP)
        self.environment["PYTHONPATH"] = os.pathsep.join([str(packages), os.environ.get("PYTHONPATH", "")])
        wav(self.shelf / "Écluse.wav", 1)
        self.sound, self.there = self.shelf / "Écluse.wav", self.lighter / self.shelf.name / "Écluse.wav"

    def test_their_files_follow_a_move_and_its_undo(self):
        tide, dots = self.keel / "today.tide", self.keel / "today.dots"
        tide.write_text(f"TIDES\nhigh 04:12 <- {self.sound}\n# high 05:00 <- {self.shelf}x\n")
        dots.write_text(f"no path\n.. {self.sound}\n")
        before = tide.read_bytes(), dots.read_bytes()
        self.run_program("move", self.shelf, "--to", self.lighter, "--ledger", tide, dots, "--no-search", self.top,
                         "--yes")  # fmt: skip
        self.assertEqual(re.findall("^high 04:12 <- (.*)$", tide.read_text(), re.MULTILINE), [str(self.there)])
        self.assertEqual(dots.read_text(), f"no path\n.. {self.there}\n")
        self.assertTrue(self.there.is_file())
        self.run_program("undo", "--yes")
        self.assertEqual((tide.read_bytes(), dots.read_bytes()), before)

    def test_what_is_broken_is_left_out_and_told(self):
        said = re.sub(r"\s+", " ", self.run_program("ledgers").stdout)
        self.assertIn("tide format", said)
        self.assertIn("The plug-in gone of tides is left out: it cannot be loaded (ModuleNotFoundError", said)
        self.assertIn("The plug-in bare of tides is left out: it lacks NAME, claims, spans", said)
        torn = self.keel / "today.torn"
        torn.write_text(f"TORN\nhigh 04:12 <- {self.sound}\n")
        done = self.run_program("ledgers", torn, status=3)
        self.assertIn("the plug-in torn fails on it (ZeroDivisionError", done.stderr)
        raw = self.keel / "today.raw"
        raw.write_text(str(self.sound))
        self.assertIn("the plug-in raw fails on it", self.run_program("ledgers", raw, status=3).stderr)
        done = self.run_program("move", self.shelf, "--to", self.lighter, "--yes", "--search", self.keel, status=None)
        self.assertIn("today.torn", done.stdout + done.stderr)
        self.assertIn("today.raw", done.stdout + done.stderr)

    def test_what_fails_while_it_writes_leaves_its_file_as_it_is(self):
        (self.top / "packages" / "tides" / "odds.toml").write_text(MAP.replace("dots", "odds").replace("dotted", "odd"))
        files = [self.keel / f"today.{name}" for name in ("clay", "shell", "odds")]
        for path in files:
            path.write_text(f".. {self.sound}\n" if path.suffix == ".odds" else
                            f"{path.suffix[1:].upper()}\nhigh 04:12 <- {self.sound}\n")  # fmt: skip
            self.assertIn(str(self.sound), self.run_program("ledgers", path).stdout)
            before = path.read_bytes()
            words = ("move", self.shelf, "--to", self.lighter, "--ledger", path, "--search", self.keel, "--yes")
            done = self.run_program(*words, status=None)
            self.assertNotIn("Internal error", done.stdout + done.stderr)
            self.assertIn(f"the plug-in {path.suffix[1:]} fails while it writes", done.stdout + done.stderr)
            self.assertEqual(path.read_bytes(), before)
            self.assertTrue(self.sound.is_file())

    def test_the_contract_tells_a_good_format_from_a_bad_one(self):
        sample = self.top / "a.tide"
        sample.write_text("TIDES\nhigh 04:12 <- /keel/Sounds/Écluse.wav\nlow 10:30 <- /keel/Sounds/fog.wav\n# end\n")
        self.assertEqual(self.broken(TIDES, sample), [])
        for rule, (old, new) in WRONG.items():
            with self.subTest(rule):
                self.assertEqual(TIDES.count(old), 1)
                self.assertIn(rule, self.broken(TIDES.replace(old, new), sample))

    def broken(self, text, sample):
        """The rules that a format, as this text has it, does not keep on a sample."""
        module = self.top / f"made_{abs(hash(text))}.py"
        module.write_text(text)
        said = io.StringIO()
        with contextlib.redirect_stdout(said), self.on_path(self.top):
            status = contract([module.stem, str(sample)])
        broken = [rule for rule in RULES if re.search(rf"NOT kept +{re.escape(rule)}", said.getvalue())]
        self.assertEqual(status, 1 if broken else 0, said.getvalue())
        return broken

    @contextlib.contextmanager
    def on_path(self, folder):
        """Modules in a folder can be imported."""
        sys.path.insert(0, str(folder))
        try:
            yield
        finally:
            sys.path.remove(str(folder))

    def test_our_own_formats_keep_it(self):
        for form, path in text_samples(str(self.top)):
            if os.path.basename(path) == "bare.cue":
                continue  # a name that once needed quotes keeps them
            with self.subTest(path), contextlib.redirect_stdout(io.StringIO()) as said:
                self.assertEqual(contract([form, path]), 0, said.getvalue())

    def test_a_folder_of_maps_is_as_good_as_each_of_them(self):
        maps = self.top / "maps"
        maps.mkdir()
        (maps / "tides.toml").write_text(MAP.replace("dotted", "mine").replace('"dots"', '"text"', 1).replace(
            'at = "dots"', r"at = '^\.\. (?P<path>.+)$'"))  # fmt: skip
        dots = self.keel / "today.dots"
        dots.write_text(f".. {self.sound}\n")
        cart = self.top / "cart.toml"
        cart.write_text('maps = ["maps"]\n')
        for words in (("--map", maps), ("--cart", cart)):
            with self.subTest(words):
                self.assertIn("today.dots (mine)", self.run_program("ledgers", dots, *words).stdout)
