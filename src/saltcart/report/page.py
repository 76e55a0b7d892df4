"""Pages that hold all they need: no script, no picture and no letter from elsewhere."""

from datetime import UTC, datetime
from typing import Any

from saltcart import __version__
from saltcart.errors import UsageError, show
from saltcart.safefile import replacing


def render(name: str, title: str, **content: Any) -> str:
    """The page that the template of that name makes of its content; every text in it is escaped."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("saltcart.report"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["breakable"] = breakable
    made = datetime.now(UTC).strftime("%Y-%m-%d %H:%M UTC")
    page: str = environment.get_template(f"{name}.html").render(title=title, made=made, version=__version__, **content)
    return page


def breakable(text: object) -> str:
    """A text for a narrow column: a path is broken after a slash before it is broken within a name."""
    from markupsafe import Markup, escape

    return escape(text).replace("/", Markup("/<wbr>"))


def write(path: str, page: str) -> None:
    """Write a page, whole or not at all.  UsageError when its place will not do."""
    try:
        with replacing(path) as neighbour, open(neighbour, "w", encoding="utf-8", errors="backslashreplace") as stream:
            stream.write(page)
    except OSError as error:
        raise UsageError(
            f"The page cannot be written to {show(path)}: {error.strerror}", "Choose another place."
        ) from error
