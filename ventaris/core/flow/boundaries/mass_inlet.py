"""Mass flow per area of what comes in, its total temperature and direction; the pressure is that of the flow.

Its row of `ghost`: [mass flow per area, total T, direction (zero: along the normal)].
"""
import numpy as np
from numba import njit

from ..loops.relations import exact_flux
from ..positions import GAMMA, fast
from .contract import Condition
from .total_inlet import direction_of

CODE = 7


def rows(boundary, normal, centre, ghost):
    """See `Condition.rows`."""
    ghost[:, 0], ghost[:, 1] = boundary.mass_flow, boundary.temperature
    ghost[:, 2:] = boundary.velocity_at(centre)


@njit(**fast)
def mass_inlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants):
    """Flux through a unit of the opening: cp T + (m T / (g (p + 1/g)))^2 / 2 along the direction = cp T0."""
    g = constants[GAMMA]
    dx, dy, dz = direction_of(ghost, nx, ny, nz)
    pull = ghost[0] / (g * (p + 1.0 / g) * -(dx * nx + dy * ny + dz * nz))
    cp = 1.0 / (g - 1.0)
    if pull * pull < 1e-14:
        tb = ghost[1]
    else:
        tb = (-cp + np.sqrt(cp * cp + 2.0 * pull * pull * cp * ghost[1])) / (pull * pull)
    speed = pull * tb
    return exact_flux(p, tb, speed * dx, speed * dy, speed * dz, nx, ny, nz, constants)


CONDITION = Condition("mass inlet", CODE, rows)
