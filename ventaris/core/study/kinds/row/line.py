"""A speed line: where it chokes, peaks and ends, and where its end is to be looked for next."""
from dataclasses import dataclass

import numpy as np
from contourpy import contour_generator

from ....grids.blocks import arc_length
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
    stable, fallen : tuple of LinePoint
        In order of the throttling: up to the stall, and the first stalled one with all beyond it.
    """

    stable: tuple
    fallen: tuple

    @property
    def choke_flow(self):
        """The largest mass flow of the stable points."""
        return max((p.mass_flow for p in self.stable), default=None)

    @property
    def best_ratio(self):
        """The stable point of the highest pressure ratio."""
        return max(self.stable, key=lambda p: p.pressure_ratio, default=None)

    @property
    def best_efficiency(self):
        """The stable point of the best efficiency."""
        return max((p for p in self.stable if p.efficiency is not None), key=lambda p: p.efficiency,
                   default=None)

    @property
    def last(self):
        """The last stable point."""
        return self.stable[-1] if self.stable else None

    @property
    def stalled(self):
        """The first point that is not stable."""
        return self.fallen[0] if self.fallen else None

    @property
    def beyond(self):
        """The runs of the first stalled point and of all that are throttled further."""
        return tuple(p.run for p in self.fallen)

    @property
    def next_closing(self):
        """Half-way between the last stable and the first stalled point; where no point has stalled yet, one
        step further."""
        last, stalled = self.last, self.stalled
        before = self.stable[-2] if len(self.stable) > 1 else None
        if last is None:
            return None
        if stalled is None:
            return last.closing + (last.closing - before.closing) if before else None
        between = 0.5 * (last.closing + stalled.closing)
        if before and before.closing < last.closing:
            slope = abs(before.mass_flow - last.mass_flow) / (last.closing - before.closing)
            if slope * (stalled.closing - last.closing) < CLOSE * last.mass_flow:
                return None
        return between if last.closing < between < stalled.closing else None


def read_line(points):
    """The `SpeedLine` of operating points in any order: one variant at one speed of rotation.

    A point is taken for stalled that did not settle, through whose outlet air runs back, or whose mass flow
    has fallen by a fifth against the stable point before it. That is where the computation leaves the line;
    the stall of the machine is unsteady and may come earlier.
    """
    points, before = sorted(points, key=lambda p: p.closing), None
    for k, point in enumerate(points):
        fallen = before and point.mass_flow < FALLEN * before.mass_flow
        if not point.settled or point.back_flow > TURNED or fallen:
            return SpeedLine(tuple(points[:k]), tuple(points[k:]))
        before = point
    return SpeedLine(tuple(points), ())


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
        way = arc_length(values[:, :2] / size[:2])
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
