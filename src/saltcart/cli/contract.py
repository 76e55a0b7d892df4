"""`python -m saltcart.testing`: try a format, or a container with a map, on sample files."""

from __future__ import annotations

import argparse
from functools import partial
from typing import TYPE_CHECKING, Any

from saltcart import plugins
from saltcart.cli.screen import many
from saltcart.errors import SaltCartError, UsageError, show
from saltcart.ledgers.kinds import OUR_FORMATS, finder_of, mapped
from saltcart.ledgers.maps import Map, load_map
from saltcart.ledgers.text_ledger import TextLedger
from saltcart.ledgers.wrappers import PLAIN
from saltcart.rewriting.contract import Format, verdicts
from saltcart.system import os

if TYPE_CHECKING:
    from collections.abc import Sequence

WHAT = """\
Try a ledger format on sample files: does it find every entry, change nothing but what is asked, and stand damaged
files? FORMAT is the name of an entry point in saltcart.formats, of a format of Salt Cart, or a module such as
my_package.tide. To try a container, give a map that uses it instead: --map FILE."""


def main(words: Sequence[str]) -> int:
    """Try what is asked for; 0 when every rule is kept, 1 when one is not, 2 for wrong usage."""
    parser = argparse.ArgumentParser("python -m saltcart.testing", description=WHAT)
    parser.add_argument("format", nargs="?", metavar="FORMAT")
    parser.add_argument("samples", nargs="*", metavar="SAMPLE", help="files of that format, with full paths in them")
    parser.add_argument("--map", metavar="FILE", help="a map, for a container")
    options = parser.parse_args(words)
    try:
        form, samples = asked_for(options)
        return tell(form, samples)
    except SaltCartError as error:
        print(f"{error.what}.\n  -> {error.remedy}")
        return 2


def asked_for(options: argparse.Namespace) -> tuple[Format, list[str]]:
    """The format that is meant, and the samples.  UsageError when there is none."""
    if options.map:
        plan = load_map(options.map)
        samples = [one for one in (options.format, *options.samples) if one]
        if plan.container == "sqlite":
            raise UsageError(f"The map {show(plan.name)} is for databases", "Give a map for another container.")
        form = Format(partial(by_map, plan=plan), None, finder_of(plan))
    elif options.format:
        module, samples = module_called(options.format), options.samples
        form = Format(partial(opened, module=module), module.claims, module.spans)
    else:
        raise UsageError("No format was given", "python -m saltcart.testing FORMAT SAMPLE...")
    if not samples:
        raise UsageError("No sample was given", "Give one or more files of that format.")
    return form, list(map(os.path.abspath, samples))


def by_map(path: str, plan: Map) -> TextLedger:
    """The file at a path as a map reads it."""
    ledger = mapped(path, plan)
    assert isinstance(ledger, TextLedger)
    return ledger


def opened(path: str, module: Any) -> TextLedger:
    """The file at a path as the format under trial reads it, with nothing that would hide its mistakes."""
    wrapper, about = getattr(module, "WRAPPER", PLAIN), getattr(module, "about", None)
    return TextLedger(path, module.NAME, module.spans, wrapper=wrapper, about=about)


def module_called(name: str) -> Any:
    """The module of a format.  UsageError when it cannot be loaded, or lacks something."""
    ours = {form.NAME: form for form in OUR_FORMATS}
    if name in ours:
        return ours[name]
    listed = {one.name: one for one in plugins.additions(plugins.FORMATS)}
    found = listed.get(name) or plugins.loaded(plugins.FORMATS, name, "", name)
    if found.why:
        known = ", ".join([*ours, *listed])
        raise UsageError(f"The format {show(name)} {found.why}", f"Formats that are known: {known}.")
    return found.module


def tell(form: Format, samples: Sequence[str]) -> int:
    """Print what came of each rule on each sample; 1 when one was not kept."""
    broken = 0
    for sample in samples:
        print(show(sample))
        for verdict in verdicts(form, sample):
            broken += bool(verdict.trouble)
            print(f"  {'NOT kept' if verdict.trouble else 'kept    '}  {verdict.rule}")
            if verdict.trouble:
                print(f"            {show(verdict.trouble)}")
    kept = many(broken, "rule is", "rules are")
    print(f"{kept} not kept." if broken else f"Every rule is kept, on {many(len(samples), 'sample', 'samples')}.")
    return 1 if broken else 0
