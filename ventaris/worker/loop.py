"""The worker: one process that executes waiting runs, one after another."""
import fcntl
import os
import time
from pathlib import Path

from ..core.sheet import read_sheet
from ..core.sound.jet import FOLLOW_EVERY, JetFlow
from ..core.study.execute import execute
from ..store import runs, searches
from ..store.database import StoreError, open_database
from ..store.surfaces import serve_library
from .job import Job

IDLE_WAIT = 0.15


class Lock:
    """The lock of a data folder's only worker; released by the system when the process ends."""
    def __init__(self, folder):
        Path(folder).mkdir(parents=True, exist_ok=True)
        self._file = open(Path(folder) / "worker.lock", "a+")

    def take(self):
        """Whether this process is now the worker."""
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return True
        except BlockingIOError:
            self._file.close()
            return False

    def release(self):
        self._file.close()


def is_worker_running(folder):
    """Whether some process holds the folder's worker lock."""
    lock = Lock(folder)
    if lock.take():
        lock.release()
        return False
    return True


def warm_up():
    """Load the compiled loops, so that the first run of a person starts at once."""
    warm_up_sections()
    warm_up_bodies()


def warm_up_sections(whole=False):
    """Load the loops of planar and axisymmetric flow; the whole of them, as set-up does, takes twice as
    long."""
    rarer = ((2.0, "inviscid"), (0.3, "turbulent")) if whole else ()
    for mach, model in ((0.3, "laminar"), *rarer, (0.8, "inviscid")):
        sheet = read_sheet({
            "format": 1, "air": {"motion": "mach", "mach": mach}, "flow": {"model": model},
            "grid": {"level": "coarse", "around": 64, "layers": 24,
                     "wake": 16}, "run": {"steps": 5, "first_order_steps": 2}
        })
        for _ in execute(sheet):
            pass
    if whole:
        JetFlow(1.0, 1.2, 1 / 1.2, 1.15, 0.79, cells=8).advance(FOLLOW_EVERY)


def warm_up_bodies(whole=False):
    """Load the loops of flow in space."""
    # Beyond Mach 1 a closure is solved with exact products, below with held ones.
    rarer = ((0.1, {"model": "turbulent", "closure": "sst"}), (2.0, {"model": "turbulent"})) if whole else ()
    for mach, flow in ((0.1, {"model": "turbulent"}), *rarer, (0.8, {"model": "inviscid"})):
        ball = {"name": "ball", "kind": "ellipsoid", "length": 1, "width": 1, "height": 1}
        sheet = read_sheet({
            "format": 1, "space": "body", "shape": {"parts": [ball]}, "air": {"motion": "mach", "mach": mach},
            "flow": flow, "domain": {"ahead": 1, "behind": 1, "beside": 1},
            "grid": {"level": "coarse", "surface_size": 0.06,
                     "wake_length": 0}, "run": {"steps": 5, "first_order_steps": 2}
        })
        for _ in execute(sheet):
            pass


def work(folder, until_idle=False, parent=None):
    """Execute waiting runs until told to end.

    Parameters
    ----------
    folder : path
    until_idle : bool
        Return when nothing is waiting.
    parent : int or None
        When this process is no longer there, finish what is waiting and end.

    Returns
    -------
    int
        Exit code; 1 when another worker holds the folder.
    """
    lock = Lock(folder)
    if not lock.take():
        print(f"another worker serves {folder}", flush=True)
        return 1
    try:
        return _serve_queue(folder, until_idle, parent)
    finally:
        lock.release()


def _search_goes_on(database):
    """Whether a search has queued a run, now that nothing else waits."""
    try:
        return searches.advance(database)
    except StoreError as error:
        print(error, flush=True)
        return False


def _left_behind(database):
    """Runs that are marked as running although nothing executes them (their end could not be stored) go back
    into the queue."""
    try:
        runs.recover(database)
    except StoreError as error:
        print(error, flush=True)


def _serve_queue(folder, until_idle, parent):
    database = open_database(folder)
    serve_library(folder)
    # Holding the lock means that every run marked as running was left by a dead worker.
    runs.recover(database)
    warm_up()
    name = f"process {os.getpid()}"
    while True:
        try:
            run = runs.claim(database, name)
        except StoreError as error:
            print(error, flush=True)
            run = None
            time.sleep(5)
        if run:
            Job(database, run).work()
            _left_behind(database)
        elif _search_goes_on(database):
            continue
        elif until_idle or (parent and os.getppid() != parent):
            database.close()
            return 0
        else:
            time.sleep(IDLE_WAIT)
