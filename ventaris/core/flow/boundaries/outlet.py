"""Static pressure outside, a room at rest: what comes back brings the room's pressure and temperature as
total ones.

Its row of `ghost`: [p, T] of the room.

References
----------
Hirsch: Numerical computation of internal and external flows, vol. 2, 1990, chapter 19: boundary conditions by
the Riemann invariant that leaves the domain.
"""
import numpy as np
from numba import njit

from ..loops.relations import exact_flux
from ..positions import GAMMA, fast
from .contract import Condition

CODE = 4


def rows(boundary, normal, centre, ghost):
    """See `Condition.rows`."""
    ghost[:, :2] = boundary.pressure, boundary.temperature


@njit(**fast)
def flux_from_rest(total_p, total_t, speed, dx, dy, dz, nx, ny, nz, constants):
    """Flux of air that comes without loss from rest at a total state to `speed` along a direction, no faster
    than sound."""
    g = constants[GAMMA]
    speed = min(speed, np.sqrt(2.0 * total_t / (g + 1.0)))
    t = total_t - 0.5 * (g - 1.0) * speed * speed
    p = (total_p + 1.0 / g) * (t / total_t)**(g / (g - 1.0)) - 1.0 / g
    return exact_flux(p, t, speed * dx, speed * dy, speed * dz, nx, ny, nz, constants)


@njit(**fast)
def speed_from_rest(total_p, total_t, p, c, un, leaving, inward, g):
    """Speed at which air from rest meets the wave that leaves the domain.

    Behind that wave the pressure is the one to which the air outside has fallen on its way in, and both move
    alike across the opening.  `total_p` and `p` absolute; `c`, `un` sound and outward speed inside, `leaving`
    the outward speed if the pressure were the total one, `inward` the inward part of the direction of what
    comes in.
    """
    q = 2.0 / (g - 1.0)
    most = np.sqrt(2.0 * total_t / (g + 1.0))
    speed = min(-leaving / inward, most)
    for _ in range(4):
        t = total_t - 0.5 * (g - 1.0) * speed * speed
        there = c * (total_p / p)**(1.0 / (g * q)) * np.sqrt(t / total_t)
        gap = speed * inward + un + q * (c - there)
        speed = min(max(speed - gap / (inward + there * speed / t), 0.0), most)
    return speed


@njit(**fast)
def pressure_flux(p, t, u, v, w, ghost, dx, dy, dz, nx, ny, nz, constants):
    """Flux through an opening that holds a pressure; what comes in comes along (dx, dy, dz).

    It depends on the speed that the wave leaving the domain gives the air there, not on the speed of the
    cell: so it has no jump where the air turns back.
    """
    g = constants[GAMMA]
    un = u * nx + v * ny + w * nz
    q, c = 2.0 / (g - 1.0), np.sqrt(t)
    if un > c:
        return exact_flux(p, t, u, v, w, nx, ny, nz, constants)
    # The wave that leaves expands or compresses the air to the pressure outside, no further than to the speed
    # of sound.
    inside = max(p + 1.0 / g, 1e-12)
    sonic = max((un + q * c) / (1.0 + q), 1e-6)
    outside = max(ghost[0] + 1.0 / g, inside * (sonic / c)**(g * q))
    there = c * (outside / inside)**(1.0 / (g * q))
    gain = q * (c - there)
    leaving = un + gain
    if leaving >= 0.0:
        return exact_flux(outside - 1.0 / g, there * there, u + gain * nx, v + gain * ny, w + gain * nz, nx,
                          ny, nz, constants)
    inward = -(dx * nx + dy * ny + dz * nz)
    speed = speed_from_rest(ghost[0] + 1.0 / g, ghost[1], inside, c, un, leaving, inward, g)
    return flux_from_rest(ghost[0], ghost[1], speed, dx, dy, dz, nx, ny, nz, constants)


@njit(**fast)
def outlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants):
    """Flux through a unit of the opening."""
    return pressure_flux(p, t, u, v, w, ghost, -nx, -ny, -nz, nx, ny, nz, constants)


CONDITION = Condition("outlet", CODE, rows)
