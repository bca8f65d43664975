"""Loops over a change of the state: block-diagonal products, and holding a change within bounds.

They must see values that are not numbers, so they are compiled without fast arithmetic.
"""
import numpy as np
from numba import njit, prange

from . import of_dimension
from ..positions import EMPTY, GAMMA, checked
from .relations import velocity


def change_loops(dim):
    """The loops for one dimension."""
    nv = dim + 2

    @njit(parallel=True, **checked)
    def block_diagonal_product(blocks, vector, out):
        """out += blocks * vector, cell by cell; the blocks stored by columns."""
        for i in prange(vector.shape[0]):
            for r in range(nv):
                total = 0.0
                for k in range(nv):
                    total += blocks[i, k, r] * vector[i, k]
                out[i, r] += total

    @njit(**checked)
    def clip_change(state, change, most, constants):
        """Hold a change within bounds, cell by cell; returns how many cells were held.

        The pressure and the temperature of a cell may change by `most` of their own value and its velocity by
        half the speed of sound; a cell that wants more is held on its own. Where hardly anything is left (the
        base of a body far beyond Mach 1), a share `EMPTY` of the speed of sound's square, nothing more is
        taken.
        """
        clipped = 0
        p0, empty = 1.0 / constants[GAMMA], constants[EMPTY]
        for i in range(state.shape[0]):
            p, t = state[i, 0] + p0, state[i, 1]
            factor = 1.0
            if abs(change[i, 0]) > most * p:
                factor = min(factor, most * p / abs(change[i, 0]))
            if abs(change[i, 1]) > most * t:
                factor = min(factor, most * t / abs(change[i, 1]))
            u, v, w = velocity(change, i, dim)
            speed = np.sqrt(u * u + v * v + w * w)
            if speed > 0.5 * np.sqrt(t):
                factor = min(factor, 0.5 * np.sqrt(t) / speed)
            if p < empty and change[i, 0] < 0.0:
                change[i, 0] = 0.0
            if t < empty and change[i, 1] < 0.0:
                change[i, 1] = 0.0
            if factor < 1.0:
                clipped += 1
                for k in range(nv):
                    change[i, k] *= factor
        return clipped

    return of_dimension(dim, (block_diagonal_product, clip_change))


PLANE, SPACE = change_loops(2), change_loops(3)
