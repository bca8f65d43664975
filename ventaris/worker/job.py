"""Execute one run of the store, with checkpoints, and heed what a person asks for."""
import math
import time
import traceback

from ..core.grids.mesh import MeshError
from ..core.sheet import SheetError, read_toml
from ..core.shapes.coordinates import ShapeError
from ..core.study.execute import execute
from ..core.study.kinds.registry import kind_of
from ..core.study.progress import Checkpoint, RunFailed
from ..store import runs
from ..store.database import StoreError, Vanished
from ..store.fields import pack_frames, unpack_field
from ..store.kept import pack_kept_field, pack_kept_readings

RECORD_EVERY = 0.25
DISK_WAIT = 5.0
PICTURE_EVERY = 0.8
CHECKPOINT_EVERY = 3.0
# How what is kept of a neighbour is read.
READ_KEPT = {"checkpoint": Checkpoint.from_bytes, "field": lambda data: unpack_field(data)[1:]}
# Seconds between two looks for a shorter run, and what must be left of this one to make way.
MAKE_WAY_EVERY, LEAST_LEFT = 5.0, 60.0


class Job:
    """One run being executed.

    Parameters
    ----------
    database : connection
    run : dict, as `runs.claim` gives it
    """
    def __init__(self, database, run):
        self.database, self.run, self.id = database, run, run["id"]
        self.pending, self.line = [], ""
        self.picture_seconds = self.checkpoint_seconds = 0.0
        self.recorded = self.pictured = self.saved = 0.0
        self.started = self.looked = time.monotonic()
        self.resumed_at = 0

    def work(self):
        """Run to the end, to a pause or to a stop; the outcome is stored, never raised."""
        try:
            self._work()
        except (SheetError, ShapeError, MeshError, RunFailed) as error:
            self._fail(str(error))
        except MemoryError:
            self._fail("The machine ran out of memory. Use fewer cells.")
        except SystemExit:
            # The program is being ended: that is no fault of the run.
            runs.put_back(self.database, self.id,
                          "The program was ended; the run goes on from its last checkpoint")
            raise
        except Vanished:
            print(f"run {self.id} was deleted", flush=True)
        except StoreError as error:
            self._wait_for_disk(error)
        except Exception as error:
            self._fail(
                f"The program made a mistake: {type(error).__name__}: {error}. Your inputs are kept; please "
                "report this.",
                traceback.format_exc())

    def _work(self):
        sheet = read_toml(self.run["sheet"])
        checkpoint = self._checkpoint()
        if checkpoint:
            runs.forget_history_after(self.database, self.id, len(checkpoint.history))
            runs.say(self.database, self.id,
                     f"Going on from the checkpoint at step {len(checkpoint.history)}")
            self.resumed_at = len(checkpoint.history)
        neighbour = None
        if kind_of(sheet).neighbourhood and sheet.run.start == "neighbour" and not checkpoint:
            neighbour = self._neighbour(sheet)
        self.execution = execute(sheet, checkpoint, self.run["extra_steps"], neighbour)
        for progress in self.execution:
            self.pending.append(self.execution.history[-1])
            if progress.message:
                self.line = progress.message
            request = self._store(progress)
            if request == "gone":
                return
            if request:
                self._leave(request)
                return
            if self._makes_way(progress):
                return
        self._keep_picture(with_layer=True)
        result = self.execution.result
        recorder = self.execution.recorder
        if recorder and recorder.frames:
            runs.keep_array(self.database, self.id, "frames",
                            pack_frames(recorder.times, recorder.frames, recorder.mean))
        self._keep_checkpoint()
        settled = result["verdict"]["settled"]
        self._flush({"share": 1.0, "level": result["levels"][-1]["level"], "left": 0})
        runs.finish(self.database, self.id, "settled" if settled else "stopped", result,
                    line=result["verdict"]["words"])
        if not result.get("noise"):
            runs.learn_cost(self.database, result["cost_per_cell_step"], sheet.space)

    def _neighbour(self, sheet):
        """What is kept of the finished run of the same variant whose operating point is nearest and whose
        other inputs are the same, or None."""
        near, found = kind_of(sheet).neighbourhood, []
        for other in runs.finished_of_variant(self.database, self.run["variant_id"]):
            there = read_toml(other["sheet"])
            if other["id"] == self.id or near.obstacles(sheet, there):
                continue
            away = near.away(sheet.air, there.air)
            if math.isfinite(away):
                found.append((away, -other["id"], other["point_name"]))
        for _, newest, name in sorted(found):
            data = runs.kept_array(self.database, -newest, near.kept)
            try:
                kept = data and READ_KEPT[near.kept](data)
            except RunFailed:
                kept = None
            if kept:
                runs.say(self.database, self.id, f"Starting from {name}")
                return kept
        runs.say(self.database, self.id, "No finished neighbour yet: the run begins afresh")
        return None

    def _checkpoint(self):
        """The run's checkpoint, or None: without one, or with a damaged one, it begins afresh."""
        kept = runs.kept_array(self.database, self.id, "checkpoint")
        try:
            return Checkpoint.from_bytes(kept) if kept else None
        except RunFailed as error:
            runs.say(self.database, self.id, f"{error} It begins at the first step.")
            runs.forget_history_after(self.database, self.id, 0)
            return None

    def _store(self, progress):
        now = time.monotonic()
        if now - self.recorded < RECORD_EVERY:
            return ""
        self.recorded = now
        spent = now - self.started
        left = self._left(spent, progress.share)
        request = self._flush({
            "share": progress.share, "level": progress.level, "step": progress.step,
            "level_step": progress.level_step, "residual": progress.residual, "courant": progress.courant,
            "left": left, **progress.channels
        })
        # Pictures of large fields take their time: no more than a tenth of the run may go into them.
        if now - self.pictured > max(PICTURE_EVERY, 10 * self.picture_seconds):
            self.pictured = now
            self._keep_picture()
        if now - self.saved > max(CHECKPOINT_EVERY, 20 * self.checkpoint_seconds):
            self._keep_checkpoint()
            self.saved, self.checkpoint_seconds = time.monotonic(), time.monotonic() - now
        return request

    def _left(self, spent, share):
        """Seconds that are left: by the estimate at first, ever more by the share that is done."""
        by_share = spent * (1 - share) / max(share, 1e-3)
        if not self.run.get("estimate") or self.resumed_at:
            return by_share
        return share * by_share + (1 - share) * max(self.run["estimate"] *
                                                    (1 - share), by_share if share > 0.5 else 0.0)

    def _makes_way(self, progress):
        """Whether a much shorter run takes this one's place for a while."""
        now = time.monotonic()
        if now - self.looked < MAKE_WAY_EVERY:
            return False
        self.looked = now
        left = self._left(now - self.started, progress.share)
        if left < LEAST_LEFT or not runs.shorter_waiting(self.database, self.id, left):
            return False
        self._keep_checkpoint()
        runs.put_back(self.database, self.id, "Makes way for a shorter run; goes on from here afterwards")
        return True

    def _flush(self, progress):
        request = runs.record(self.database, self.id, "running", self.pending, progress, self.line)
        self.pending, self.line = [], ""
        return request

    def _keep_picture(self, with_layer=False):
        began = time.monotonic()
        runs.keep_array(self.database, self.id, "field", pack_kept_field(self.execution.kept_field()))
        readings = self.execution.kept_readings(with_layer)
        if readings is not None:
            runs.keep_array(self.database, self.id, "taps", pack_kept_readings(readings))
        self.picture_seconds = time.monotonic() - began

    def _keep_checkpoint(self):
        checkpoint = self.execution.checkpoint()
        runs.keep_array(self.database, self.id, "checkpoint", checkpoint.to_bytes())
        if len(checkpoint.history) > self.resumed_at:
            runs.note_progress(self.database, self.id)

    def _leave(self, request):
        self._keep_checkpoint()
        self._keep_picture()
        if request == "pause":
            runs.finish(self.database, self.id, "paused", line="Paused")
        else:
            result = self.execution.conclude(stopped=True)
            runs.finish(self.database, self.id, "stopped", result, line=result["verdict"]["words"])

    def _fail(self, message, details=""):
        runs.finish(self.database, self.id, "failed", error=message, line=message)
        if details:
            print(details, flush=True)

    def _wait_for_disk(self, error):
        """The store refuses (a full disk): keep trying to say so, however long it takes; no other run could
        be stored meanwhile."""
        print(f"run {self.id}: {error}", flush=True)
        while True:
            time.sleep(DISK_WAIT)
            try:
                runs.finish(
                    self.database, self.id, "paused",
                    line=f"{error} The run is paused at its last checkpoint; resume it when there is space.")
                return
            except StoreError:
                continue
