"""What happens in a worker process of the cluster: it has no store, only what it was sent and a line back."""
import hashlib
import pickle
import platform
import socket
import threading
import time
from functools import cache
from importlib.metadata import version
from pathlib import Path

import numba
import psutil
from distributed import Queue, get_client, get_worker
from threadpoolctl import threadpool_limits

from ...core.memory import settle_memory
from ...core.shapes.library import library
from ...store.place import cores
from ..desk import Abandoned
from ..job import Job

PACKAGE = Path(__file__).parents[2]
# Rooms whose sources, and packages whose versions, decide what a run comes out as.
ROOMS, PACKAGES = ("core", "store", "worker"), ("numpy", "scipy", "numba", "distributed")
# Seconds without a word from whoever hands out runs after which a run is given up: another has it by then.
LONGEST_SILENCE = 90.0

# The compiled loops share the threads of their process: one run at a time.
_one_run = threading.Lock()
_wishes, _heard = {}, [0.0]


@cache
def _line(name):
    """Sends a value down the line, and rings at its other end."""
    queue, worker = Queue(name, client=get_client()), get_worker()

    def post(value):
        queue.put(value)
        worker.log_event(name, "")

    return post


@cache
def sources():
    """A short key of the program's own sources."""
    key = hashlib.sha256()
    for path in sorted(p for room in ROOMS for p in (PACKAGE / room).rglob("*.py")):
        key.update(str(path.relative_to(PACKAGE)).encode() + path.read_bytes())
    return key.hexdigest()[:16]


def probe():
    """What this process is: its program, packages, machine, cores and memory."""
    return {
        "sources": sources(), "packages": {name: version(name) for name in PACKAGES},
        "python": ".".join(platform.python_version_tuple()[:2]), "host": socket.gethostname(),
        "cores": cores(), "memory_mb": psutil.virtual_memory().total / 1e6
    }


def warm():
    """Load the compiled loops, before there is a run."""
    from ..loop import warm_up_sections
    with _one_run:
        warm_up_sections()
    settle_memory()


def hear(wishes):
    """Take note of what is asked of runs in this process, {token: "pause", "stop", "way", "end", "gone" or
    ""}, and that somebody is there."""
    _wishes.update(wishes)
    _heard[0] = time.monotonic()


def compute(task, *surfaces):
    """Execute one run; its outcome goes down the line, never out of here.

    Parameters
    ----------
    task : dict
        `token`, `line` (name of the queue), `id`, `sheet`, `extra_steps`, `estimate`, `checkpoint`,
        `neighbours`, `threads`, `record_every`, `bytes_per_second`, `surfaces` (keys).
    surfaces : packed imported surfaces, in the order of their keys
    """
    with _one_run:
        hear({})
        library.fetch = dict(zip(task["surfaces"], surfaces)).get
        desk = AwayDesk(task, _line(task["line"]))
        numba.set_num_threads(max(1, min(task["threads"], numba.config.NUMBA_NUM_THREADS)))
        with threadpool_limits(task["threads"]):
            Job(desk, task).work()
        desk.send()
        _wishes.pop(task["token"], None)


class AwayDesk:
    """A run's things on their way to the store: gathered, and sent together. As `Desk`.

    Parameters
    ----------
    task : dict, see `compute`
    post : callable
        Sends one value down the line.
    """

    def __init__(self, task, post):
        self._task, self._post, self._gathered = task, post, []
        self.record_every = task["record_every"]

    def _wish(self):
        return _wishes.get(self._task["token"], "")

    def send(self):
        """Send what has gathered; raises `Abandoned` where nobody is there any more."""
        if time.monotonic() - _heard[0] > LONGEST_SILENCE or self._wish() == "gone":
            raise Abandoned("nobody waits for this run any more")
        if not self._gathered:
            return
        try:
            self._post((self._task["token"], pickle.dumps(self._gathered)))
        except Exception as error:
            # Whatever the line breaks with, it cannot be said along that line.
            raise Abandoned(f"the line is broken: {error}") from error
        self._gathered = []

    def checkpoint(self):
        return self._task["checkpoint"]

    def neighbours(self, sheet):
        return iter(self._task["neighbours"])

    def pause_after(self, size):
        # Whoever stores all this, and the network, are shared with the other workers.
        return size / self._task["bytes_per_second"]

    def shorter_waiting(self, left):
        return self._wish() == "way"

    def record(self, entries, progress, line=""):
        self._gathered.append(("record", entries, progress, line))
        self.send()
        wish = self._wish()
        return wish if wish in ("pause", "stop", "end") else ""

    def keep(self, kind, data):
        self._gathered.append(("keep", kind, data))

    def drop(self, kind):
        self._gathered.append(("drop", kind))

    def say(self, line):
        self._gathered.append(("say", line))

    def forget_history_after(self, step):
        self._gathered.append(("forget_history_after", step))

    def note_progress(self):
        self._gathered.append(("note_progress", ))

    def learn_cost(self, cost, space):
        self._gathered.append(("learn_cost", cost, space))

    def put_back(self, line):
        self._gathered.append(("put_back", line))
        self.send()

    def finish(self, state, result=None, error="", line=""):
        self._gathered.append(("finish", state, result, error, line))
        self.send()
