"""Run the tests on all processors:  python -m tests [--slowest N] [--first] [NAME ...]

A NAME is a module, class or test (`tests.hauling`, `tests.switching.test_job.Job`); without one, all
are run.  Tests are dealt out one by one to forked processes.  Those of a class with a `setUpClass` share
what it makes (a mount, a folder), so such a class goes to one process as a whole.
"""

import argparse
import io
import multiprocessing
import os
import random
import sys
import time
import unittest
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from typing import NamedTuple

from hypothesis import settings

LONG = ("test_crash", "test_campaign", "tests.demo", "test_pages", "test_archives", "test_fitting")


class Outcome(NamedTuple):
    """What came of one unit: its name, how many tests ran, were skipped and failed, what was printed, and seconds."""

    name: str
    ran: int
    skipped: int
    failed: int
    text: str
    seconds: float


def tests_in(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Every single test of a suite."""
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from tests_in(one)
        else:
            yield one


def units(names: list[str]) -> dict[str, list[unittest.TestCase]]:
    """The tests by what must run together."""
    loader = unittest.TestLoader()
    suite = unittest.TestSuite()
    for name in names:
        package = os.path.isdir(name.replace(".", os.sep))
        suite.addTest(loader.discover(name.replace(".", os.sep), top_level_dir=".") if package else
                      loader.loadTestsFromName(name))  # fmt: skip
    found: dict[str, list[unittest.TestCase]] = defaultdict(list)
    for test in tests_in(suite):
        shares = "setUpClass" in {name for kind in type(test).__mro__[:-2] for name in vars(kind)}
        found[f"{type(test).__module__}.{type(test).__qualname__}" if shares else test.id()].append(test)
    return found


def run(name: str) -> Outcome:
    """Run one unit in a process of its own kind."""
    began, stream = time.perf_counter(), io.StringIO()
    runner = unittest.TextTestRunner(stream, verbosity=0, failfast=OPTIONS.first)
    result = runner.run(unittest.TestSuite(UNITS[name]))
    broken = [test for test, _text in (*result.failures, *result.errors)] + list(result.unexpectedSuccesses)
    failed = len({getattr(test, "test_case", test).id() for test in broken})  # a test counts once, whatever its parts
    text = stream.getvalue() if failed else "".join(f"skipped {test}: {why}\n" for test, why in result.skipped)
    return Outcome(name, result.testsRun, len(result.skipped), failed, text, time.perf_counter() - began)


def main() -> int:
    """Deal the units out, show what failed, and count."""
    # The program is started a thousand times: its modules are compiled once, whatever this environment says of that.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    began, outcomes = time.perf_counter(), []
    order = sorted(UNITS)
    random.Random(1).shuffle(order)  # long tests stand side by side in their modules
    order.sort(key=lambda name: not any(word in name for word in LONG))  # and the longest begin first
    # Processes that may have children of their own, as a haul does; more than processors, for most wait for drives.
    with ProcessPoolExecutor(2 * (os.cpu_count() or 1) + 1, multiprocessing.get_context("fork")) as pool:
        for done in as_completed([pool.submit(run, name) for name in order]):
            outcomes.append(done.result())
            print(outcomes[-1].text or ".", end="", flush=True)
            if OPTIONS.first and outcomes[-1].failed:
                pool.shutdown(wait=False, cancel_futures=True)
                break
    for one in sorted(outcomes, key=lambda one: -one.seconds)[: OPTIONS.slowest]:
        print(f"\n{one.seconds:7.1f} s  {one.name}", end="")
    ran, skipped, failed = (sum(getattr(one, word) for one in outcomes) for word in ("ran", "skipped", "failed"))
    print(f"\nRan {ran} tests in {time.perf_counter() - began:.1f} s")
    print(f"{ran - skipped - failed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed or not ran else 0


if __name__ == "__main__":
    parser = argparse.ArgumentParser(prog="python -m tests", description="Run the tests on all processors.")
    parser.add_argument("--slowest", type=int, default=0, metavar="N", help="name the N that took longest")
    parser.add_argument("--first", action="store_true", help="stop at the first failure")
    parser.add_argument("name", nargs="*", default=["tests"])
    OPTIONS = parser.parse_args()
    if OPTIONS.first:  # that it fails is what is asked, not by which smallest example
        settings.load_profile("quick to fail")
    UNITS = units(OPTIONS.name)
    sys.exit(main())
