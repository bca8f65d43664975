"""Spectra of signals: power spectral density, level, tones with their prominence and harmonics.

References
----------
Welch: The use of fast Fourier transform for the estimation of power spectra, IEEE Trans. Audio Electroacoust.
15, 1967.
"""
from dataclasses import dataclass

import numpy as np
from scipy.signal import welch

# Pressure of 0 dB in air.
REFERENCE_PRESSURE = 2e-5
# A line counts as a tone when it stands so many decibels above the median of its surroundings.
PROMINENCE = 10.0
SURROUNDINGS = 0.25
LEAST_SEGMENT = 16


@dataclass
class Spectrum:
    """One-sided power spectral density of a signal.

    Attributes
    ----------
    frequency : ndarray, shape (n,)
    density : ndarray, shape (n,)
        Square of the signal's unit per frequency; its integral is the mean square about the mean.
    segments : int
        Averaged; the density's own scatter is about one over the root of it.
    step : float
        Between the frequencies.
    """

    frequency: np.ndarray
    density: np.ndarray
    segments: int
    step: float

    @property
    def mean_square(self):
        return float(self.density.sum() * self.step)


@dataclass
class Tone:
    """A line of a spectrum.

    Attributes
    ----------
    frequency : float
        From a parabola through the logarithms of the three densities at the peak.
    rms : float
        Of the tone alone: what the line holds above its surroundings.
    prominence : float
        Decibels above the median of the surroundings.
    harmonic : int
        2, 3 … when it is that multiple of a stronger tone's frequency, else 1.
    """

    frequency: float
    rms: float
    prominence: float
    harmonic: int = 1


def spectrum(values, rate, segment=None):
    """Power spectral density by Welch's method: Hann windows, half overlap, the mean of each segment removed.

    Parameters
    ----------
    values : array_like, shape (n,)
        Evenly spaced.
    rate : float
        Samples per time unit.
    segment : int or None
        Samples of a segment; None takes a quarter of the record.

    Raises
    ------
    ValueError
        When the record is shorter than a segment, or a segment than 16 samples.
    """
    y = np.asarray(values, dtype=float)
    segment = len(y) // 4 if segment is None else int(segment)
    if segment < LEAST_SEGMENT or segment > len(y):
        raise ValueError(
            f"a segment of {segment} samples in a record of {len(y)}: it needs at least {LEAST_SEGMENT} and "
            "at most the whole record. Record for longer."
        )
    frequency, density = welch(y, rate, "hann", segment, segment // 2, detrend="constant")
    return Spectrum(frequency, density, 1 + (len(y) - segment) // (segment - segment // 2),
                    float(frequency[1]))


def level(mean_square, reference=REFERENCE_PRESSURE):
    """Level in decibels of a mean square."""
    return float(10 * np.log10(max(mean_square, 1e-300) / reference**2))


def find_tones(found, most=6):
    """The tones of a `Spectrum`, the strongest first."""
    f, p = found.frequency, found.density
    peaks = [k for k in range(2, len(p) - 2) if p[k] > p[k - 1] and p[k] >= p[k + 1]]
    tones = []
    for k in peaks:
        reach = max(int(SURROUNDINGS * k), 8)
        # The Hann window spreads a line over two bins on either side.
        around = np.concatenate([p[max(k - reach, 1):k - 2], p[k + 3:k + reach + 1]])
        if not len(around):
            continue
        floor = float(np.median(around))
        prominence = 10 * np.log10(p[k] / max(floor, 1e-300))
        if prominence < PROMINENCE:
            continue
        line = p[k - 2:k + 3]
        tones.append(
            Tone(_peak(f, p, k), float(np.sqrt(max((line - floor).sum(), 0.0) * found.step)),
                 float(prominence)))
    tones.sort(key=lambda t: -t.rms)
    for number, tone in enumerate(tones):
        for stronger in tones[:number]:
            ratio = tone.frequency / stronger.frequency
            if round(ratio) >= 2 and abs(ratio - round(ratio)) * stronger.frequency < found.step:
                tone.harmonic = int(round(ratio))
                break
    return tones[:most]


def _peak(f, p, k):
    a, b, c = np.log(np.maximum(p[k - 1:k + 2], 1e-300))
    bend = a - 2 * b + c
    return float(f[k] + (0.5 * (a - c) / bend if bend < 0 else 0.0) * (f[1] - f[0]))
