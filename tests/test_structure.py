"""The house as a whole: which way the arrows run, and that a new piece comes with what belongs to it."""

import ast
import re
import runpy
import unittest
from functools import cache
from itertools import pairwise
from pathlib import Path

ROOT = Path(__file__).parents[1]
HOUSE = ROOT / "src" / "saltcart"
# From the top down: a module may import from its own room and from those after it.  Single files are rooms too.
ROOMS = (
    "__main__", "testing", "cli", "demo", "report", "switching", "carrying", "mending", "proving", "hauling",
    "planning", "looking", "learning", "mentions", "trips", "rewriting", "waybills",
    "merging", "judging", "drives", "ledgers", "shelves", "spelling", "cart", "plugins", "toml", "unchanged_files",
    "home", "safefile", "renaming", "own_names", "patterns", "progress", "errors", "system", "standins",
)  # fmt: skip
LONGEST_FUNCTION, LONGEST_MODULE = 50, 350  # lines
MOST_PARAMETERS, MOST_BRANCHES = 6, 15
BRANCHES = (ast.If, ast.IfExp, ast.For, ast.While, ast.ExceptHandler, ast.match_case, ast.Assert)


def room_of(module):
    """The room of a module by its dotted name; None for the package itself and for what is not ours."""
    parts = module.split(".")
    return parts[1] if parts[0] == "saltcart" and len(parts) > 1 and parts[1] in ROOMS else None


@cache
def nodes(path):
    """What is in a file, that is a function or imports something."""
    kinds = (ast.FunctionDef, ast.ImportFrom, ast.Import)
    return [one for one in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(one, kinds)]


def functions():
    """Every function of the house, with where it stands."""
    for path in sorted(HOUSE.rglob("*.py")):
        for one in nodes(path):
            if isinstance(one, ast.FunctionDef):
                yield f"{path.relative_to(HOUSE)}:{one.lineno} {one.name}", one


def branches(function):
    """In how many ways the control may go on, counted at each place where it parts."""
    parts = list(ast.walk(function))
    words = sum(len(one.values) - 1 for one in parts if isinstance(one, ast.BoolOp))
    conditions = sum(len(one.ifs) for one in parts if isinstance(one, ast.comprehension))
    return 1 + words + conditions + sum(isinstance(one, BRANCHES) for one in parts)


def imports(path):
    """Line and module of everything a file imports, in functions and for type checkers too."""
    for node in nodes(path):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield from ((node.lineno, f"{node.module}.{name.name}") for name in node.names)
        elif isinstance(node, ast.Import):
            yield from ((node.lineno, name.name) for name in node.names)


def arrows():
    """Every import between two rooms: the file with its line, its room, the room it imports from."""
    for path in sorted(HOUSE.rglob("*.py")):
        inside = path.relative_to(HOUSE)
        room = inside.parts[0].removesuffix(".py")
        for line, module in imports(path):
            other = room_of(module)
            if other and other != room and room != "__init__":
                yield f"{inside}:{line}", room, other


class Structure(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        """All in one process, which parses each file once."""
        for path in HOUSE.rglob("*.py"):
            nodes(path)

    def test_arrows_run_downward(self):
        upward = [
            f"{place} imports from {other}" for place, room, other in arrows() if ROOMS.index(other) < ROOMS.index(room)
        ]
        self.assertEqual(upward, [])

    def test_no_test_imports_another(self):
        """What several need is a module of its own: cases, samples, worlds."""
        wrong = [
            f"{path.relative_to(ROOT)}:{line} imports {module}"
            for path in sorted((ROOT / "tests").rglob("*.py"))
            for line, module in imports(path)
            if re.search(r"\btest_\w+", module)
        ]
        self.assertEqual(wrong, [])

    def test_functions_fit_on_a_screen(self):
        long = [place for place, one in functions() if one.end_lineno - one.lineno >= LONGEST_FUNCTION]
        self.assertEqual(long, [])

    def test_no_function_parts_in_many_ways(self):
        self.assertEqual([place for place, one in functions() if branches(one) > MOST_BRANCHES], [])

    def test_no_function_takes_many_things(self):
        taken = {place: [each.arg for each in (*one.args.args, *one.args.kwonlyargs)] for place, one in functions()}
        many = {place: names for place, names in taken.items() if len(set(names) - {"self", "cls"}) > MOST_PARAMETERS}
        self.assertEqual(many, {})

    def test_no_module_is_long(self):
        lines = {str(path.relative_to(HOUSE)): path.read_text("utf-8").count("\n") for path in HOUSE.rglob("*.py")}
        self.assertEqual({path: count for path, count in lines.items() if count > LONGEST_MODULE}, {})

    def test_witnesses_stand_alone(self):
        """Only the demo knows the stand-ins, and they know nothing of ours."""
        self.assertEqual({room for _place, room, other in arrows() if other == "standins"}, {"demo"})
        self.assertEqual([place for place, room, _other in arrows() if room == "standins"], [])

    def test_every_room_is_in_the_list_and_in_the_plan_of_the_house(self):
        rooms = {
            path.stem for path in HOUSE.iterdir() if path.name not in ("__init__.py", "__pycache__", "py.typed", "docs")
        }
        self.assertEqual(rooms, set(ROOMS))
        plan = (ROOT / "docs" / "architecture.md").read_text("utf-8")
        places = [plan.index(f"`{room}/`") for room in ROOMS if (HOUSE / room).is_dir()]
        self.assertEqual([pair for pair in pairwise(places[:-1]) if pair[0] > pair[1]], [], "in another order")

    def test_the_plan_of_the_house_shows_what_is_there(self):
        """Each file that the plan mentions exists, and holds the name that stands before or behind it."""
        plan = (ROOT / "docs" / "architecture.md").read_text("utf-8")
        for room, row in re.findall(r"^\| `(\w+)/` \| [^|]* \| (.*) \|$", plan, re.MULTILINE):
            for name in re.findall(r"`([\w/]+\.py)`", row):
                self.assertTrue((HOUSE / room / name).is_file(), f"{room}/{name}")
        for path in re.findall(r"`(\w+/[\w/]+\.py)`", plan[plan.index("Single files") :]):
            self.assertTrue((HOUSE / path).is_file() or (ROOT / path).is_file(), path)
        pairs = re.findall(r"`([\w/]+/\w+\.py)`,? `([\w.]+)`", plan[plan.index("## The way") :])
        self.assertGreater(len(pairs), 8)
        for path, name in pairs:
            if not name.endswith(".py"):
                self.assertIn(name.rsplit(".", 1)[-1], (HOUSE / path).read_text("utf-8"), f"{name} in {path}")

    def test_only_the_seam_asks_which_system_this_is(self):
        asks = re.compile(
            r"\bsys\.platform\b|\bos\.name\b|[\"']/(?:proc|sys)/|"
            r"^\s*(?:import|from) (?:fcntl|pwd|grp|resource|ctypes|msvcrt|winreg|posix\w*|nt\w*|os)\b",
            re.MULTILINE,
        )
        for path in HOUSE.rglob("*.py"):
            inside = path.relative_to(HOUSE)
            if inside.parts[0] not in ("system", "standins") and inside != Path("cli", "main.py"):
                self.assertIsNone(asks.search(path.read_text("utf-8")), path)

    def test_the_core_neither_prints_nor_parses(self):
        for path in HOUSE.rglob("*.py"):
            part = path.relative_to(HOUSE).parts[0]
            if part not in ("cli", "standins", "__main__.py", "testing.py"):
                self.assertIsNone(
                    re.search(r"^\s*(print|input)\(|argparse|saltcart\.cli", path.read_text(), re.MULTILINE), path
                )

    def test_what_is_broken_on_purpose_is_there(self):
        """Each breakage finds its place, and names tests that exist; whether those notice it is asked by hand."""
        breakages = runpy.run_path(str(ROOT / "tools" / "break_promises.py"))["BREAKAGES"]
        for one in breakages:
            with self.subTest(one.name):
                self.assertEqual((HOUSE / one.file).read_text("utf-8").count(one.old), 1)
                for name in one.tests:
                    self.assertTrue((ROOT / name.replace(".", "/")).is_dir() or self.loads(name), name)

    @staticmethod
    def loads(name):
        """Whether the tests of a name can be found."""
        loader = unittest.TestLoader()
        return loader.loadTestsFromName(name).countTestCases() > 0 and not loader.errors
