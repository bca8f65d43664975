"""A speed line: where it chokes, peaks and ends, and where its end is to be looked for next."""
from dataclasses import dataclass

import numpy as np
from contourpy import contour_generator

from .judge import TURNED

# A point whose mass flow is below this share of the one before it has fallen into its stall.
FALLEN = 0.8
# The end of a line is known when its last stable and its first stalled point are so close, as a share of the
# line's mass flow at the last stable one: no further halving is proposed.
CLOSE = 0.004
# Contours of the efficiency: points along each line and between two of them, and most levels.
ALONG, BETWEEN, MOST_LEVELS = 41, 8, 9


@dataclass(frozen=True)
class LinePoint:
    """One operating point of a line.

    Attributes
    ----------
    closing : float
        What is raised to throttle the row: pressure at the hub, or what a throttle adds to it, Pa.
    mass_flow, pressure_ratio, efficiency : float
    settled : bool
    back_flow : float
        Share of the outlet through which air runs back.
    run : int
        Whose numbers these are.
    """

    closing: float
    mass_flow: float
    pressure_ratio: float
    efficiency: float | None
    settled: bool
    back_flow: float
    run: int


@dataclass(frozen=True)
class SpeedLine:
    """What a line's points say; None where they do not.

    Attributes
    ----------
    choke_flow : float
        The largest mass flow.
    best_ratio, best_efficiency : LinePoint or None
        Among the stable points.
    last, stalled : LinePoint or None
        The last stable point and the first beyond it that is not.
    next_closing : float or None
        Half-way between the two; where no point has stalled yet, one step further.
    beyond : tuple of int
        The runs of the first stalled point and of all that are throttled further.
    stable : tuple of LinePoint
        In order of the throttling.
    """

    choke_flow: float | None
    best_ratio: LinePoint | None
    best_efficiency: LinePoint | None
    last: LinePoint | None
    stalled: LinePoint | None
    next_closing: float | None
    beyond: tuple
    stable: tuple


def read_line(points):
    """The `SpeedLine` of operating points in any order: one variant at one speed of rotation.

    A point is taken for stalled that did not settle, through whose outlet air runs back, or whose mass flow
    has fallen by a fifth against the stable point before it. That is where the computation leaves the line;
    the stall of the machine is unsteady and may come earlier.
    """
    points = sorted(points, key=lambda p: p.closing)
    stable, stalled, beyond = [], None, ()
    for k, point in enumerate(points):
        fallen = stable and point.mass_flow < FALLEN * stable[-1].mass_flow
        if not point.settled or point.back_flow > TURNED or fallen:
            stalled, beyond = point, tuple(p.run for p in points[k:])
            break
        stable.append(point)
    last = stable[-1] if stable else None
    best = lambda name: max(
        (p for p in stable if getattr(p, name) is not None), key=lambda p: getattr(p, name), default=None)
    return SpeedLine(max((p.mass_flow for p in stable), default=None), best("pressure_ratio"),
                     best("efficiency"), last, stalled, _next(stable, stalled), beyond, tuple(stable))


def _next(stable, stalled):
    if not stable:
        return None
    last = stable[-1]
    before = stable[-2] if len(stable) > 1 else None
    if stalled is None:
        return last.closing + (last.closing - before.closing) if before else None
    between = 0.5 * (last.closing + stalled.closing)
    if before and before.closing < last.closing:
        slope = abs(before.mass_flow - last.mass_flow) / (last.closing - before.closing)
        if slope * (stalled.closing - last.closing) < CLOSE * last.mass_flow:
            return None
    return between if last.closing < between < stalled.closing else None


def efficiency_contours(lines):
    """Lines of equal efficiency over mass flow and pressure ratio.

    Between the points of a line, by the length of the line in the map, and between lines of neighbouring
    speeds values go straight.

    Parameters
    ----------
    lines : list of (float, SpeedLine)
        Speeds of rotation and lines of one variant.

    Returns
    -------
    list of (float, ndarray, shape (k, 2))
        Levels and their curves; none from fewer than two lines of two points.
    """
    ready = [(abs(speed), [p for p in line.stable if p.efficiency is not None]) for speed, line in lines]
    ready = sorted(((speed, points) for speed, points in ready if len(points) > 1), key=lambda one: one[0])
    if len(ready) < 2:
        return []
    whole = np.array([[p.mass_flow, p.pressure_ratio, p.efficiency] for _, points in ready for p in points])
    size = np.maximum(np.ptp(whole, axis=0), 1e-12)
    rows = []
    for _, points in ready:
        values = np.array([[p.mass_flow, p.pressure_ratio, p.efficiency] for p in points])
        way = np.concatenate([[0], np.cumsum(np.hypot(*(np.diff(values[:, :2], axis=0) / size[:2]).T))])
        at = np.linspace(0, way[-1], ALONG)
        rows.append(np.stack([np.interp(at, way, column) for column in values.T], axis=1))
    steps = np.linspace(0, len(rows) - 1, BETWEEN * (len(rows) - 1) + 1)
    low = np.minimum(steps.astype(int), len(rows) - 2)
    share = (steps - low)[:, None, None]
    grid = (1 - share) * np.array(rows)[low] + share * np.array(rows)[low + 1]
    found = contour_generator(grid[..., 0], grid[..., 1], grid[..., 2])
    return [(float(level), curve) for level in _levels(whole[:, 2]) for curve in found.lines(level)
            if len(curve) > 1]


def _levels(values):
    """Round levels within the range of values."""
    low, high = values.min(), values.max()
    for step in (0.002, 0.005, 0.01, 0.02, 0.05, 0.1):
        first, last = np.ceil(low / step), np.floor(high / step)
        if last - first < MOST_LEVELS:
            return np.arange(first, last + 1) * step
    return np.linspace(low, high, MOST_LEVELS)[1:-1]
