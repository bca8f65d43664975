"""Compiled loops over a change of the state: block-diagonal products, and holding a change within bounds.

They must see values that are not numbers, so they are compiled without fast arithmetic.
"""
import numpy as np
from numba import njit, prange

NV = 4
checked = dict(cache=True, error_model="numpy")


@njit(parallel=True, **checked)
def block_diagonal_product(blocks, vector, out):
    """out += blocks * vector, cell by cell."""
    for i in prange(vector.shape[0]):
        for r in range(NV):
            total = 0.0
            for k in range(NV):
                total += blocks[i, r, k] * vector[i, k]
            out[i, r] += total


@njit(**checked)
def clip_change(state, change, most):
    """Smallest factor in (0, 1] by which the change must shrink, and how many cells are clipped.

    Per cell the pressure and the temperature may change by `most` of their own value and
    the velocity by 0.5 of the speed of sound; a cell that wants more is clipped on its own.
    """
    clipped = 0
    for i in range(state.shape[0]):
        p, t = state[i, 0] + 0.714, state[i, 1]
        factor = 1.0
        if abs(change[i, 0]) > most * p:
            factor = min(factor, most * p / abs(change[i, 0]))
        if abs(change[i, 1]) > most * t:
            factor = min(factor, most * t / abs(change[i, 1]))
        speed = np.sqrt(change[i, 2] ** 2 + change[i, 3] ** 2)
        if speed > 0.5 * np.sqrt(t):
            factor = min(factor, 0.5 * np.sqrt(t) / speed)
        if factor < 1.0:
            clipped += 1
            for k in range(NV):
                change[i, k] *= factor
    return clipped
