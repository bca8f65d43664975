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

from .kernels import GAMMA, NO_SLIP, viscosity

KAPPA = 0.41
# Between these two values of y+ the wall function takes over the closure's value in the first cell.
RESOLVED_BELOW, BRIDGED_ABOVE = 5.0, 15.0

checked = dict(cache=True, error_model="numpy")


@njit(**checked)
def law_of_the_wall(y_plus):
    """u+ at a y+ after Reichardt."""
    return np.log(1.0 + KAPPA * y_plus) / KAPPA + 7.8 * (1.0 - np.exp(-y_plus / 11.0) - y_plus / 11.0 * np.exp(-0.33 * y_plus))


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
def bridge_walls(state, faces, kind, cell, normal, ghost, distance, constants, shear, pin, shear_velocity):
    """The factor on the viscosity at the no-slip faces, and what the first cell is given by the law of the wall."""
    g = constants[GAMMA]
    for f in faces:
        if kind[f] != NO_SLIP:
            continue
        i = cell[f]
        nx, ny = normal[f, 0], normal[f, 1]
        du, dv = state[i, 2] - ghost[f, 2], state[i, 3] - ghost[f, 3]
        un = du * nx + dv * ny
        speed = np.sqrt((du - un * nx) ** 2 + (dv - un * ny) ** 2)
        nu = viscosity(state[i, 1], constants) * state[i, 1] / (g * (state[i, 0] + 1.0 / g))
        reynolds = speed * distance[i] / nu
        y = np.sqrt(reynolds)
        factor = 1.0
        if y > 3.0:
            y = y_plus_of(reynolds)
            factor = max(1.0, y / law_of_the_wall(y))
            y = np.sqrt(factor * reynolds)
        shear[f] = factor
        pin[i] = min(max((y - RESOLVED_BELOW) / (BRIDGED_ABOVE - RESOLVED_BELOW), 0.0), 1.0)
        shear_velocity[i] = y * nu / distance[i]


class WallTreatment:
    """The no-slip walls of one mesh.

    Attributes
    ----------
    shear : ndarray, shape (n_boundary,)
        Factor on the molecular viscosity at each wall face.
    pin, shear_velocity : ndarray, shape (n_cells,)
        How strongly a closure is held to the law of the wall in a cell, and the shear velocity there.
    """

    def __init__(self, flow, bridging):
        self.flow, self.bridging, self.held = flow, bridging, False
        n = len(flow.kind)
        self.shear = np.ones(n)
        self.pin, self.shear_velocity = np.zeros(flow.n_cells), np.zeros(flow.n_cells)
        self.faces = np.nonzero(flow.kind == NO_SLIP)[0]

    def update(self, state):
        """Follow a state; nothing while `held` (during Jacobian products)."""
        if self.bridging and not self.held:
            f, m = self.flow, self.flow.mesh
            inner = f.n_interior
            bridge_walls(state, self.faces, f.kind, f.left[inner:], m.normal[inner:], f.ghost, f.distance, f.constants,
                         self.shear, self.pin, self.shear_velocity)
