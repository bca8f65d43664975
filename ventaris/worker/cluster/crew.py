"""The worker processes that runs are handed to, over Dask distributed: who is there, and the line to them."""
import pickle
import tempfile
import threading
import time
import uuid
from collections import OrderedDict
from dataclasses import dataclass, field

import distributed

from . import away

LOOK_EVERY = 1.0
CONNECT_WITHIN = 15.0
# Imported surfaces that stay with a worker for its next runs.
SURFACES_KEPT = 4
# What may come back from all workers together while they compute: bytes and records of progress a second; and
# the least time between two records of a run.
BYTES_PER_SECOND, RECORDS_PER_SECOND, RECORD_EVERY = 8e6, 250.0, 0.8


# Nobody looks at where workers spend their time, which is found out a hundred times a second by themselves.
QUIET = {"DASK_DISTRIBUTED__WORKER__PROFILE__ENABLED": "False"}


class CrewError(RuntimeError):
    """The scheduler cannot be reached; the message says which and what to do."""


@dataclass
class Member:
    """A worker process.

    Attributes
    ----------
    address, host : str
    cores : int
    memory_mb : float
        Of its machine.
    limit_mb : float or None
        What this process may take, where it has a limit.
    problem : str
        Why it gets no runs; empty where it does.
    surfaces : OrderedDict
        Imported surfaces that it holds, by key.
    warm : Future or None
        Its compiled loops being loaded, so that no run waits for them.
    """

    address: str
    host: str = ""
    cores: int = 1
    memory_mb: float = 0.0
    limit_mb: float | None = None
    problem: str = ""
    surfaces: OrderedDict = field(default_factory=OrderedDict)
    warm: distributed.Future | None = None

    @property
    def is_ready(self):
        """Whether it can be given a run, as far as it is concerned."""
        return not self.problem and (self.warm is None or self.warm.done())


def traffic(workers):
    """What one of so many workers may send, as a task says it: one machine stores it all."""
    workers = max(workers, 1)
    return {"bytes_per_second": BYTES_PER_SECOND / workers,
            "record_every": max(RECORD_EVERY, workers / RECORDS_PER_SECOND)}


class DaskCrew:
    """Workers of a Dask scheduler.

    Parameters
    ----------
    scheduler : str
        Its address, for example "tcp://10.0.0.5:8786"; empty for processes of this machine.
    processes : int
        How many of them, where there is no scheduler.
    """
    def __init__(self, scheduler="", processes=2):
        self.scheduler, self.is_local = scheduler, not scheduler
        self.line = f"ventaris-{uuid.uuid4().hex[:12]}"
        self._cluster = None
        self._members, self._futures, self._looked = {}, {}, 0.0
        if self.is_local:
            self._cluster = distributed.LocalCluster(
                n_workers=processes, threads_per_worker=1, processes=True, dashboard_address=None,
                memory_limit=0, silence_logs="ERROR", local_directory=tempfile.gettempdir(), env=QUIET)
        try:
            self._client = distributed.Client(self._cluster or scheduler, timeout=CONNECT_WITHIN,
                                              set_as_default=False)
            self._queue = distributed.Queue(self.line, client=self._client)
            self._own, self._bell = away.probe(), threading.Event()
            self._client.subscribe_topic(self.line, lambda event: self._bell.set())
        except (OSError, TimeoutError, ValueError) as error:
            raise CrewError(
                f"No Dask scheduler answers at {scheduler} ({error}). Start one there with “dask scheduler”, "
                "or give the address that it prints.") from error

    def members(self):
        """{address: Member} of all that are there now; new ones are asked who they are.

        Raises
        ------
        CrewError
            Where the scheduler is gone.
        """
        now = time.monotonic()
        if self._members and now - self._looked < LOOK_EVERY:
            return self._members
        self._looked = now
        try:
            there = self._client.scheduler_info(n_workers=-1)["workers"]
            if self._client.status != "running":
                raise OSError("the connection is closed")
        except (OSError, TimeoutError, RuntimeError) as error:
            raise CrewError(
                f"The Dask scheduler at {self.scheduler or 'this machine'} is gone: {error}") from error
        new = [address for address in there if address not in self._members]
        said = self._client.run(away.probe, workers=new, on_error="return") if new else {}
        for address in new:
            self._members[address] = self._introduced(address, there[address], said.get(address))
        for address in [a for a in self._members if a not in there]:
            del self._members[address]
        return self._members

    def _introduced(self, address, info, said):
        limit = (info.get("memory_limit") or 0) / 1e6 or None
        if not isinstance(said, dict):
            return Member(address, info.get("host", ""), limit_mb=limit,
                          problem=f"Ventaris cannot be loaded there ({said}). Install the same version.")
        member = Member(address, said["host"], said["cores"], said["memory_mb"], limit, self._unlike(said))
        if not member.problem:
            member.warm = self._client.submit(away.warm, workers=[address], allow_other_workers=False,
                                              pure=False, retries=0)
        return member

    def _unlike(self, said):
        """Why another process would not compute the same numbers; empty where it would."""
        if said["sources"] != self._own["sources"]:
            return "It has another version of Ventaris. Install this one there."
        unlike = [
            f"{name} {version} (here {self._own['packages'][name]})"
            for name, version in said["packages"].items() if version != self._own["packages"][name]
        ]
        if said["python"] != self._own["python"]:
            unlike.append(f"Python {said['python']} (here {self._own['python']})")
        return f"It has other versions: {', '.join(unlike)}." if unlike else ""

    def begin(self, address, task, surfaces):
        """Send a task to a worker.

        Parameters
        ----------
        address : str
        task : dict, see `away.compute`; the line and the share of the traffic are filled in here
        surfaces : dict
            Packed imported surfaces by key.
        """
        member = self._members[address]
        kept = member.surfaces
        for key, data in surfaces.items():
            if key not in kept:
                kept[key] = self._client.scatter(data, workers=[address], hash=False)
            kept.move_to_end(key)
        held = [kept[key] for key in surfaces]
        while len(kept) > max(SURFACES_KEPT, len(surfaces)):
            kept.popitem(last=False)
        task = {**task, "line": self.line, "surfaces": list(surfaces), **traffic(len(self._members))}
        # The workers' own rules for what goes first do not matter: each has one run at a time.
        self._futures[task["token"]] = self._client.submit(
            away.compute, task, *held, workers=[address], allow_other_workers=False, pure=False,
            key=task["token"], retries=0)

    def took(self, wait=0.0):
        """What has come down the line since, as (token, list of messages); waits up to `wait` seconds for the
        first word."""
        self._bell.wait(wait)
        self._bell.clear()
        try:
            return [(token, pickle.loads(data)) for token, data in self._queue.get(batch=True)]
        except (OSError, TimeoutError, RuntimeError) as error:
            raise CrewError(f"The Dask scheduler at {self.scheduler} is gone: {error}") from error

    def broken(self):
        """{token: why} of tasks that are over, as Dask sees it; an ended one has no why."""
        out = {}
        for token, future in self._futures.items():
            if future.status in ("error", "lost", "cancelled"):
                out[token] = str(future.exception()) if future.status == "error" else future.status
            elif future.status == "finished":
                out[token] = ""
        return out

    def forget(self, token):
        """A task's outcome is stored, or it is another's now."""
        future = self._futures.pop(token, None)
        if future is not None:
            future.release()

    def tell(self, address, wishes):
        """Say what is wished of a worker's runs, {token: wish}; an empty dict just says that we are here."""
        try:
            self._client.run(away.hear, wishes, workers=[address] if address else None, on_error="ignore")
        except (OSError, TimeoutError, RuntimeError, ValueError):
            # A worker that is gone is found out when members are looked for.
            pass

    def close(self):
        """End the processes that were started here, and the connection."""
        for close in (self._queue.close, self._client.close,
                      *([self._cluster.close] if self._cluster else [])):
            try:
                close()
            except (OSError, TimeoutError, RuntimeError):
                continue

