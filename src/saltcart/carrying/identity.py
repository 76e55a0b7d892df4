"""Who carries: this user at this machine, told from others of the same names."""

import getpass
import platform
import secrets

from saltcart.home import made_home
from saltcart.safefile import replacing
from saltcart.system import os


def whoami() -> str:
    """This user at this machine, with a mark that tells it from others of the same names."""
    return f"{user()}@{machine()} ({machine_id()})"


def machine_id() -> str:
    """A few letters that stand for our own data on this machine."""
    path = os.path.join(made_home(), "machine")
    if not os.path.exists(path):
        with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8") as stream:
            stream.write(secrets.token_hex(4))
    with open(path, encoding="utf-8") as stream:
        return stream.read().strip()


def machine() -> str:
    """The name of this machine."""
    return platform.node() or "unknown"


def user() -> str:
    """The name of this user."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "unknown"
