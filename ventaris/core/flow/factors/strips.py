"""Factors for flow in space: an incomplete factorisation that changes the diagonal blocks only.

On cubes two neighbours of a cell are hardly ever neighbours of each other, so that nothing else of the
factors differs from the matrix; the off-diagonal blocks are read from the faces. Faces are sorted by their
left cell, which is the one of lower number: what a cell has to do with later ones lies in one piece in
memory, and the sweeps pass what is known of a cell on to those. Cells are cut into a fixed number of strips
that are factorised apart, so that two threads can work and the answer does not depend on how many there are.

References
----------
Pommerell: Solution of large unsymmetric systems of linear equations, ETH Zurich, 1992 (diagonal ILU).
"""
import numpy as np
from numba import njit, prange

from ..positions import fast, in_order
from .small_blocks import invert

NV = 5
STRIPS = 4


class StripFactors:
    """Approximate inverse of the matrix on one mesh; what factors offer to a discretisation and its closure.

    `factorise` takes the faces' blocks and the diagonal ones, which it inverts in place; `factorise_scalar`
    the matrix of a closure's equation n: its dependence across each face, [left on right, right on left], and
    its diagonal.
    """
    def __init__(self, mesh, cell_faces):
        self.right = mesh.right
        # Faces between a cell and those of higher number.
        self.later = np.searchsorted(mesh.left[:mesh.n_interior], np.arange(mesh.n_own + 1))
        self.strips = np.linspace(0, mesh.n_own, STRIPS + 1).astype(np.int64)
        self._scalars = {}

    def factorise(self, jacobians, diagonal):
        """Factorise the matrix of the flow."""
        self._jacobians, self._diagonal = jacobians, diagonal
        factorise(self.strips, self.later, self.right, jacobians, diagonal)

    def solve(self, vector, out):
        """Fill the flow's columns of `out`."""
        solve(self.strips, self.later, self.right, self._jacobians, self._diagonal, vector, out)

    def factorise_scalar(self, n, pairs, diagonal):
        """Factorise the matrix of a closure's equation n."""
        factors = diagonal.copy()
        scalar_factorise(self.strips, self.later, self.right, pairs, factors)
        self._scalars[n] = pairs, factors

    def solve_scalar(self, n, vector, out, column):
        """Fill one column of `out` by the factors of equation n."""
        scalar_solve(self.strips, self.later, self.right, *self._scalars[n], vector, out, column)


@njit(parallel=True, **fast)
def factorise(strips, later, right, jacobians, diagonal):
    """D_i - sum over j < i of A_ij D_j^-1 A_ji, inverted in place; each strip for itself.

    `later[i]:later[i + 1]` are the faces between cell i and those of higher number, `right`.
    """
    for s in prange(len(strips) - 1):
        a, inverse, product = np.empty((NV, NV), dtype=np.float32), np.empty(
            (NV, NV), dtype=np.float32), np.empty((NV, NV), dtype=np.float32)
        for i in range(strips[s], strips[s + 1]):
            for r in range(NV):
                for k in range(NV):
                    a[r, k] = diagonal[i, k, r]
            invert(a, inverse, NV)
            for r in range(NV):
                for k in range(NV):
                    diagonal[i, k, r] = inverse[r, k]
            for f in range(later[i], later[i + 1]):
                j = right[f]
                if j >= strips[s + 1]:
                    break
                # A_ji is minus the block of the left side, A_ij that of the right one.
                for r in range(NV):
                    for k in range(NV):
                        total = np.float32(0.0)
                        for m in range(NV):
                            total += jacobians[0, f, m, r] * inverse[m, k]
                        product[r, k] = total
                for r in range(NV):
                    for k in range(NV):
                        total = np.float32(0.0)
                        for m in range(NV):
                            total += product[r, m] * jacobians[1, f, k, m]
                        diagonal[j, k, r] += total


@njit(inline="always", **fast)
def times(m, x0, x1, x2, x3, x4):
    """Product of a block stored by columns, shape (5, 5), with a vector."""
    return (m[0, 0] * x0 + m[1, 0] * x1 + m[2, 0] * x2 + m[3, 0] * x3 + m[4, 0] * x4,
            m[0, 1] * x0 + m[1, 1] * x1 + m[2, 1] * x2 + m[3, 1] * x3 + m[4, 1] * x4,
            m[0, 2] * x0 + m[1, 2] * x1 + m[2, 2] * x2 + m[3, 2] * x3 + m[4, 2] * x4,
            m[0, 3] * x0 + m[1, 3] * x1 + m[2, 3] * x2 + m[3, 3] * x3 + m[4, 3] * x4,
            m[0, 4] * x0 + m[1, 4] * x1 + m[2, 4] * x2 + m[3, 4] * x3 + m[4, 4] * x4)


@njit(parallel=True, **in_order)
def solve(strips, later, right, jacobians, inverse, rhs, out):
    """Forward and backward sweep with the factors, each strip for itself."""
    for s in prange(len(strips) - 1):
        lo, hi = strips[s], strips[s + 1]
        for i in range(lo, hi):
            for r in range(NV):
                out[i, r] = rhs[i, r]
        for i in range(lo, hi):
            x0, x1, x2, x3, x4 = times(inverse[i], out[i, 0], out[i, 1], out[i, 2], out[i, 3], out[i, 4])
            out[i, 0], out[i, 1], out[i, 2], out[i, 3], out[i, 4] = x0, x1, x2, x3, x4
            for f in range(later[i], later[i + 1]):
                j = right[f]
                if j >= hi:
                    break
                y0, y1, y2, y3, y4 = times(jacobians[0, f], x0, x1, x2, x3, x4)
                out[j, 0] += y0
                out[j, 1] += y1
                out[j, 2] += y2
                out[j, 3] += y3
                out[j, 4] += y4
        for i in range(hi - 1, lo - 1, -1):
            b0 = b1 = b2 = b3 = b4 = np.float32(0.0)
            for f in range(later[i], later[i + 1]):
                j = right[f]
                if j >= hi:
                    break
                y0, y1, y2, y3, y4 = times(jacobians[1, f], out[j, 0], out[j, 1], out[j, 2], out[j, 3],
                                           out[j, 4])
                b0 += y0
                b1 += y1
                b2 += y2
                b3 += y3
                b4 += y4
            x0, x1, x2, x3, x4 = times(inverse[i], b0, b1, b2, b3, b4)
            out[i, 0] -= x0
            out[i, 1] -= x1
            out[i, 2] -= x2
            out[i, 3] -= x3
            out[i, 4] -= x4


@njit(parallel=True, **fast)
def scalar_factorise(strips, later, right, pairs, diagonal):
    """The same for a scalar equation; `pairs[f]` holds [left on right, right on left]. `diagonal` becomes
    inverted factors."""
    for s in prange(len(strips) - 1):
        for i in range(strips[s], strips[s + 1]):
            diagonal[i] = 1.0 / diagonal[i]
            for f in range(later[i], later[i + 1]):
                if right[f] >= strips[s + 1]:
                    break
                diagonal[right[f]] -= pairs[f, 0] * pairs[f, 1] * diagonal[i]


@njit(parallel=True, **in_order)
def scalar_solve(strips, later, right, pairs, inverse, rhs, out, column):
    """The sweeps for a scalar equation in `column` of the vectors; worked on in one piece of memory."""
    for s in prange(len(strips) - 1):
        lo, hi = strips[s], strips[s + 1]
        x = rhs[lo:hi, column].copy()
        for i in range(lo, hi):
            own = x[i - lo] * inverse[i]
            x[i - lo] = own
            for f in range(later[i], later[i + 1]):
                if right[f] >= hi:
                    break
                x[right[f] - lo] -= pairs[f, 1] * own
        for i in range(hi - 1, lo - 1, -1):
            b = pairs[0, 0] * 0
            for f in range(later[i], later[i + 1]):
                if right[f] >= hi:
                    break
                b += pairs[f, 0] * x[right[f] - lo]
            x[i - lo] -= b * inverse[i]
            out[i, column] = x[i - lo]
