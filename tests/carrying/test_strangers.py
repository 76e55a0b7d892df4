"""A drive that comes from somebody else is data: what it says never decides alone where something is written here."""

import os
import re
import shutil
import tempfile
import threading
import unittest
import zlib
from unittest import mock

from saltcart.carrying import own_record
from saltcart.merging.history_file import pack
from saltcart.waybills.collection import Known
from tests.carrying.machines import SOUNDS, TwoMachines
from tests.world import tree, wav


class Links(TwoMachines):
    def test_nothing_is_written_or_removed_through_a_link_in_a_collection(self):
        """A borrowed stick has a link in place of the folder of histories, or of the lists: what it leads to stays."""
        for name, more in ((".saltcart-histories", ()), ("Lists", ("--lists",))):
            for known in (False, True):
                with self.subTest(name, known=known):
                    self.booth = self.booth.with_name(f"Booth {name} {known}")
                    if known:
                        self.carry()
                        shutil.rmtree(self.booth / name, ignore_errors=True)
                    precious = self.top / "precious"
                    shutil.rmtree(precious, ignore_errors=True)
                    precious.mkdir()
                    (precious / "work.txt").write_text("years of it")
                    (precious / "abcd").write_text("called like a trip")
                    self.booth.mkdir(exist_ok=True, parents=True)
                    (self.booth / name).symlink_to(precious)
                    before = tree(precious)
                    self.assertIn("is a link", self.carry(*more, status=3).stderr)
                    if known and not more:
                        self.at("ann", "settle", self.booth, "--back", "--yes", status=3)
                    self.assertEqual(tree(precious), before)


class Strangers(TwoMachines):
    def setUp(self):
        super().setUp()
        self.carry()
        self.record = self.booth / "carried.toml"

    def edit(self, old, new):
        """Edit the record of the collection, as anybody can."""
        text = self.record.read_text()
        self.assertIn(old, text)
        self.record.write_text(text.replace(old, new))

    def test_places_that_a_stick_may_not_propose(self):
        gathered = str(self.homes["ann"] / "Downloads" / "stray.wav")
        home = self.homes["ann"]
        (self.homes["bo"] / "through").symlink_to(self.top / "elsewhere")
        (self.top / "elsewhere").mkdir()
        bad = (
            home / ".config" / "autostart" / "x.desktop",
            home / "Autostart" / "x.desktop",
            home / "bin" / "ls",
            home / "through" / "x.wav",
            self.top / "elsewhere" / "x.wav",
            "/etc/cron.d/x",
        )
        before = tree(self.homes["bo"])
        for place in bad:
            with self.subTest(place):
                text = self.record.read_text()
                self.edit(f'from = "{gathered}"', f'from = "{place}"')
                said = self.at("bo", "settle", self.booth, "--here", "--yes", status=3).stderr
                self.assertIn("--place", said)
                self.assertEqual(tree(self.homes["bo"]), before)
                self.assertEqual(os.listdir(self.top / "elsewhere"), [])
                self.record.write_text(text)
        self.edit(f'from = "{gathered}"', f'from = "{bad[0]}"')
        place = re.search(r'place = "(Gathered/[^"]+)"', self.record.read_text())[1]
        mine = self.homes["bo"] / "Music" / "mine.wav"
        said = self.at("bo", "settle", self.booth, "--here", "--yes", "--place", f"{place}={mine}").stdout
        self.assertIn(os.path.basename(mine), said)
        self.assertTrue(mine.is_file())

    def test_every_file_is_shown_before_the_question(self):
        said = self.at("bo", "settle", self.booth, "--here", status=2).stdout
        self.assertIn("stray.wav", said)
        self.assertIn("Single files", said)

    def test_rows_that_this_computer_did_not_write(self):
        """Somebody adds a row that says that a list of the collection is the settings of the shell here."""
        from saltcart.safefile import digest_of

        rc = self.homes["ann"] / ".bashrc"
        rc.write_text("# as it comes\n")
        text = self.record.read_text()
        who = re.search(r'who = "([^"]+)"', text)[1]
        place = "Ledgers/full.m3u8"
        digest = digest_of(str(self.booth / place))
        with open(self.booth / place, "a") as stream:
            stream.write("touch OWNED\n")
        self.record.write_text(
            f'{text}\n[[known]]\nwho = "{who}"\nplace = "{place}"\npath = "{rc}"\ndigest = "{digest}"\n'
            f'home_digest = "{digest_of(str(rc))}"\ntrip = "zzzz"\n'
            f'\n[[known]]\nwho = "{who}"\nplace = "Music"\npath = "{self.homes["ann"]}"\ntrip = "zzzz"\n'
        )
        wav(self.booth / "Music" / ".config" / "x.wav", 70)
        wav(self.booth / "Music" / "new.wav", 71)
        self.at("ann", "settle", self.booth, "--back", "--yes", status=None)
        self.assertEqual(rc.read_text(), "# as it comes\n")
        self.assertFalse((self.homes["ann"] / "new.wav").exists())
        self.assertTrue((self.music / "new.wav").exists(), "where this computer knows the shelf to be")
        self.assertFalse((self.music / ".config").exists())

    def test_what_never_came_from_here_does_not_come_home(self):
        """A collection that only says that it is ours."""
        self.environment["SALTCART_HOME"] = str(self.top / "saltcart-data-ann")
        os.remove(self.top / "saltcart-data-ann" / "agreements")
        wav(self.booth / "Music" / "new.wav", 71)
        self.sql(self.booth / "Ledgers" / "library.db", "UPDATE tracks SET plays = 40 WHERE id = 1")
        before = tree(self.homes["ann"])
        said = self.at("ann", "settle", self.booth, "--back", "--yes", status=1).stdout
        self.assertIn("no record", said)
        self.assertEqual(tree(self.homes["ann"]), before)

    def test_the_record_of_changes_is_gone_or_nonsense(self):
        """Nothing that a person did is written over, and a person can go on by saying which ledgers hold."""
        histories = self.booth / ".saltcart-histories"
        for number, data in enumerate((None, b"nonsense", pack({}), zlib.compress(bytes(64 << 20)))):
            with self.subTest(number):
                rating, near = number % 2 + 4, self.music / "near.m3u8"
                self.sql(self.booth / "Ledgers" / "library.db", f"UPDATE tracks SET rating = {rating} WHERE id = 1")
                near.write_text(f"{near.read_text()}{SOUNDS[1]}\n")
                for one in list(histories.iterdir()):
                    one.write_bytes(data) if data else one.unlink()
                before = tree(self.booth, ".saltcart-histories"), tree(self.homes["ann"])
                self.assertIn("settle", self.carry(status=3).stderr)
                self.assertEqual((tree(self.booth, ".saltcart-histories"), tree(self.homes["ann"])), before)
                said = self.at("ann", "settle", self.booth, "--back", "--all", status=None).stdout
                self.assertEqual("record of changes" in said, data != pack({}))
                self.at("ann", "settle", self.booth, "--back", "--yes", *self.answers(said))
                self.carry()
                for path in (self.library, self.booth / "Ledgers" / "library.db"):
                    self.assertEqual(self.counts(path)[0][0], (1, "t0", rating, 0))
                self.assertEqual((self.booth / "Music" / "near.m3u8").read_text(), near.read_text())
                self.assert_lists_play(near, self.booth / "Music" / "near.m3u8", self.booth / "Ledgers" / "full.m3u8")

    def answers(self, said):
        """The library there holds; for all else that is asked, the one here."""
        for one in re.findall(r"--take (?:'([^']+)'|(\S+))", said):
            name = "".join(one)
            yield from ("--take" if "library" in name else "--keep", name)


class OwnRecord(unittest.TestCase):
    def test_what_was_noted_is_there_whole_or_as_it_was(self):
        """When the write fails, and when other commands note something at the same time."""
        rows = [Known("ann", f"Music {number}", "/ann/Music", trip="t") for number in range(8)]
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, SALTCART_HOME=folder):
            own_record.note(rows[:2])
            before = own_record.noted()
            with mock.patch("os.replace", side_effect=OSError(5, "Input/output error")), self.assertRaises(OSError):
                own_record.note(rows)
            self.assertEqual(own_record.noted(), before)
            threads = [threading.Thread(target=own_record.note, args=([row],)) for row in rows[2:]]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            self.assertEqual(own_record.noted(), set(map(own_record.mark_of_row, rows)))
