"""Run the tests and close with a plain line: ``N passed, N failed, N skipped``."""
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]


def main():
    sys.path.insert(0, str(ROOT))
    # Quick rooms first, so that a plain mistake shows early.
    order = ("tests.test_architecture", "tests/core", "tests/store", "tests/worker", "tests/validation",
             "tests.test_demo_and_cli", "tests/web")
    suite, loader = unittest.TestSuite(), unittest.defaultTestLoader
    for place in order:
        suite.addTests(
            loader.discover(ROOT /
                            place, top_level_dir=ROOT) if "/" in place else loader.loadTestsFromName(place))
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(suite)
    failed = len({str(test).split(" (")[0]
                  for test, _ in result.failures + result.errors}) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    print(f"\n{result.testsRun - failed - skipped} passed, {failed} failed, {skipped} skipped", flush=True)
    return 0 if result.wasSuccessful() and result.testsRun > 0 and not loader.errors else 1


if __name__ == "__main__":
    sys.exit(main())
