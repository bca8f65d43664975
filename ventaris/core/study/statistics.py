"""Statistics of a channel in time: mean, r.m.s., dominant frequency, each with its uncertainty."""
from dataclasses import asdict, dataclass

import numpy as np
from scipy.optimize import minimize_scalar
from scipy.signal import periodogram

# A peak must stand this far above the spectrum's mean to count as a tone.
PROMINENCE = 8.0
SEGMENTS = 4


@dataclass
class Statistics:
    """What a channel does over the time that counts.

    Attributes
    ----------
    mean, mean_error : float
        The error is one standard error, from means over whole periods (or over eight blocks without a
        period).
    rms : float
        About the mean.
    amplitude : float
        Half of the distance between the mean crest and the mean trough; of a sine, its amplitude.
    frequency, frequency_error : float or None
        Per time unit; None without a tone.
    periods : float
        Periods in the record, 0 without a tone.
    drift : float
        Difference of the means of both halves of the record.
    growth : float or None
        Difference of the swing's amplitude between both halves, over the larger; None without a tone.
    """

    mean: float
    mean_error: float
    rms: float
    amplitude: float
    frequency: float | None
    frequency_error: float | None
    periods: float
    drift: float = 0.0
    growth: float | None = None

    def as_dict(self):
        return asdict(self)


def statistics_of(values, step):
    """Statistics of evenly spaced values.

    Parameters
    ----------
    values : array_like, shape (n,), n >= 16
    step : float
        Time between them.

    Returns
    -------
    Statistics, or None for shorter records
    """
    y = np.asarray(values, dtype=float)
    if len(y) < 16 or not np.isfinite(y).all():
        return None
    frequency = _tone(y - y.mean(), step)
    if frequency:
        frequency = _refine(y, step, frequency, 0.5 / (len(y) * step))
        y_whole = _whole_periods(y, step, frequency)
    else:
        y_whole = y
    mean = y_whole.mean()
    error = frequency_error = None
    if frequency:
        span = len(y) * step
        parts = [_refine(part, step, frequency, 2.0 / span)
                 for part in np.array_split(y, SEGMENTS)] if span * frequency >= 2 * SEGMENTS else []
        spread = float(np.std(parts, ddof=1) / np.sqrt(SEGMENTS)) if parts else 0.5 / span
        frequency_error = max(spread, 0.01 / span)
    error = _mean_error(y, step, frequency)
    halves = [_whole_periods(part, step, frequency) if frequency else part for part in np.array_split(y, 2)]
    growth = None
    if frequency:
        swings_ = [_amplitude(part, step, frequency) for part in halves]
        growth = float(abs(swings_[1] - swings_[0]) / max(max(swings_), 1e-30))
        # The rule in time shifts a tone's phase by a third of the square of its angle in a step.
        frequency_error = max(frequency_error, frequency * (2 * np.pi * frequency * step)**2 / 3)
    return Statistics(float(mean), error, float(y_whole.std()), _amplitude(y, step, frequency), frequency,
                      frequency_error,
                      float(len(y) * step * frequency) if frequency else 0.0,
                      float(abs(halves[1].mean() - halves[0].mean())), growth)


def _tone(y, step):
    """Frequency of the strongest line of the spectrum, or None when nothing stands out."""
    trend = np.polyval(np.polyfit(np.arange(len(y)), y, 1), np.arange(len(y)))
    if np.abs(y).max() < 1e-12 or (y - trend).std() < 1e-9 + 1e-6 * np.abs(y).max():
        return None
    f, power = periodogram(y - trend, 1.0 / step, "hann", nfft=8 * len(y))
    usable = f * len(y) * step >= 1.5
    if not usable.any():
        return None
    k = int(np.argmax(np.where(usable, power, 0)))
    return float(f[k]) if power[k] > PROMINENCE * power[usable].mean() else None


def _refine(y, step, frequency, width):
    """Frequency of the sine (with two harmonics) that fits best, near a first guess."""
    t = np.arange(len(y)) * step

    def misfit(f):
        angles = 2 * np.pi * f * t
        basis = np.stack([np.ones_like(t), t, *(g(m * angles) for m in (1, 2, 3) for g in (np.cos, np.sin))],
                         axis=1)
        _, residue, *_ = np.linalg.lstsq(basis, y, rcond=None)
        return float(residue[0]) if len(residue) else 0.0

    low, high = max(frequency - width, 0.3 * frequency), frequency + width
    tries = np.linspace(low, high, 25)
    best = tries[int(np.argmin([misfit(f) for f in tries]))]
    gap = tries[1] - tries[0]
    return float(
        minimize_scalar(misfit, bounds=(best - gap, best + gap), method="bounded",
                        options={"xatol": 1e-7 * frequency}).x)


def _whole_periods(y, step, frequency):
    """The last whole number of periods."""
    periods = np.floor(len(y) * step * frequency)
    return y[-int(round(periods / (frequency * step))):] if periods >= 1 else y


def _mean_error(y, step, frequency):
    if frequency:
        length = max(int(round(1 / (frequency * step))), 1)
        count = len(y) // length
    else:
        count = 8
        length = len(y) // count
    if count < 2:
        return float(y.std())
    blocks = y[len(y) - count * length:].reshape(count, length).mean(axis=1)
    return float(blocks.std(ddof=1) / np.sqrt(count))


def _amplitude(y, step, frequency):
    if not frequency:
        return float(0.5 * np.ptp(y))
    length = max(int(round(1 / (frequency * step))), 2)
    count = len(y) // length
    blocks = y[len(y) - count * length:].reshape(count, length) if count else y[None]
    return float(0.5 * (blocks.max(axis=1) - blocks.min(axis=1)).mean())


def swings(values):
    """Whether the last values of a steady run's channel swing about a mean as shedding makes them: (yes,
    amplitude)."""
    y = np.asarray(values[-60:], dtype=float)
    if len(y) < 24:
        return False, 0.0
    y = y[len(y) // 3:]
    offset = y - y.mean()
    crossings = int(np.count_nonzero(offset[1:] * offset[:-1] < 0))
    amplitude = float(0.5 * np.ptp(y))
    halves = [np.ptp(part) for part in np.array_split(y, 2)]
    return bool(amplitude > 2e-3 * max(1.0, abs(y.mean())) and crossings >= 3
                and min(halves) > 0.3 * max(halves)), amplitude
