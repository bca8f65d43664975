"""Factors for flow in a plane: block incomplete LU with one level of fill, in single precision."""
import numpy as np
from numba import njit, prange

from ..positions import fast, in_order
from .small_blocks import invert
from .scalar_filled import factorise_scalar, solve_scalar

NB = 4


class FilledFactors:
    """Approximate inverse of the matrix on one mesh; offers what `StripFactors` does."""
    def __init__(self, mesh, cell_faces):
        n, inner = mesh.n_cells, mesh.n_interior
        self.first, self.faces, self.sign = cell_faces
        owner = np.repeat(np.arange(n), np.diff(self.first))
        other = np.where(self.sign > 0, mesh.right[self.faces], mesh.left[self.faces])
        has = self.faces < inner
        count = np.bincount(owner[has], minlength=n) + 1
        self.row_start = np.zeros(n + 1, dtype=np.int64)
        np.cumsum(count, out=self.row_start[1:])
        rank = np.cumsum(has) - 1
        first = np.concatenate([[0], np.cumsum(np.bincount(owner[has], minlength=n))])[:-1]
        # Block of the neighbour across the k-th face of a cell, -1 on the boundary; the diagonal comes first
        # in a row.
        self.slot = np.where(has, self.row_start[owner] + 1 + rank - first[owner], -1)
        self.columns = np.empty(self.row_start[-1], dtype=np.int64)
        self.columns[self.row_start[:-1]] = np.arange(n)
        self.columns[self.slot[has]] = other[has]
        self._inside, self._side = self.slot >= 0, (self.sign[self.slot >= 0] < 0).astype(int)
        self._fill()

    def _fill(self):
        self.fill_start, self.fill_columns, self.diagonal = fill_pattern(self.row_start, self.columns)
        self.values = np.empty((len(self.columns), NB, NB), dtype=np.float32)
        self.factors = np.empty((len(self.fill_columns), NB, NB), dtype=np.float32)
        self._scalars = {}

    def renumber(self, mesh, rows):
        """Follow the cells beyond the faces of some cells, which are others than before.

        Parameters
        ----------
        mesh : Mesh
        rows : ndarray of int
            Positions of those faces in the compressed rows.
        """
        faces = self.faces[rows]
        self.columns[self.slot[rows]] = np.where(self.sign[rows] > 0, mesh.right[faces], mesh.left[faces])
        self._fill()

    def factorise(self, jacobians, diagonal):
        """Factorise the matrix of the flow."""
        fill_rows(jacobians, diagonal, self.first, self.faces, self.sign, self.row_start, self.slot,
                  self.values)
        factorise(self.row_start, self.columns, self.values, self.fill_start, self.fill_columns,
                  self.diagonal, self.factors)

    def solve(self, vector, out):
        """Fill the flow's columns of `out`."""
        solve_factors(self.fill_start, self.fill_columns, self.diagonal, self.factors, vector, out)

    def factorise_scalar(self, n, pairs, diagonal):
        """Factorise the matrix of a closure's equation n."""
        values = np.zeros(len(self.columns))
        values[self.row_start[:-1]] = diagonal
        values[self.slot[self._inside]] = pairs[self.faces[self._inside], self._side]
        if n not in self._scalars:
            self._scalars[n] = np.zeros(len(self.fill_columns))
        factorise_scalar(self.row_start, self.columns, values, self.fill_start, self.fill_columns,
                         self.diagonal, self._scalars[n])

    def solve_scalar(self, n, vector, out, column):
        """Fill one column of `out` by the factors of equation n."""
        solve_scalar(self.fill_start, self.fill_columns, self.diagonal, self._scalars[n], vector, out, column)


@njit(parallel=True, **fast)
def fill_rows(jacobians, diagonal, first, faces, sign, row_start, slot, values):
    """Blocks of the matrix row by row, from those of the faces and the cells, which are stored by columns."""
    for i in prange(len(row_start) - 1):
        for r in range(NB):
            for k in range(NB):
                values[row_start[i], r, k] = diagonal[i, k, r]
        for q in range(first[i], first[i + 1]):
            if slot[q] < 0:
                continue
            other = 1 if sign[q] > 0 else 0
            for r in range(NB):
                for k in range(NB):
                    values[slot[q], r, k] = sign[q] * jacobians[other, faces[q], k, r]


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
        invert(a, inverse, NB)
        for r in range(NB):
            for c in range(NB):
                factors[diagonal[i], r, c] = inverse[r, c]
        for k in range(fill_start[i], fill_start[i + 1]):
            where[fill_columns[k]] = -1


@njit(**in_order)
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
