"""A flow that repeats: cycles followed until two in a row are alike, and what one of them says."""
import numpy as np

from .trend import Trend
from .unsteady import MeanField, Recorder, frame_of, frames_apart

# Two cycles are alike when means and swings of the watched channels differ by less than this share of the
# larger of mean and swing.
ALIKE = 5e-3
WATCHED = ("lift", "drag", "moment", "wheel_power")
# Swings below these are none: shares of them would be of rounding.
LEAST = {"lift": 1e-3, "drag": 1e-4, "moment": 2e-4, "wheel_power": 1e-3}
# What a channel is told to be ahead of.
MOVES = {
    "angle": "the angle", "height": "the heave", "gust": "the gust in mid-chord", "azimuth":
    "a sine of the azimuth"
}


class CycleRecorder(Recorder):
    """Keeps the channels of every step, cycle by cycle.

    Parameters
    ----------
    run : sheet Run
    steps : int
        Of one cycle.
    step : float
        In chords.
    longer : float
        Factor on the number of cycles.
    """
    def __init__(self, run, steps, step, longer=1.0):
        self.cycle, self.step = steps, step
        self.most = max(int(np.ceil(longer * run.cycles)), 2)
        self.steps, self.discard = self.most * steps, 0.0
        self.every = frames_apart(run, step, steps * step * (1 - 1e-9))
        # By themselves they show one cycle, asked for at a distance as many as are wanted.
        self._spread = run.frame_every is not None
        self.count = run.frames if self._spread else min(run.frames, steps // self.every)
        self.entries, self.frames, self.times = [], [], []
        self.mean_field, self.coarse_tones, self.coarser, self._whole = MeanField(), {}, None, None

    @property
    def start(self):
        """Time in chords at which the last whole cycle began, counted from the beginning of the record."""
        return max(len(self.entries) // self.cycle - 1, 0) * self.cycle * self.step

    @property
    def mean(self):
        """Mean state over the last whole cycle, shape (n_cells, 4), or None."""
        return self._whole if self._whole is not None else self.mean_field.mean

    def add(self, time, channels, state, scale):
        """Keep one time step."""
        self.entries.append(channels)
        self.mean_field.add(state[:, :4])
        at = len(self.entries) % self.cycle
        if self.count and (len(self.entries) if self._spread else at) % self.every == 0:
            self.frames = [*self.frames, frame_of(state, scale)][-self.count:]
            self.times = [*self.times, time][-self.count:]
        if at == 0:
            self._whole, self.mean_field = self.mean_field.mean, MeanField()

    def begin_level(self):
        """Keep what the cycles so far say, on a coarser grid, and begin afresh."""
        self.coarser = self.summary()
        self.entries, self.frames, self.times = [], [], []
        self.mean_field, self._whole = MeanField(), None

    def is_enough(self):
        """Whether a cycle has just ended and is like the one before it."""
        n = len(self.entries)
        return n >= 2 * self.cycle and n % self.cycle == 0 and max(self.changes().values(),
                                                                   default=0) <= ALIKE

    def share(self, on_last):
        """Rough share of the following in time that is done, of some five cycles on each of two levels."""
        done = min(len(self.entries) / (min(5, self.most) * self.cycle), 0.97)
        return 0.75 * done + 0.25 if on_last else 0.25 * done

    def kept(self):
        """What a checkpoint keeps besides the entries and the mean field."""
        return {"coarser": self.coarser}

    def _cycles(self):
        """The last whole cycle and the one before it, lists of entries; either may be empty."""
        end = len(self.entries) // self.cycle * self.cycle
        return (self.entries[max(end - self.cycle, 0):end],
                self.entries[end - 2 * self.cycle:end - self.cycle] if end >= 2 * self.cycle else [])

    def changes(self):
        """{channel: how much the last cycle differs from the one before, over the larger of mean and
        swing}."""
        last, before = self._cycles()
        out = {}
        for name in WATCHED:
            if not before or not isinstance(last[0].get(name), float):
                continue
            new, old = (np.array([entry[name] for entry in part]) for part in (last, before))
            scale = max(abs(new.mean()), 0.5 * np.ptp(new), LEAST[name])
            out[name] = float(max(abs(new.mean() - old.mean()), 0.5 * abs(np.ptp(new) - np.ptp(old))) / scale)
        return out

    def summary(self):
        """{channel: what the last whole cycle says of it}; see `cycle_numbers`. Empty without one."""
        last, before = self._cycles()
        out = {}
        for name in last[0] if last else ():
            values = [entry[name] for entry in last]
            if all(isinstance(v, float) for v in values):
                old = [entry.get(name) for entry in before]
                out[name] = cycle_numbers(np.array(values), np.array(old) if before else None)
        return out


def cycle_numbers(values, before=None):
    """Mean, swing and first harmonic of a channel over one cycle.

    Parameters
    ----------
    values : ndarray, shape (n,)
        At equal steps, the last at the end of the cycle.
    before : ndarray or None
        Those of the cycle before.

    Returns
    -------
    dict
        ``mean``, ``rms`` about it, ``low, high``, ``amplitude`` (half of the whole swing), ``harmonic`` and
        ``phase`` of the first harmonic (degrees ahead of a sine that begins with the cycle), the ``order``
        and size of the ``strongest``, and how much the
        ``mean`` and the ``amplitude`` have ``_change``d since the cycle before (None without one).
    """
    angle = 2 * np.pi * np.arange(1, len(values) + 1) / len(values)
    wave = 2 * np.mean(values * np.exp(-1j * angle)) * 1j
    amplitude = float(0.5 * np.ptp(values))
    # Of those that have eight steps and more in a period.
    sizes = 2 * np.abs(np.fft.rfft(values))[1:max(len(values) // 8, 1) + 1] / len(values)
    order = int(np.argmax(sizes))
    out = {
        "mean": float(values.mean()), "rms": float(values.std()), "low": float(values.min()), "high":
        float(values.max()), "amplitude": amplitude, "harmonic": float(abs(wave)), "phase":
        float(np.degrees(np.angle(wave))), "order": order + 1, "strongest": float(sizes[order]),
        "mean_change": None, "amplitude_change": None
    }
    if before is not None:
        out["mean_change"] = float(abs(values.mean() - before.mean()))
        out["amplitude_change"] = float(abs(amplitude - 0.5 * np.ptp(before)))
    return out


def statistics_of_cycle(summary, period, cycles):
    """A summary in the words of `statistics.Statistics`: the error of a mean is what still changes from cycle
    to cycle."""
    return {
        name: {
            "mean": s["mean"], "mean_error": 0.5 * (s["mean_change"] or 0.0), "rms": s["rms"], "amplitude":
            s["amplitude"], "frequency": 1 / period, "frequency_error": 0.0, "periods": float(cycles),
            "drift": s["mean_change"] or 0.0, "growth": None
        }
        for name, s in summary.items()
    }


def cycle_trend(found, coarser):
    """The `Trend` of a cycle's mean over the two finest levels: its error bar holds what the grid and what
    the last cycles change of it.

    Parameters
    ----------
    found, coarser : dict
        `cycle_numbers` of both levels; the second None where there is only one.
    """
    turn = found["mean_change"] or 0.0
    if coarser is None:
        return Trend([found["mean"]], None, None, turn or None, "one level",
                     "Mean over a cycle; one level only, so the error bar holds no grid.")
    grid = abs(found["mean"] - coarser["mean"])
    return Trend(
        [coarser["mean"], found["mean"]], None, None, float(np.hypot(grid, turn)), "two levels",
        f"Mean over a cycle on both levels; the error bar is their whole difference ({grid:.2g}) and "
        f"what the last cycle still changed ({turn:.2g}).")


def told_of_cycle(channels, formulas=()):
    """Names of the channels that a page tells of a cycle, what is taken out of the air first.

    Parameters
    ----------
    channels : iterable of str
    formulas : sequence of str
    """
    channels = list(channels)
    wheels = [name for name in channels if name.startswith("wheel_power")]
    wheels += [name for name in channels if name.startswith("wheel_torque")]
    left_out = ("drag_pressure", "drag_friction", "lift_pressure")
    others = [
        name for name in channels if name in ("lift", "drag", "moment", "height", "gust") or name in formulas
        or name.startswith(("angle", "flow_", "total_pressure_", "cp_", "lift_", "drag_"))
        and name not in left_out
    ]
    return wheels + others


def ahead_of(cycle, name):
    """Degrees by which a channel's first harmonic is ahead of what moves, -180 to 180; of a wheel ahead of a
    sine of its azimuth.

    Parameters
    ----------
    cycle : dict
        The result's part; see `docs/formats.md`.
    """
    moves = cycle["channels"].get(cycle["over"])
    return within_half_turn(cycle["channels"][name]["phase"] - (moves["phase"] if moves else 0.0))


def within_half_turn(degrees):
    """The same angle between -180 and 180."""
    return (degrees + 180) % 360 - 180


def off_coarser(cycle, name, key):
    """How far a number of a channel's cycle is from that of the coarser level, its error bar; None where
    there is no coarser one."""
    coarse = cycle["coarser"].get(name)
    if coarse is None:
        return None
    away = cycle["channels"][name][key] - coarse[key]
    return abs(within_half_turn(away) if key == "phase" else away)


def ahead_words(cycle, name):
    """The same in words."""
    ahead = ahead_of(cycle, name)
    return f"{abs(ahead):.1f}° {'ahead of' if ahead >= 0 else 'behind'} {MOVES[cycle['over']]}"
