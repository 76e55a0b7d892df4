"""Documents whose folders are records in each other: each has its own name alone."""

import json
import plistlib
from pathlib import Path
from xml.sax.saxutils import quoteattr

SUFFIXES = {"children": ".json", "keyed": ".json", "parts": ".json", "attributes": ".xml", "elements": ".xml",
            "plist": ".plist", "root": ".json"}  # fmt: skip


def tree_of(folder, names):
    """The folders of some sounds in dictionaries, from the top of all; a sound has None."""
    tree = {}
    for name in names:
        inner = tree
        for part in Path(folder, name).parts[1:-1]:
            inner = inner.setdefault(part, {})
        inner[Path(name).name] = None
    return tree


def children(name, tree):
    """A folder as an object with its name, the folders in it and its files."""
    inside = [children(one, deeper) for one, deeper in tree.items() if deeper is not None]
    return {"name": name, "children": inside, "files": [one for one, deeper in tree.items() if deeper is None]}


def keyed(tree):
    """A folder as an object whose keys are the names of what is in it."""
    inside = {name: keyed(deeper) for name, deeper in tree.items() if deeper is not None}
    return inside | {"(sounds)": [{"file": name, "gain": 1} for name, deeper in tree.items() if deeper is None]}


def elements(tree, folder, sound):
    """The folders and sounds of a tree as elements."""
    return "".join(
        sound(name) if deeper is None else folder(name, elements(deeper, folder, sound))
        for name, deeper in tree.items()
    )


def document(kind, folder, names):
    """The bytes of a document of one kind that names some sounds in a folder."""
    tree = tree_of(folder, names)
    if kind == "attributes":
        return elements(tree, lambda name, inner: f"<dir title={quoteattr(name)}>{inner}</dir>",
                        lambda name: f"<sound title={quoteattr(name)} gain='1'/>").encode()  # fmt: skip
    if kind == "elements":
        return b"<top>%b</top>" % elements(
            tree, lambda name, inner: f"<dir><name>{name}</name><in>{inner}</in></dir>",
            lambda name: f"<sound><name>{name}</name><gain>1</gain></sound>").encode()  # fmt: skip
    if kind == "plist":
        return plistlib.dumps(children("/", tree), fmt=plistlib.FMT_BINARY)
    content = {
        "children": lambda: children("/", tree),
        "keyed": lambda: keyed(tree),
        "parts": lambda: {"sounds": [{"path": list(Path(folder, name).parts), "plays": 3} for name in names]},
        "root": lambda: {"root": folder, **children("all", tree_of("/", names))},
    }[kind]()
    return json.dumps(content, ensure_ascii=kind == "parts").encode()
