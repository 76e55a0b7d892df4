"""Our TOML files are what their structs declare: read back as written, with errors that name the line."""

import operator
import os
import tempfile
import unittest
from glob import escape
from pathlib import Path
from typing import Annotated

import tomlkit
from hypothesis import given
from hypothesis import strategies as st
from msgspec import Struct, field
from msgspec.structs import replace

from saltcart import cart
from saltcart.errors import BadFile
from saltcart.toml import reading
from saltcart.toml.kinds import AnyPath, FullPath, InnerPath, one_of
from saltcart.toml.writing import document_of
from saltcart.waybills import collection_file, waybill_file, waybill_text
from saltcart.waybills.collection import CarriedFile, CarriedLedger, CarriedShelf, Collection, Gone, Known
from saltcart.waybills.newer import Newer, Renamed
from saltcart.waybills.relinks import ALL, LEVEL, ONE, PLACE, FolderLine, Relink
from saltcart.waybills.shelf import ChosenFiles, CopiedFile, Folder, UnpackedArchive
from saltcart.waybills.waybill import LedgerLine, Waybill

names = st.binary(min_size=1, max_size=8).map(os.fsdecode).filter(lambda name: not set("/\0") & set(name))
inner = st.lists(names.filter(lambda name: name not in (".", "..")), min_size=1, max_size=3).map("/".join)
inner = inner.filter(lambda path: not path.startswith(("~", "file:")))
full = inner.map(lambda path: f"/{path}")
words = st.text(st.characters(exclude_categories=["Cs"]), max_size=8)
some = st.integers(0, 9)
pairs = st.lists(st.tuples(inner, inner), max_size=2).map(tuple)
kinds = st.sampled_from(["blake3", "sha256"])
decided = (
    words, full, full, words, words, st.sampled_from(["own", "replaceable"]),
    st.sampled_from(["nothing", "signpost", "original"]), st.lists(inner, max_size=2).map(tuple),
)  # fmt: skip
rest = {"renames": pairs, "entries": st.sampled_from(["rewrite", "keep"]), "post": full}
patterns = st.lists(inner, max_size=2).map(tuple)
names = st.lists(inner.map(escape), min_size=1, max_size=2).map(tuple)
shelves = (
    st.builds(Folder, *decided, patterns, **rest)
    | st.builds(UnpackedArchive, *decided, patterns, **rest)
    | st.builds(ChosenFiles, *decided, names, **rest)
)
gathered = st.builds(
    lambda old, new, one, other: CopiedFile(os.path.basename(new), old, new, one, other), *(full, full, words, words)
)
lines = st.builds(
    LedgerLine, full, words, st.booleans(), st.none() | words.filter(bool), st.just(""), st.booleans(), inner, full
)
plans = st.builds(
    Waybill,
    st.builds(operator.add, st.lists(shelves, min_size=1, max_size=2), st.lists(gathered, max_size=2)),
    st.lists(lines, max_size=2), st.lists(full, max_size=2), words, st.lists(words, max_size=2), kinds,
    search=st.lists(full, max_size=3),
    relinks=st.lists(
        st.builds(Relink, full, full, full, st.sampled_from([ALL, LEVEL, ONE, PLACE]), renames=pairs), max_size=2
    ),
    folders=st.lists(st.builds(FolderLine, full, st.sampled_from(["add", "add first", "remove"]), full), max_size=2),
    signposts=st.lists(st.tuples(full, full), max_size=2),
    newer=st.lists(st.builds(Newer, full, full, kinds, words, words), max_size=1),
    renamed=st.lists(st.builds(Renamed, full, full), max_size=1), collection=full, here=st.booleans(),
)  # fmt: skip
collections = st.builds(
    Collection, words, words, words, words, full, words,
    st.lists(st.builds(CarriedShelf, words, inner, full, words, some, some, pairs), min_size=1),
    st.lists(
        st.builds(
            CarriedLedger, inner, full, words, words, st.booleans(), some, some, inner,
            st.dictionaries(words, some, max_size=2), st.lists(inner, max_size=2).map(tuple),
        ),
        max_size=2,
    ),
    st.lists(st.builds(CarriedFile, inner, full, kinds, words), max_size=2),
    st.lists(st.tuples(words, inner), max_size=2),
    st.lists(st.builds(Gone, inner, kinds, words), max_size=2),
    st.lists(st.builds(Known, words, inner, full, words, words, words), max_size=2),
)  # fmt: skip


class Inner(Struct):
    flag: bool = False


class Row(Struct):
    key: int
    inner: Inner = field(default_factory=Inner)


class Plan(Struct, rename={"rows": "row"}):
    name: str
    many: list[str] = field(default_factory=list, name="list")
    rows: list[Row] = field(default_factory=list)
    word: Annotated[str, one_of("one", "two")] = "one"
    place: FullPath = ""
    below: InnerPath = ""
    any: AnyPath = ""


class Toml(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "t.toml"

    def test_errors_name_their_line(self):
        cases = [
            ('name = "x"\nother = 1', 'line 2: unknown key "other"'),
            ('word = "one"', 'the key "name" is missing'),
            ('name = "x"\nword = "three"', "line 2.*not one of"),
            ('name = "x"\nword = []', "line 2.*not one of"),
            ('name = "x"\nlist = [1]', "line 2"),
            ('name = "x"\nlist = "y"', "line 2: list must be a list"),
            ('name = "x"\n\n[[row]]\nkey = 1\n[[row]]\nkey = "y"', "line 6: key must be a whole number"),
            ('name = "x"\n\n[[row]]\nkey = true', "line 4: key must be a whole number"),
            ('name = "x"\n[[row]]\nkey = 1\n[[row]]\ninner = { flag = 3 }', 'line 4.*"key" is missing|line 5'),
            ('name = "x"\n[[row]]\nkey = 1\ninner = 3', "line 4: inner must be a table"),
            ('name = "x"\n[row]\nkey = 1', "line 2: row must be a list"),
            ('name = "x"\nplace = "Music"', 'line 2: place = "Music" is not a full path'),
            ('name = "x"\nplace = "/a\\u0000"', "line 2: .*is not a full path"),
            ('name = "x"\nplace = "file://%00"', "line 2: .*is not a full path"),
            ('name = "x"\nbelow = "/Music"', "line 2: .*is not a path below"),
            ('name = "x"\nbelow = "a/../../b"', "line 2: .*is not a path below"),
            ('name = "x"\nany = "file://%00"', "line 2: .*holds a NUL"),
            ("name = ", "line 1.*not valid TOML"),
            ("a" * 10 + "\n[[" + "[" * 5000, "not valid TOML"),
        ]
        for text, said in cases:
            self.path.write_text(text)
            with self.subTest(said), self.assertRaisesRegex(BadFile, said):
                reading.read(str(self.path), Plan)
        with self.assertRaisesRegex(BadFile, "No such file"):
            reading.read(f"{self.path}.none", Plan)

    def test_a_default_is_not_written_and_a_struct_read_twice_is_two(self):
        self.path.write_text(tomlkit.dumps(document_of(Plan("x"), "Head.")))
        self.assertEqual(self.path.read_text(), '# Head.\nname = "x"\n')
        one, other = (reading.read(str(self.path), Plan) for _time in range(2))
        one.many.append("mine")
        self.assertEqual((other.many, reading.read(str(self.path), Plan).many), ([], []))

    def test_a_cart_says_places_from_its_folder_and_names_that_are_no_text(self):
        self.path.write_text('places = ["Sounds", "~/More", "file:///keel/A%FF"]\n[[shelf]]\npath = "A/B"\n')
        found = cart.load(str(self.path))
        here = self.path.parent
        self.assertEqual(found.places, [f"{here}/Sounds", os.path.expanduser("~/More"), "/keel/A\udcff"])
        self.assertEqual([(one.path, one.name) for one in found.shelves], [(f"{here}/A/B", "B")])

    @given(plans)
    def test_a_waybill_is_read_as_it_was_written(self, plan):
        waybill_text.write(plan, str(self.path))
        self.assertEqual(waybill_file.read(str(self.path)), plan)

    @given(collections)
    def test_a_collection_is_read_as_it_was_written(self, found):
        collection_file.write(found, str(self.path))
        self.assertEqual(replace(collection_file.read(str(self.path)), top=""), found)


if __name__ == "__main__":
    unittest.main()
