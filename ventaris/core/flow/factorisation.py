"""Block incomplete LU factors with one level of fill, in single precision."""
import numpy as np
from numba import njit

NB = 4


@njit(cache=True)
def fill_pattern(start, columns):
    """Sorted pattern of the factors: the matrix's own blocks and those of fill level one.

    Parameters
    ----------
    start, columns : compressed rows; columns in any order, the diagonal included

    Returns
    -------
    fill_start, fill_columns, diagonal : ndarrays of int
        `diagonal[i]` is the position of block (i, i).
    """
    n = len(start) - 1
    mark = np.full(n, -1, np.int64)
    out_start = np.zeros(n + 1, np.int64)
    out = np.empty(6 * len(columns) + n, np.int64)
    diagonal = np.empty(n, np.int64)
    total = 0
    for i in range(n):
        begin = total
        for k in range(start[i], start[i + 1]):
            mark[columns[k]] = i
            out[total] = columns[k]
            total += 1
        for k in range(start[i], start[i + 1]):
            row = columns[k]
            if row >= i:
                continue
            for m in range(start[row], start[row + 1]):
                j = columns[m]
                if j > row and mark[j] != i:
                    mark[j] = i
                    out[total] = j
                    total += 1
        out[begin:total] = np.sort(out[begin:total])
        for k in range(begin, total):
            if out[k] == i:
                diagonal[i] = k
        out_start[i + 1] = total
    return out_start, out[:total].copy(), diagonal


@njit(cache=True)
def invert_block(a, inverse):
    """Invert a small block by Gauss-Jordan elimination with row pivoting; destroys `a`."""
    for r in range(NB):
        for k in range(NB):
            inverse[r, k] = 1.0 if r == k else 0.0
    for c in range(NB):
        pivot = c
        for r in range(c + 1, NB):
            if abs(a[r, c]) > abs(a[pivot, c]):
                pivot = r
        if pivot != c:
            for k in range(NB):
                a[c, k], a[pivot, k] = a[pivot, k], a[c, k]
                inverse[c, k], inverse[pivot, k] = inverse[pivot, k], inverse[c, k]
        scale = 1.0 / a[c, c] if a[c, c] != 0.0 else 1.0
        for k in range(NB):
            a[c, k] *= scale
            inverse[c, k] *= scale
        for r in range(NB):
            if r != c:
                factor = a[r, c]
                for k in range(NB):
                    a[r, k] -= factor * a[c, k]
                    inverse[r, k] -= factor * inverse[c, k]


@njit(cache=True, error_model="numpy", fastmath=True)
def factorise(start, columns, values, fill_start, fill_columns, diagonal, factors):
    """Numeric incomplete factorisation; diagonal blocks are stored inverted."""
    n = len(start) - 1
    where = np.full(n, -1, np.int64)
    a, inverse, product = np.empty((NB, NB)), np.empty((NB, NB)), np.empty((NB, NB))
    for i in range(n):
        for k in range(fill_start[i], fill_start[i + 1]):
            where[fill_columns[k]] = k
            factors[k] = 0.0
        for k in range(start[i], start[i + 1]):
            factors[where[columns[k]]] = values[k]
        for k in range(fill_start[i], diagonal[i]):
            row = fill_columns[k]
            d = diagonal[row]
            for r in range(NB):
                for c in range(NB):
                    total = 0.0
                    for m in range(NB):
                        total += factors[k, r, m] * factors[d, m, c]
                    product[r, c] = total
            for r in range(NB):
                for c in range(NB):
                    factors[k, r, c] = product[r, c]
            for q in range(d + 1, fill_start[row + 1]):
                target = where[fill_columns[q]]
                if target >= 0:
                    for r in range(NB):
                        for c in range(NB):
                            total = 0.0
                            for m in range(NB):
                                total += product[r, m] * factors[q, m, c]
                            factors[target, r, c] -= total
        for r in range(NB):
            for c in range(NB):
                a[r, c] = factors[diagonal[i], r, c]
        invert_block(a, inverse)
        for r in range(NB):
            for c in range(NB):
                factors[diagonal[i], r, c] = inverse[r, c]
        for k in range(fill_start[i], fill_start[i + 1]):
            where[fill_columns[k]] = -1


@njit(cache=True, error_model="numpy", fastmath=True)
def solve_factors(fill_start, fill_columns, diagonal, factors, rhs, out):
    """Solve L U out = rhs, both shape (n, 4)."""
    n = len(fill_start) - 1
    for i in range(n):
        y0, y1, y2, y3 = rhs[i, 0], rhs[i, 1], rhs[i, 2], rhs[i, 3]
        for k in range(fill_start[i], diagonal[i]):
            j = fill_columns[k]
            a, b, c, d = out[j, 0], out[j, 1], out[j, 2], out[j, 3]
            f = factors[k]
            y0 -= f[0, 0] * a + f[0, 1] * b + f[0, 2] * c + f[0, 3] * d
            y1 -= f[1, 0] * a + f[1, 1] * b + f[1, 2] * c + f[1, 3] * d
            y2 -= f[2, 0] * a + f[2, 1] * b + f[2, 2] * c + f[2, 3] * d
            y3 -= f[3, 0] * a + f[3, 1] * b + f[3, 2] * c + f[3, 3] * d
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = y0, y1, y2, y3
    for i in range(n - 1, -1, -1):
        y0, y1, y2, y3 = out[i, 0], out[i, 1], out[i, 2], out[i, 3]
        for k in range(diagonal[i] + 1, fill_start[i + 1]):
            j = fill_columns[k]
            a, b, c, d = out[j, 0], out[j, 1], out[j, 2], out[j, 3]
            f = factors[k]
            y0 -= f[0, 0] * a + f[0, 1] * b + f[0, 2] * c + f[0, 3] * d
            y1 -= f[1, 0] * a + f[1, 1] * b + f[1, 2] * c + f[1, 3] * d
            y2 -= f[2, 0] * a + f[2, 1] * b + f[2, 2] * c + f[2, 3] * d
            y3 -= f[3, 0] * a + f[3, 1] * b + f[3, 2] * c + f[3, 3] * d
        f = factors[diagonal[i]]
        out[i, 0] = f[0, 0] * y0 + f[0, 1] * y1 + f[0, 2] * y2 + f[0, 3] * y3
        out[i, 1] = f[1, 0] * y0 + f[1, 1] * y1 + f[1, 2] * y2 + f[1, 3] * y3
        out[i, 2] = f[2, 0] * y0 + f[2, 1] * y1 + f[2, 2] * y2 + f[2, 3] * y3
        out[i, 3] = f[3, 0] * y0 + f[3, 1] * y1 + f[3, 2] * y2 + f[3, 3] * y3
