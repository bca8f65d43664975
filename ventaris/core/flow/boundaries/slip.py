"""A wall without friction."""
import numpy as np
from numba import njit

from ..positions import GAMMA, MACH, fast
from .contract import Condition, keep_stream

CODE = 0


@njit(**fast)
def push(p, t, u, v, w, nx, ny, nz, constants):
    """What the speed at which air runs against a wall adds to its pressure."""
    g = constants[GAMMA]
    speed = np.sqrt(min(t, max(u * u + v * v + w * w, constants[MACH] ** 2)))
    return g * (p + 1.0 / g) / t * speed * (u * nx + v * ny + w * nz)


CONDITION = Condition("slip", CODE, keep_stream, is_wall=True)
