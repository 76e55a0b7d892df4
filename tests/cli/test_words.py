"""How the program talks: the words that nobody would say, which no message holds."""

import ast
import re
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
HOUSE = ROOT / "src" / "saltcart"
PAGES = [
    *sorted((ROOT / "docs").glob("*.md")),
    *(ROOT / f"{name}.md" for name in ("README", "CHANGELOG", "CONTRIBUTING")),
]
NOT = re.compile(
    r"\b(hangs?|plugged|cut off|taken back|spelt|unforeseen|of one name|nobody has described|be it|as far as"
    r"|go(es)? on (naming|with)|(is|are) told|as before the trip|too little room|by itself|of its own|signs?|by names"
    r"|, for (it|its|they|their|nobody|no|not)|what names|left alone|mend the)\b|\((s|es|ies)\)",
    re.IGNORECASE,
)


def texts(path):
    """Line and text of everything in a module that may be shown: its strings, but for docstrings and single words."""
    tree = ast.parse(path.read_text("utf-8"))
    scopes = (ast.Module, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
    docs = {id(node.body[0].value) for node in ast.walk(tree)
            if isinstance(node, scopes) and node.body and isinstance(node.body[0], ast.Expr)}  # fmt: skip
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and id(node) not in docs
            and " " in node.value
        ):
            yield node.lineno, node.value


MOST_WORDS, WIDEST = 80, 120  # of a paragraph, and of a line in characters


class Pages(unittest.TestCase):
    def test_their_paragraphs_are_short_and_their_lines_fit(self):
        for page in PAGES:
            with self.subTest(page.name):
                self.fits(page.read_text("utf-8"))

    def test_no_page_holds_a_word_that_nobody_would_say(self):
        found = [
            f"{page.name}:{number}: {line}"
            for page in PAGES
            for number, line in enumerate(page.read_text("utf-8").splitlines(), 1)
            if NOT.search(line)
        ]
        self.assertEqual(found, [])

    def fits(self, text):
        """No long paragraph, and no wide line outside of tables, samples and links."""
        plain = re.sub(r"```.*?```", "", text, flags=re.DOTALL)
        wide = [line for line in plain.splitlines() if len(line) > WIDEST and not line.startswith(("|", "    "))]
        self.assertEqual(wide, [])
        parts = re.split(r"\n\n|\n(?=- )|\n(?=\d+\. )", plain)
        long = [part for part in parts if not part.startswith(("|", "    ")) and len(part.split()) > MOST_WORDS]
        self.assertEqual(long, [])


class Words(unittest.TestCase):
    def test_no_message_holds_a_word_that_nobody_would_say(self):
        found = [
            f"{path.relative_to(HOUSE)}:{line}: {text}"
            for path in sorted(HOUSE.rglob("*.py"))
            if "standins" not in path.parts
            for line, text in texts(path)
            if NOT.search(text)
        ]
        self.assertEqual(found, [])
