"""The demonstration as plain data: what is said, what is typed, and how it should end."""

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
        "The Petrel, a studio on a lightship. Its drive keel is nearly full; lighter is new. The programs, before"
        " anything:",
        PLAYER,
        1,
    ),
    Scene("(That one track was lost years ago. Salt Cart neither hides it nor caused it.)", SAMPLER),
    Scene("", WORKSTATION),
    Scene(
        "The naive way: drag a folder to the new drive ...",
        ("drag", "keel/Music/Collection", "lighter/Sounds/Collection"),
    ),
    Scene("... and every track shows as lost.", PLAYER, 1),
    Scene(
        "Repair it in place: nothing is imported again, and ratings stay. Only names match the decks' list, hence"
        " --by-name.",
        ("saltcart", "mend", "--in", "lighter", "--by-name", "--yes"),
        1,
        ("proven", "by names", "found again", "Still missing"),
    ),
    Scene("", PLAYER, 1),
    Scene("Take that back too, to the byte ...", ("saltcart", "undo", "--yes")),
    Scene(
        "... put the folder back, and do it properly.", ("drag", "lighter/Sounds/Collection", "keel/Music/Collection")
    ),
    Scene(
        "Look first: what is there, how big it is, and what lists it.",
        ("saltcart", "survey", "keel"),
        1,
        ("Nothing moved or changed", "saltcart mend"),
    ),
    Scene(
        "Which drive could take it, and what speaks against each?",
        ("saltcart", "drives", *DRIVES, "--for", *SHELVES),
        tells=("To carry", "anchor (", "holds backups"),
    ),
    Scene("What need not travel?", ("saltcart", "tidy", "keel"), tells=("  copies  ", "  stray  ")),
    Scene(
        "Move three shelves and update every ledger in cart.toml. The sampler's settings cannot be read yet: it gets a"
        " signpost.",
        MOVE,
        tells=("Moved ", "Updated ", "Entries ", "Looked for "),
    ),
    Scene(
        "The same programs again, reading from lighter; the originals are set aside, so nothing can lean on them.",
        PLAYER,
        1,
    ),
    Scene("", SAMPLER),
    Scene(
        "The decks' collection moved along and names its tracks from the top of the new drive; the session plays with"
        " its bells.",
        DECKS_AFTER,
    ),
    Scene("", WORKSTATION),
    Scene(
        "Playlists too, one of which moved along with its shelf.",
        ("player", "-", "play-list", *LISTS[:1], *LISTS[2:], "lighter/Sounds/Bell Tones/favourites.m3u8"),
    ),
    Scene("Somebody plays a track: the player counts it.", ("player", "keel/player/library.db", "play", "Slack Tide")),
    Scene(
        "Changed your mind? Take it all back; that new play count stays.",
        ("saltcart", "undo", "--drop-copies", "--yes"),
        tells=("is undone", "removed"),
    ),
    Scene("And once more, for good.", (*MOVE, "--quiet")),
    Scene("Judge everything again, whenever you like.", ("saltcart", "check"), tells=("entries work", "To free")),
    Scene(
        "Only now let the originals go: every copy is read back once more first.",
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
