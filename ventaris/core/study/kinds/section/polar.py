"""What a row of runs at different operating points says: lift slope, zero lift, largest lift, best glide
ratio."""
import math
from dataclasses import asdict, dataclass

import numpy as np


@dataclass
class PolarSummary:
    """Numbers read off a polar; None where the points do not reach them.

    Attributes
    ----------
    lift_slope : float or None
        Per degree, over the points within 4 degrees of the smallest incidence's straight part.
    zero_lift_incidence : float or None
        Degrees.
    largest_lift, at_incidence : float or None
        Only where a higher incidence gave less lift: the stall was passed.
    best_glide, at_lift : float or None
    least_drag : float or None
    """

    lift_slope: float | None
    zero_lift_incidence: float | None
    largest_lift: float | None
    at_incidence: float | None
    best_glide: float | None
    at_lift: float | None
    least_drag: float | None

    def as_dict(self):
        return asdict(self)


def summarise_polar(incidence, lift, drag):
    """Summary of a polar.

    Parameters
    ----------
    incidence, lift, drag : sequences of float
        Degrees and coefficients, in any order, equal in length.

    Returns
    -------
    PolarSummary
    """
    order = np.argsort(incidence, kind="stable")
    a, cl, cd = (np.asarray(values, dtype=float)[order] for values in (incidence, lift, drag))
    slope, zero = _straight_part(a, cl)
    largest = at = None
    if len(cl) >= 3 and 0 < int(np.argmax(cl)) < len(cl) - 1:
        largest, at = _crest(a, cl, int(np.argmax(cl)))
    glide = [c / d if d > 0 else -math.inf for c, d in zip(cl, cd)]
    best = int(np.argmax(glide)) if len(glide) else None
    usable = best is not None and math.isfinite(glide[best]) and glide[best] > 0
    return PolarSummary(slope, zero, largest, at,
                        float(glide[best]) if usable else None,
                        float(cl[best]) if usable else None,
                        float(cd.min()) if len(cd) else None)


def _straight_part(a, cl):
    """Slope per degree and zero-lift incidence from the points of least absolute incidence (within 6
    degrees)."""
    near = np.abs(a) <= 6
    if near.sum() < 2 or np.ptp(a[near]) < 0.5:
        return None, None
    slope, offset = np.polyfit(a[near], cl[near], 1)
    return float(slope), float(-offset / slope) if abs(slope) > 1e-6 else None


def _crest(a, cl, k):
    """Vertex of the parabola through the largest value and its neighbours."""
    curve = np.polyfit(a[k - 1:k + 2], cl[k - 1:k + 2], 2)
    if curve[0] >= 0:
        return float(cl[k]), float(a[k])
    top = -curve[1] / (2 * curve[0])
    return float(np.polyval(curve, top)), float(top)


def series(start, end, step, most=60):
    """Values from start to end in equal steps, both ends included.

    Raises
    ------
    ValueError
        With the reason and the mend.
    """
    if step <= 0:
        raise ValueError(f"step = {step:g}: must be more than 0")
    if end < start:
        raise ValueError(f"to = {end:g} lies below from = {start:g}: swap them")
    count = int(math.floor((end - start) / step + 1e-9)) + 1
    if count < 2:
        raise ValueError(
            f"one point only between {start:g} and {end:g} with steps of {step:g}: give a smaller step")
    if count > most:
        raise ValueError(f"{count} points; at most {most} at once. Give a larger step")
    return [round(start + k * step, 10) for k in range(count)]
