"""No beginning of a file, however it was made, keeps the program from telling what it is."""

import signal
import unittest
from io import BytesIO

from saltcart.ledgers.kinds import OUR_FORMATS
from saltcart.mentions.free_text import is_free
from saltcart.mentions.history import is_log
from saltcart.planning.relative_references import texts

SECONDS = 20  # far more than any of them needs: a machine may be busy
ODD = {
    "comments": b"<!-- a -->\n" * 400,
    "instructions": b"<?a b?> " * 500,
    "unfinished": b"<!-- a --><?a " * 300,
    "blanks": b" \t" * 2048,
    "quotes": b'"' * 4096,
    "backslashes": b"\\" * 4096,
    "pairs": b"a=b " * 1000,
    "words": b"word " * 800,
    "slashes": b"/" * 4096,
    "dots": b"../" * 1300,
    "numbers": b"1:" * 2048,
    "keys": b"a.b.c " * 600 + b"=",
    "colons": b"a: " * 1300,
    "parentheses": b"f(" * 2000,
    "quoted words": b'"a" ' * 1000 + b"(",
    "headers": b"A-b: c\n d\n" * 400,
    "tags": b"<a b='" * 600,
    "stamps": b"2026-11-30 " * 370,
}


class Bounds(unittest.TestCase):
    def setUp(self):
        def stop(_number, _frame):
            raise TimeoutError("takes for ever")

        before = signal.signal(signal.SIGALRM, stop)
        self.addCleanup(signal.signal, signal.SIGALRM, before)
        self.addCleanup(signal.alarm, 0)

    def test_what_tells_files_apart_comes_to_an_end(self):
        tellers = {form.NAME: lambda head, form=form: form.claims("x.dat", head) for form in OUR_FORMATS}
        tellers |= {
            "free text": lambda head: is_free(head, True),
            "free text, not whole": lambda head: is_free(head, False),
            "one line": lambda head: is_free(head.replace(b"\n", b" "), True),
            "log": is_log,
            "relative": lambda head: len(list(texts(BytesIO(head + b"x.wav")))),
        }
        for name, tell in tellers.items():
            for kind, head in ODD.items():
                with self.subTest(name, kind=kind):
                    signal.alarm(SECONDS)
                    tell(head)
                    signal.alarm(0)
