"""A speed line: where it chokes, peaks and ends, and where its end is to be looked for next."""
from dataclasses import dataclass

from .judge import TURNED

# A point whose mass flow is below this share of the one before it has fallen into its stall.
FALLEN = 0.8
# The end of a line is known when its last stable and its first stalled point are so close, as a share of the
# line's mass flow at the last stable one: no further halving is proposed.
CLOSE = 0.004


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
    """

    choke_flow: float | None
    best_ratio: LinePoint | None
    best_efficiency: LinePoint | None
    last: LinePoint | None
    stalled: LinePoint | None
    next_closing: float | None


def read_line(points):
    """The `SpeedLine` of operating points in any order: one variant at one speed of rotation.

    A point is taken for stalled that did not settle, through whose outlet air runs back, or whose mass flow
    has fallen by a fifth against the stable point before it. That is where the computation leaves the line;
    the stall of the machine is unsteady and may come earlier.
    """
    points = sorted(points, key=lambda p: p.closing)
    stable, stalled = [], None
    for point in points:
        fallen = stable and point.mass_flow < FALLEN * stable[-1].mass_flow
        if not point.settled or point.back_flow > TURNED or fallen:
            stalled = point
            break
        stable.append(point)
    last = stable[-1] if stable else None
    best = lambda name: max(
        (p for p in stable if getattr(p, name) is not None), key=lambda p: getattr(p, name), default=None)
    return SpeedLine(max((p.mass_flow for p in stable), default=None), best("pressure_ratio"),
                     best("efficiency"), last, stalled, _next(stable, stalled))


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
