"""The demonstration as plain data: the narration, what is typed, and how it should end."""

from msgspec import Struct

SHELVES = ("keel/Sounds/Bell Tones", "keel/Sounds/Fog Voices", "keel/Music/Collection")
LISTS = ("keel/lists/saturday night.m3u8", "keel/lists/mooring.m3u8", "keel/lists/old glasses.m3u")
DRIVES = ("keel", "lighter", "dinghy", "bucket", "anchor")
MOVE = ("saltcart", "move", *SHELVES, "--to", "lighter/Sounds", "--signpost", "--yes")
BOOTH = "dinghy/Booth"
CARRY = ("saltcart", "carry", "keel/Music/Collection", "--to", BOOTH, "--lists", "--yes")
BOOTH_LISTS = (f"{BOOTH}/Ledgers/saturday night.m3u8", f"{BOOTH}/Lists/Warm up.m3u8")
PLAYER = ("player", "keel/player/library.db", "play-all")
SAMPLER = ("sampler", "keel/sampler/sampler.ini", "play-all")
DECKS = ("decks", "keel/Music/Collection/portable.decks", "play-all")
DECKS_AFTER = ("decks", "lighter/Sounds/Collection/portable.decks", "play-all")
WORKSTATION = ("workstation", "keel/workstation", "play-all")


class Scene(Struct, frozen=True):
    """Words said before (or none), the command typed, and the exit status it should have.

    The first word is a program: saltcart, one of the stand-ins, or `drag`, which is what a
    file manager does.  Of a long output the lines that hold one of the words it `tells` by are shown.
    """

    said: str
    words: tuple[str, ...]
    status: int = 0
    tells: tuple[str, ...] = ()


STORY = (
    Scene(
        "The Petrel is a studio on a lightship. Its drive keel is nearly full, and lighter is new. First, what each"
        " program can play now:",
        PLAYER,
        1,
    ),
    Scene("(That one track was lost years ago. Salt Cart did not cause that, and does not hide it.)", SAMPLER),
    Scene("", WORKSTATION),
    Scene(
        "The usual mistake: drag a folder to the new drive ...",
        ("drag", "keel/Music/Collection", "lighter/Sounds/Collection"),
    ),
    Scene("... and every track shows as lost.", PLAYER, 1),
    Scene(
        "Repair that in place. Nothing is imported again, and ratings stay. The decks' list can be matched only by"
        " name, so --by-name allows that.",
        ("saltcart", "mend", "--in", "lighter", "--by-name", "--yes"),
        1,
        ("proven", "only by name", "found again", "Still missing"),
    ),
    Scene("", PLAYER, 1),
    Scene("Undo that too, byte for byte ...", ("saltcart", "undo", "--yes")),
    Scene(
        "... put the folder back, and do it properly.", ("drag", "lighter/Sounds/Collection", "keel/Music/Collection")
    ),
    Scene(
        "Look first: how big are the sounds, and which files refer to them?",
        ("saltcart", "survey", "keel"),
        1,
        ("Nothing moved or changed", "saltcart mend"),
    ),
    Scene(
        "Which drive has enough space, and is there anything against it?",
        ("saltcart", "drives", *DRIVES, "--for", *SHELVES),
        tells=("To carry", "anchor (", "is for backups"),
    ),
    Scene("What could stay behind?", ("saltcart", "tidy", "keel"), tells=("  copies  ", "  stray  ")),
    Scene(
        "Move three shelves, and update every file that refers to them. A signpost keeps the old paths working.",
        MOVE,
        tells=("Moved ", "Updated ", "Entries ", "Looked for "),
    ),
    Scene(
        "The same programs again. They read from lighter: the originals are set aside, so nothing uses them.", PLAYER, 1
    ),
    Scene("", SAMPLER),
    Scene(
        "The decks' collection moved too, and finds its tracks on the new drive. The session plays with its bells.",
        DECKS_AFTER,
    ),
    Scene("", WORKSTATION),
    Scene(
        "The playlists play too. One of them moved with its shelf.",
        ("player", "-", "play-list", *LISTS[:1], *LISTS[2:], "lighter/Sounds/Bell Tones/favourites.m3u8"),
    ),
    Scene("Somebody plays a track: the player counts it.", ("player", "keel/player/library.db", "play", "Slack Tide")),
    Scene(
        "Changed your mind? Undo everything. The new play count stays.",
        ("saltcart", "undo", "--drop-copies", "--yes"),
        tells=("is undone", "removed"),
    ),
    Scene("And move once more, to stay.", (*MOVE, "--quiet")),
    Scene("Check everything again, at any time.", ("saltcart", "check"), tells=("entries work", "To free")),
    Scene(
        "Only now delete the originals. Every copy is read back once more first.",
        ("saltcart", "release", "--yes", "--own"),
        tells=("verified",),
    ),
    Scene("", ("saltcart", "trips"), tells=("released ",)),
    Scene(
        "Saturday night in another booth: a collection on the little dinghy, which plays on any computer.",
        (*CARRY[:2], "lighter/Sounds/Collection", *CARRY[3:]),
        tells=("Holds ", "Plays anywhere ", "Lists "),
    ),
    Scene("From dinghy only:", ("player", "-", "play-list", *BOOTH_LISTS)),
    Scene("A track is played there ...", ("player", f"{BOOTH}/Ledgers/library.db", "play", "Slack Tide")),
    Scene(
        "... and counted in the library here.",
        ("saltcart", "settle", BOOTH, "--back", "--yes"),
        tells=("Compared ", "Kept "),
    ),
)
