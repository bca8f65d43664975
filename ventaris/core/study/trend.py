"""What the levels of a climb say about a number: order, extrapolated value, error bar.

References
----------
Roache: Perspective: a method for uniform reporting of grid refinement studies,
J. Fluids Eng. 116, 1994.
Eca, Hoekstra: A procedure for the estimation of the numerical uncertainty of CFD
calculations based on grid refinement studies, J. Comput. Phys. 262, 2014 (what to do
when the levels do not behave).
"""
import math
from dataclasses import asdict, dataclass

FORMAL_ORDER = 2.0
RATIO = 2.0


@dataclass
class Trend:
    """Grid trend of one coefficient.

    Attributes
    ----------
    values : list of float
        Coarse to fine.
    order : float or None
        Observed order where three levels converge monotonically.
    extrapolated : float or None
    error : float or None
        Half-width of the error bar of the finest value.
    behaviour : str
        "monotone", "oscillating", "diverging", "two levels" or "one level".
    words : str
    """

    values: list
    order: float | None
    extrapolated: float | None
    error: float | None
    behaviour: str
    words: str

    def as_dict(self):
        return asdict(self)


def grid_trend(values):
    """Trend of a coefficient's values, coarse to fine, each level halving the cell size.

    Returns
    -------
    Trend
    """
    values = [float(v) for v in values]
    if len(values) == 1:
        return Trend(values, None, None, None, "one level", "One level only: no error bar. Climb further to get one.")
    if len(values) == 2:
        change = values[1] - values[0]
        return Trend(values, None, None, 3.0 * abs(change) / (RATIO**FORMAL_ORDER - 1), "two levels",
                     "Two levels: the error bar assumes second order and carries a safety factor of 3.")
    coarse, medium, fine = values[-3:]
    first, second = medium - coarse, fine - medium
    spread = max(values[-3:]) - min(values[-3:])
    if abs(second) <= 1e-12 + 1e-9 * abs(fine):
        return Trend(values, None, fine, max(abs(first), 1e-12), "monotone", "The last two levels agree to all digits kept.")
    if first * second < 0:
        return Trend(values, None, None, spread, "oscillating",
                     "The levels do not converge monotonically: the error bar is the whole spread of the three.")
    if abs(second) >= abs(first):
        return Trend(values, None, None, 3.0 * spread, "diverging",
                     "The steps between the levels grow: the grid is too coarse for a trend; the error bar is three times the spread.")
    order = math.log(abs(first / second)) / math.log(RATIO)
    used = min(max(order, 0.5), FORMAL_ORDER)
    factor = 1.25 if order >= 0.5 else 3.0
    # A last step much smaller than second order explains may be small by accident.
    step = max(abs(second), abs(first) / RATIO**(FORMAL_ORDER + 1))
    error = factor * step / (RATIO**used - 1)
    extrapolated = fine + second / (RATIO**used - 1)
    words = f"Monotone, observed order {order:.1f}"
    if order > FORMAL_ORDER:
        words += "; the error bar is computed with order 2"
    elif order < 0.5:
        words += "; so low that the error bar carries a safety factor of 3"
    return Trend(values, order, extrapolated, error, "monotone", words + ".")


def statistical_trend(statistics):
    """The mean over time in the place of a grid trend; its error bar is twice the standard error, of time only."""
    return Trend([statistics["mean"]], None, None, 2.0 * statistics["mean_error"], "mean in time",
                 f"Mean over time, r.m.s. {statistics['rms']:.3g}; the error bar is of the time record, not of the grid.")
