"""What a shell may fill in: commands and options, and the names of trips, shelves and drives known here."""

from collections.abc import Callable, Iterable

from saltcart.cli.parser import COMMANDS, build
from saltcart.errors import SaltCartError
from saltcart.system import os

SHELLS = ("bash", "zsh", "fish", "powershell")


def complete() -> None:
    """Answer the shell, which asks through the environment, and end."""
    import argcomplete

    words = os.environ.get("COMP_LINE", "").lstrip("\ufeff").split()  # which PowerShell may put in front
    chosen = next((word for word in words[1:2] if word in COMMANDS), None)
    parser = build(chosen)
    for action in parser.chosen._actions if parser.chosen else ():
        if known := KNOWN.get(str(action.metavar)):
            action.completer = Among(known)  # type: ignore[attr-defined]  # where argcomplete looks
    argcomplete.autocomplete(parser)


class Among:
    """Offers names that are known here, and files beside them."""

    def __init__(self, names: Callable[[], Iterable[str]]):
        self.names = names

    def __call__(self, prefix: str, **_more: object) -> list[str]:
        """What begins with `prefix`."""
        from argcomplete.completers import FilesCompleter

        try:
            names = sorted({name for name in self.names() if name.startswith(prefix)})
        except (OSError, SaltCartError):  # a shell that asks is no place for complaints
            names = []
        return [*names, *FilesCompleter()(prefix)]


def trips() -> list[str]:
    """The ids of trips."""
    from saltcart.home import trips_folder

    return [name for name in os.listdir(trips_folder()) if not name.startswith(".")]


def drives() -> list[str]:
    """The names of drives seen here."""
    from saltcart.drives.known import remembered

    return [str(fact["name"]) for fact in remembered().values()]


def shelves() -> list[str]:
    """The shelves that the configuration declares."""
    from saltcart.cart import load

    return [shelf.path for shelf in load().shelves]


def commands() -> list[str]:
    """The commands."""
    return list(COMMANDS)


KNOWN: dict[str, Callable[[], Iterable[str]]] = {
    "TRIP": trips,
    "WAYBILL|TRIP": trips,
    "DRIVE": drives,
    "PLACE": drives,
    "SHELF": shelves,
    "COMMAND": commands,
}


def script(shell: str) -> str:
    """What a shell has to be told once."""
    from argcomplete.shell_integration import shellcode

    text: str = shellcode(["saltcart"], shell=shell)
    return text
