"""A wall that blows or sucks air, normal to itself.

Its row of `ghost`: [value into the flow, T of the blown air, 1 if the value is a speed or 0 if a mass flow
per area].
"""
from numba import njit

from ..loops.relations import exact_flux
from ..positions import GAMMA, fast
from .contract import Condition

CODE = 3


def rows(boundary, normal, centre, ghost):
    """See `Condition.rows`."""
    ghost[:] = 0.0
    ghost[:, :3] = boundary.blown, boundary.temperature, float(boundary.by_speed)


@njit(**fast)
def blown_flux(p, t, ghost, nx, ny, nz, constants):
    """Flux through a unit of the wall, its pressure included."""
    g = constants[GAMMA]
    value = ghost[0]
    t_through = ghost[1] if value > 0.0 else t
    rho = g * (p + 1.0 / g) / t_through
    speed = value if ghost[2] != 0.0 else value / rho
    return exact_flux(p, t_through, -speed * nx, -speed * ny, -speed * nz, nx, ny, nz, constants)


CONDITION = Condition("blown", CODE, rows, is_wall=True)
