"""Products with the second-order Jacobian whose flux derivatives are held as `prepare` left them.

A change of the state is carried to the faces along its own gradients, as the residual does with the state, and multiplied there by the
derivatives of the flux to both sides that the first-order Jacobian is made of.  What is left out is how the upwind matrix and the eddy
viscosity change with the state; what is gained is a product that costs about a quarter of a residual, in single precision.
"""
import numpy as np
from numba import njit, prange

from ..kernels import FAR_FIELD, OUTLET, fast
from .relaxation import NV, times

zero, third = np.float32(0.0), np.float32(1.0 / 3.0)


class HeldGeometry:
    """What the products need of a mesh, in single precision, and room for their work."""

    def __init__(self, mesh, stencil, kind, face_start, faces, sign):
        inner, cell = mesh.n_interior, mesh.left
        self.start, self.neighbour, self.weight = stencil[0], stencil[1].astype(np.int32), stencil[2].astype(np.float32)
        self.offset = np.zeros((mesh.n_faces, 2, 3), dtype=np.float32)
        self.offset[:, 0] = mesh.face_centre - mesh.centre[cell]
        self.offset[:inner, 1] = mesh.face_centre[:inner] - mesh.centre[mesh.right[:inner]]
        # Open borders take the cell's own value.
        self.offset[inner:][(kind == FAR_FIELD) | (kind == OUTLET)] = 0.0
        self.normal = mesh.normal.astype(np.float32)
        ahead, behind = (np.abs(np.einsum("ij,ij->i", self.offset[:, side], self.normal)) for side in (0, 1))
        self.share = ahead / np.maximum(ahead + behind, 1e-30)
        self.face_start, self.faces, self.sign = face_start, faces.astype(np.int32), sign.astype(np.float32)
        self.grad, self.flux = np.empty((mesh.n_cells, NV, 3), dtype=np.float32), np.empty((mesh.n_faces, NV), dtype=np.float32)


@njit(parallel=True, **fast)
def change_gradients(change, start, neighbour, weight, out):
    """Least-squares gradients of the first five columns, shape (n_cells, 5, 3)."""
    for i in prange(change.shape[0]):
        c0, c1, c2, c3, c4 = change[i, 0], change[i, 1], change[i, 2], change[i, 3], change[i, 4]
        x0 = x1 = x2 = x3 = x4 = y0 = y1 = y2 = y3 = y4 = z0 = z1 = z2 = z3 = z4 = zero
        for m in range(start[i], start[i + 1]):
            j = neighbour[m]
            a, b, c = weight[m, 0], weight[m, 1], weight[m, 2]
            d0, d1, d2, d3, d4 = change[j, 0] - c0, change[j, 1] - c1, change[j, 2] - c2, change[j, 3] - c3, change[j, 4] - c4
            x0 += a * d0
            x1 += a * d1
            x2 += a * d2
            x3 += a * d3
            x4 += a * d4
            y0 += b * d0
            y1 += b * d1
            y2 += b * d2
            y3 += b * d3
            y4 += b * d4
            z0 += c * d0
            z1 += c * d1
            z2 += c * d2
            z3 += c * d3
            z4 += c * d4
        out[i, 0, 0], out[i, 0, 1], out[i, 0, 2] = x0, y0, z0
        out[i, 1, 0], out[i, 1, 1], out[i, 1, 2] = x1, y1, z1
        out[i, 2, 0], out[i, 2, 1], out[i, 2, 2] = x2, y2, z2
        out[i, 3, 0], out[i, 3, 1], out[i, 3, 2] = x3, y3, z3
        out[i, 4, 0], out[i, 4, 1], out[i, 4, 2] = x4, y4, z4


@njit(**fast)
def carried(grad, i, x, y, z):
    """What the gradients of cell i add over an offset."""
    return (grad[i, 0, 0] * x + grad[i, 0, 1] * y + grad[i, 0, 2] * z, grad[i, 1, 0] * x + grad[i, 1, 1] * y + grad[i, 1, 2] * z,
            grad[i, 2, 0] * x + grad[i, 2, 1] * y + grad[i, 2, 2] * z, grad[i, 3, 0] * x + grad[i, 3, 1] * y + grad[i, 3, 2] * z,
            grad[i, 4, 0] * x + grad[i, 4, 1] * y + grad[i, 4, 2] * z)


@njit(parallel=True, **fast)
def change_fluxes(change, grad, jacobians, friction, left, right, n_interior, offset, normal, share, centred, flux):
    """Change of the scaled flux through every face, shape (n_faces, 5).

    `friction`, shape (n_faces, 2), holds what a face's stress and heat flux gain with a difference of the cells' velocities and
    temperatures, scaled; the Jacobians hold it too, acting on what the gradients carry to the face, which all but cancels there.
    `centred` is the share of the mean of both cells in what is carried, `share` the left cell's part of their distance.
    """
    for f in prange(len(left)):
        i = left[f]
        nx, ny, nz = normal[f, 0], normal[f, 1], normal[f, 2]
        c0, c1, c2, c3, c4 = change[i, 0], change[i, 1], change[i, 2], change[i, 3], change[i, 4]
        p, t, u, v, w = carried(grad, i, offset[f, 0, 0], offset[f, 0, 1], offset[f, 0, 2])
        if f < n_interior:
            j = right[f]
            e0, e1, e2, e3, e4 = change[j, 0], change[j, 1], change[j, 2], change[j, 3], change[j, 4]
            q0, q1, q2, q3, q4 = carried(grad, j, offset[f, 1, 0], offset[f, 1, 1], offset[f, 1, 2])
            ahead, behind, own = centred * share[f], centred * (share[f] - np.float32(1.0)), np.float32(1.0) - centred
            d0, d1, d2, d3, d4 = e0 - c0, e1 - c1, e2 - c2, e3 - c3, e4 - c4
            p, t, u, v, w = own * p + ahead * d0, own * t + ahead * d1, own * u + ahead * d2, own * v + ahead * d3, own * w + ahead * d4
            q0, q1, q2, q3, q4 = own * q0 + behind * d0, own * q1 + behind * d1, own * q2 + behind * d2, own * q3 + behind * d3, own * q4 + behind * d4
            y0, y1, y2, y3, y4 = times(jacobians[1, f], e0 + q0, e1 + q1, e2 + q2, e3 + q3, e4 + q4)
            lost_t, lost_u, lost_v, lost_w = q1 - t, q2 - u, q3 - v, q4 - w
            along = third * (nx * lost_u + ny * lost_v + nz * lost_w)
        else:
            y0 = y1 = y2 = y3 = y4 = zero
            lost_t, lost_u, lost_v, lost_w = zero, -u, -v, -w
            along = nx * u + ny * v + nz * w
        z0, z1, z2, z3, z4 = times(jacobians[0, f], c0 + p, c1 + t, c2 + u, c3 + v, c4 + w)
        stress = friction[f, 0]
        flux[f, 0] = y0 + z0
        flux[f, 1] = y1 + z1 + friction[f, 1] * lost_t
        flux[f, 2] = y2 + z2 + stress * (lost_u + along * nx)
        flux[f, 3] = y3 + z3 + stress * (lost_v + along * ny)
        flux[f, 4] = y4 + z4 + stress * (lost_w + along * nz)


@njit(parallel=True, **fast)
def sum_fluxes(change, flux, diagonal, face_start, faces, sign, out):
    """Sum of the fluxes out of every cell, and the cell's own block times its change."""
    for i in prange(len(face_start) - 1):
        x0, x1, x2, x3, x4 = times(diagonal[i], change[i, 0], change[i, 1], change[i, 2], change[i, 3], change[i, 4])
        for q in range(face_start[i], face_start[i + 1]):
            f, s = faces[q], sign[q]
            x0 += s * flux[f, 0]
            x1 += s * flux[f, 1]
            x2 += s * flux[f, 2]
            x3 += s * flux[f, 3]
            x4 += s * flux[f, 4]
        out[i, 0], out[i, 1], out[i, 2], out[i, 3], out[i, 4] = x0, x1, x2, x3, x4


@njit(parallel=True, **fast)
def scalar_product(change, column, pairs, diagonal, face_start, faces, sign, across, n_interior, out):
    """Product of a scalar equation's matrix with one column of a change."""
    for i in prange(len(face_start) - 1):
        total = diagonal[i] * change[i, column]
        for q in range(face_start[i], face_start[i + 1]):
            f = faces[q]
            if f < n_interior:
                total += pairs[f, 0 if sign[q] > 0 else 1] * change[across[q], column]
        out[i, column] = total
