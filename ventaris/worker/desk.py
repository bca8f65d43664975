"""Where a run's job finds what it begins with and leaves what comes out: the store, in the same process."""
import math

from ..core.sheet import read_toml
from ..core.study.kinds.registry import kind_of
from ..store import runs


class Abandoned(RuntimeError):
    """Nobody waits for the run any more: its job ends without a word."""


class Desk:
    """The store of a data folder, as one run sees it.

    Parameters
    ----------
    database : connection
    run : dict, as `runs.claim` gives it
    """

    # Seconds between two records of progress.
    record_every = 0.25

    def __init__(self, database, run):
        self.database, self.id = database, run["id"]
        self._variant = run["variant_id"]

    def checkpoint(self):
        """Bytes of the run's last checkpoint, or None."""
        return runs.kept_array(self.database, self.id, "checkpoint")

    def neighbours(self, sheet):
        """What is kept of finished runs of the same variant whose other inputs are the same, as (name of the
        operating point, bytes), the nearest operating point first."""
        near, found = kind_of(sheet).neighbourhood, []
        for other in runs.finished_of_variant(self.database, self._variant):
            there = read_toml(other["sheet"])
            if other["id"] == self.id or near.obstacles(sheet, there):
                continue
            away = near.away(sheet.air, there.air)
            if math.isfinite(away):
                found.append((away, -other["id"], other["point_name"]))
        for _, newest, name in sorted(found):
            data = runs.kept_array(self.database, -newest, near.kept)
            if data:
                yield name, data

    def pause_after(self, size):
        """Seconds to wait after an array of so many bytes was kept before the next of its kind."""
        return 0.0

    def shorter_waiting(self, left):
        """Whether a much shorter run waits for this one's place."""
        return runs.shorter_waiting(self.database, self.id, left)

    def record(self, entries, progress, line=""):
        """Store steps and progress; what a person has asked for meanwhile, "gone" when the run was
        deleted."""
        return runs.record(self.database, self.id, "running", entries, progress, line)

    def keep(self, kind, data):
        """Store an array."""
        runs.keep_array(self.database, self.id, kind, data)

    def drop(self, kind):
        """Let go of an array."""
        runs.drop_array(self.database, self.id, kind)

    def say(self, line):
        """A line of the run's log."""
        runs.say(self.database, self.id, line)

    def forget_history_after(self, step):
        """Drop steps beyond a checkpoint."""
        runs.forget_history_after(self.database, self.id, step)

    def note_progress(self):
        """A checkpoint beyond the one this attempt began with is stored."""
        runs.note_progress(self.database, self.id)

    def put_back(self, line):
        """Let the run wait again."""
        runs.put_back(self.database, self.id, line)

    def finish(self, state, result=None, error="", line=""):
        """End or pause the run."""
        runs.finish(self.database, self.id, state, result, error, line)

    def learn_cost(self, cost, space):
        """Let the run's time improve this machine's estimates."""
        runs.learn_cost(self.database, cost, space)
