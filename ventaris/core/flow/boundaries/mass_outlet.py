"""Mass flow per area of what leaves; everything else is that of the flow.

Its row of `ghost`: [mass flow per area].
"""
from numba import njit

from ..loops.relations import exact_flux
from ..positions import GAMMA, fast
from .contract import Condition
from .mass_inlet import rows

CODE = 8


@njit(**fast)
def mass_outlet_flux(p, t, u, v, w, ghost, nx, ny, nz, constants):
    """Flux through a unit of the opening."""
    g = constants[GAMMA]
    own = g * (p + 1.0 / g) / t * (u * nx + v * ny + w * nz)
    through = (ghost[0] - own) * t / (g * (p + 1.0 / g))
    return exact_flux(p, t, u + through * nx, v + through * ny, w + through * nz, nx, ny, nz, constants)


CONDITION = Condition("mass outlet", CODE, rows)
