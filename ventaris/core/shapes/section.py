"""A wing section: an outline in chord units, its smooth curve and its measures."""
from dataclasses import asdict, dataclass

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator

from .coordinates import ShapeError, order_loop, turning_angles

CORNER = np.radians(3.0)
MOST_CORNERS = 12
LEVEL_ENOUGH = 0.4
ROUND = np.radians(50.0)


@dataclass
class Measures:
    """What is measured on a section; lengths in chords unless the name says otherwise."""

    chord: float
    thickness: float
    thickness_at: float
    camber: float
    camber_at: float
    area: float
    leading_edge_radius: float
    trailing_edge_gap: float
    trailing_edge_angle: float
    points: int

    def as_dict(self):
        return asdict(self)


class Section:
    """An outline with LE at the origin and the middle of its TE at (1, 0).

    Parameters
    ----------
    loop : ndarray, shape (n, 2)
        From the upper trailing edge round the leading edge to the lower one.

    Attributes
    ----------
    loop : ndarray, shape (n, 2)
    trailing_edge : {"sharp", "blunt", "round"}
    gap : float
        Thickness at the trailing edge in chords.
    length : float
        Arc length of the outline, without the base.
    corners : list of float
        Arc lengths at which the outline has a corner, ends excluded.
    """
    def __init__(self, loop):
        self.loop = np.asarray(loop, dtype=float)
        self.gap = float(np.linalg.norm(self.loop[0] - self.loop[-1]))
        self.trailing_edge = self._kind_of_trailing_edge()
        self._build_curve()

    def _kind_of_trailing_edge(self):
        if self.gap > 1e-6:
            return "blunt"
        turn = turning_angles(self.loop[:-1])
        smooth = abs(turn[0]) < ROUND
        return "round" if smooth else "sharp"

    def _build_curve(self):
        step = np.linalg.norm(np.diff(self.loop, axis=0), axis=1)
        self._knots = np.concatenate([[0], np.cumsum(step)])
        self.length = float(self._knots[-1])
        turn = np.concatenate([[0], turning_angles(self.loop)[1:-1], [0]])
        spacing = np.concatenate([[1], np.minimum(step[1:], step[:-1]), [1]])
        neighbours = np.maximum(np.abs(np.roll(turn, 1)), np.abs(np.roll(turn, -1)))
        # A corner turns much more than its neighbours do; a tightly curved nose does not.
        is_corner = (np.abs(turn) > CORNER) & (np.abs(turn) > 4 * neighbours) & (spacing > 0)
        found = np.nonzero(is_corner)[0]
        found = np.sort(found[np.argsort(-np.abs(turn[found]))[:MOST_CORNERS]])
        breaks = [0] + list(found) + [len(self.loop) - 1]
        self.corners = [float(self._knots[k]) for k in breaks[1:-1]]
        self._pieces = []
        for a, b in zip(breaks[:-1], breaks[1:]):
            knots, points = self._knots[a:b + 1], self.loop[a:b + 1]
            if self.trailing_edge == "round" and len(breaks) == 2:
                points = points.copy()
                points[-1] = points[0]
                self._pieces.append(CubicSpline(knots, points, bc_type="periodic"))
            elif len(knots) >= 3:
                self._pieces.append(
                    CubicSpline(knots, points, bc_type="natural" if len(knots) == 3 else "not-a-knot"))
            else:
                self._pieces.append(PchipInterpolator(knots, points))
        self._ends = np.array([self._knots[b] for b in breaks[1:-1]])
        self.leading_edge = self._find_leading_edge()

    def at(self, s, derivative=0):
        """Points (or derivatives by arc length) at arc lengths s, shape (len(s), 2)."""
        s = np.atleast_1d(np.asarray(s, dtype=float))
        piece = np.searchsorted(self._ends, s, side="right")
        out = np.empty((len(s), 2))
        for k, curve in enumerate(self._pieces):
            here = piece == k
            out[here] = curve(s[here], derivative)
        return out

    def stations(self, count):
        """About `count` arc lengths, close together at the edges, corners included."""
        share = 0.5 * (1 - np.cos(np.linspace(0, np.pi, count // 2)))
        nose = self.leading_edge
        return np.unique(np.concatenate([share * nose, nose + share[1:] * (self.length - nose),
                                         self.corners]))

    def curvature(self, s):
        """Absolute curvature at arc lengths s, per chord, shape (len(s),)."""
        d1, d2 = self.at(s, 1), self.at(s, 2)
        speed = np.maximum(np.linalg.norm(d1, axis=1), 1e-12)
        return np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) / speed**3

    def _find_leading_edge(self):
        tail = 0.5 * (self.loop[0] + self.loop[-1])
        s = np.linspace(0, self.length, 4001)
        distance = np.linalg.norm(self.at(s) - tail, axis=1)
        best = int(np.argmax(distance))
        for corner in self.corners:
            if abs(corner - s[best]) < self.length / 1000:
                return corner
        low, high = s[max(best - 1, 0)], s[min(best + 1, len(s) - 1)]
        fine = np.linspace(low, high, 401)
        return float(fine[np.argmax(np.linalg.norm(self.at(fine) - tail, axis=1))])

    def sides(self, x):
        """Upper and lower ordinates at stations x in [0, 1] of the chord, each shape (len(x),)."""
        upper = self.at(np.linspace(self.leading_edge, 0, 2000))
        lower = self.at(np.linspace(self.leading_edge, self.length, 2000))
        return _single_valued(upper, x), _single_valued(lower, x)

    def measure(self, chord=1.0):
        """Thickness, camber, area, leading-edge radius and trailing edge; returns `Measures`."""
        x = 0.5 * (1 - np.cos(np.linspace(0, np.pi, 801)))
        upper, lower = self.sides(x)
        thickness, camber = upper - lower, 0.5 * (upper + lower)
        k, m = int(np.argmax(thickness)), int(np.argmax(np.abs(camber)))
        s = np.sort(np.concatenate([np.linspace(0, self.length, 6001), self.corners]))
        outline = self.at(s)
        area = 0.5 * abs(
            np.sum(outline[:, 0] * np.roll(outline[:, 1], -1) - np.roll(outline[:, 0], -1) * outline[:, 1]))
        sharp = any(abs(c - self.leading_edge) < 1e-9 for c in self.corners)
        near = self.leading_edge + np.linspace(-4e-4, 4e-4, 9)
        radius = 0.0 if sharp else float(1.0 / max(self.curvature(near).mean(), 1e-9))
        back = self.at([0.01, self.length - 0.01])
        ends = self.loop[[0, -1]]
        direction = ends - back
        angles = np.arctan2(direction[:, 1], direction[:, 0])
        return Measures(chord, float(thickness[k]), float(x[k]), float(camber[m]), float(x[m]), float(area),
                        radius, self.gap,
                        float(np.degrees(angles[1] - angles[0])) if self.trailing_edge != "round" else 180.0,
                        len(self.loop))


def _single_valued(side, x):
    order = np.argsort(side[:, 0], kind="stable")
    return np.interp(x, side[order, 0], side[order, 1])


def normalise(loop):
    """Bring any checked loop to unit chord.

    Parameters
    ----------
    loop : ndarray, shape (n, 2), in the standard order

    Returns
    -------
    loop : ndarray, shape (n, 2)
        Leading edge at the origin, middle of the trailing edge at (1, 0).
    chord : float
        In the unit of the input.
    turned : float
        Angle in degrees by which the section was turned to lay its chord line level
        (positive nose down).
    """
    nose, chord, angle = _chord_line(loop)
    return _laid_level(loop, nose, chord, angle), chord, float(np.degrees(-angle))


def _laid_level(points, nose, chord, angle):
    """Points in the axes of a chord line, in chords."""
    c, s = np.cos(-angle), np.sin(-angle)
    return (points - nose) @ np.array([[c, -s], [s, c]]).T / chord


def _chord_line(loop):
    """(nose, chord, angle in radians counter-clockwise) of the line from a checked loop's nose to its
    tail."""
    raw = Section(loop / np.ptp(loop[:, 0]))
    nose = raw.at(raw.leading_edge)[0] * np.ptp(loop[:, 0])
    tail = 0.5 * (loop[0] + loop[-1])
    line = tail - nose
    if abs(np.degrees(np.arctan2(line[1], line[0]))) < LEVEL_ENOUGH:
        # The file's own axis is meant as the chord line: turning a cambered section by a tenth of a
        # degree would silently change its incidence.
        nose = np.array([loop[:, 0].min(), tail[1]])
        line = tail - nose
    chord = float(np.linalg.norm(line))
    if chord <= 0:
        raise ShapeError("The section has no chord: its leading and trailing edge are the same point.")
    return nose, chord, float(np.arctan2(line[1], line[0]))


def elements_beside(main, others):
    """Further elements of an arrangement as a sheet keeps them, where a file's outlines put them.

    Parameters
    ----------
    main : ndarray, shape (n, 2)
        Checked loop of the main element.
    others : list of (ndarray, str)
        Checked loops in the same axes, and their titles.

    Returns
    -------
    list of dict
        Fields of the sheet's `Element`, lengths in chords of the main one.
    """
    line = _chord_line(main)
    out, taken = [], {"main", "body"}
    for k, (loop, title) in enumerate(others):
        placed = _laid_level(loop, *line)
        own_nose, own_chord, own_angle = _chord_line(placed)
        name = " ".join(title.split())[:30]
        name = name if name and name not in taken else f"element {k + 2}"
        taken.add(name)
        out.append({"name": name, "role": "free", "kind": "coordinates", "chord": round(own_chord, 8),
                    "deflection": round(float(np.degrees(-own_angle)), 8), "x": round(float(own_nose[0]), 8),
                    "y": round(float(own_nose[1]), 8), "points": placed.tolist()})
    return out


def section_from_points(points):
    """Check, order and normalise points; returns (Section, chord in the points' unit, turned degrees)."""
    loop, chord, turned = normalise(order_loop(points))
    return Section(loop), chord, turned
