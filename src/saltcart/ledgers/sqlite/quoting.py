"""Names and texts as SQL."""


def quoted(name: str) -> str:
    """`name` as an SQL identifier."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """`text` as an SQL string."""
    return "'" + text.replace("'", "''") + "'"
