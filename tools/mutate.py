"""Break every guard of some modules, one at a time, and see whether a test notices:

    python tools/mutate.py switching/deed_kinds.py shelves/removal.py [--list] [--match TEXT]

A guard is a condition after which something is refused or left alone (it is taken for false), a call that flushes,
refuses or requires (it is left out), and an answer of yes or no that several parts make up (each part is taken for
true).  The tests of the rooms that use a module are run against each, up to the first failure.  A guard that nobody
misses either needs a test or guards nothing.
"""

import argparse
import ast
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
HOUSE = ROOT / "src" / "saltcart"
GUARDING = re.compile(r"^(sync_|flush|refuse_|require|stop_if|make_durable|read_back|face_the_world|remember)")
# The rooms whose tests are asked about a module, the quickest first.
ROOMS = {
    "switching": ["tests.switching.test_guards", "tests.switching.test_kept", "tests.switching", "tests.hauling"],
    "hauling": ["tests.switching.test_kept", "tests.hauling", "tests.switching"],
    "carrying": ["tests.switching.test_guards", "tests.carrying", "tests.campaign"],
    "shelves": ["tests.switching", "tests.hauling"],
    "safefile.py": ["tests.switching", "tests.hauling"],
    "trips": ["tests.switching", "tests.hauling"],
}


class Mutant(NamedTuple):
    """One guard taken away: its line, what it was, and the module's text without it."""

    line: int
    what: str
    text: str


def mutants(source: str) -> Iterator[Mutant]:
    """Every guard of a module, taken away."""
    lines = source.splitlines(keepends=True)
    offsets = [0]
    for line in lines:
        offsets.append(offsets[-1] + len(line.encode()))
    raw = source.encode()

    def span(node: ast.expr | ast.stmt) -> tuple[int, int]:
        end_line, end_column = node.end_lineno or node.lineno, node.end_col_offset or 0
        return offsets[node.lineno - 1] + node.col_offset, offsets[end_line - 1] + end_column

    def without(node: ast.expr | ast.stmt, by: str) -> Mutant:
        start, end = span(node)
        what = " ".join(raw[start:end].decode().split())
        return Mutant(node.lineno, f"{what}  ->  {by}", (raw[:start] + by.encode() + raw[end:]).decode())

    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.If) and leaves(node.body[-1]):
            yield without(node.test, "False")
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call) and GUARDING.match(name_of(node.value)):
            yield without(node, "pass")
        elif isinstance(node, ast.Return) and isinstance(node.value, ast.BoolOp | ast.Compare):
            parts = node.value.values if isinstance(node.value, ast.BoolOp) else [node.value]
            yield from (without(part, "True") for part in parts)


def leaves(last: ast.stmt) -> bool:
    """Whether a block ends by refusing or by leaving something alone."""
    return isinstance(last, ast.Raise | ast.Return | ast.Continue)


def name_of(call: ast.Call) -> str:
    """The bare name of what is called."""
    return call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")


def noticed(module: str, mutant: Mutant, top: Path) -> str | None:
    """The tests that fail when the guard is gone; None when none does."""
    source = top / "src"
    shutil.rmtree(source, ignore_errors=True)
    shutil.copytree(ROOT / "src", source)
    (source / "saltcart" / module).write_text(mutant.text, "utf-8")
    environment = {**os.environ, "PYTHONPATH": str(source)}
    for tests in ROOMS[module.partition("/")[0]]:
        words = [sys.executable, "-m", "tests", "--first", tests]
        if subprocess.run(words, cwd=ROOT, env=environment, capture_output=True, check=False).returncode:
            return tests
    return None


def main() -> int:
    """Break what is asked for; 0 when all was noticed."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("module", nargs="+", help="a module below src/saltcart")
    parser.add_argument("--list", action="store_true", help="show the guards, and run nothing")
    parser.add_argument("--match", default="", help="only guards that hold this text")
    options = parser.parse_args()
    missed = count = 0
    with tempfile.TemporaryDirectory() as folder:
        for module in options.module:
            for mutant in mutants((HOUSE / module).read_text("utf-8")):
                if options.match not in mutant.what:
                    continue
                by = None if options.list else noticed(module, mutant, Path(folder))
                count, missed = count + 1, missed + (by is None)
                word = "" if options.list else f"by {by}" if by else "MISSED"
                print(f"{module}:{mutant.line}  {mutant.what}  {word}", flush=True)
    print(f"{count} guards" + ("" if options.list else f", {missed} missed"))
    return 1 if missed and not options.list else 0


if __name__ == "__main__":
    sys.exit(main())
