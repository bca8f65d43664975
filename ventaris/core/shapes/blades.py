"""Blades: sections at spans, stacked between a hub and a casing, or a hub and the air outside.

A section is drawn in the plane of its stream surface, x along it and y in the direction in which angles are
counted: against the turning (blades that lead with their noses have a positive stagger). Chords are those in
that plane.
"""
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.interpolate import PchipInterpolator

# Points along a section, and over the rounding of each edge.
POINTS, EDGE_POINTS = 400, 60


def between(places, values):
    """The course of a value between a blade's sections, and the same as the last one beyond them."""
    if len(places) == 1:
        return lambda at: values[0]
    curve = PchipInterpolator(places, values)
    return lambda at: curve(np.clip(at, places[0], places[-1]))


@dataclass(frozen=True)
class BladeSection:
    """A section of a blade in the plane: its two sides and its camber line from nose to tail, shape (n, 2),
    and the share of the chord by which its edges are rounded."""

    upper: np.ndarray
    lower: np.ndarray
    camber: np.ndarray
    edge: float

    @property
    def chord(self):
        return float(np.hypot(*(self.camber[-1] - self.camber[0])))

    @property
    def stagger(self):
        return float(np.arctan2(*(self.camber[-1] - self.camber[0])[::-1]))


@dataclass(frozen=True)
class SectionShape:
    """A section at a span.

    Attributes
    ----------
    chord : float
    stagger, camber : float
        Radians: of the chord against the axis; by how much the camber line turns towards the axis.
    front : float
        Share of the camber that the front half of the chord has: 1/2 is an arc of a circle, 0 or less the
        S-shape for a supersonic inflow.
    thickness, edge : float
        Largest thickness and radius of both edges, over the chord.
    form : {"circular arc", "four-digit", "coordinates"}
    shift : tuple
        By how much the section is moved along the axis and round it.
    points : ndarray, shape (n, 2) or None
        Of an outline, over the chord, from the tail over the upper side to the nose and back.
    stacked_at : float
        Share of the chord that stands on the stacking line.
    """

    chord: float
    stagger: float
    camber: float
    front: float
    thickness: float
    edge: float
    form: str
    shift: tuple = (0.0, 0.0)
    points: np.ndarray | None = None
    stacked_at: float = 0.5

    @property
    def inlet_angle(self):
        """Angle of the camber line at the nose, radians."""
        return self.stagger + self._angles(np.array([0.0]))[0] - self._mean()

    @property
    def outlet_angle(self):
        return self.stagger + self._angles(np.array([1.0]))[0] - self._mean()

    def _angles(self, s):
        """Angle along the camber line, but for a constant."""
        return -self.camber * ((4 * self.front - 1) * s + (2 - 4 * self.front) * s**2)

    def _mean(self):
        """Direction of the chord on the same count."""
        s = np.linspace(0, 1, 401)
        angle = self._angles(s)
        return float(np.arctan2(np.trapezoid(np.sin(angle), s), np.trapezoid(np.cos(angle), s)))

    def outline(self):
        """BladeSection in the plane."""
        upper, lower, camber = self._drawn()
        c, s = np.cos(self.stagger), np.sin(self.stagger)
        turn = np.array([[c, s], [-s, c]])
        move = np.array(self.shift) - self.stacked_at * self.chord * np.array([c, s])
        place = lambda q: (self.chord * q) @ turn + move
        return BladeSection(place(upper), place(lower), place(camber), self.edge)

    def _drawn(self):
        """Upper side, lower side and camber line on a chord from (0, 0) to (1, 0)."""
        if self.form == "coordinates":
            return _sides_of(self.points)
        s = 0.5 * (1 - np.cos(np.linspace(0, np.pi, POINTS)))
        near = self.edge * np.linspace(0, 1, EDGE_POINTS)**2
        s = np.unique(np.concatenate([s, near, 1 - near]))
        angle = self._angles(s) - self._mean()
        step, mid = np.diff(s), 0.5 * (angle[1:] + angle[:-1])
        camber = np.concatenate([[[0, 0]],
                                 np.cumsum(np.stack(
                                     [np.cos(mid) * step, np.sin(mid) * step], 1), axis=0)])
        camber /= camber[-1, 0]
        half = self._half_thickness(s)
        normal = np.stack([-np.sin(angle), np.cos(angle)], axis=1)
        return camber + half[:, None] * normal, camber - half[:, None] * normal, camber

    def _half_thickness(self, s):
        round_off = lambda q: np.sqrt(np.clip(1 - np.clip(1 - q / self.edge, 0, 1)**2, 0, 1))
        if self.form == "four-digit":
            half = 5 * self.thickness * (0.2969 * np.sqrt(s) - 0.126 * s - 0.3516 * s**2 + 0.2843 * s**3 -
                                         0.1015 * s**4)
            return half * round_off(1 - s)
        half = self.edge + (0.5 * self.thickness - self.edge) * 4 * s * (1 - s)
        return half * round_off(s) * round_off(1 - s)


def _sides_of(points):
    """Sides and camber line of an outline given by points."""
    nose = int(np.argmin(points[:, 0]))
    upper, lower = points[:nose + 1][::-1], points[nose:]
    if upper[:, 1].mean() < lower[:, 1].mean():
        upper, lower = lower, upper
    s = 0.5 * (1 - np.cos(np.linspace(0, np.pi, 121)))
    low, high = points[nose, 0], max(upper[-1, 0], lower[-1, 0])
    at = low + (high - low) * s
    height = [np.interp(at, side[:, 0], side[:, 1]) for side in (upper, lower)]
    tail = 0.5 * (upper[-1] + lower[-1])
    camber = np.stack([at, 0.5 * (height[0] + height[1])], axis=1)
    camber[0], camber[-1] = points[nose], tail
    close = lambda side: np.concatenate([side, [tail]]) if np.hypot(*(side[-1] - tail)) > 1e-9 else side
    return close(upper), close(lower), camber


@dataclass(frozen=True)
class BladeRow:
    """The surfaces of a row, in one unit of length.

    Attributes
    ----------
    blades : int
    x, hub, casing : ndarray, shape (n,)
        Stations along the axis, from the inlet to the outlet, and the radii there; in the open the casing is
        the outer border of the air.
    spans : ndarray, shape (k,)
        Shares of the way from hub to casing at which sections are given, rising.
    sections : tuple of SectionShape
    tip : float
        Share of that way at which the blade ends; 1 where it reaches the casing.
    is_open : bool
    """

    blades: int
    x: np.ndarray
    hub: np.ndarray
    casing: np.ndarray
    spans: np.ndarray
    sections: tuple
    tip: float
    is_open: bool = False

    @property
    def x_in(self):
        return float(self.x[0])

    @property
    def x_out(self):
        return float(self.x[-1])

    @property
    def tip_radius(self):
        """Of the blades, at the stacking line."""
        return self.radius_at(self.tip)

    @cached_property
    def _contours(self):
        return tuple(PchipInterpolator(self.x, r, extrapolate=True) for r in (self.hub, self.casing))

    def radius(self, x, span):
        """Radius of the stream surface at a share of the span, shape of x."""
        hub, casing = (contour(x) for contour in self._contours)
        return hub + span * (casing - hub)

    def radius_at(self, span):
        """Radius at the stacking line at a share of the span."""
        return float(self.radius(np.zeros(1), span)[0])

    def pitch(self, span):
        """Way round the axis from blade to blade at the stacking line."""
        return 2 * np.pi / self.blades * self.radius_at(span)

    def control_spans(self, count):
        """Spans at which planes are made."""
        return np.linspace(0, self.tip if self.is_open else 1.0, count)

    def section_shape(self, span):
        """SectionShape at a share of the span, between the given ones."""
        first = self.sections[0]
        if len(self.sections) == 1:
            return first
        read = lambda values: float(between(self.spans, values)(span))
        names = ("chord", "stagger", "camber", "front", "thickness", "edge", "stacked_at")
        values = {name: read([getattr(s, name) for s in self.sections]) for name in names}
        shift = tuple(read([s.shift[k] for s in self.sections]) for k in (0, 1))
        points = None
        if first.form == "coordinates":
            points = between(self.spans, np.stack([s.points for s in self.sections]))(span)
        return SectionShape(form=first.form, shift=shift, points=points, **values)

    def section(self, span):
        """BladeSection at a share of the span."""
        return self.section_shape(span).outline()
