"""An estimate of the far field: waves recorded on a cylinder round the jet, carried on as waves of still air.

Outside the cylinder the pressure is a sum of waves exp(i k x) H0(kappa r) exp(-i w t), kappa² = (w/a)² - k²,
H0 the Hankel function of the first kind.  Far away, at the distance d and the angle theta from downstream,
the stationary phase leaves one of them:

    p = exp(i w d / a) / d · (-i / pi) · P(k, w) / H0(kappa R),    k = w cos(theta) / a,  kappa = w sin(theta)
    / a,

P the transform of the pressure on the cylinder of radius R over x.  Axisymmetric waves only.

References
----------
Morse, Ingard: Theoretical acoustics, 1968, section 7.3.
Freund: Noise sources in a low-Reynolds-number turbulent jet at Mach 0.9, J. Fluid Mech. 438, 2001 (this way
of reading a far field off a jet's computation).
"""
from dataclasses import dataclass

import numpy as np
from scipy.signal import get_window
from scipy.special import hankel1

# Share of the cylinder's length over which its upstream and its downstream end are faded out.
FADES = (0.15, 0.25)
# Degrees that the valid angles keep off the last rays through the part that is not faded out.
MARGIN = 5.0
# Waves longer than this share of the cylinder, and shorter than so many of its columns, are left out.
LONGEST, COLUMNS_PER_WAVE = 0.5, 6.0


@dataclass
class FarField:
    """Spectra in the far field at one distance.

    Attributes
    ----------
    angles : ndarray, shape (n,)
        Degrees from downstream.
    frequency : ndarray, shape (m,)
        Only those that the surface carries.
    density : ndarray, shape (n, m)
        Square of the pressure's unit per frequency, at a distance of one unit of length.
    """

    angles: np.ndarray
    frequency: np.ndarray
    density: np.ndarray

    def mean_square(self, low=0.0, high=np.inf):
        """Between two frequencies, for each angle, shape (n,)."""
        inside = (self.frequency >= low) & (self.frequency <= high)
        return self.density[:, inside].sum(axis=1) * (self.frequency[1] -
                                                      self.frequency[0] if len(self.frequency) > 1 else 0.0)


def carried_frequencies(x, speed=1.0):
    """(lowest, highest) frequency that a cylinder with readings at x carries."""
    return speed / (LONGEST * float(np.ptp(x))), speed / (COLUMNS_PER_WAVE * float(np.diff(x).max()))


def valid_angles(x, radius, source):
    """(smallest, largest) angle in degrees from downstream at which waves from `source`, (first, last) x,
    leave through what is not faded out."""
    length = x[-1] - x[0]
    first, last = x[0] + FADES[0] * length, x[-1] - FADES[1] * length
    return float(np.degrees(np.arctan2(radius, last - source[1]))) + MARGIN, float(
        np.degrees(np.arctan2(radius, first - source[0]))) - MARGIN


def extrapolate(x, radius, pressure, rate, angles, segment, speed=1.0):
    """Carry waves from a cylinder to the far field.

    Parameters
    ----------
    x : ndarray, shape (k,)
        Stations on the cylinder, increasing.
    radius : float
        Of the cylinder.
    pressure : ndarray, shape (n, k)
        About the ambient's, evenly spaced in time.
    rate : float
        Samples per time unit.
    angles : array_like
        Degrees from downstream, between 0 and 180 exclusive.
    segment : int
        Samples of a segment; Hann windows, half overlap.
    speed : float
        Of sound.

    Returns
    -------
    FarField

    Raises
    ------
    ValueError
        Where the record is shorter than a segment.
    """
    if not 16 <= segment <= len(pressure):
        raise ValueError(
            f"a segment of {segment} samples in a record of {len(pressure)}: it needs at least 16 and at "
            "most the whole record. Record for longer."
        )
    angles, fade = np.radians(np.asarray(angles, dtype=float)), _fade(x)
    weight = np.gradient(x) * fade
    low, high = carried_frequencies(x, speed)
    frequency = np.fft.rfftfreq(segment, 1 / rate)
    kept = (frequency >= low) & (frequency <= high)
    wave = 2 * np.pi * frequency[kept] / speed
    # From the cylinder to the far field, for each angle and frequency, shape (angles, frequencies, stations).
    over = -1j / np.pi / hankel1(0, wave[None, :] * np.sin(angles)[:, None] * radius)
    reach = np.exp(-1j * (wave[None, :] * np.cos(angles)[:, None])[:, :, None] * x) * weight
    window = get_window("hann", segment)
    density = np.zeros((len(angles), kept.sum()))
    starts = range(0, len(pressure) - segment + 1, segment - segment // 2)
    for start in starts:
        part = pressure[start:start + segment]
        # exp(-i w t): the conjugate of the usual transform.
        lines = np.conj(np.fft.rfft((part - part.mean(axis=0)) * window[:, None], axis=0))[kept]
        found = over * np.einsum("afk,fk->af", reach, lines)
        density += 2 * np.abs(found)**2 / (rate * (window**2).sum())
    return FarField(np.degrees(angles), frequency[kept], density / len(starts))


def _fade(x):
    """One in the middle of the cylinder, falling smoothly to zero at its ends."""
    share = (x - x[0]) / (x[-1] - x[0])
    return np.sin(0.5 * np.pi * np.clip(np.minimum(share / FADES[0], (1 - share) / FADES[1]), 0, 1))**2
