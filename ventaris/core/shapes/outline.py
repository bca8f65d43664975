"""A closed curve in the plane, ready to be gridded: one element of an arrangement.

The fluid lies to the right of the direction in which the curve runs (counter-clockwise round
the body).  Every stretch of it has a surface name.
"""
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Stretch:
    """A named piece of an outline between two arc lengths."""

    name: str
    start: float
    end: float


class Outline:
    """A placed section.

    Parameters
    ----------
    section : Section
        In its own chord units.
    name : str
        Of the element; "" for a single one.
    scale : float
        Its chord in reference chords.
    turn : float
        Radians, positive nose up (clockwise).
    offset : tuple
        Where its nose-end origin goes, in reference chords.
    mirrored : bool
        Whether the y axis is turned round last.

    Attributes
    ----------
    length : float
    corners : list of float
        Arc lengths of the corners, those of the trailing edge included.
    stretches : list of Stretch
        Cover the whole curve.
    """
    def __init__(self, section, name="", scale=1.0, turn=0.0, offset=(0.0, 0.0), mirrored=False):
        self.section, self.name, self.scale, self.turn, self.mirrored = section, name, scale, turn, mirrored
        self.offset = np.asarray(offset, dtype=float)
        self._body = section.length * scale
        self._base = section.gap * scale if section.trailing_edge == "blunt" else 0.0
        self.length = self._body + self._base
        inner = [c * scale for c in section.corners]
        if section.trailing_edge == "blunt":
            ends = [0.0, self._body]
        else:
            ends = [0.0] if section.trailing_edge == "sharp" else []
        corners = sorted({*ends, *inner})
        self.corners = sorted(self.length - c for c in corners) if mirrored else corners
        if mirrored and 0.0 in corners:
            self.corners = sorted({0.0, *(c for c in self.corners if c < self.length - 1e-12)})
        self.stretches = self._sides()

    @property
    def is_sharp(self):
        """Whether the trailing edge, the curve's start, is a point."""
        return self.section.trailing_edge == "sharp"

    def _sides(self):
        prefix = f"{self.name} " if self.name else ""
        nose = self.section.leading_edge * self.scale
        pieces = [("upper", 0.0, nose), ("lower", nose, self._body)]
        if self._base:
            pieces.append(("base", self._body, self.length))
        if self.mirrored:
            swap = {"upper": "lower", "lower": "upper", "base": "base"}
            pieces = [(swap[n], self.length - b, self.length - a) for n, a, b in pieces[::-1]]
        return [Stretch(prefix + n, a, b) for n, a, b in pieces]

    def _own(self, s):
        s = np.mod(np.asarray(s, dtype=float), self.length)
        return np.mod(self.length - s, self.length) if self.mirrored else s

    def at(self, s):
        """Points at arc lengths s, shape (len(s), 2)."""
        s = self._own(np.atleast_1d(s))
        on_base = s > self._body
        out = self.section.at(np.minimum(s, self._body) / self.scale)
        if on_base.any():
            share = ((s[on_base] - self._body) / self._base)[:, None]
            out[on_base] = (1 - share) * self.section.loop[-1] + share * self.section.loop[0]
        return self.place(out)

    def place(self, points):
        """From the section's own chord units to where the element stands."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        out = self.scale * points @ np.array([[c, -s], [s, c]]) + self.offset
        return out * [1, -1] if self.mirrored else out

    def curvature(self, s):
        """Absolute curvature, per reference chord."""
        s = self._own(np.atleast_1d(s))
        return np.where(s > self._body, 0.0,
                        self.section.curvature(np.minimum(s, self._body) / self.scale) / self.scale)

    def polygon(self, count=800):
        """Closed polygon of about `count` points, corners included, shape (n, 2)."""
        share = np.linspace(0, self.length, count, endpoint=False)
        return self.at(np.unique(np.concatenate([share, self.corners, [t.start for t in self.stretches]])))

    @property
    def trailing_edge(self):
        """The middle of the trailing edge."""
        return self.place(0.5 * (self.section.loop[:1] + self.section.loop[-1:]))[0]

    def cut_out(self, name, start, end):
        """Give the stretch between two arc lengths its own name; may run over the start of the curve."""
        start, end = start % self.length, end % self.length
        spans = [(start, end)] if start < end else [(start, self.length), (0.0, end)]
        kept = []
        for piece in self.stretches:
            rest = [(piece.start, piece.end)]
            for a, b in spans:
                rest = [
                    cut for p, q in rest for cut in ((p, min(q, a)), (max(p, b), q))
                    if cut[1] - cut[0] > 1e-9 * self.length
                ]
            kept += [Stretch(piece.name, a, b) for a, b in rest]
        self.stretches = sorted(kept + [Stretch(name, a, b) for a, b in spans if b - a > 1e-12],
                                key=lambda t: t.start)

    def name_at(self, s):
        """Surface name at each arc length, list of str."""
        starts = np.array([t.start for t in self.stretches])
        index = np.searchsorted(starts, np.mod(s, self.length), side="right") - 1
        return [self.stretches[k].name for k in np.maximum(index, 0)]

    def arc_of_station(self, side, x):
        """Arc length at a chord station (of the element's own chord) on its "upper" or "lower" side as it
        stands."""
        own = {"upper": "lower", "lower": "upper"}[side] if self.mirrored else side
        section = self.section
        s = np.linspace(section.leading_edge, 0.0 if own == "upper" else section.length, 4001)
        points = section.at(s)
        order = np.argsort(points[:, 0], kind="stable")
        found = float(np.interp(x, points[order, 0], s[order])) * self.scale
        return self.length - found if self.mirrored else found

    def arc_of_angle(self, degrees):
        """Arc length where a ray from the middle of the element meets it; degrees counter-clockwise from
        downstream."""
        s = np.linspace(0, self.length, 8001)
        points = self.at(s)
        middle = 0.5 * (points.min(0) + points.max(0))
        angle = np.degrees(np.arctan2(*(points - middle).T[::-1]))
        return float(s[np.argmin(np.abs((angle - degrees + 180) % 360 - 180))])


def crossing(one, other):
    """A point where two closed polygons cross, or None."""
    a, b = one, np.roll(one, -1, axis=0)
    c, d = other, np.roll(other, -1, axis=0)

    def side(p, q, r):
        return (q[..., 0] - p[..., 0]) * (r[..., 1] - p[..., 1]) - (q[..., 1] - p[..., 1]) * (r[..., 0] -
                                                                                              p[..., 0])

    a, b, c, d = a[:, None], b[:, None], c[None], d[None]
    hit = (side(a, b, c) * side(a, b, d) < 0) & (side(c, d, a) * side(c, d, b) < 0)
    if not hit.any():
        return None
    i, _ = np.argwhere(hit)[0]
    return one[i]


def holds(polygon, points):
    """Which points lie inside a closed polygon, by crossings, shape (n,)."""
    return crossed_oddly(polygon, np.roll(polygon, -1, axis=0), points)


def crossed_oddly(start, end, points):
    """Which points send a horizontal ray across an odd number of edges, shape (n,)."""
    inside = np.zeros(len(points), dtype=bool)
    order = np.argsort(points[:, 1], kind="stable")
    y = points[order, 1]
    low, high = np.minimum(start[:, 1], end[:, 1]), np.maximum(start[:, 1], end[:, 1])
    first, last = np.searchsorted(y, low, "left"), np.searchsorted(y, high, "left")
    for k in np.nonzero(last > first)[0]:
        pick = order[first[k]:last[k]]
        x = start[k,
                  0] + (points[pick, 1] - start[k, 1]) * (end[k, 0] - start[k, 0]) / (end[k, 1] - start[k, 1])
        inside[pick] ^= points[pick, 0] < x
    return inside
