"""A crew without processes: workers that only say what they are told to say."""
from ventaris.worker.cluster.crew import Member


class StandIn:
    """As `DaskCrew`; tests speak for the workers.

    Parameters
    ----------
    machines : dict
        Machine's name to (workers, megabytes of memory).
    """

    is_local = True

    def __init__(self, machines, cores=2):
        self.there = {
            f"tcp://{host}:{k}": Member(f"tcp://{host}:{k}", host, cores, memory)
            for host, (workers, memory) in machines.items()
            for k in range(workers)
        }
        self.tasks, self.line, self.told, self.over, self.forgotten = {}, [], [], {}, []
        self.closed = False

    def members(self):
        return self.there

    def begin(self, address, task, surfaces):
        self.tasks[task["token"]] = {**task, "address": address, "surfaces": surfaces}

    def took(self, wait=0.0):
        line, self.line = self.line, []
        return line

    def broken(self):
        return self.over

    def forget(self, token):
        self.forgotten.append(token)
        self.tasks.pop(token, None)

    def tell(self, address, wishes):
        self.told += list(wishes.items())

    def close(self):
        self.closed = True

    # What tests say.

    def at(self, run_id):
        """(token, task) of the run."""
        return next((token, task) for token, task in self.tasks.items() if task["id"] == run_id)

    def say(self, run_id, *messages):
        """The worker of a run sends messages."""
        self.line.append((self.at(run_id)[0], list(messages)))
