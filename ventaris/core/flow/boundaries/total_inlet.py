"""Total pressure and temperature of what comes in, and its direction; also where air may be drawn in or
leave.

Its row of `ghost`: [total p, total T, direction (zero: along the normal)].
"""
from numba import njit

from ..positions import fast
from .contract import Condition
from .outlet import pressure_flux

CODE = 6


def rows(boundary, normal, centre, ghost):
    """See `Condition.rows`."""
    for column, value in enumerate((boundary.pressure, boundary.temperature)):
        ghost[:, column] = value(centre) if callable(value) else value
    ghost[:, 2:] = boundary.velocity_at(centre)


@njit(**fast)
def direction_of(ghost, nx, ny, nz):
    """Where air comes in: as the row says, else against the normal."""
    if ghost[2] != 0.0 or ghost[3] != 0.0 or ghost[4] != 0.0:
        return ghost[2], ghost[3], ghost[4]
    return -nx, -ny, -nz


@njit(**fast)
def total_inlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants):
    """Flux through a unit of the opening."""
    dx, dy, dz = direction_of(ghost, nx, ny, nz)
    return pressure_flux(p, t, u, v, w, ghost, dx, dy, dz, nx, ny, nz, constants)


CONDITION = Condition("total inlet", CODE, rows)
