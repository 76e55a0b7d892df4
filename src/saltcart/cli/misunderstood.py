"""A command line that is not understood: what of it, and what was perhaps meant."""

import re
from collections.abc import Sequence

from saltcart.errors import UsageError, show

# What people are used to type, and what does it here.
MEANT = {
    "--verbose": "There is no verbose mode: --wide shows every column, --json shows everything.",
    "--help": "saltcart help shows every command.",
    "--delete": "Originals stay until saltcart release, which reads every copy once more first.",
    "--force": "Nothing here is forced: what is refused says what helps.",
    "--no-verify": "Every copy is read back; that cannot be left out.",
    "copy": 'Did you mean "move --copy"? To make a collection that travels: saltcart carry',
    "status": 'Did you mean "trips", or "check"?',
    "verify": 'Did you mean "check"? To read every copy: saltcart check --digests',
    "restore": 'Did you mean "undo"? From a carried collection: saltcart settle',
    "repair": 'Did you mean "mend"?',
    "relink": 'Did you mean "mend"?',
}


def explained(message: str, command: str, commands: Sequence[str], options: Sequence[str]) -> UsageError:
    """The error for what argparse says of a command line; `command` is "" where none was understood."""
    usage = f"saltcart help {command}".strip()
    if found := re.search(r"argument COMMAND: invalid choice: '(.*?)' \(choose", message):
        return UsageError(
            f"There is no command {quoted(found[1])}", near(found[1], commands, "saltcart help shows all.")
        )
    if "required: COMMAND" in message:
        return UsageError("No command was given", "saltcart help shows them all.")
    if found := re.search(r"unrecognized arguments: (.*)", message):
        word = found[1].split(" ")[0]
        return UsageError(f"{quoted(found[1])} is not known to {command or 'saltcart'}", near(word, options, usage))
    if found := re.search(r"arguments are required: (.*)", message):
        return UsageError(f"{command} needs {found[1]}", f"How it is used: {usage}")
    if found := re.search(r"argument (\S+?):? (expected .*)", message):
        return UsageError(f"{found[1].rstrip(':')}: {found[2]}", f"How it is used: {usage}")
    return UsageError(message[:1].upper() + message[1:], f"How it is used: {usage}")


def quoted(text: str) -> str:
    """A text in quotes."""
    return f'"{show(text)}"'


def near(word: str, known: Sequence[str], otherwise: str) -> str:
    """What was perhaps meant by a word, else another hint."""
    if word in MEANT:
        return MEANT[word]
    from difflib import get_close_matches  # for the few that err

    close = get_close_matches(word, known, n=2, cutoff=0.6) or [
        one for one in known if len(word) > 2 and one.startswith(word)
    ]
    return f"Did you mean {' or '.join(map(quoted, close))}? {otherwise}" if close else otherwise
