"""Frontal area: the shadow of a surface along the stream."""
from dataclasses import dataclass

import numpy as np
from numba import njit

from .chords import chord, from_below

LINES = 2400


@dataclass(frozen=True)
class Shadow:
    """What the stream sees of a body.

    Attributes
    ----------
    area : float
        Square metres.
    resolution : float
        Distance of the lines along which the shadow was measured, metres.
    uncertainty : float
        Difference to the measurement with half as many lines.
    """

    area: float
    resolution: float
    uncertainty: float


def frontal_area(corners, direction=(1.0, 0.0, 0.0), lines=LINES):
    """Area of a surface's shadow.

    Exact along each of many parallel lines, summed by the midpoint rule across them.

    Parameters
    ----------
    corners : ndarray, shape (n, 3, 3)
    direction : array, shape (3,)
    lines : int

    Returns
    -------
    Shadow
    """
    direction = np.asarray(direction, dtype=float) / np.linalg.norm(direction)
    across = np.cross(direction, [0.0, 0.0, 1.0] if abs(direction[2]) < 0.9 else [0.0, 1.0, 0.0])
    across /= np.linalg.norm(across)
    up = np.cross(across, direction)
    flat = np.stack([corners @ across, corners @ up], axis=-1)
    # From left to right: the chords of each line are then nearly in order.
    flat = np.ascontiguousarray(flat[np.argsort(flat[..., 0].min(axis=1), kind="stable")])
    low, high = flat[..., 1].min(), flat[..., 1].max()
    if high - low <= 0:
        return Shadow(0.0, 0.0, 0.0)
    fine, coarse = (_measure(flat, low, high, n) for n in (lines, lines // 2))
    return Shadow(fine, float(high - low) / lines, abs(fine - coarse))


def _measure(flat, low, high, lines):
    step = (high - low) / lines
    counts = np.zeros(lines + 1, dtype=np.int64)
    first, last = line_spans(flat, low, step, lines)
    np.add.at(counts, np.minimum(first, lines), 1)
    np.add.at(counts, np.minimum(last + 1, lines), -1)
    starts = np.concatenate([[0], np.cumsum(np.cumsum(counts)[:lines])])
    return float(step * union_lengths(flat, low, step, first, last, starts))


@njit(cache=True)
def line_spans(flat, low, step, lines):
    """First and last line that crosses each triangle; the last lies before the first where none does."""
    n = len(flat)
    first, last = np.empty(n, np.int64), np.empty(n, np.int64)
    for t in range(n):
        a = min(flat[t, 0, 1], flat[t, 1, 1], flat[t, 2, 1])
        b = max(flat[t, 0, 1], flat[t, 1, 1], flat[t, 2, 1])
        first[t] = max(0, int(np.ceil((a - low) / step - 0.5)))
        last[t] = min(lines - 1, int(np.ceil((b - low) / step - 0.5)) - 1)
        if last[t] < first[t]:
            last[t] = first[t] - 1
    return first, last


@njit(cache=True)
def union_lengths(flat, low, step, first, last, starts):
    """Summed length of the union of all triangles' chords on every line."""
    lines = len(starts) - 1
    begin, end = np.empty(starts[-1]), np.empty(starts[-1])
    filled = starts[:-1].copy()
    for t in range(len(flat)):
        if last[t] < first[t]:
            continue
        sides = from_below(flat[t, 0], flat[t, 1], flat[t, 2])
        for k in range(first[t], last[t] + 1):
            begin[filled[k]], end[filled[k]] = chord(sides, low + (k + 0.5) * step)
            filled[k] += 1
    total = 0.0
    for k in range(lines):
        lo, hi = starts[k], starts[k + 1]
        if lo == hi:
            continue
        for m in range(lo + 1, hi):
            x, y, j = begin[m], end[m], m
            while j > lo and begin[j - 1] > x:
                begin[j], end[j] = begin[j - 1], end[j - 1]
                j -= 1
            begin[j], end[j] = x, y
        a, b = begin[lo], end[lo]
        for m in range(lo + 1, hi):
            if begin[m] > b:
                total += b - a
                a, b = begin[m], end[m]
            else:
                b = max(b, end[m])
        total += b - a
    return total
