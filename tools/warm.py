"""Compile the solver's loops: two kinds of flow that share hardly one of them, each on a core of its own."""
import multiprocessing
import sys

from ventaris.worker.loop import warm_up_bodies, warm_up_sections


def main():
    spawn = multiprocessing.get_context("spawn")
    both = [spawn.Process(target=warm_up, args=(True,)) for warm_up in (warm_up_sections, warm_up_bodies)]
    for process in both:
        process.start()
    for process in both:
        process.join()
    return int(any(process.exitcode for process in both))


if __name__ == "__main__":
    sys.exit(main())
