"""Where a page is written to."""

from saltcart.cli.screen import place
from saltcart.errors import Refused
from saltcart.system import os


def page_path(given: str, force: bool) -> str:
    """The full path of a page to write.  Refused where there is a file already, unless it is to be written over."""
    path = os.path.abspath(os.path.expanduser(given))
    if os.path.exists(path) and not force:
        raise Refused(f"There is a file at {place(path)} already", "Choose another name, or add --force.")
    return path
