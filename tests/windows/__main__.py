"""Run these tests and those of other folders that hold on every system:  python -m tests.windows [NAME ...]"""

import sys
import unittest

from tests.windows.portable import PORTABLE

VERBOSITY = 1 + ("-v" in sys.argv)


def main(names: list[str]) -> int:
    """Count, and show what failed."""
    loader, suite = unittest.TestLoader(), unittest.TestSuite()
    for name in names or ["tests.windows.test_paths", "tests.windows.test_job", *PORTABLE]:
        suite.addTest(loader.loadTestsFromName(name))
    result = unittest.TextTestRunner(stream=sys.stdout, verbosity=VERBOSITY).run(suite)
    bad, skipped = len(result.failures) + len(result.errors), len(result.skipped)
    print(f"Windows: {result.testsRun - bad - skipped} passed, {bad} failed, {skipped} skipped")
    return 1 if bad or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main([word for word in sys.argv[1:] if word != "-v"]))
