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
# In space walls cut the cells: errors were seen to fall with the first power of the size, and two levels
# alone to say little.
SPATIAL_ORDER, LEAST_OF_TWO = 1.0, 0.1


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
    ratio : float
        Of the cell sizes of neighbouring levels.
    """

    values: list
    order: float | None
    extrapolated: float | None
    error: float | None
    behaviour: str
    words: str
    ratio: float = RATIO

    def as_dict(self):
        return asdict(self)


def change_of(level, name):
    """Share by which a coefficient of a level last moved: its own where it is known, as that of the drag for
    all drags, else the largest that is."""
    return level.changes.get(name.split("_")[0], max(level.changes.values(), default=0.0))


def level_ratio(result):
    """The ratio of cell sizes that a stored result's trends were made with; earlier versions halved cells."""
    return min((t.get("ratio") or RATIO for t in result.get("trends", {}).values()), default=RATIO)


def level_trends(levels, resting, spatial=False, ratio=RATIO):
    """Trend of every coefficient that all levels have.

    Levels whose forces still moved are left out; where that would leave one alone, they stay, and the error
    bars hold what they still moved by.

    Parameters
    ----------
    levels : list of LevelResult
        Coarse to fine.
    resting : callable (level, name)
        Whether a coefficient of a level had come to rest.
    spatial, ratio
        See `grid_trend`.

    Returns
    -------
    dict of str to Trend
    """
    last = levels[-1]
    names = [n for n, v in last.coefficients.items() if isinstance(v, float)]
    out = {}
    for name in names:
        steady = [f for f in levels if f is last or resting(f, name)]
        moving = levels if len(steady) == 1 and len(levels) > 1 else []
        used = [f.coefficients.get(name) for f in moving or steady]
        if not all(isinstance(v, float) for v in used):
            continue
        trend = grid_trend(used, spatial, ratio)
        if moving:
            unrest = max(min(change_of(f, name), 1.0) * abs(f.coefficients[name]) for f in moving)
            trend.error += unrest
            trend.words += (
                f" Coarser levels had not come to rest: the error bar holds ± {unrest:.2g} of that.")
        elif len(steady) < len(levels):
            trend.words += " Coarser levels whose forces still moved are left out."
        out[name] = trend
    return out


def hold_unrest(trends, moved, words):
    """Widen the error bars of a last level that has not come to rest by what its numbers went through.

    The levels tell of cells, not of a flow that wanders on for ever: a wake without friction, a shock that
    goes to and fro.

    Parameters
    ----------
    trends : dict of str to Trend
    moved : dict of str to float
        By how much the numbers moved.
    words : str
        Over what they did.
    """
    for name, trend in trends.items():
        by = moved.get(name, 0.0)
        if trend.error is not None and 0 < by < math.inf:
            trend.error = math.hypot(trend.error, by)
            trend.words += f" {words} still went through ± {by:.2g}, which the bar holds."


def half_ranges(steps):
    """Half of what every number went through: of a list of {channel: value}, {channel: half range}."""
    columns = {
        name: [step[name] for step in steps if isinstance(step.get(name), float)]
        for name in (steps[-1] if steps else ())
    }
    return {name: 0.5 * (max(values) - min(values)) for name, values in columns.items() if values}


def grid_trend(values, spatial=False, ratio=RATIO):
    """Trend of a coefficient's values, coarse to fine.

    Parameters
    ----------
    values : sequence of float
    spatial : bool
        Of a body in space, whose grids promise less.
    ratio : float
        Of the cell sizes of neighbouring levels.

    Returns
    -------
    Trend
    """
    return Trend(*_behaviour([float(v) for v in values], spatial, ratio), ratio)


def difference_error(one, other, spatial, ratio):
    """Error bar of the difference of two runs from its own trend over three levels, or None: what the grid
    does to both alike falls out of it.

    Parameters
    ----------
    one, other : list of (str, float or None)
        Names of the levels, coarse to fine, and a number on each.
    spatial, ratio
        See `grid_trend`.
    """
    one, other = one[-3:], other[-3:]
    if len(one) < 3 or [name for name, _ in one] != [name for name, _ in other]:
        return None
    pairs = [(a, b) for (_, a), (_, b) in zip(one, other)]
    if not all(isinstance(value, float) for pair in pairs for value in pair):
        return None
    return grid_trend([a - b for a, b in pairs], spatial, ratio).error


def _behaviour(values, spatial, ratio):
    """Values, order, extrapolated value, error bar, behaviour and words of a trend."""
    if len(values) == 1:
        return (values, None, None, None, "one level",
                "One level only: no error bar. Climb further to get one.")
    if len(values) == 2:
        change = values[1] - values[0]
        if spatial:
            return (
                values, None, None,
                max(3.0 * abs(change) / (ratio**SPATIAL_ORDER - 1),
                    LEAST_OF_TWO * abs(values[1])), "two levels",
                "Two levels say little of the error in space: the bar assumes first order with a safety "
                "factor of 3, and is no less than a tenth of the value. Climb to fine for a trend.")
        return (values, None, None, 3.0 * abs(change) / (ratio**FORMAL_ORDER - 1), "two levels",
                "Two levels: the error bar assumes second order and carries a safety factor of 3.")
    coarse, medium, fine = values[-3:]
    first, second = medium - coarse, fine - medium
    spread = max(values[-3:]) - min(values[-3:])
    if abs(second) <= 1e-12 + 1e-9 * abs(fine):
        return (values, None, fine, max(abs(first), 1e-12), "monotone",
                "The last two levels agree to all digits kept.")
    if first * second < 0:
        return (
            values, None, None, spread, "oscillating",
            "The levels do not converge monotonically: the error bar is the whole spread of the three.")
    if abs(second) >= abs(first):
        return (
            values, None, None, 3.0 * spread, "diverging",
            "The steps between the levels grow: the grid is too coarse for a trend; the error bar is three "
            "times the spread.")
    order = math.log(abs(first / second)) / math.log(ratio)
    formal = SPATIAL_ORDER if spatial else FORMAL_ORDER
    used = min(max(order, 0.5), formal)
    factor = 1.25 if order >= 0.5 else 3.0
    # A last step much smaller than second order explains may be small by accident.
    step = max(abs(second), abs(first) / ratio**(formal + 1))
    error = factor * step / (ratio**used - 1)
    if order < 0.5:
        # No more than where the steps grow: so slow an order is not sure, the less the nearer the levels are.
        error = min(error, 3.0 * spread)
    extrapolated = fine + second / (ratio**used - 1)
    words = f"Monotone, observed order {order:.1f}"
    if order > formal:
        words += f"; the error bar is computed with order {formal:.0f}"
    elif order < 0.5:
        words += "; so low that the error bar carries a safety factor of 3"
    return values, order, extrapolated, error, "monotone", words + "."


def mean_of_once(mean, coarser):
    """The `Trend` of the mean over what happens once; `coarser` is that of the level before, or None."""
    if coarser is None:
        return Trend([mean], None, None, None, "one level",
                     "Mean over what was followed; one level only, so there is no error bar.")
    grid = abs(mean - coarser)
    return Trend(
        [coarser, mean], None, None, grid, "two levels",
        f"Mean over what was followed, on both levels; the error bar is their difference ({grid:.2g}).")


def statistical_trend(statistics):
    """The mean over time in the place of a grid trend; its error bar is twice the standard error or the drift
    between the record's halves, of time only."""
    return Trend(
        [statistics["mean"]], None, None, max(2.0 * statistics["mean_error"],
                                              statistics.get("drift") or 0.0), "mean in time",
        f"Mean over time, r.m.s. {statistics['rms']:.3g}; the error bar is of the time record, not of the "
        "grid.")
