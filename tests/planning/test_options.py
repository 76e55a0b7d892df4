"""What any two options mean together: both are followed, or the two are refused by name."""

import os
import unittest
import zipfile
from itertools import combinations
from unittest.mock import patch

from saltcart import draft
from saltcart.errors import SaltCartError, UsageError
from saltcart.planning.request import Request
from tests.world import WorldCase, wav


def follows(name):
    """Of a plan for the world below, whether it does what an option says; told by the plan alone."""
    return {
        "copy": lambda plan: all(one.leave == "original" for one in folders(plan)),
        "signpost": lambda plan: all(one.leave == "signpost" for one in folders(plan)),
        "keep_entries": lambda plan: all(one.entries == "keep" for one in folders(plan)),
        "only": lambda plan: not any(one.takes("high/C2.wav") for one in folders(plan)),
        "leave_out": lambda plan: not any(one.takes("low/D1.wav") for one in folders(plan)),
        "from_list": lambda plan: any("stray.wav" in one.only for one in folders(plan)),
        "arrange": lambda plan: any("flat" in new for one in folders(plan) for _old, new in one.renames),
        # A link to what only partly moves cannot be turned; then a remark says so, and entries are rewritten.
        "turn_links": lambda plan: [os.path.basename(path) for path in plan.turn] == ["bells"] or divided(plan),
        "gather": lambda plan: any(map(is_stray, plan.shelves)),
        "set_aside_gathered": lambda plan: any(is_stray(one) and not one.original_stays for one in plan.shelves),
        "search": lambda plan: any(place.endswith("more") for place in plan.search),
        "not_searched": lambda plan: not any(place.endswith("lists") for place in plan.search),
        "searches": lambda plan: not plan.search,
        "digests": lambda plan: plan.digests == "sha256",
        "means": lambda plan: plan.means == ["D:=/lighter"],
        "small_to": lambda plan: any(one.only == ("*.ini",) for one in folders(plan)),
        "signpost_at": lambda plan: any("/post/" in one.post for one in folders(plan)),
        "packed": lambda plan: not any(one.packed for one in plan.shelves),
    }[name]


def divided(plan):
    return any(one.only or one.stay or one.renames for one in folders(plan))


def is_stray(shelf):
    """Whether a shelf is, or has, the sound from elsewhere."""
    return shelf.old.endswith(("Elsewhere", "stray.wav")) or any(path.endswith("stray.wav") for path in shelf.only)


def folders(plan):
    return [one for one in plan.shelves if not one.along]


class Pairs(WorldCase):
    def setUp(self):
        super().setUp()
        patched = patch.dict(os.environ, self.environment)
        patched.start()
        self.addCleanup(patched.stop)
        for number, name in enumerate(("low/C1.wav", "low/D1.wav", "high/C2.wav")):
            wav(self.shelf / name, number)
        wav(self.keel / "Elsewhere" / "stray.wav", 9)
        (self.shelf / "inside.m3u8").write_text(f"low/C1.wav\n{self.keel}/Elsewhere/stray.wav\n")
        lists = self.keel / "lists"
        lists.mkdir()
        (lists / "all.m3u8").write_text(f"{self.shelf}/high/C2.wav\n{self.keel}/Elsewhere/stray.wav\n")
        (lists / "linked.m3u8").write_text(f"{self.keel}/bells/low/C1.wav\n")
        (self.keel / "bells").symlink_to(self.shelf)
        (self.keel / "more").mkdir()
        (self.keel / "post").mkdir()
        with zipfile.ZipFile(self.keel / "Pack.zip", "w") as pack:
            pack.writestr("Pack/a.ini", "x")
            for name in ("low/C1.wav", "low/D1.wav", "high/C2.wav"):
                pack.write(self.shelf / name, f"Pack/{name}")
        self.options = {
            "copy": True,
            "signpost": True,
            "keep_entries": True,
            "only": ("low", "*.m3u8", "*.ini"),
            "leave_out": ("low/D1.wav",),
            "from_list": (str(lists / "all.m3u8"),),
            "arrange": "flat/{name}",
            "turn_links": True,
            "gather": True,
            "set_aside_gathered": True,
            "search": (str(self.keel / "more"),),
            "not_searched": (str(lists),),
            "searches": False,
            "digests": "sha256",
            "means": ("D:=/lighter",),
            "small_to": (str(self.lighter / "Small"), "*.ini"),
            "signpost_at": str(self.keel / "post"),
            "packed": True,
        }

    def request(self, shelf, *names):
        """A request with these options, which looks at nothing outside of this world."""
        more = {name: self.options[name] for name in names}
        if not {"search", "not_searched"} & more.keys():
            more["searches"] = False  # which is quicker
        more["not_searched"] = ("/opt", "/srv", "/usr/local/share", "/etc", "/mnt", *more.get("not_searched", ()))
        ledger = str(self.keel / "lists" / "linked.m3u8")
        return Request(shelves=(str(shelf),), to=(str(self.lighter),), ledgers=(ledger,), **more)

    def judge(self, shelf, names, alone):
        """Both options are followed; or the two are refused by name."""
        try:
            drafted = draft(self.request(shelf, *names))
        except UsageError as error:
            said = f"{error} {error.remedy}"
            self.assertTrue(any(f"--{self.word(name)}" in said for name in names), said)
            return
        except SaltCartError as error:
            self.fail(f"{names}: {error}")
        plan = drafted.waybill
        for name in names:
            if name in alone:
                self.assertTrue(follows(name)(plan), f"{names}: {name} is not followed")
        if "turn_links" in alone.intersection(names) and not plan.turn:
            self.assertIn("stays as it is, because", " ".join(drafted.remarks))

    def word(self, name):
        """An option as it is typed."""
        typed = {"leave_out": "exclude", "searches": "no-search", "not_searched": "no-search"}
        return typed.get(name, name).replace("_", "-")

    def test_any_two_are_both_followed_or_refused_by_name(self):
        for shelf in (self.shelf, self.keel / "Pack.zip"):
            alone = set()
            if shelf != self.shelf:
                del self.options["from_list"]  # a list names files, and these are no shelf beside an archive
            for name in self.options:
                try:
                    plan = draft(self.request(shelf, name)).waybill
                except UsageError:
                    continue
                if follows(name)(plan):
                    alone.add(name)
            self.assertGreater(len(alone), 8, shelf)
            for names in combinations(self.options, 2):
                with self.subTest(shelf=shelf.name, names=names):
                    self.judge(shelf, names, alone)


if __name__ == "__main__":
    unittest.main()
