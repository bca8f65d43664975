"""The worker as a process: ``python -m ventaris.worker.main FOLDER [PARENT]``."""
import signal
import sys

from .loop import work


def main():
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # An orderly end: what is being executed goes back into the queue.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    parent = int(sys.argv[2]) if len(sys.argv) > 2 else None
    return work(sys.argv[1], parent=parent)


if __name__ == "__main__":
    sys.exit(main())
