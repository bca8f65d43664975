"""Means over steps of a flow that keeps moving: a wake that swings, a wheel near its stall."""
from typing import NamedTuple

import numpy as np


class Means(NamedTuple):
    """Over a window of steps.

    Attributes
    ----------
    values, deviations : dict of str to float
        Means, and root mean squares about them.
    drift : dict of str to float
        Difference of the means of both halves; endless where there are too few steps.
    crossings : dict of str to int
        How often a channel went through its mean: a drift does once, a swing twice in each period.
    steps : int
    """

    values: dict
    deviations: dict
    drift: dict
    crossings: dict
    steps: int


NONE = Means({}, {}, {}, {}, 0)


def means_of(record):
    """`Means` over the second half of a record, a list of {channel: value}."""
    window = record[len(record) // 2:]
    names = [n for n, v in window[-1].items() if isinstance(v, float)] if window else []
    columns = {n: np.array([r[n] for r in window if isinstance(r.get(n), float)]) for n in names}
    half = len(window) // 2
    drift = {
        n: float(abs(v[:half].mean() - v[half:].mean())) if 0 < half < len(v) else float("inf")
        for n, v in columns.items()
    }
    crossings = {n: int((np.diff(np.sign(v - v.mean())) != 0).sum()) for n, v in columns.items()}
    return Means({n: float(v.mean())
                  for n, v in columns.items()}, {n: float(v.std())
                                                 for n, v in columns.items()}, drift, crossings, len(window))


def with_drift(trend, drift, averages, alone=False):
    """A trend (a dict) whose error bar also holds what the mean is uncertain by; `alone` where that makes a
    bar even without a grid trend."""
    if trend["error"] is None and not alone:
        return trend | {
            "words": f"{trend['words']} The mean over {averages['steps']} {averages['of']} drifts by ± "
            f"{drift:.2g}."
        }
    return trend | {
        "error": (trend["error"] or 0.0) + drift,
        "words": f"{trend['words']} The error bar holds ± {drift:.2g} of the mean over {averages['steps']} "
        f"{averages['of']}."
    }
