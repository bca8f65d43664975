"""Nozzle contours: straight inlet, convergence, throat, and a conical or bell-shaped divergence."""
import functools
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.optimize import brentq

from .coordinates import ShapeError

DENSE = 2001


@dataclass(frozen=True)
class NozzleContour:
    """The inner wall of a nozzle, from its inlet at x = 0 to its exit.

    Attributes
    ----------
    x, r : ndarray, shape (n,)
        In metres; the radius (half height of a planar nozzle).
    """

    x: np.ndarray
    r: np.ndarray

    def __post_init__(self):
        object.__setattr__(self, "_curve", PchipInterpolator(self.x, self.r))

    @property
    def length(self):
        return float(self.x[-1])

    @property
    def throat(self):
        """(x, r) of the narrowest place."""
        k = int(np.argmin(self.r))
        return float(self.x[k]), float(self.r[k])

    @property
    def inlet_radius(self):
        return float(self.r[0])

    @property
    def exit_radius(self):
        return float(self.r[-1])

    def radius(self, x):
        """Radius at stations x, continued straight beyond the ends."""
        return self._curve(np.clip(x, self.x[0], self.x[-1]))


def _arc_line_arc(drop, length, first, second, name):
    """Angle of the straight piece between two arcs of opposite turn that together fall by `drop` over
    `length`.

    Both arcs start and end level; `first` and `second` are their radii.
    """
    if drop == 0:
        return 0.0

    def excess(angle):
        run = (first + second) * np.sin(angle)
        fall = (first + second) * (1 - np.cos(angle))
        return fall + (length - run) * np.tan(angle) - drop

    # The largest angle for which the straight piece has no negative length.
    most = np.arcsin(min(1.0, length / (first + second))) if first + second > 0 else np.radians(80)
    most = min(most, np.radians(80))
    if excess(most) < 0:
        needed = f"{drop / np.tan(np.radians(60)) + 0.5 * (first + second):.3g} m"
        raise ShapeError(
            f"shape.{name} = {length:g} m: too short for a change of radius of {drop:.3g} m with blends of "
            f"{first:.3g} and {second:.3g} m. Give about {needed} or more, or smaller blend radii.")
    return float(brentq(excess, 0.0, most, xtol=1e-14))


def _arc(x, r, start, end, radius, count=80):
    """Points along an arc whose slope angle runs from `start` to `end`, beginning at (x, r)."""
    angle = np.linspace(start, end, count)
    sign = 1.0 if end >= start else -1.0
    return np.stack([
        x + sign * radius * (np.sin(angle) - np.sin(start)), r - sign * radius *
        (np.cos(angle) - np.cos(start))
    ], axis=1)


def convergence(inlet, throat, length, inlet_blend, throat_blend):
    """Points from the inlet's end to the throat, level at both, shape (n, 2); starts at x = 0."""
    angle = _arc_line_arc(inlet - throat, length, inlet_blend, throat_blend, "converge_length")
    first = _arc(0.0, inlet, 0.0, -angle, inlet_blend)
    last = _arc(0.0, 0.0, -angle, 0.0, throat_blend)
    last = last - last[-1] + [length, throat]
    return np.concatenate([first, last])


def divergence(throat, exit_radius, length, blend, bell, start_angle, end_angle):
    """Points from the throat (x = 0) to the exit; conical, or a parabola between two angles (radians)."""
    if bell:
        arc = _arc(0.0, throat, 0.0, start_angle, blend)
        (x0, r0), (x2, r2) = arc[-1], (length, exit_radius)
        if x0 >= length or r0 >= exit_radius:
            raise ShapeError(
                f"shape.diverge_length = {length:g} m: the throat's arc alone is longer. Give a longer "
                "divergence or a smaller throat blend."
            )
        slope0, slope2 = np.tan(start_angle), np.tan(end_angle)
        mean = (r2 - r0) / (x2 - x0)
        if not min(slope0, slope2) < mean < max(slope0, slope2):
            raise ShapeError(
                f"shape.bell_start = {np.degrees(start_angle):g}°, shape.bell_end = "
                f"{np.degrees(end_angle):g}°: the straight line from the throat to the exit rises at "
                f"{np.degrees(np.arctan(mean)):.1f}°, which must lie between the two. Change an angle, the "
                "length or the exit radius."
            )
        x1 = (r2 - slope2 * x2 - r0 + slope0 * x0) / (slope0 - slope2)
        middle = np.array([x1, r0 + slope0 * (x1 - x0)])
        t = np.linspace(0, 1, 200)[1:, None]
        return np.concatenate(
            [arc, (1 - t)**2 * arc[-1] + 2 * t * (1 - t) * middle + t**2 * np.array([x2, r2])])

    def excess(angle):
        return throat + blend * (1 - np.cos(angle)) + (length -
                                                       blend * np.sin(angle)) * np.tan(angle) - exit_radius

    most = min(np.arcsin(min(1.0, length / blend)) if blend > 0 else np.radians(60), np.radians(60))
    if excess(most) < 0:
        raise ShapeError(
            f"shape.diverge_length = {length:g} m: too short to open from {throat:g} to {exit_radius:g} m. "
            "Give a longer divergence or a smaller throat blend."
        )
    angle = brentq(excess, 0.0, most, xtol=1e-14)
    return np.concatenate([_arc(0.0, throat, 0.0, angle, blend), [[length, exit_radius]]])


def wall_pieces(contour, lip, ports=(), count=240):
    """The upper wall as closed outlines in metres, the ports left open.

    Parameters
    ----------
    contour : NozzleContour
    lip : float
        Thickness, measured across.
    ports : sequence of (start, end)

    Returns
    -------
    list of ndarray, shape (n, 2)
    """
    x = np.linspace(0, contour.length, count)
    edges = sorted({0.0, contour.length, *(edge for port in ports for edge in port)})
    pieces = []
    for a, b in zip(edges, edges[1:]):
        if any(abs(a - p) + abs(b - q) < 1e-12 for p, q in ports):
            continue
        s = np.concatenate([[a], x[(x > a) & (x < b)], [b]])
        r = contour.radius(s)
        pieces.append(np.concatenate([np.stack([s, r], 1), np.stack([s, r + lip], 1)[::-1]]))
    return pieces


def port_spans(shape):
    """(start, end) of every port of a sheet's shape, in metres."""
    return [(p.x - 0.5 * p.width, p.x + 0.5 * p.width) for p in shape.ports]


def build_nozzle(shape):
    """The contour of a sheet's nozzle shape.

    Raises
    ------
    ShapeError
        When the numbers do not make a contour.
    """
    return _build(type(shape), shape.model_dump_json())


@functools.lru_cache(maxsize=128)
def _build(model, text):
    shape = model.model_validate_json(text)
    if shape.kind == "coordinates":
        return _from_points(shape.points)
    throat, blend = shape.throat_radius, shape.throat_blend * shape.throat_radius
    points = convergence(shape.inlet_radius, throat, shape.converge_length,
                         shape.inlet_blend * shape.inlet_radius, blend)
    if shape.inlet_length > 0:
        points = np.concatenate([[[-shape.inlet_length, shape.inlet_radius]], points])
    if shape.diverge_length > 0:
        opened = divergence(throat, shape.exit_radius, shape.diverge_length, shape.exit_blend * throat,
                            shape.kind == "bell", np.radians(shape.bell_start), np.radians(shape.bell_end))
        points = np.concatenate([points, opened[1:] + [points[-1, 0], 0.0]])
    return _contour(points)


def _contour(points):
    points = points - [points[0, 0], 0.0]
    keep = np.concatenate([[True], np.diff(points[:, 0]) > 1e-12 * points[-1, 0]])
    return NozzleContour(*points[keep].T)


def _from_points(points):
    points = np.asarray(points, dtype=float)
    if len(points) < 3:
        raise ShapeError(f"shape.points: {len(points)} points; a contour needs at least three, inlet first.")
    if points[0, 0] > points[-1, 0]:
        points = points[::-1]
    if np.any(np.diff(points[:, 0]) <= 0):
        k = int(np.argmax(np.diff(points[:, 0]) <= 0))
        raise ShapeError(
            f"shape.points: x does not grow from x = {points[k, 0]:g} m to x = {points[k + 1, 0]:g} m. Give "
            "the wall from inlet to exit, once."
        )
    if points[:, 1].min() <= 0:
        k = int(np.argmin(points[:, 1]))
        raise ShapeError(
            f"shape.points: at x = {points[k, 0]:g} m the contour crosses the axis (r = {points[k, 1]:g} m). "
            "Every radius must be more than 0."
        )
    return _contour(points)
