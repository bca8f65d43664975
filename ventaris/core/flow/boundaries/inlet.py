"""Velocity and temperature of what comes in; the pressure is that of the flow.

Its row of `ghost`: [-, T, velocity].
"""
from numba import njit

from ..loops.relations import exact_flux
from ..positions import fast
from .contract import Condition
from .far_field import rows

CODE = 5


@njit(**fast)
def inlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants):
    """Flux through a unit of the opening."""
    return exact_flux(p, ghost[1], ghost[2], ghost[3], ghost[4], nx, ny, nz, constants)


CONDITION = Condition("inlet", CODE, rows)
