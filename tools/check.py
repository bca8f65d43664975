"""Run the tests, two modules at a time, and close with a plain line: ``N passed, N failed, N skipped``."""
import io
import multiprocessing
import sys
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
# A plain mistake shows first; then the longest modules, so that both cores end together.
ORDER = ("tests/test_architecture.py", "tests/validation", "tests/test_demo_and_cli.py", "tests/web",
         "tests/core", "tests/store", "tests/worker")
# One for each core: most of the loops that tests run are too small to share.
AT_ONCE = 2
SLOWEST = 16


def modules():
    """Dotted names of all test modules, in the order in which they are begun."""
    found = [
        path for place in ORDER
        for path in ([ROOT / place] if place.endswith(".py") else sorted((ROOT / place).rglob("test_*.py")))
    ]
    left = set((ROOT / "tests").rglob("test_*.py")) - set(found)
    return [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in found + sorted(left)]


class Timed(unittest.TextTestResult):
    """Remembers how long each test took."""
    def __init__(self, *args, **more):
        super().__init__(*args, **more)
        self.seconds = {}

    def startTest(self, test):
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):
        super().stopTest(test)
        self.seconds[test.id()] = time.monotonic() - self.began


def run_module(name):
    """(name, seconds, run, failed titles, skipped, what the runner printed, {test: seconds}) of a module."""
    began, out = time.monotonic(), io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    # Runs free their memory level by level: the collector need not look through all modules each time.
    from ventaris.core.memory import settle_memory
    settle_memory()
    result = unittest.TextTestRunner(out, verbosity=1, buffer=True, resultclass=Timed).run(suite)
    failed = {str(test).split(" (")[0] for test, _ in result.failures + result.errors}
    failed |= {str(test).split(" (")[0] for test in result.unexpectedSuccesses}
    return name, time.monotonic() - began, result.testsRun, sorted(failed), len(
        result.skipped), out.getvalue(), result.seconds


def main():
    sys.path.insert(0, str(ROOT))
    done = []
    with multiprocessing.get_context("spawn").Pool(AT_ONCE) as pool:
        for answer in pool.imap_unordered(run_module, modules()):
            name, seconds, run, failed, skipped, said, _ = answer
            done.append(answer)
            print(f"{name}: {run} in {seconds:.0f} s" + (f", {len(failed)} FAILED" if failed else ""),
                  flush=True)
            if failed or not run:
                print(said, flush=True)
    for kind, times in (("modules", {a[0]: a[1]
                                     for a in done}), ("tests",
                                                       {name: t
                                                        for a in done
                                                        for name, t in a[6].items()})):
        slowest = sorted(times, key=times.get, reverse=True)[:SLOWEST]
        print(f"\nslowest {kind}: " + ", ".join(f"{name} {times[name]:.0f} s" for name in slowest))
    run, skipped = sum(a[2] for a in done), sum(a[4] for a in done)
    failed = [title for a in done for title in a[3]]
    print(f"\n{run - len(failed) - skipped} passed, {len(failed)} failed, {skipped} skipped", flush=True)
    return 1 if failed or not all(a[2] for a in done) else 0


if __name__ == "__main__":
    sys.exit(main())
