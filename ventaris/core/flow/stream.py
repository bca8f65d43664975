"""The free stream in the solver's own scales, and the far field it makes."""
from dataclasses import dataclass

import numpy as np

from . import positions as k

TURBULENT_PRANDTL = 0.9
# Half of the centred difference in the reconstruction: third order between values at the cells' middles.
# On cubes and where they join layers the cells are irregular, and a third, which damps more, settles better.
CENTRED, CENTRED_ON_CUBES = 1.0 / 2.0, 1.0 / 3.0


@dataclass(frozen=True)
class FreeStream:
    """Reference state of a run, scaled by free-stream density, speed of sound and temperature.

    Attributes
    ----------
    mach : float
    incidence : float
        Radians.
    gamma : float
    reynolds : float or None
        On the reference length; None is inviscid.
    sutherland : float
        Sutherland's constant over the free-stream temperature; 0 keeps the viscosity constant.
    prandtl : float
    turbulence_intensity : float
        Root mean square of the velocity fluctuations over the speed.
    viscosity_ratio : float
        Eddy over molecular viscosity.
    """

    mach: float
    incidence: float = 0.0
    gamma: float = 1.4
    reynolds: float | None = None
    sutherland: float = 0.0
    prandtl: float = 0.72
    turbulence_intensity: float = 0.001
    viscosity_ratio: float = 0.21

    @property
    def state(self):
        """[p, T, u, v] of the undisturbed stream."""
        return np.array([0.0, 1.0, self.mach * np.cos(self.incidence), self.mach * np.sin(self.incidence)])

    @property
    def column_scale(self):
        """Scales that make changes of [p, T, u, v] of order one at any Mach number, shape (4,)."""
        return np.array([self.mach**2, (self.gamma - 1) * self.mach**2, self.mach, self.mach])

    @property
    def axes(self):
        """Unit vectors along the stream and across it (the directions of drag and lift)."""
        c, s = np.cos(self.incidence), np.sin(self.incidence)
        return np.array([c, s]), np.array([-s, c])

    @property
    def dynamic_pressure(self):
        return 0.5 * self.mach**2

    @property
    def total_enthalpy(self):
        return 1 / (self.gamma - 1) + 0.5 * self.mach**2

    def constants(self, limit, precondition):
        """The array of constants and switches that the kernels read."""
        out = np.zeros(k.N_CONSTANTS)
        out[k.GAMMA], out[k.MACH], out[k.PRANDTL], out[
            k.SUTHERLAND] = self.gamma, self.mach, self.prandtl, self.sutherland
        out[k.VISCOSITY] = 0.0 if self.reynolds is None else self.mach / self.reynolds
        out[k.VISCOUS] = float(self.reynolds is not None)
        out[k.TURBULENT_PRANDTL], out[k.CENTRED] = TURBULENT_PRANDTL, CENTRED
        out[k.PRECONDITION], out[k.LIMIT] = float(precondition), float(limit)
        return out

    def far_field(self, points, circulation, centre=(0.25, 0.0)):
        """Stream plus the compressible point vortex of a lifting section.

        Parameters
        ----------
        points : ndarray, shape (n, 2)
        circulation : float
            Positive for lift; scaled by a_inf times the reference length.
        centre : tuple
            Where the vortex stands.

        Returns
        -------
        ndarray, shape (n, 4)

        References
        ----------
        Thomas, Salas: Far-field boundary conditions for transonic lifting solutions to
        the Euler equations, AIAA J. 24(7), 1986.
        """
        ghost = np.tile(self.state, (len(points), 1))
        if self.mach >= 1 or circulation == 0:
            return ghost
        offset = points - np.asarray(centre)
        radius, angle = np.hypot(offset[:, 0], offset[:, 1]), np.arctan2(offset[:, 1], offset[:, 0])
        beta2 = 1 - self.mach**2
        strength = circulation * np.sqrt(beta2) / (2 * np.pi * radius *
                                                   (1 - self.mach**2 * np.sin(angle - self.incidence)**2))
        ghost[:, 2] += strength * np.sin(angle)
        ghost[:, 3] -= strength * np.cos(angle)
        q2 = ghost[:, 2]**2 + ghost[:, 3]**2
        ghost[:, 1] = 1 + 0.5 * (self.gamma - 1) * (self.mach**2 - q2)
        ghost[:, 0] = (ghost[:, 1]**(self.gamma / (self.gamma - 1)) - 1) / self.gamma
        return ghost
