"""Patterns of maps: they find what they say, and whoever wrote them cannot make a search long."""

import re
import unittest

from hypothesis import given
from hypothesis import strategies as st

from saltcart.patterns import BadPattern, Pattern
from tests.world import WorldCase

NESTED = (
    "(?P<path>(a+)+)!",
    "(?P<path>(a|a)*)!",
    "(?P<path>(.*)*)!",
    r"^(?P<path>(\w+\s?)*)$!",
    "(a?){900}a{900}(?P<path>b)",
)
NOT_LINEAR = (r"(?P<path>a+)(?=b)", r"(?<!x)(?P<path>a)", r"(?P<path>a)\1", "(?P<path>a*+)b", "((?P<path>a){999}){999}")


class Patterns(unittest.TestCase):
    @given(
        st.sampled_from(
            ['^load "(?P<path>[^"]+)"', "(?P<path>[^|\r\n]+)", "é=(?P<path>.*)", "x(?P<path>y?)", "(?i)A(?P<path>.)"]
        ),
        st.text('load "é|=xyA a\n\udc80𝄞', max_size=60),
    )
    def test_it_finds_what_any_engine_would(self, pattern, text):
        found = [one.span("path") for one in re.finditer(pattern, text, re.MULTILINE) if one["path"]]
        self.assertEqual(list(Pattern(pattern, lines=True).spans(text)), found)

    def test_nested_repeats_end(self):
        for pattern in NESTED:
            with self.subTest(pattern):
                self.assertEqual(list(Pattern(pattern).spans("a" * 20_000)), [])

    def test_what_could_take_long_is_refused(self):
        for pattern in (*NOT_LINEAR, "(", "(?P<path>[)", "*"):
            with self.subTest(pattern), self.assertRaises(BadPattern):
                self.assertTrue(Pattern(pattern).names_path)


class PatternsOfMaps(WorldCase):
    def test_a_map_that_cannot_be_used_says_where(self):
        ledger, plan = self.top / "set.rack", self.top / "set.toml"
        ledger.write_text("load a!\n")
        for pattern, said in (
            ("(?P<path>a)(?=!)", "no pattern that could be used"),
            ("a(b)", "needs a group named path"),
        ):
            entry = f"[[entries]]\nat = '{pattern}'\n"
            plan.write_text(f'name = "set"\ncontainer = "text"\n[recognise]\nsuffix = [".rack"]\n{entry}')
            done = self.run_program("ledgers", ledger, "--map", plan, status=2)
            self.assertIn(said, done.stderr)
            self.assertIn("line 6", done.stderr)
