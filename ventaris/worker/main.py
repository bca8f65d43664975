"""The worker as a process: ``python -m ventaris.worker.main FOLDER [PARENT]``."""
import signal
import sys

from .loop import work


def main():
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    parent = int(sys.argv[2]) if len(sys.argv) > 2 else None
    return work(sys.argv[1], parent=parent)


if __name__ == "__main__":
    sys.exit(main())
