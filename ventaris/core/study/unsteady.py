"""What an unsteady run needs beyond a steady one: its time step, the puff that starts it, frames and
statistics."""
import numpy as np

from .statistics import statistics_of
from .trend import mean_of_once
from .verdict import DRIFT, GROWTH

# Chords within which cells count for the Courant number in time.
NEAR = 1.0
FRAME_SPAN = 15.0
# Share of the start-up that is followed on the second finest level.
START_UP = 0.8
# Shedding of bluff bodies: frequency times height over speed, about, and steps for one period: BDF2 shifts a
# tone by 0.2 % with 80.
STROUHAL, STEPS_PER_PERIOD = 0.2, 80
# Where nothing sheds for certain, in chords.
STREAMLINED_STEP = 0.02
# A record whose halves still differ is followed on, by this share of its length, at most so often.
FOLLOW_ON, MOST_FOLLOWED_ON = 0.5, 3
# Periods from which on a tone of the start-up is worth comparing with.
LEAST_PERIODS = 2.5


def time_step(setup):
    """Time step in chords travelled by the stream: as given, by a Courant number, or by what resolves the
    shedding."""
    run = setup.sheet.run
    if run.time_step:
        return run.time_step
    if run.time_courant:
        return run.time_courant * _cell_size(setup)
    if setup.moving:
        return setup.moving.step
    size = bluff_size(setup)
    step = size / STROUHAL / STEPS_PER_PERIOD if size else STREAMLINED_STEP
    return min(step, setup.driven_step or step)


def bluff_size(setup):
    """Height across the stream of bodies that shed, in chords; 0 for streamlined ones."""
    round_ones = [np.ptp(o.polygon()[:, 1]) for o in setup.outlines if o.section.trailing_edge == "round"]
    return float(max(round_ones)) if round_ones else 0.0


def _cell_size(setup):
    """Length of a typical cell at the body's edge on the finest level, in chords."""
    size = setup.plan.wall_size if setup.is_hybrid else 2.0 / setup.plan.around
    return 0.1 * size * {"fine": 1, "medium": 2, "coarse": 4}[setup.levels[-1]]


def puff(mesh, state, setup):
    """A state with a small cross-wind puff behind the body, so that shedding need not wait for rounding
    errors."""
    share = setup.sheet.run.disturbance
    points = np.concatenate([o.polygon(60) for o in setup.outlines])
    x, y = points[:, 0].max() + 0.5, points[:, 1].mean() + 0.25 * np.ptp(points[:, 1])
    size = max(0.5 * np.ptp(points[:, 1]), 0.1)
    out = state.copy()
    out[:, 3] += share * setup.stream.mach * np.exp(-((mesh.centre - [x, y])**2).sum(1) / size**2)
    return out


def frame_of(state, scale):
    """The flow of a moment as films keep it, in half precision, shape (n_cells, 4)."""
    most = np.finfo(np.float16).max
    return np.clip(state[:, :4] / scale[:4], -most, most).astype(np.float16)


class MeanField:
    """The mean over time of states, column by column.

    Attributes
    ----------
    total : ndarray or None
        Sum so far.
    count : int
    """
    def __init__(self):
        self.total, self.count = None, 0

    def add(self, state):
        """Count one more moment; a first one, or one on another grid, begins afresh."""
        if self.total is None or self.total.shape != state.shape:
            self.total, self.count = np.zeros(state.shape), 0
        self.total += state
        self.count += 1

    @property
    def mean(self):
        return None if self.total is None else self.total / self.count

    def kept(self):
        """What a checkpoint keeps."""
        return {} if self.total is None else {"mean_total": self.total.copy(), "mean_count": self.count}

    def restore(self, kept):
        if "mean_total" in kept:
            self.total, self.count = kept["mean_total"], kept["mean_count"]


def moments_of(state, columns):
    """What is averaged of a state: its flow variables and the square of the pressure."""
    return np.column_stack([state[:, :columns], state[:, 0]**2])


def still_changing(channels):
    """Whether the swing or the mean drag differs between both halves of a record."""
    tone = next((channels[n] for n in ("lift", "drag") if n in channels and channels[n]["frequency"]), None)
    drag = channels.get("drag")
    return bool(tone and (tone["growth"] or 0.0) > GROWTH
                or drag and drag["drift"] > DRIFT * max(abs(drag["mean"]), 1e-6))


def frames_apart(run, step, span):
    """Steps between two frames that are kept: as asked, or so that they fill a span (in the unit of the
    step)."""
    if run.frame_every:
        return max(int(round(run.frame_every / step)), 1)
    return max(int(np.ceil(span / step / max(run.frames, 1))), 1)


class Recorder:
    """Keeps the channels in time, the mean field, and the frames of the last part of a run.

    Parameters
    ----------
    run : sheet Run
    step : float
        In chords.
    longer : float
        Factor on the time to follow.
    once : bool
        Whether what is followed happens once, so that its beginning counts and all of it is played back.
    """
    def __init__(self, run, step, longer=1.0, once=False):
        self.step, self.discard, self.count = step, 0.0 if once else run.discard, run.frames
        self.asked = self.steps = max(int(np.ceil(longer * run.duration / step)), 1)
        span = run.duration if once else min(FRAME_SPAN, run.duration * (1 - run.discard))
        self.every = frames_apart(run, step, span)
        self.frames, self.times = [], []
        self.entries, self.mean_field, self.coarse_tones, self.coarser = [], MeanField(), {}, None

    @property
    def start(self):
        """Time in chords from which on statistics are made."""
        return self.discard * len(self.entries) * self.step

    def add(self, time, channels, state, scale):
        """Keep one time step."""
        self.entries.append(channels)
        if len(self.entries) > self.discard * self.steps:
            self.mean_field.add(state[:, :4])
        left = self.steps - len(self.entries)
        if self.count and left % self.every == 0 and left < self.count * self.every:
            self.frames = [*self.frames, frame_of(state, scale)][-self.count:]
            self.times = [*self.times, time][-self.count:]

    def follow_on(self):
        """Whether the record goes on because its halves still differ; it does so a few times at most."""
        if self.steps >= self.asked * (1 + FOLLOW_ON * MOST_FOLLOWED_ON) - 1 or not still_changing(
                self.statistics()):
            return False
        self.steps += int(np.ceil(FOLLOW_ON * self.asked))
        return True

    def is_enough(self):
        """Whether the record may end before its time: never."""
        return False

    def share(self, on_last):
        """Rough share of the following in time that is done."""
        return len(self.entries) / self.steps

    def kept(self):
        """What a checkpoint keeps besides the entries and the mean field."""
        return {"coarser": self.coarser} if self.coarser else {}

    def begin_level(self):
        """Keep what happened on a coarser grid, and begin afresh."""
        self.coarser = {"extremes": self.extremes(), "means": {name: found["mean"]
                                                               for name, found in self.statistics().items()}}
        self.entries, self.frames, self.times, self.mean_field = [], [], [], MeanField()

    @property
    def mean(self):
        """Mean state after the start-up, shape (n_cells, 4), or None."""
        return self.mean_field.mean

    def note_coarse(self):
        """Keep the tones of what has been followed so far, on a coarser grid: they tell what the grid does to
        them. Frames begin afresh on the finer one."""
        self.frames, self.times = [], []
        used = self.entries[len(self.entries) // 2:]
        for name in ("lift", "drag"):
            found = statistics_of([entry[name] for entry in used], self.step) if used else None
            if found and found.frequency and found.periods >= LEAST_PERIODS:
                self.coarse_tones[name] = found.frequency

    def with_grid(self, channels):
        """Statistics whose tones' error bars also hold the change from the coarser grid on which the start-up
        was followed."""
        coarse = self.coarse_tones.get("lift") or self.coarse_tones.get("drag", 0.0) / 2
        out = {}
        for name, found in channels.items():
            frequency = found["frequency"]
            if frequency and coarse:
                harmonic = max(round(frequency / coarse), 1)
                found = {
                    **found, "frequency_error": float(
                        np.hypot(found["frequency_error"], frequency - harmonic * coarse)),
                    "frequency_coarse": harmonic * coarse
                }
            out[name] = found
        return out

    def extremes(self):
        """{channel: least and largest value of the record and the chords at which they come; with a coarser
        level also by how much they differ from those there}."""
        out, before = {}, (self.coarser or {}).get("extremes", {})
        for name in self.entries[0] if self.entries else ():
            values = [entry[name] for entry in self.entries]
            if all(isinstance(v, float) for v in values):
                low, high = int(np.argmin(values)), int(np.argmax(values))
                out[name] = {
                    "low": values[low], "low_at": (low + 1) * self.step, "high": values[high], "high_at":
                    (high + 1) * self.step
                }
                if name in before:
                    out[name] |= {f"{end}_error": abs(out[name][end] - before[name][end])
                                  for end in ("low", "high")}
        return out

    def trends_of_once(self, channels):
        """{channel: Trend} of the means of what happens once: over the two finest levels where there are
        two."""
        means = (self.coarser or {}).get("means", {})
        return {name: mean_of_once(found["mean"], means.get(name)) for name, found in channels.items()}

    def statistics(self):
        """{channel: Statistics as dict} over the time after the start-up."""
        used = self.entries[int(round(self.discard * len(self.entries))):]
        out = {}
        for name in used[0] if used else ():
            values = [entry[name] for entry in used]
            if all(isinstance(v, float) for v in values):
                found = statistics_of(values, self.step)
                if found:
                    out[name] = found.as_dict()
        return out
