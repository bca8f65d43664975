"""What happens between a no-slip wall and the first cell: resolved, or bridged by a wall function.

Reichardt's law of the wall runs from the viscous sublayer through the buffer layer into the log
layer; where the first cell stands inside the sublayer it is not needed and changes nothing.

References
----------
Reichardt: Vollstaendige Darstellung der turbulenten Geschwindigkeitsverteilung in glatten
Leitungen, Z. Angew. Math. Mech. 31, 1951.
"""
import numpy as np
from numba import njit

from .boundaries.registry import NO_SLIP
from .loops.relations import vector, velocity, viscosity
from .positions import GAMMA, checked

KAPPA = 0.41
# Between these two values of y+ the wall function takes over the closure's value in the first cell.
RESOLVED_BELOW, BRIDGED_ABOVE = 5.0, 15.0


@njit(**checked)
def law_of_the_wall(y_plus):
    """u+ at a y+ after Reichardt."""
    return np.log(1.0 + KAPPA * y_plus) / KAPPA + 7.8 * (1.0 - np.exp(-y_plus / 11.0) -
                                                         y_plus / 11.0 * np.exp(-0.33 * y_plus))


@njit(**checked)
def y_plus_of(reynolds):
    """y+ whose u+ y+ is a given Reynolds number of the wall distance and the speed there."""
    y = max(np.sqrt(reynolds), 1e-6)
    for _ in range(12):
        u = law_of_the_wall(y)
        h = 1e-4 * y
        slope = u + y * (law_of_the_wall(y + h) - u) / h
        step = (u * y - reynolds) / slope
        y = max(y - step, 0.1 * y)
        if abs(step) < 1e-9 * y:
            break
    return y


@njit(**checked)
def bridge_walls(state, faces, border, normal, constants, dim, y_plus, pin, shear_velocity):
    """The factor on the viscosity at the no-slip faces, and what the first cell is given by the law of the
    wall.

    Of a cell with several walls the one counts that is bridged the most.
    """
    g = constants[GAMMA]
    pin[:] = 0.0
    for f in faces:
        i = border.cell[f]
        nx, ny, nz = vector(normal, f, dim)
        u, v, w = velocity(state, i, dim)
        wall_u, wall_v, wall_w = velocity(border.ghost, f, dim)
        du, dv, dw = u - wall_u, v - wall_v, w - wall_w
        un = du * nx + dv * ny + dw * nz
        speed = np.sqrt((du - un * nx)**2 + (dv - un * ny)**2 + (dw - un * nz)**2)
        nu = viscosity(state[i, 1], constants) * state[i, 1] / (g * (state[i, 0] + 1.0 / g))
        reynolds = speed * border.gap[f] / nu
        y = np.sqrt(reynolds)
        factor = 1.0
        if y > 3.0:
            y = y_plus_of(reynolds)
            factor = max(1.0, y / law_of_the_wall(y))
            y = np.sqrt(factor * reynolds)
        border.shear[f] = factor
        y_plus[f] = y
        share = min(max((y - RESOLVED_BELOW) / (BRIDGED_ABOVE - RESOLVED_BELOW), 0.0), 1.0)
        if share >= pin[i]:
            pin[i] = share
            shear_velocity[i] = y * nu / border.gap[f]


class WallTreatment:
    """The no-slip walls of one mesh.

    Attributes
    ----------
    shear, y_plus : ndarray, shape (n_boundary,)
        Factor on the molecular viscosity at each wall face, and the distance of its cell in wall units.
    pin, shear_velocity : ndarray, shape (n_cells,)
        How strongly a closure is held to the law of the wall in a cell, and the shear velocity there.
    held : bool
        Nothing is updated while this is set (during Jacobian products).
    """
    def __init__(self, flow, bridging):
        self.flow, self.bridging, self.held = flow, bridging, False
        self.shear, self.y_plus = flow.border.shear, np.zeros(len(flow.kind))
        self.pin, self.shear_velocity = np.zeros(flow.n_cells), np.zeros(flow.n_cells)
        self.faces = np.nonzero(flow.kind == NO_SLIP)[0]

    def update(self, state):
        """Follow a state."""
        if self.bridging and not self.held:
            f = self.flow
            bridge_walls(state, self.faces, f.border, f.mesh.normal[f.n_interior:], f.constants, f.dim,
                         self.y_plus, self.pin, self.shear_velocity)
