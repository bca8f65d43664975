"""Streaklines: where what was let go at points, moment after moment, has been carried to."""
import math
from dataclasses import dataclass

import numpy as np
from matplotlib.tri import Triangulation

from ..grids.turning_zone import Circle

# Steps between two moments, at least and at most; such that the stream crosses the window in so many.
LEAST_BETWEEN, MOST_BETWEEN, ACROSS = 3, 48, 60
# How many windows of air are let pass before the first picture, and in how many steps at most: in a window of
# hundreds of chords they do not reach its end.
WINDOWS, MOST_LEAD = 1.5, 600
# How far beyond the window particles are still followed, as a share of it.
BEYOND = 0.15
# A line is broken where neighbours have drifted this far apart, as a share of the window.
TORN = 0.12


@dataclass(frozen=True)
class Moments:
    """A flow in a plane as it was recorded.

    Attributes
    ----------
    picture : Drawable
    times : ndarray, shape (n,)
        In chords travelled by the stream.
    velocity : list of ndarray, shape (n_points, 2)
        Of the picture's points (of its turnable ones where circles turn) over the stream's speed, along the
        axes in which the picture stands.
    period : float or None
        Of a flow that repeats, in the unit of times.
    place : callable or None
        place(points, time) puts the picture's axes where they are, for flows whose grid moves as a whole.
    angles : callable or None
        angles(time) of the picture's circles, counter-clockwise.
    """

    picture: object
    times: np.ndarray
    velocity: list
    period: float | None = None
    place: object = None
    angles: object = None

    @property
    def repeats(self):
        """Whether the moments cover a whole cycle, so that they can be gone through again and again."""
        spacing = np.diff(self.times).mean() if len(self.times) > 1 else 0.0
        return bool(self.period) and self.times[-1] - self.times[0] + spacing > 0.98 * self.period


class Stream:
    """The velocity of recorded moments, anywhere at any time.

    Parameters
    ----------
    moments : Moments
    box : (left, right, bottom, top)
        What is searched of the picture, in axes at rest.
    """
    def __init__(self, moments, box):
        self.moments, self.box = moments, box
        picture = moments.picture
        points, triangles = picture.turnable or (picture.points, picture.triangles)
        owner = np.zeros(len(points), dtype=int)
        for number, circle in enumerate(picture.circles, start=1):
            owner[circle.points] = number
        whose = owner[triangles]
        self._parts = []
        for number in range(len(picture.circles) + 1):
            own = (whose == number).all(axis=1) if number else ~(whose > 0).all(axis=1)
            own &= True if number or moments.place else _in_box(points[triangles], box)
            self._parts.append(_Part(points, triangles[own]))

    def velocity(self, points, time):
        """Velocity over the stream's in axes at rest, shape (n, 2); NaN in bodies and beyond the window."""
        moments, picture = self.moments, self.moments.picture
        first, second, share = self._between(time)
        fields = (1 - share) * moments.velocity[first] + share * moments.velocity[second]
        if moments.place:
            turn, shift = self._axes(time)
            return self._parts[0].at((points - shift) @ turn.T, fields) @ turn
        out, free = np.full((len(points), 2), np.nan), np.ones(len(points), dtype=bool)
        for number, circle in enumerate(picture.circles, start=1):
            edge = Circle(*circle.centre, circle.radius)
            inside = edge.holds(points)
            standing = edge.turned(points[inside], circle.angle - moments.angles(time)[number - 1])
            out[inside] = self._parts[number].at(standing, fields)
            free &= ~inside
        # At its edge a circle is a polygon; what is just outside of that lies in the air around it.
        rest = free | np.isnan(out[:, 0])
        out[rest] = self._parts[0].at(points[rest], fields)
        return out

    def _axes(self, time):
        """(turn, shift): points at rest are points of the picture @ turn + shift."""
        shift = self.moments.place(np.zeros((1, 2)), time)
        return self.moments.place(np.eye(2), time) - shift, shift

    def in_picture(self, points, time):
        """Points at rest in the axes of the picture."""
        if not self.moments.place:
            return points
        turn, shift = self._axes(time)
        return (points - shift) @ turn.T

    def _between(self, time):
        """The moments around a time and the share of the second."""
        times = self.moments.times
        if self.moments.repeats:
            time = times[0] + (time - times[0]) % self.moments.period
            second = int(np.searchsorted(times, time, side="right")) % len(times)
            first = (second - 1) % len(times)
            gap = (times[second] - times[first]) % self.moments.period or self.moments.period
            return first, second, min((time - times[first]) % self.moments.period / gap, 1.0)
        second = int(np.clip(np.searchsorted(times, time, side="right"), 1, len(times) - 1))
        gap = times[second] - times[second - 1]
        return second - 1, second, float(np.clip((time - times[second - 1]) / gap, 0.0, 1.0))


class _Part:
    """Triangles that stand still among each other."""
    def __init__(self, points, triangles):
        self._used, new = np.unique(triangles, return_inverse=True)
        self._corners = triangles
        self._grid = Triangulation(*points[self._used].T, new.reshape(-1, 3)) if len(triangles) else None
        self._finder = self._grid.get_trifinder() if len(triangles) else None
        self._points = points

    def at(self, points, fields):
        """Values at points from those at the corners, shape (n, 2); NaN outside."""
        out = np.full((len(points), 2), np.nan)
        if self._finder is None or not len(points):
            return out
        found = self._finder(*points.T)
        hit = found >= 0
        corner = self._corners[found[hit]]
        a, b, c = (self._points[corner[:, k]] for k in range(3))
        p, q, r = b - a, c - a, points[hit] - a
        area = p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]
        u = (r[:, 0] * q[:, 1] - r[:, 1] * q[:, 0]) / area
        v = (p[:, 0] * r[:, 1] - p[:, 1] * r[:, 0]) / area
        weight = np.stack([1 - u - v, u, v], axis=1)
        out[hit] = (weight[:, :, None] * fields[corner]).sum(axis=1)
        return out


def _in_box(corners, box):
    low, high = corners.min(axis=1), corners.max(axis=1)
    return (high[:, 0] > box[0]) & (low[:, 0] < box[1]) & (high[:, 1] > box[2]) & (low[:, 1] < box[3])


def streaklines(moments, seeds, box):
    """Streaklines at every moment.

    Parameters
    ----------
    moments : Moments
    seeds : ndarray, shape (n, 2)
        In axes at rest.
    box : (left, right, bottom, top)

    Returns
    -------
    list of list of ndarray, shape (k, 2)
        For each moment its lines, from their seeds on, in the axes of the picture.
    """
    left, right, bottom, top = box
    pad = BEYOND * (right - left), BEYOND * (top - bottom)
    wide = left - pad[0], right + pad[0], bottom - pad[1], top + pad[1]
    stream, times = Stream(moments, wide), moments.times
    spacing = float(np.diff(times).mean())
    step = spacing / int(np.clip(np.ceil(ACROSS * spacing / (right - left)), LEAST_BETWEEN, MOST_BETWEEN))
    begin = times[0]
    if moments.repeats:
        begin -= min(math.ceil(WINDOWS * (wide[1] - wide[0]) / step), MOST_LEAD) * step
    wanted = {int(round((t - begin) / step)): k for k, t in enumerate(times)}
    at, out = np.zeros((0, len(seeds), 2)), [None] * len(times)
    for number in range(max(wanted) + 1):
        time = begin + number * step
        at = np.concatenate([seeds[None], at])
        if number in wanted:
            out[wanted[number]] = [
                stream.in_picture(line, time) for n in range(len(seeds))
                for line in _pieces(at[:, n], TORN * (right - left))
            ]
        at = _carried(stream, at, time, step, wide)
    return out


def _carried(stream, at, time, step, wide):
    """Particles a step later, by the second-order Runge-Kutta rule; NaN where they are lost."""
    flat = at.reshape(-1, 2)
    alive = np.nonzero(np.isfinite(flat[:, 0]))[0]
    here = flat[alive]
    half = here + 0.5 * step * stream.velocity(here, time)
    good = np.isfinite(half[:, 0])
    there = np.full_like(here, np.nan)
    there[good] = here[good] + step * stream.velocity(half[good], time + 0.5 * step)
    left, right, bottom, top = wide
    lost = ~((there[:, 0] > left) & (there[:, 0] < right) & (there[:, 1] > bottom) & (there[:, 1] < top))
    there[lost] = np.nan
    flat = flat.copy()
    flat[alive] = there
    flat = flat.reshape(at.shape)
    # The oldest are let go of once none of them is left.
    kept = np.nonzero(np.isfinite(flat[..., 0]).any(axis=1))[0]
    return flat[:kept[-1] + 1] if len(kept) else flat[:0]


def _pieces(line, torn):
    """A line of particles, broken where some are lost or have drifted apart."""
    good = np.isfinite(line[:, 0])
    apart = np.hypot(*np.diff(line, axis=0).T) > torn
    breaks = np.nonzero(~(good[1:] & good[:-1]) | apart)[0] + 1
    return [piece for piece in np.split(line, breaks) if len(piece) > 1 and np.isfinite(piece).all()]
