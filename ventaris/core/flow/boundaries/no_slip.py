"""A wall with friction, which may slide, be held at a temperature, or give heat.

Its row of `ghost`: [temperature, or 0 where none is held; heat into the flow; velocity of the wall].
"""
from numba import njit

from ..loops.relations import viscosity
from ..positions import GAMMA, PRANDTL, fast
from .contract import Condition

CODE = 1


def rows(boundary, normal, centre, ghost):
    """See `Condition.rows`."""
    ghost[:, 0] = boundary.temperature if boundary.isothermal else 0.0
    ghost[:, 1] = boundary.heat
    ghost[:, 2:] = boundary.velocity_at(centre)
    if boundary.tangential:
        # The outline runs counter-clockwise; the flow's outward normal points into the body.
        ghost[:, 2] += boundary.tangential * normal[:, 1]
        ghost[:, 3] -= boundary.tangential * normal[:, 0]


@njit(**fast)
def friction_flux(t, u, v, w, ghost, nx, ny, nz, gap, shear, constants):
    """Energy and momentum that friction and heat take out of the cell at a wall, given the cell's own
    state."""
    mu = shear * viscosity(t, constants)
    du, dv, dw = u - ghost[2], v - ghost[3], w - ghost[4]
    un = du * nx + dv * ny + dw * nz
    fx, fy, fz = mu / gap * (du - un * nx), mu / gap * (dv - un * ny), mu / gap * (dw - un * nz)
    e = ghost[2] * fx + ghost[3] * fy + ghost[4] * fz - ghost[1]
    if ghost[0] > 0.0:
        e += mu / ((constants[GAMMA] - 1.0) * constants[PRANDTL] * gap) * (t - ghost[0])
    return e, fx, fy, fz


CONDITION = Condition("no-slip", CODE, rows, is_wall=True)
