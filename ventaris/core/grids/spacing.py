"""Where points stand along a line: size functions and geometric stretching."""
import numpy as np
from scipy.optimize import brentq


def geometric_ratio(first, count, length):
    """Ratio r with ``first (r^count - 1)/(r - 1) = length``."""
    def excess(log_r):
        r = np.exp(log_r)
        return first * (count if abs(log_r) < 1e-12 else (r**count - 1) / (r - 1)) - length
    return float(np.exp(brentq(excess, -2.0, min(3.0, 700.0 / count), xtol=1e-14)))


def geometric_line(first, count, length):
    """Distances 0 … length in `count` steps that grow geometrically from `first`, shape (count + 1,)."""
    ratio = geometric_ratio(first, count, length)
    steps = first * ratio ** np.arange(count)
    line = np.concatenate([[0], np.cumsum(steps)])
    return line * (length / line[-1])


def distribute(size, length, count, samples=8001, smooth=1.0):
    """Place `count` cells along a line so that their lengths follow a size function.

    Parameters
    ----------
    size : callable
        Wanted cell length at arc lengths s (only its shape matters).
    length : float
    count : int
    smooth : float
        Smoothing of the size along the line, in cells.

    Returns
    -------
    ndarray, shape (count + 1,)
    """
    s = np.linspace(0, length, samples)
    log_size = np.log(size(s))
    width = max(int(smooth * samples / count), 1)
    kernel = np.hanning(2 * width + 3)
    kernel /= kernel.sum()
    padded = np.concatenate([2 * log_size[0] - log_size[width + 1:0:-1], log_size,
                             2 * log_size[-1] - log_size[-2:-width - 3:-1]])
    density = np.exp(-np.convolve(padded, kernel, mode="valid"))
    total = np.concatenate([[0], np.cumsum(0.5 * (density[1:] + density[:-1]))])
    return np.interp(np.linspace(0, total[-1], count + 1), total, s)
