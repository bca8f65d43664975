"""What the records of a jet in time say: its start-up, levels and tones, layers and shock cells."""
import numpy as np
from scipy.signal import find_peaks

from ....sound.spectra import find_tones, level, spectrum
from .ready import KEPT_SEGMENTS

# Shock cells are told by peaks of the mean pressure on the axis that stand out by this share of its swing, up
# to this station.
CELL_PEAK, CELLS_UP_TO, CELLS_APART = 0.01, 7.0, 0.6
# The start-up ends where a signal, over a window, is as strong as over the last segments within this share.
WINDOWS, GROWN = 6, 0.1


def layer_thickness(radii, speed):
    """Distance from the wall (at a half) at which the speed reaches 99 % of that on the axis."""
    if speed[-1] >= 0.99 * speed[0]:
        return 0.0
    return float(0.5 - np.interp(-0.99 * speed[0], -speed, radii))


def spacing_of_cells(x, pressure, expected):
    """Mean length of the first four shock cells by the peaks of a pressure along the axis, evenly spaced in
    x; None where fewer than three stand out.

    The exit's own waves make smaller peaks in between: none is taken that stands nearer than a share of the
    expected length to a higher one.
    """
    apart = max(CELLS_APART * expected / (x[1] - x[0]), 1.0)
    peaks = find_peaks(pressure, prominence=CELL_PEAK * np.ptp(pressure), distance=apart)[0]
    return float(np.diff(x[peaks])[:4].mean()) if len(peaks) >= 3 else None


def start_up_of(rows, least, segment):
    """Time, s, up to which the records of a run are left out.

    At least `least`, then on until every signal is as strong, within a share, as over the last of it; a
    segment and a half always stay.

    Parameters
    ----------
    rows : dict of str to {"s", "pressure"}
    least, segment : float
        Seconds.
    """
    start = least
    for row in rows.values():
        t, p = row["s"], row["pressure"]
        latest = t[-1] - KEPT_SEGMENTS * segment if len(t) else 0.0
        if latest <= start:
            continue
        later = p[t > latest].std()
        moments = np.arange(start, latest, segment / WINDOWS)
        steady = (m for m in moments
                  if abs(p[(t > m) & (t <= m + segment / WINDOWS)].std() - later) < GROWN * later)
        start = next(steady, latest)
    return float(start)


def microphone_result(seconds, pressure, discard, segment):
    """Level, tones and steadiness of a microphone's record after the start-up, or None where it is too short.

    Returns
    -------
    dict
        ``level`` (dB), ``tones`` (each ``frequency`` Hz, ``level`` dB, ``prominence`` dB, ``harmonic``),
        ``segments``, ``step`` (Hz), ``seconds``, ``change``: share by
        which the first tone's amplitude differs between both halves, or None.
    """
    keep = seconds > discard
    t, p = seconds[keep], pressure[keep]
    if len(t) < 64 or t[-1] - t[0] < 1.2 * segment:
        return None
    rate = (len(t) - 1) / (t[-1] - t[0])
    found = spectrum(p, rate, int(min(segment * rate, len(p))))
    tones = find_tones(found)
    change = None
    if tones:
        halves = [_amplitude(part, rate, tones[0].frequency) for part in np.array_split(p - p.mean(), 2)]
        change = float(abs(halves[1] - halves[0]) / max(np.mean(halves), 1e-30))
    return {
        "level": level(p.var()), "tones": [{
            "frequency": x.frequency, "level": level(min(x.rms**2, p.var())), "prominence": x.prominence,
            "harmonic": x.harmonic
        } for x in tones], "segments": found.segments, "step": found.step, "seconds": float(t[-1] - t[0]),
        "change": change
    }


def _amplitude(values, rate, frequency):
    """Amplitude of the sine of a frequency that fits best."""
    angle = 2 * np.pi * frequency * np.arange(len(values)) / rate
    basis = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    found, *_ = np.linalg.lstsq(basis, values, rcond=None)
    return float(np.hypot(*found))
