"""Where runs are computed: one after another in one process, in several here, or on a scheduler's workers."""
import os
import time
from dataclasses import asdict, dataclass

from .database import remember, setting

WAYS = ("one", "processes", "scheduler")
MOST_PROCESSES = 256
# Seconds after which what was last known of the workers is of no use.
FRESH = 20.0
_PLACE, _CREW = "place", "crew"


class PlaceError(ValueError):
    """A choice that cannot be; `path` is its field."""
    def __init__(self, path, message):
        super().__init__(message)
        self.path = path


@dataclass(frozen=True)
class Place:
    """Where runs are computed.

    Attributes
    ----------
    way : {"one", "processes", "scheduler"}
    processes : int
        Of this machine; as many as it has cores where 0.
    scheduler : str
        Address of a Dask scheduler.
    """

    way: str = "one"
    processes: int = 0
    scheduler: str = ""

    @property
    def count(self):
        """How many processes of this machine."""
        return self.processes or cores()


def cores():
    """Cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def read_place(way, processes="", scheduler=""):
    """The `Place` of what a person typed; raises `PlaceError`."""
    if way not in WAYS:
        raise PlaceError("way", f"“{way}” is no way to compute. Accepted: {', '.join(WAYS)}.")
    text, number = str(processes).strip(), 0
    if way == "processes" and text:
        number = int(text) if text.isdigit() else 0
        if not 1 <= number <= MOST_PROCESSES:
            raise PlaceError(
                "processes", f"“{text}” processes. Accepted: 1 to {MOST_PROCESSES}; nothing for as many as "
                f"this machine has cores ({cores()}).")
    address = scheduler.strip()
    if way == "scheduler":
        scheme, _, rest = address.partition("://")
        host, _, port = rest.rpartition(":")
        if scheme not in ("tcp", "tls", "ws", "wss") or not host or not port.isdigit() or int(port) > 65535:
            raise PlaceError(
                "scheduler", f"“{address}” is no address of a scheduler. Accepted: tcp://HOST:PORT or "
                "tls://HOST:PORT, as “dask scheduler” prints it, for example tcp://10.0.0.5:8786.")
    return Place(way, number, address if way == "scheduler" else "")


def place(database):
    """The laboratory's `Place`."""
    return Place(**(setting(database, _PLACE) or {}))


def choose_place(database, chosen):
    """Let runs be computed there from now on."""
    remember(database, _PLACE, asdict(chosen))


def note_crew(database, workers, problem=""):
    """What is known of the workers now, for pages.

    Parameters
    ----------
    workers : list of dict
        `address`, `host`, `cores`, `memory_mb`, `problem` and `runs` (their numbers).
    problem : str
        Why nothing can be handed out.
    """
    remember(database, _CREW, {"at": time.time(), "workers": workers, "problem": problem})


def crew(database):
    """What `note_crew` noted lately, or None."""
    known = setting(database, _CREW)
    return known if known and time.time() - known["at"] < FRESH else None
