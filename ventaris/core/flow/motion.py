"""Everything moves: a plane's grid and the walls in it turn and shift as one rigid piece, and gusts come with
the stream.

The flow is written along axes that turn with the grid; its velocity is that against air at rest, and through
a face passes what moves against the face. Such a state is the same flow whatever the axes, so a step in time
only has to turn the levels before it into the axes of the level that is sought: a uniform stream stays
uniform to round-off, however fast and far the grid turns. A gust is a velocity of the air that the grid does
not see otherwise: every face and wall moves against it, and its mean over a face is taken exactly, so that no
cell gains or loses volume.

References
----------
Farhat, Geuzaine, Grandmont: The discrete geometric conservation law and the
nonlinear stability of ALE schemes, J. Comput. Phys. 174, 2001 (rigid motion
needs no more than the velocity in a straight face's middle).
Parameswaran, Baeder: Indicial aerodynamics in compressible flow: direct
calculations, J. Aircraft 34(1), 1997 (gusts by the velocity of the grid).
"""
from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import CubicSpline

from .boundaries.registry import FAR_FIELD, NO_SLIP


@dataclass(frozen=True)
class Still:
    """A quantity that does not change."""

    level: float = 0.0

    def value(self, t):
        return self.level

    def rate(self, t):
        return 0.0


@dataclass(frozen=True)
class Swing:
    """A sine about a level.

    Attributes
    ----------
    amplitude, level : float
    frequency : float
        Angular.
    phase : float
        Radians.
    """

    amplitude: float
    frequency: float
    phase: float = 0.0
    level: float = 0.0

    def value(self, t):
        return self.level + self.amplitude * np.sin(self.frequency * t + self.phase)

    def rate(self, t):
        return self.amplitude * self.frequency * np.cos(self.frequency * t + self.phase)


@dataclass(frozen=True)
class Ramp:
    """From 0 to `rise` between two times, with a smooth start and end (a half wave of cosine)."""

    rise: float
    begin: float
    end: float

    def value(self, t):
        return self.rise * 0.5 * (1 - np.cos(np.pi * self._share(t)))

    def rate(self, t):
        share = self._share(t)
        return self.rise * 0.5 * np.pi / (self.end - self.begin) * np.sin(np.pi * share)

    def _share(self, t):
        return min(max((t - self.begin) / (self.end - self.begin), 0.0), 1.0)


@dataclass(frozen=True)
class Turning:
    """At a constant rate, which is reached smoothly within a time (half a wave of cosine)."""

    speed: float
    level: float = 0.0
    spin_up: float = 0.0

    def value(self, t):
        if t >= self.spin_up:
            return self.level + self.speed * (t - 0.5 * self.spin_up)
        return self.level + 0.5 * self.speed * (t - self.spin_up / np.pi * np.sin(np.pi * t / self.spin_up))

    def rate(self, t):
        return self.speed if t >= self.spin_up else 0.5 * self.speed * (1 - np.cos(np.pi * t / self.spin_up))


class Tabled:
    """A table against time, joined by a cubic spline; beyond its ends the value there, at rest, or, of a
    repeated one, from its beginning."""
    def __init__(self, times, values, repeats=False):
        self.times, self.values, self.repeats = np.asarray(times, float), np.asarray(values, float), repeats
        ends = "periodic" if repeats else "clamped"
        self.spline = CubicSpline(self.times, self.values, bc_type=ends)

    def value(self, t):
        return float(self.spline(self._inside(t)))

    def rate(self, t):
        if not self.repeats and not self.times[0] < t < self.times[-1]:
            return 0.0
        return float(self.spline(self._inside(t), 1))

    def _inside(self, t):
        begin, end = self.times[0], self.times[-1]
        return begin + (t - begin) % (end - begin) if self.repeats else min(max(t, begin), end)


@dataclass(frozen=True)
class WaveGust:
    """A sine that travels with the stream; its velocity stands across the stream.

    Attributes
    ----------
    speed : float
        Amplitude over a_inf, positive up.
    length : float
        Of the wave, in reference lengths.
    """

    speed: float
    length: float

    def velocity(self, way):
        """At `way` behind the front."""
        return self.speed * np.sin(2 * np.pi * way / self.length)

    def integral(self, way):
        return -self.speed * self.length / (2 * np.pi) * np.cos(2 * np.pi * way / self.length)


@dataclass(frozen=True)
class EdgeGust:
    """Nothing ahead of the front, a steady velocity across the stream behind it."""

    speed: float

    def velocity(self, way):
        return self.speed * (way > 0)

    def integral(self, way):
        return self.speed * np.maximum(way, 0.0)


@dataclass(frozen=True)
class Motion:
    """How everything moves, in the solver's scales (time in reference lengths over a_inf).

    Attributes
    ----------
    pitch : law
        Radians, nose up.
    heave : law
        Reference lengths, up.
    pivot : tuple
        About which it pitches, in reference lengths.
    gust : WaveGust, EdgeGust or None
    front : float
        Where the gust's front stands along the stream at time 0.
    """

    pitch: object = Still()
    heave: object = Still()
    pivot: tuple = (0.25, 0.0)
    gust: object = None
    front: float = -1.0

    def on(self, flow):
        """What moves the grid of a discretisation."""
        return Moved(flow, self)

    def place(self, points, t):
        """Points of the grid where they are at a time, shape (n, 2)."""
        c, s = np.cos(self.pitch.value(t)), np.sin(self.pitch.value(t))
        away = np.asarray(points) - self.pivot
        return np.stack([c * away[:, 0] + s * away[:, 1], c * away[:, 1] - s * away[:, 0]],
                        axis=1) + self.pivot + [0.0, self.heave.value(t)]

    def turn_back(self, vectors, t):
        """Vectors along the axes at rest, by their components along the grid's, shape (..., 2)."""
        c, s = np.cos(self.pitch.value(t)), np.sin(self.pitch.value(t))
        return np.stack(
            [c * vectors[..., 0] - s * vectors[..., 1], s * vectors[..., 0] + c * vectors[..., 1]], axis=-1)

    def velocity(self, points, t):
        """Velocity of points of the grid by its components along the grid's axes, shape (n, 2)."""
        rate = self.pitch.rate(t)
        away = np.asarray(points) - self.pivot
        shift = self.turn_back(np.array([0.0, self.heave.rate(t)]), t)
        # Nose up is clockwise.
        return np.stack([rate * away[:, 1], -rate * away[:, 0]], axis=1) + shift


def turned(state, angle):
    """A state, or a change of one, [.., .., u, v, ...] by its components along axes that have turned nose up
    by `angle` more."""
    out = state.copy()
    c, s = np.cos(angle), np.sin(angle)
    out[:, 2], out[:, 3] = c * state[:, 2] - s * state[:, 3], s * state[:, 2] + c * state[:, 3]
    return out


class Moved:
    """A discretisation whose grid moves.

    Parameters
    ----------
    flow : Discretisation
    motion : Motion
    """
    def __init__(self, flow, motion):
        self.flow, self.motion, self.stream, self.time = flow, motion, flow.stream, 0.0
        mesh = flow.mesh
        self.far = np.nonzero(flow.kind == FAR_FIELD)[0]
        self.sticky = np.nonzero(flow.kind == NO_SLIP)[0]
        self.sliding = flow.border.ghost[self.sticky, 2:4].copy()
        self.ends = mesh.points[mesh.face_nodes] if motion.gust else None
        self.put(0.0, at_rest=True)

    def put(self, time, at_rest=False):
        """Put the grid where it is at a time; `at_rest` holds it there, without gusts. Returns the angle by
        which its axes have turned since it was put somewhere last."""
        flow, motion, mesh = self.flow, self.motion, self.flow.mesh
        turn = motion.pitch.value(time) - motion.pitch.value(self.time)
        self.time = time
        flow.stream = replace(self.stream, incidence=self.stream.incidence + motion.pitch.value(time))
        flow.free = flow.stream.state
        flow.border.ghost[self.far] = flow.free
        if at_rest:
            flow.faces.drift[:], flow.cells.drift[:] = 0.0, 0.0
        else:
            flow.faces.drift[:] = motion.velocity(mesh.face_centre, time)
            flow.cells.drift[:] = motion.velocity(mesh.centre, time)
            if motion.gust:
                self._add_gust(time)
        flow.border.ghost[self.sticky, 2:4] = self.sliding + flow.faces.drift[flow.n_interior:][self.sticky]
        return turn

    def _add_gust(self, time):
        flow, motion = self.flow, self.motion
        along, across = self.stream.axes
        front = motion.front + self.stream.mach * time

        def behind(points):
            return front - motion.place(points, time) @ along

        way = behind(self.ends.reshape(-1, 2)).reshape(-1, 2)
        length = way[:, 1] - way[:, 0]
        whole = np.abs(length) > 1e-12
        mean = motion.gust.velocity(way.mean(axis=1))
        mean[whole] = np.diff(motion.gust.integral(way), axis=1)[whole, 0] / length[whole]
        up = motion.turn_back(across, time)
        flow.faces.drift[:] -= mean[:, None] * up
        flow.cells.drift[:] -= motion.gust.velocity(behind(flow.mesh.centre))[:, None] * up
