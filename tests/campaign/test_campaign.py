"""The campaign over every command that writes."""

import os

from tests.campaign.faults import STEP, Campaign, on_drive
from tests.carrying import machines
from tests.carrying.machines import DECKS_MAP, SOUNDS
from tests.hauling import cases as archives
from tests.mending import cases as mending
from tests.planning import cases as folders
from tests.world import PLAYER_MAP, cells, tree, wav


class OfATrip(Campaign):
    """The steps of the usual trip, one after the other up to the one under trouble."""

    before, command = (), "haul"
    more_words = ()

    def setUp(self):
        super().setUp()
        on_drive(self.top / "home", "home")

    def prepare(self):
        for step in self.before:
            self.run_again(*self.step_words(step))
        return self.step_words(self.command)

    def step_words(self, step):
        """The words of one step."""
        if step == "haul":
            return "haul", self.waybill
        more = {"release": ("--own",), "drop": ("--drop-copies",)}.get(step, ())
        return "undo" if step == "drop" else step, self.trips()[0], "--yes", *more


class Haul(OfATrip):
    pass


class Repoint(OfATrip):
    before, command = ("haul",), "repoint"


class Release(OfATrip):
    before, command = ("haul", "repoint"), "release"


class Undo(OfATrip):
    before, command = ("haul", "repoint"), "undo"


class Drop(OfATrip):
    before, command = ("haul", "repoint"), "drop"


class Again(OfATrip):
    """It was undone, and its copies were left: the second time they are there already."""

    more = ("--signpost", "--exclude", "inside.m3u8")  # which was adjusted there, and is another file now
    before = ("haul", "repoint", "undo")

    def prepare(self):
        super().prepare()
        return ("move", *self.plan_words(*self.more, "--no-search", "--yes"))


class Home(OfATrip):
    """It was released, and all that was moved comes home."""

    before, command = ("haul", "repoint", "release"), "undo"


class InPieces(OfATrip):
    more = ("--signpost", "--exclude", "high", "low/C1.wav", "inside.m3u8")
    before, command = ("haul",), "repoint"


class Arranged(OfATrip):
    more = ("--arrange", "{kind}/{name}")
    before, command = (), "haul"


class Gathered(OfATrip):
    more = ("--gather",)

    def furnish(self):
        super().furnish()
        wav(self.keel / "Elsewhere" / "stray.wav", 20)
        with open(self.shelf / "inside.m3u8", "a") as stream:
            stream.write("../../Elsewhere/stray.wav\n")


class OfACollection(Campaign, machines.TwoMachines):
    """Carrying, and all that follows it."""

    drives = ("lighter", "data")
    step = STEP or 401

    def setUp(self):
        machines.TwoMachines.setUp(self)
        on_drive(self.top / "data", "data")
        self.data = self.top / "data"
        self.be("ann")

    def be(self, name):
        """Sit at the machine of one of them."""
        self.environment |= {"HOME": str(self.homes[name]), "SALTCART_HOME": str(self.top / "data" / name)}

    def world(self):
        found = [*self.top.rglob("library.db")]
        # The mark that says who is at work stays when its drive is pulled out; the next to work there removes it.
        ours = ("data", "attic", "carried.toml", "READ ME", "library.db", "saltcart-in-use", "saltcart-histories")
        return tree(self.top, *ours), {str(path): cells(str(path)) for path in found if "data" not in path.parts}

    def last_trip(self, name="ann"):
        """The id of the newest trip of a machine."""
        folder = self.top / "data" / name / "trips"
        trips = [path for path in folder.iterdir() if not path.name.startswith(".")]
        return max(trips, key=lambda path: (path / "waybill.toml").stat().st_mtime_ns).name

    def carry_words(self):
        lists = str(self.homes["ann"] / "Playlists" / "full.m3u8")
        maps = ("--map", str(PLAYER_MAP), "--map", str(DECKS_MAP))
        where = ("--ledger", self.library, lists, *maps, "--no-search", "--yes")
        return ("carry", str(self.music), "--to", str(self.booth), *where)


class Carry(OfACollection):
    def prepare(self):
        return self.carry_words()


class CarryAgain(OfACollection):
    def prepare(self):
        self.run_again(*self.carry_words())
        self.sql(self.library, "UPDATE tracks SET plays = 40 WHERE id = 1")
        wav(self.music / SOUNDS[0], 80)
        wav(self.music / "new.wav", 70)
        with open(self.music / "near.m3u8", "a") as stream:
            stream.write("new.wav\n")
        return self.carry_words()


class Settle(OfACollection):
    way = ()

    def prepare(self):
        self.run_again(*self.carry_words())
        self.be("bo")
        return ("settle", str(self.booth), *self.way, "--yes")


class SettleHere(Settle):
    way = ("--here",)


class SettleInPlace(Settle):
    way = ("--in-place",)


class UndoSettle(Settle):
    def prepare(self):
        self.run_again(*super().prepare(), "--here")
        names = sorted(os.listdir(self.top / "data" / "bo" / "trips"))
        return ("undo", names[0], "--yes", "--drop-copies")


class SettleBack(OfACollection):
    def prepare(self):
        self.run_again(*self.carry_words())
        self.change_there()
        return ("settle", str(self.booth), "--back", "--yes")

    def change_there(self):
        self.sql(self.booth / "Ledgers" / "library.db", "UPDATE tracks SET plays = 40 WHERE id = 1")
        wav(self.booth / "Music" / "new.wav", 70)
        with open(self.booth / "Music" / "near.m3u8", "a") as stream:
            stream.write("new.wav\n")


class SettleHereAgain(SettleHere):
    """What changed at home since arrives at the other place."""

    def prepare(self):
        words = (*super().prepare(), "--here")
        self.run_again(*words)
        self.be("ann")
        self.sql(self.library, "UPDATE tracks SET plays = 40 WHERE id = 1")
        wav(self.music / "new.wav", 70)
        self.run_again(*self.carry_words())
        self.be("bo")
        return words


class SettleBackAgain(SettleBack):
    def prepare(self):
        words = super().prepare()
        self.run_again(*words)
        wav(self.booth / "Music" / SOUNDS[0], 83)
        self.sql(self.booth / "Ledgers" / "library.db", "UPDATE tracks SET plays = 50 WHERE id = 3")
        return words


class SettleBackMerging(SettleBack):
    def change_there(self):
        super().change_there()
        self.sql(self.library, "UPDATE tracks SET plays = 41 WHERE id = 2")


class SettleBackSounds(SettleBack):
    """Sounds were edited and renamed on the way: newer content takes the place of older, and a name follows."""

    def change_there(self):
        wav(self.booth / "Music" / SOUNDS[0], 81)
        os.rename(self.booth / "Music" / SOUNDS[1], self.booth / "Music" / "Low Water" / "02 Clear Fog.wav")


class UndoSettleBackSounds(SettleBackSounds):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("undo", self.last_trip(), "--yes")


class UndoCarryAgain(CarryAgain):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("undo", self.last_trip(), "--yes")


class GiveBack(Settle):
    way = ("--in-place",)

    def prepare(self):
        words = super().prepare()
        self.run_again(*words)
        self.sql(self.homes["bo"] / "player" / "library.db", "UPDATE tracks SET plays = 41 WHERE id = 2")
        return words


class UndoGiveBack(GiveBack):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("undo", self.last_trip("bo"), "--yes")


class UndoCarry(OfACollection):
    def prepare(self):
        self.run_again(*self.carry_words())
        return ("undo", self.last_trip(), "--yes", "--drop-copies")


class CarryLess(OfACollection):
    """What is gone at home goes in the collection too."""

    def prepare(self):
        self.run_again(*self.carry_words())
        os.unlink(self.music / SOUNDS[0])
        self.sql(self.library, "DELETE FROM tracks WHERE id = 1")
        (self.music / "near.m3u8").write_text(f"./{SOUNDS[3]}\n")
        return (*self.carry_words(), "--drop-gone")


class Mend(Campaign, mending.MendCase):
    def setUp(self):
        mending.MendCase.setUp(self)
        on_drive(self.top / "home", "home")
        self.shelf.rename(self.lighter / "Bells")

    def prepare(self):
        ledgers = [str(path) for path in (self.full, self.near, self.library)]
        return ("mend", "--in", str(self.lighter), "--ledger", *ledgers, "--map", str(PLAYER_MAP), "--yes")


class UndoMend(Mend):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("undo", self.trips()[0], "--yes")


class Folders(Campaign, folders.FolderCase):
    def setUp(self):
        folders.FolderCase.setUp(self)
        on_drive(self.top / "home", "home")

    def world(self):
        return tree(self.keel, "library.db"), tree(self.lighter), cells(self.library)

    def prepare(self):
        ledgers = (str(self.settings), self.library)
        return ("folders", "add", str(self.more), "--ledger", *ledgers, "--cart", str(self.top / "cart.toml"), "--yes")


class FoldersLess(Folders):
    def prepare(self):
        words = super().prepare()
        self.run_again(*words)
        return ("folders", "remove", *words[2:])


class UndoFolders(Folders):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("undo", self.trips()[0], "--yes")


class OfAnArchive(Campaign, archives.ArchiveCase):
    def setUp(self):
        archives.ArchiveCase.setUp(self)
        on_drive(self.top / "home", "home")

    def world(self):
        return tree(self.keel), tree(self.lighter)

    def prepare(self):
        self.archive = str(self.pack("zip"))
        return ("move", self.archive, "--to", str(self.lighter / "Packs"), "--no-search", "--yes")


class ReleaseArchive(OfAnArchive):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("release", self.trips()[0], "--yes", "--own")


class UndoArchive(OfAnArchive):
    def prepare(self):
        self.run_again(*super().prepare())
        return ("undo", self.trips()[0], "--yes", "--drop-copies")


# The loader must not take these for tests.
del Campaign, OfATrip, OfACollection, Settle
