"""The commands that the program prints for a person to type next."""

import re
import shlex
import subprocess
from functools import cache

from saltcart.cli.parser import COMMANDS, build

ENDS = r"(?=   |$|; |\. |\.$|, )"
QUOTED = r"\$'(?:[^'\\]|\\.)*'|'[^'\n]*'|\"'\""
NAMED = rf"saltcart (?:{'|'.join(COMMANDS)})(?![:\w])"
PRINTED = re.compile(rf"(?:: |  |^)({NAMED}(?:{QUOTED}|[^'\n])*?){ENDS}", re.MULTILINE)


def printed(text):
    """Each command in what was printed, as a person would copy it."""
    return [match[1].rstrip() for match in PRINTED.finditer(text)]


@cache
def words(command):
    """The words of a command as a shell parts them; a shell is only asked about what shlex does not know."""
    if "$'" not in command:
        return shlex.split(command)
    shown = subprocess.run(["bash", "-c", f"printf '%s\\0' {command}"], capture_output=True, check=True).stdout
    return [part.decode("utf-8", "surrogateescape") for part in shown.split(b"\0")[:-1]]


@cache
def understood(command):
    """The options that the program takes the command to mean; UsageError when it does not know them."""
    _program, name, *rest = words(command)
    return build(name).understand([name, *rest])
