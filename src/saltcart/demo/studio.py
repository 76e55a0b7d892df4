"""Building the Petrel: two drives side by side, sounds, and the programs that name them.

What is in it on purpose: a sibling folder whose name begins like a shelf's; names with
accents (composed and decomposed), spaces, `#`, `%`, `&` and an apostrophe; a playlist that
lies inside a shelf; one with relative entries; one in an old 8-bit code; a track that was
missing long before anything moved; a program whose settings nothing can rewrite.  And what
people leave behind over the years: links with something stuck to their names, a shortcut file
where a folder should be, a shelf moved by hand, a copy of a shelf, a track in the downloads,
sounds twice, litter, a broken file, a drive that is not connected.
"""

import json
import shutil
import unicodedata
from pathlib import Path

from saltcart.demo import tones
from saltcart.standins import decks, player, sampler, workstation
from saltcart.system import os

MARKER = ".saltcart-drive.toml"
NOTES = ("C", "D", "E", "F", "G", "A", "B")
LAST_PLAYED = (
    "2026-10-03T21:00:00Z",
    "2026-08-11T20:00:00Z",
    "2019-05-30T23:00:00Z",
    None,
    "2026-11-14T22:00:00Z",
    "2026-02-01T19:00:00Z",
    "2026-09-09T22:00:00Z",
)
TITLES = (
    (
        "The Mooring Lines",
        "Low Water",
        ("Slack Tide", "50% Fog", "Salt & Rope", "Keeper's Watch", "Anchor Drill", "Grey Swell"),
    ),
    ("The Mooring Lines", "#2 Lantern Room", ("#1 Lamp", "Wick + Oil", "Glass, Turning", "Ladder", "Ninety Steps")),
    (
        "Bilge Choir",
        "Chants pour la brume",
        ("Été au phare", "Brume légère", "La cloche", "Über dem Wasser", "Marée basse"),
    ),
    (
        "Quay Nine",
        "Night Ferry",
        ("Departure; 23:10", "Deck Chairs", "Engine Room", "Breakwater", "Landfall", "Ropes Away"),
    ),
)


def build(top: str) -> None:
    """Build the whole studio in the new folder `top`."""
    studio = Path(top)
    make_drive(studio / "keel", "keel", 32_000_000, disk="nvme0", spinning=False)
    make_drive(
        studio / "lighter", "lighter", 400_000_000, disk="usb1", spinning=False, bus_bits_per_second=10_000_000_000
    )
    make_drive(studio / "dinghy", "dinghy", 90_000_000, disk="usb2", spinning=True, bus_bits_per_second=480_000_000)
    make_drive(studio / "bucket", "bucket", 30_000_000, filesystem="vfat", disk="usb3", spinning=False)
    make_drive(
        studio / "anchor",
        "anchor",
        500_000_000,
        disk="usb4",
        spinning=True,
        health="the system has recorded 3 errors in its file system",
    )
    (studio / "lighter/Sounds").mkdir()
    make_bells(studio / "keel/Sounds/Bell Tones")
    make_sibling(studio / "keel/Sounds/Bell Tones Extra")
    make_voices(studio / "keel/Sounds/Fog Voices")
    make_recordings(studio / "keel/Recordings")
    tracks = make_collection(studio / "keel/Music/Collection")
    make_player(studio / "keel/player", tracks)
    make_lists(studio / "keel", tracks)
    make_leftovers(studio)
    make_decks(studio / "keel", tracks)
    make_workstation(studio / "keel")
    shutil.copyfile(Path(__file__).with_name("cart.toml"), studio / "cart.toml")
    shutil.copytree(Path(__file__).with_name("maps"), studio / "maps")
    (studio / "keel/sampler").mkdir()
    sampler.write_settings(str(studio / "keel/sampler/sampler.ini"), str(studio / "keel/Sounds/Fog Voices"))


def make_drive(mount: Path, name: str, capacity: int, **facts: object) -> None:
    """A folder that stands for a drive, with what the system would tell of it."""
    mount.mkdir(parents=True)
    declared = {"name": name, "identity": f"petrel-{name}", "capacity_bytes": capacity, **facts}
    lines = [
        f"{key} = {json.dumps(value)}" for key, value in declared.items()
    ]  # texts, numbers and truths are written alike
    (mount / MARKER).write_text("\n".join(["# This folder stands for a drive.", *lines, ""]), encoding="utf-8")


def make_bells(shelf: Path) -> None:
    """One-shots in five packs, with a playlist among them."""
    for pack, octave in (
        ("Low Bells", 1),
        ("Mid Bells", 2),
        ("High Bells", 3),
        ("Café Glasses", 4),
        ("Hull & Chain", 0),
    ):
        (shelf / pack).mkdir(parents=True)
        for step in range(28):
            name = f"{NOTES[step % 7]}{octave + step // 7} {pack.split()[0].lower()}.wav"
            tones.write(str(shelf / pack / name), tones.bell(65.4 * 2 ** (octave / 2 + step / 12), metal=octave / 4))
    lines = [
        "#EXTM3U",
        "Low Bells/C1 low.wav",
        "Café Glasses/D4 café.wav",
        f"{shelf}/High Bells/E3 high.wav",
        "../Bell Tones Extra/spare 1.wav",
        "",
    ]
    (shelf / "favourites.m3u8").write_text("\n".join(lines), encoding="utf-8")
    (shelf / "read me.txt").write_text("Recorded on the Petrel, spring.\n", encoding="utf-8")


def make_sibling(shelf: Path) -> None:
    """A folder that stays, though its name begins like the one that goes."""
    shelf.mkdir()
    for number in range(1, 9):
        tones.write(str(shelf / f"spare {number}.wav"), tones.bell(440 + 20 * number))


def make_voices(shelf: Path) -> None:
    """The sampler's content: samples, and instruments that name them from the content folder."""
    for folder in ("Samples/Main Horn", "Samples/Reed Horn", "Voices"):
        (shelf / folder).mkdir(parents=True)
    for horn, base in (("Main Horn", 55.0), ("Reed Horn", 95.0)):
        keys = {}
        for step in range(24):
            name = f"Samples/{horn}/{horn.lower()} {step:02d}.wav"
            tones.write(str(shelf / name), tones.horn(base * 2 ** (step / 12)), 24)
            keys[36 + step] = name
        sampler.write_voice(str(shelf / "Voices" / f"{horn}.voice"), keys)


def make_recordings(folder: Path) -> None:
    """Deck recordings that stay on keel."""
    folder.mkdir()
    for number in range(1, 4):
        tones.write(str(folder / f"deck watch {number}.wav"), tones.track(90 + number, 12), 24)


def make_collection(shelf: Path) -> list[tuple[str, str, str]]:
    """Tagged tracks by artist and album: path, title and artist of each."""
    tracks: list[tuple[str, str, str]] = []
    for artist, album, titles in TITLES:
        folder = shelf / artist / album
        folder.mkdir(parents=True)
        for number, title in enumerate(titles, 1):
            name = title.replace("/", "-")
            if artist == "Bilge Choir" and number % 2:
                name = unicodedata.normalize("NFD", name)  # as some systems write accents
            path = str(folder / f"{number:02d} {name}.flac")
            tones.write(path, tones.track(len(tracks)))
            tones.tag(path, title=title, artist=artist, album=album)
            tracks.append((path, title, artist))
    return tracks


def make_player(folder: Path, tracks: list[tuple[str, str, str]]) -> None:
    """The player's library with years of ratings, and one track that is lost already."""
    folder.mkdir()
    library = str(folder / "library.db")
    player.create(library)
    player.add_folder(library, str(Path(tracks[0][0]).parents[2]))
    lost = os.path.join(os.path.dirname(tracks[0][0]), "07 Lost at Sea.flac")
    rows = [
        (
            path,
            title,
            artist,
            2.5,
            number * 7 % 6,
            number * 13 % 41 * (number % 7 != 3),
            LAST_PLAYED[number % len(LAST_PLAYED)],
        )
        for number, (path, title, artist) in enumerate([*tracks, (lost, "Lost at Sea", "The Mooring Lines")])
    ]
    player.add_tracks(library, rows)
    player.add_list(library, "Saturday", range(3, 15))
    player.add_list(library, "Warm up", (1, 22, 8, 5))


def make_decks(keel: Path, tracks: list[tuple[str, str, str]]) -> None:
    """The decks' portable collection: it lies among the tracks and names them from the top of the drive."""
    rows = [
        (os.path.relpath(path, keel), title, (1000 * number, 90_000 + number))
        for number, (path, title, _artist) in enumerate(tracks[4:18], 1)
    ]
    decks.write(str(keel / "Music/Collection/portable.decks"), rows, {"Saturday": range(6), "Été": (7, 9, 11)})


def make_workstation(keel: Path) -> None:
    """The workstation: content folders, an index of them, and a session that names sounds in three ways."""
    folder, bells, horns = keel / "workstation", keel / "Sounds/Bell Tones", keel / "Sounds/Fog Voices"
    folder.mkdir()
    workstation.write_settings(str(folder), [str(bells), str(horns)])
    workstation.write_index(str(folder), [str(bells), str(horns)])
    clips = [
        {"file": "Low Bells/E1 low.wav"},
        {"file": "Hull & Chain/C0 hull.wav"},
        {"file": str(horns / "Samples/Main Horn/main horn 03.wav")},
        {"file": str(keel / "Recordings/deck watch 1.wav")},
        {"find": "Café Glasses/F4 café.wav"},
        {"find": "Samples/Reed Horn/reed horn 07.wav"},
    ]
    workstation.write_session(str(folder / "night ferry.passage"), f"{bells}/", clips)


def make_lists(keel: Path, tracks: list[tuple[str, str, str]]) -> None:
    """Playlists in three manners."""
    lists = keel / "lists"
    lists.mkdir()
    full = ["#EXTM3U"]
    for path, title, artist in tracks[:12]:
        full += [f"#EXTINF:2,{artist} - {title}", path]
    (lists / "saturday night.m3u8").write_bytes(b"\xef\xbb\xbf" + "\r\n".join([*full, ""]).encode())
    near = [os.path.relpath(path, lists) for path, _title, _artist in tracks[10:20]]
    near += [f"../Sounds/Bell Tones/Hull & Chain/{NOTES[number]}0 hull.wav" for number in range(4)]
    near += ["../Sounds/Bell Tones Extra/spare 2.wav", "../Downloads/fog bank (take 2).wav", "http://radio.example/fog"]
    (lists / "mooring.m3u8").write_text("\n".join(["# by hand", *near, ""]), encoding="utf-8")
    old = [str(keel / "Sounds/Bell Tones/Café Glasses" / f"{NOTES[number]}4 café.wav") for number in range(5)]
    (lists / "old glasses.m3u").write_bytes("\r\n".join([*old, ""]).encode("cp1252"))


def make_leftovers(studio: Path) -> None:
    """What years leave behind."""
    sounds, bells = studio / "keel/Sounds", studio / "keel/Sounds/Bell Tones"
    (studio / "keel/Downloads").mkdir()
    tones.write(str(studio / "keel/Downloads/fog bank (take 2).wav"), tones.track(70, 3))
    (studio / "lighter/Sounds/Deck Noise").mkdir()
    for number in range(1, 5):
        tones.write(str(studio / f"lighter/Sounds/Deck Noise/planks {number}.wav"), tones.horn(30 + number))
    os.symlink(str(studio / "lighter/Sounds/Deck Noise"), str(sounds / "Deck Noise "))  # one trailing space
    os.symlink(str(studio / "ballast/Sounds/Tape Loops"), str(sounds / "Tape Loops"))  # ballast is in a cupboard
    os.symlink(str(sounds / "Old Radio"), str(sounds / "Old Radio - shortcut"))
    (sounds / "Harbour Loops.lnk").write_bytes(b"L\0\0\0\x01\x14\x02\0" + bytes(68))
    shutil.copytree(sounds / "Bell Tones Extra", studio / "lighter/Extra bells, copied in spring")
    shutil.copyfile(bells / "Low Bells/C1 low.wav", bells / "Low Bells/C1 low (final).wav")
    (bells / "Thumbs.db").write_bytes(bytes(512))
    (bells / "Hull & Chain/to sort").mkdir()
    shutil.copyfile(studio / "keel/player/library.db", studio / "keel/Music/Collection/library.db.bak")
    tones.write(str(studio / "keel/Music/Collection/Bilge Choir/rehearsal, nobody listed.flac"), tones.track(71))
    (studio / "keel/Recordings/deck watch 0.wav").write_bytes(b"RIFF\x24\0\0\0WAVEjunk" + bytes(64))
    if make_pipe := getattr(os, "mkfifo", None):  # where there are pipes among files
        make_pipe(studio / "keel/Recordings/monitor feed")
