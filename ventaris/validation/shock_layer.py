"""Supersonic flow between a sphere and its bow shock, by spectral shock fitting.

An independent and practically exact solution for judging captured shocks: the shock is a
coordinate line with the Rankine-Hugoniot conditions on it, the layer is spanned by
Chebyshev polynomials, and the equations of steady inviscid flow are satisfied at every
point in the sense of least squares (Gauss-Newton).  Lengths are in sphere radii.

References
----------
Moretti, Abbett: A time-dependent computational method for blunt body flows, AIAA J. 4, 1966 (the fitted
shock).
Trefethen: Spectral Methods in MATLAB, SIAM, 2000 (differentiation matrices, parity on a half interval).
"""
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

# Weight of the conditions at the body and at the shock against the equations between them.
EDGE_WEIGHT = 30.0
EXACT_LAYER = "practically exact: shock fitted, layer spectral (ventaris/validation/shock_layer.py)"


@dataclass(frozen=True)
class ShockLayer:
    """The layer ahead of a sphere.

    Attributes
    ----------
    stand_off : float
        Distance of the shock from the nose over the radius.
    nose_pressure : float
        Computed pressure at the nose over the pitot pressure, which is known: how exact the solution is.
    defect : float
        Root mean square of what is left of the equations.
    """

    stand_off: float
    nose_pressure: float
    defect: float


def solve_sphere(mach, points=10, reach=60.0, gamma=1.4):
    """Solve the layer from the axis to `reach` degrees.

    Parameters
    ----------
    mach : float
        Above about 1.6, so that the flow leaves the layer supersonically.
    points : int
        Chebyshev points along and across.
    reach : float
        Degrees; beyond the sonic line.

    Returns
    -------
    ShockLayer
    """
    layer = _Layer(mach, points, np.radians(reach), gamma)
    found = least_squares(layer.defects, layer.start(), max_nfev=60)
    _, _, p, distance = layer.unpack(found.x)
    pitot = (0.5 * (gamma + 1) * mach**2)**(gamma / (gamma - 1)) * (
        (gamma + 1) / (2 * gamma * mach**2 - gamma + 1))**(1 / (gamma - 1)) / gamma
    return ShockLayer(layer.on_axis(distance),
                      layer.on_axis(p[0]) / pitot, float(np.sqrt(2 * found.cost / len(found.fun))))


def _chebyshev(n):
    """Differentiation matrix and points 1 … -1 of n + 1 Chebyshev points."""
    k = np.arange(n + 1)
    x = np.cos(np.pi * k / n)
    weight = np.where((k == 0) | (k == n), 2.0, 1.0) * (-1.0)**k
    matrix = np.outer(weight, 1 / weight) / (x[:, None] - x + np.eye(n + 1))
    return matrix - np.diag(matrix.sum(axis=1)), x


class _Layer:
    """Equations of the layer; velocities over a_inf, pressures over rho_inf a_inf^2, rows across and columns
    along it."""
    def __init__(self, mach, points, reach, gamma):
        self.mach, self.points, self.gamma = mach, points, gamma
        self.enthalpy = 1 / (gamma - 1) + 0.5 * mach**2
        # Half of an interval about the axis, which itself is no point: pressures are even across it, the
        # speed along is odd.
        whole, x = _chebyshev(2 * points - 1)
        self.share, self.angle = x[:points], reach * x[:points]
        mirrored = whole[:points, points:][:, ::-1]
        self.along_even, self.along_odd = (whole[:points, :points] +
                                           mirrored) / reach, (whole[:points, :points] - mirrored) / reach
        across, e = _chebyshev(points)
        self.height, self.across = (1 - e[:, None]) / 2, -2 * across

    def unpack(self, z):
        """Radial speed, speed along, pressure, shape (points + 1, points), and the shock's distance from the
        sphere."""
        fields = z[:-self.points].reshape(3, self.points + 1, self.points)
        return *fields, z[-self.points:]

    def on_axis(self, values):
        """Value at the axis of something even that is known at the angles."""
        return float(np.linalg.solve(np.vander(self.share**2, increasing=True), values)[0])

    def behind_shock(self, distance):
        """Radial speed, speed along and pressure right behind the shock."""
        g, slope = self.gamma, (self.along_even @ distance) / (1 + distance)
        length = np.sqrt(1 + slope**2)
        out, aside = 1 / length, -slope / length
        radial, along = -self.mach * np.cos(self.angle), self.mach * np.sin(self.angle)
        normal, tangent = radial * out + along * aside, -radial * aside + along * out
        density = (g + 1) * normal**2 / ((g - 1) * normal**2 + 2)
        return normal / density * out - tangent * aside, normal / density * aside + tangent * out, (
            1 + 2 * g / (g + 1) * (normal**2 - 1)) / g

    def start(self):
        """A guess: the correlation's distance, a cosine law of the pressure on the sphere, straight lines
        between."""
        g, angle = self.gamma, self.angle
        distance = 0.143 * np.exp(3.24 / self.mach**2) * (1 + 0.35 * angle**2 + 0.1 * angle**4)
        u, v, p = self.behind_shock(distance)
        most = 1.1 * p.max()
        body = 1 / g + (most - 1 / g) * np.cos(angle)**2
        slip = np.sqrt(2 * self.enthalpy * (1 - (body / most)**((g - 1) / g)))
        s = self.height
        return np.concatenate([(s * u).ravel(), ((1 - s) * slip + s * v).ravel(),
                               ((1 - s) * body + s * p).ravel(), distance])

    def defects(self, z):
        """Mass, radial and angular momentum at all points, impermeable sphere, and the jump; total enthalpy
        is constant by construction."""
        u, v, p, distance = self.unpack(z)
        g = self.gamma
        slope, radius = self.along_even @ distance, 1 + self.height * distance
        rho = g / (g - 1) * p / (self.enthalpy - 0.5 * (u * u + v * v))
        d_r = lambda f: (self.across @ f) / distance
        d_angle = lambda f, matrix: f @ matrix.T - self.height * slope * d_r(f)
        mass = d_r(rho * u) + 2 * rho * u / radius + (d_angle(rho * v, self.along_odd) +
                                                      rho * v / np.tan(self.angle)) / radius
        radial = rho * (u * d_r(u) + v / radius * d_angle(u, self.along_even) - v * v / radius) + d_r(p)
        angular = rho * (u * d_r(v) + v / radius * d_angle(v, self.along_odd) + u * v / radius) + d_angle(
            p, self.along_even) / radius
        edges = [u[0], *(field[-1] - wanted for field, wanted in zip((u, v, p), self.behind_shock(distance)))]
        return np.concatenate(
            [mass.ravel(), radial.ravel(),
             angular.ravel(), *(EDGE_WEIGHT * e for e in edges)])
