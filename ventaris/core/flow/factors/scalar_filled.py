"""Incomplete factors of scalar matrices: the preconditioner of a closure's equations."""
import numpy as np
from numba import njit

from ..positions import in_order


@njit(cache=True, error_model="numpy", fastmath=True)
def factorise_scalar(start, columns, values, fill_start, fill_columns, diagonal, factors):
    """Incomplete factors of a scalar matrix on a given pattern; diagonals are stored inverted."""
    n = len(start) - 1
    where = np.full(n, -1, np.int64)
    for i in range(n):
        for k in range(fill_start[i], fill_start[i + 1]):
            where[fill_columns[k]] = k
            factors[k] = 0.0
        for k in range(start[i], start[i + 1]):
            factors[where[columns[k]]] = values[k]
        for k in range(fill_start[i], diagonal[i]):
            row = fill_columns[k]
            factor = factors[k] * factors[diagonal[row]]
            factors[k] = factor
            for q in range(diagonal[row] + 1, fill_start[row + 1]):
                target = where[fill_columns[q]]
                if target >= 0:
                    factors[target] -= factor * factors[q]
        factors[diagonal[i]] = 1.0 / factors[diagonal[i]]
        for k in range(fill_start[i], fill_start[i + 1]):
            where[fill_columns[k]] = -1


@njit(**in_order)
def solve_scalar(fill_start, fill_columns, diagonal, factors, rhs, out, column):
    """Solve with scalar factors in one column of `rhs` and `out`."""
    n = len(fill_start) - 1
    for i in range(n):
        total = rhs[i, column]
        for k in range(fill_start[i], diagonal[i]):
            total -= factors[k] * out[fill_columns[k], column]
        out[i, column] = total
    for i in range(n - 1, -1, -1):
        total = out[i, column]
        for k in range(diagonal[i] + 1, fill_start[i + 1]):
            total -= factors[k] * out[fill_columns[k], column]
        out[i, column] = total * factors[diagonal[i]]
