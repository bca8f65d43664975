"""Wall functions on cut cells: shear and closure value where the first cell stands beyond the sublayer."""
import numpy as np
from numba import njit

from ..kernels import GAMMA, NO_SLIP, viscosity
from ..wall_treatment import BRIDGED_ABOVE, KAPPA, RESOLVED_BELOW, law_of_the_wall, y_plus_of


@njit(cache=True, error_model="numpy")
def bridge_walls(state, faces, kind, cell, normal, ghost, gap, distance, constants, shear, y_plus, pin, pinned):
    """Factor on the viscosity at no-slip faces by Reichardt's law, and the eddy viscosity it means in the cell."""
    g = constants[GAMMA]
    for k in range(len(pin)):
        pin[k] = 0.0
    for f in faces:
        if kind[f] != NO_SLIP:
            continue
        i = cell[f]
        nx, ny, nz = normal[f, 0], normal[f, 1], normal[f, 2]
        du, dv, dw = state[i, 2] - ghost[f, 2], state[i, 3] - ghost[f, 3], state[i, 4] - ghost[f, 4]
        un = du * nx + dv * ny + dw * nz
        speed = np.sqrt((du - un * nx) ** 2 + (dv - un * ny) ** 2 + (dw - un * nz) ** 2)
        nu = viscosity(state[i, 1], constants) * state[i, 1] / (g * (state[i, 0] + 1.0 / g))
        reynolds = speed * gap[f] / nu
        y = np.sqrt(reynolds)
        factor = 1.0
        if y > 3.0:
            y = y_plus_of(reynolds)
            factor = max(1.0, y / law_of_the_wall(y))
            y = np.sqrt(factor * reynolds)
        shear[f] = factor
        y_plus[f] = y
        share = min(max((y - RESOLVED_BELOW) / (BRIDGED_ABOVE - RESOLVED_BELOW), 0.0), 1.0)
        if share >= pin[i]:
            pin[i] = share
            pinned[i] = KAPPA * y * nu / gap[f] * distance[i]


class SpatialWalls:
    """The no-slip walls of one mesh.

    Attributes
    ----------
    shear, y_plus : ndarray, shape (n_boundary,)
    pin, pinned : ndarray, shape (n_cells,)
        How strongly the closure is held to a value in a cell, and that value.
    held : bool
        Nothing is updated while this is set (during Jacobian products).
    """

    def __init__(self, flow, bridging):
        self.flow, self.bridging, self.held = flow, bridging, False
        n = len(flow.kind)
        self.shear, self.y_plus = np.ones(n), np.zeros(n)
        self.pin, self.pinned = np.zeros(flow.n_cells), np.zeros(flow.n_cells)
        self.faces = np.nonzero(flow.kind == NO_SLIP)[0]

    def update(self, state):
        if self.bridging and not self.held:
            f, m = self.flow, self.flow.mesh
            inner = f.n_interior
            bridge_walls(state, self.faces, f.kind, m.left[inner:], m.normal[inner:], f.ghost, f.gap, f.distance, f.constants, self.shear,
                         self.y_plus, self.pin, self.pinned)
