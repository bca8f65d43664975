"""Execute one run of the store, with checkpoints, and heed what a person asks for."""
import time
import traceback

from ..core.grids.mesh import MeshError
from ..core.sheet import SheetError, read_toml
from ..core.shapes.coordinates import ShapeError
from ..core.study.cores import cores_at_most
from ..core.study.execute import execute
from ..core.study.kinds.registry import kind_of
from ..core.study.progress import Checkpoint, RunFailed
from ..core.study.time_left import TimeLeft
from ..store.database import StoreError, Vanished
from ..store.drawn import drawn_field, small_picture
from ..store.fields import pack_frames, unpack_field
from ..store.kept import pack_kept_field, pack_kept_readings
from .desk import Abandoned, Desk

ENDED_FROM_OUTSIDE = "The program was ended; the run goes on from its last checkpoint"
DISK_WAIT = 5.0
PICTURE_EVERY = 0.8
CHECKPOINT_EVERY = 3.0
# How what is kept of a neighbour is read.
READ_KEPT = {"checkpoint": Checkpoint.from_bytes, "field": lambda data: unpack_field(data)[1:]}
# What of a run's arrays goes at its end, by what it shall keep.
LET_GO = {"all": (), "fields": ("checkpoint", ), "numbers": ("checkpoint", "field", "frames")}
# Seconds between two looks for a shorter run, and what must be left of this one to make way.
MAKE_WAY_EVERY, LEAST_LEFT = 5.0, 60.0


def of_store(database, run):
    """The `Job` of a run whose things are in this process's store."""
    return Job(Desk(database, run), run)


class Job:
    """One run being executed.

    Parameters
    ----------
    desk : Desk
        Where the run's things are kept.
    run : dict
        With `id`, `sheet`, `extra_steps` and `estimate`, as `runs.claim` gives it.
    """
    def __init__(self, desk, run):
        self.desk, self.run, self.id = desk, run, run["id"]
        self.pending, self.line = [], ""
        self.picture_rest = self.checkpoint_rest = 0.0
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
            self.desk.put_back(ENDED_FROM_OUTSIDE)
            raise
        except (Vanished, Abandoned) as error:
            print(f"run {self.id} is given up: {error}", flush=True)
        except StoreError as error:
            self._wait_for_disk(error)
        except Exception as error:
            self._fail(
                f"The program made a mistake: {type(error).__name__}: {error}. Your inputs are kept; please "
                "report this.",
                traceback.format_exc())

    def _work(self):
        sheet = read_toml(self.run["sheet"])
        with cores_at_most(sheet.run.cores):
            self._execute(sheet)

    def _execute(self, sheet):
        checkpoint = self._checkpoint()
        if checkpoint:
            self.desk.forget_history_after(len(checkpoint.history))
            self.desk.say(f"Going on from the checkpoint at step {len(checkpoint.history)}")
            self.resumed_at = len(checkpoint.history)
        neighbour = None
        if kind_of(sheet).neighbourhood and sheet.run.start == "neighbour" and not checkpoint:
            neighbour = self._neighbour(sheet)
        self.execution = execute(sheet, checkpoint, self.run["extra_steps"], neighbour)
        self.time_left = TimeLeft(self.execution)
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
            self.desk.keep("frames", pack_frames(recorder.times, recorder.frames, recorder.mean))
        self._keep_checkpoint()
        self._keep_only(sheet)
        settled = result["verdict"]["settled"]
        self._flush({"share": 1.0, "level": result["levels"][-1]["level"], "left": 0})
        # What fewer cores took is no measure of this machine.
        if not result.get("noise") and not sheet.run.cores:
            self.desk.learn_cost(result["cost_per_cell_step"], sheet.space)
        self.desk.finish("settled" if settled else "stopped", result, line=result["verdict"]["words"])

    def _keep_only(self, sheet):
        """Let go of what shall not be kept; a small picture stays of a flow that does not."""
        if sheet.run.keep == "numbers":
            self.desk.keep("picture", small_picture(drawn_field(sheet, pack_kept_field(
                self.execution.kept_field()))))
        for kind in LET_GO[sheet.run.keep]:
            self.desk.drop(kind)

    def _neighbour(self, sheet):
        """What is kept of the nearest finished run that can be read, or None."""
        read = READ_KEPT[kind_of(sheet).neighbourhood.kept]
        for name, data in self.desk.neighbours(sheet):
            try:
                kept = read(data)
            except RunFailed:
                continue
            self.desk.say(f"Starting from {name}")
            return kept
        self.desk.say("No finished neighbour yet: the run begins afresh")
        return None

    def _checkpoint(self):
        """The run's checkpoint, or None: without one, or with a damaged one, it begins afresh."""
        kept = self.desk.checkpoint()
        try:
            return Checkpoint.from_bytes(kept) if kept else None
        except RunFailed as error:
            self.desk.say(f"{error} It begins at the first step.")
            self.desk.forget_history_after(0)
            return None

    def _store(self, progress):
        now = time.monotonic()
        if now - self.recorded < self.desk.record_every:
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
        if now - self.pictured > max(PICTURE_EVERY, self.picture_rest):
            self.pictured = now
            self._keep_picture()
        if now - self.saved > max(CHECKPOINT_EVERY, self.checkpoint_rest):
            self._keep_checkpoint()
            self.saved = time.monotonic()
        return request

    def _left(self, spent, share):
        """Seconds that are left: by what the levels have taken where one has ended; before it by the
        estimate, ever more by the share that is done."""
        left = self.time_left.seconds()
        if left is not None:
            return left
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
        if left < LEAST_LEFT or not self.desk.shorter_waiting(left):
            return False
        self._keep_checkpoint()
        self.desk.put_back("Makes way for a shorter run; goes on from here afterwards")
        return True

    def _flush(self, progress):
        request = self.desk.record(self.pending, progress, self.line)
        self.pending, self.line = [], ""
        return request

    def _keep_picture(self, with_layer=False):
        began, size = time.monotonic(), 0
        kept = [("field", pack_kept_field(self.execution.kept_field()))]
        readings = self.execution.kept_readings(with_layer)
        if readings is not None:
            kept.append(("taps", pack_kept_readings(readings)))
        for kind, data in kept:
            self.desk.keep(kind, data)
            size += len(data)
        self.picture_rest = max(10 * (time.monotonic() - began), self.desk.pause_after(size))

    def _keep_checkpoint(self):
        began, checkpoint = time.monotonic(), self.execution.checkpoint()
        data = checkpoint.to_bytes()
        self.desk.keep("checkpoint", data)
        if len(checkpoint.history) > self.resumed_at:
            self.desk.note_progress()
        self.checkpoint_rest = max(20 * (time.monotonic() - began), self.desk.pause_after(len(data)))

    def _leave(self, request):
        self._keep_checkpoint()
        if request == "end":
            self.desk.put_back(ENDED_FROM_OUTSIDE)
            return
        self._keep_picture()
        if request == "pause":
            self.desk.finish("paused", line="Paused")
        else:
            result = self.execution.conclude(stopped=True)
            self.desk.finish("stopped", result, line=result["verdict"]["words"])

    def _fail(self, message, details=""):
        self.desk.finish("failed", error=message, line=message)
        if details:
            print(details, flush=True)

    def _wait_for_disk(self, error):
        """The store refuses (a full disk): keep trying to say so, however long it takes; no other run could
        be stored meanwhile."""
        print(f"run {self.id}: {error}", flush=True)
        while True:
            time.sleep(DISK_WAIT)
            try:
                self.desk.finish(
                    "paused",
                    line=f"{error} The run is paused at its last checkpoint; resume it when there is space.")
                return
            except StoreError:
                continue
