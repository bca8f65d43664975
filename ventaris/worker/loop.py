"""The worker: the process that executes a laboratory's waiting runs, one after another, or has them executed
by others."""
import fcntl
import os
import time
from pathlib import Path

from ..core.memory import settle_memory
from ..core.sheet import read_sheet
from ..core.sound.jet import FOLLOW_EVERY, JetFlow
from ..core.study.execute import execute
from ..store import place, runs, searches
from ..store.database import StoreError, open_database
from ..store.surfaces import serve_library
from .job import of_store

# Seconds: between two looks at an empty queue, at the line of a crew, at where runs are to be computed, and
# before something that failed is tried again.
IDLE_WAIT, LINE_WAIT, PLACE_EVERY, AGAIN_AFTER = 0.15, 0.2, 1.0, 5.0
# Seconds between two lines of progress of a command.
SAY_EVERY = 5.0


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
    settle_memory()


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


def work(folder, until_idle=False, parent=None, where=None):
    """Execute waiting runs until told to end.

    Parameters
    ----------
    folder : path
    until_idle : bool
        Return when nothing is waiting.
    parent : int or None
        When this process is no longer there, finish what is waiting and end.
    where : Place or None
        Where they are computed; as the laboratory says where None.

    Returns
    -------
    int
        Exit code; 1 when another worker holds the folder.

    Raises
    ------
    CrewError
        Where `where` names a scheduler that does not answer at first.
    """
    lock = Lock(folder)
    if not lock.take():
        print(f"another worker serves {folder}", flush=True)
        return 1
    try:
        database = open_database(folder)
        serve_library(folder)
        # Holding the lock means that every run marked as running was left by a dead worker.
        runs.recover(database)
        _Service(database, until_idle, parent, where).serve()
        database.close()
        return 0
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


class _Service:
    """Serves a laboratory's queue, wherever its runs are computed.

    Parameters
    ----------
    database : connection
    until_idle, parent, where
        See `work`.
    """
    def __init__(self, database, until_idle, parent, where):
        self.database, self.until_idle, self.parent, self.given = database, until_idle, parent, where
        self._looked, self._said = 0.0, time.monotonic()

    def serve(self):
        """Until told to end."""
        while True:
            where = self.given or place.place(self.database)
            if (self._one_by_one if where.way == "one" else self._over_a_crew)(where):
                return

    def _is_over(self):
        """Whether an idle service has nothing more to do."""
        return self.until_idle or bool(self.parent and os.getppid() != self.parent)

    def _is_elsewhere(self, where):
        """Whether runs are to be computed elsewhere by now."""
        now = time.monotonic()
        if self.given or now - self._looked < PLACE_EVERY:
            return False
        self._looked = now
        return place.place(self.database) != where

    def _one_by_one(self, where):
        """Execute runs in this process; whether all is over, or just to be computed elsewhere."""
        name, is_warm = f"process {os.getpid()}", False
        settle_memory()
        while not self._is_elsewhere(where):
            try:
                run = runs.claim(self.database, name)
            except StoreError as error:
                print(error, flush=True)
                run = None
                time.sleep(AGAIN_AFTER)
            if run:
                of_store(self.database, run).work()
                _left_behind(self.database)
            elif _search_goes_on(self.database):
                continue
            elif self._is_over():
                return True
            elif not is_warm:
                # Nobody waits: the next run shall begin at once.
                warm_up()
                is_warm = True
            else:
                time.sleep(IDLE_WAIT)
        return False

    def _over_a_crew(self, where):
        """Have runs executed by other processes; as `_one_by_one`."""
        from .cluster.crew import CrewError, DaskCrew
        from .cluster.dispatch import Dispatcher
        try:
            dispatcher = Dispatcher(self.database, DaskCrew(where.scheduler, where.count))
        except CrewError as error:
            if self.given:
                raise
            return self._without_crew(where, error)
        try:
            while not self._is_elsewhere(where):
                if not self._turn(dispatcher):
                    # Runs may wait for workers that are still to come.
                    if self._is_over() and runs.next_waiting(self.database) is None:
                        return True
                    time.sleep(IDLE_WAIT)
            return False
        except CrewError as error:
            dispatcher.give_back("The scheduler is gone; the run goes on from its last checkpoint")
            return self._without_crew(where, error)
        finally:
            dispatcher.close()

    def _turn(self, dispatcher):
        try:
            busy = dispatcher.turn(LINE_WAIT)
        except StoreError as error:
            # A full disk: what came is kept until there is room.
            print(error, flush=True)
            time.sleep(AGAIN_AFTER)
            return True
        if self.given and time.monotonic() - self._said > SAY_EVERY:
            self._said = time.monotonic()
            print(dispatcher.words(), flush=True)
        return busy

    def _without_crew(self, where, error):
        """Wait for a scheduler, saying so; as `_one_by_one`."""
        print(error, flush=True)
        place.note_crew(self.database, [], str(error))
        end = time.monotonic() + AGAIN_AFTER
        while time.monotonic() < end and not self._is_elsewhere(where):
            if self._is_over() and not runs.next_waiting(self.database):
                return True
            time.sleep(IDLE_WAIT)
        return False
