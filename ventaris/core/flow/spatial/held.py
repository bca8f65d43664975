"""Products with the second-order Jacobian whose flux derivatives are held as `prepare` left them.

A change of the state is carried to the faces along its own gradients, as the residual does with the state, and multiplied there by the
derivatives of the flux to both sides that the first-order Jacobian is made of.  What is left out is how the upwind matrix and the eddy
viscosity change with the state; what is gained is a product that costs about a quarter of a residual, in single precision.
"""
import numpy as np
from numba import njit, prange

from ..kernels import FAR_FIELD, OUTLET, fast
from .relaxation import NV


@njit(parallel=True, **fast)
def change_gradients(change, start, neighbour, weight, out):
    """Least-squares gradients of the first five columns, shape (n_cells, 5, 3)."""
    for i in prange(change.shape[0]):
        g = out[i]
        for k in range(NV):
            g[k, 0] = g[k, 1] = g[k, 2] = 0.0
        for m in range(start[i], start[i + 1]):
            j = neighbour[m]
            a, b, c = weight[m, 0], weight[m, 1], weight[m, 2]
            for k in range(NV):
                d = change[j, k] - change[i, k]
                g[k, 0] += a * d
                g[k, 1] += b * d
                g[k, 2] += c * d


@njit(parallel=True, **fast)
def change_fluxes(change, grad, jacobians, friction, left, right, n_interior, kind, normal, face_centre, centre, centred, flux):
    """Change of the scaled flux through every face, shape (n_faces, 5).

    `friction`, shape (n_faces, 2), holds what a face's stress and heat flux gain with a difference of the cells' velocities and
    temperatures, scaled; the Jacobians hold it too, acting on what the gradients carry to the face, which all but cancels there.  `centred` is the share of the mean of both cells.
    """
    chunk = 256
    for block in prange((len(left) + chunk - 1) // chunk):
        near, far = np.empty(NV, dtype=np.float32), np.empty(NV, dtype=np.float32)
        for f in range(block * chunk, min(len(left), (block + 1) * chunk)):
            i, inside = left[f], f < n_interior
            x, y, z = np.float32(face_centre[f, 0] - centre[i, 0]), np.float32(face_centre[f, 1] - centre[i, 1]), np.float32(face_centre[f, 2] - centre[i, 2])
            open_side = not inside and (kind[f - n_interior] == FAR_FIELD or kind[f - n_interior] == OUTLET)
            for k in range(NV):
                near[k] = np.float32(0.0) if open_side else grad[i, k, 0] * x + grad[i, k, 1] * y + grad[i, k, 2] * z
            stress, heat = friction[f, 0], friction[f, 1]
            nx, ny, nz = np.float32(normal[f, 0]), np.float32(normal[f, 1]), np.float32(normal[f, 2])
            if inside:
                j = right[f]
                ahead = abs(x * nx + y * ny + z * nz)
                x, y, z = np.float32(face_centre[f, 0] - centre[j, 0]), np.float32(face_centre[f, 1] - centre[j, 1]), np.float32(face_centre[f, 2] - centre[j, 2])
                for k in range(NV):
                    far[k] = grad[j, k, 0] * x + grad[j, k, 1] * y + grad[j, k, 2] * z
                if centred > 0.0:
                    share = ahead / (ahead + abs(x * nx + y * ny + z * nz))
                    for k in range(NV):
                        step = change[j, k] - change[i, k]
                        near[k] += centred * (share * step - near[k])
                        far[k] += centred * ((share - np.float32(1.0)) * step - far[k])
                t, u, v, w = far[1] - near[1], far[2] - near[2], far[3] - near[3], far[4] - near[4]
                along = (nx * u + ny * v + nz * w) / np.float32(3.0)
            else:
                t, u, v, w = np.float32(0.0), -near[2], -near[3], -near[4]
                along = -(nx * u + ny * v + nz * w)
            for k in range(NV):
                near[k] += change[i, k]
            if inside:
                for k in range(NV):
                    far[k] += change[j, k]
            for r in range(NV):
                total = np.float32(0.0)
                for k in range(NV):
                    total += jacobians[f, 0, r, k] * near[k]
                if inside:
                    for k in range(NV):
                        total += jacobians[f, 1, r, k] * far[k]
                flux[f, r] = total
            flux[f, 1] += heat * t
            flux[f, 2] += stress * (u + along * nx)
            flux[f, 3] += stress * (v + along * ny)
            flux[f, 4] += stress * (w + along * nz)


@njit(parallel=True, **fast)
def sum_fluxes(change, flux, diagonal, face_start, faces, sign, out):
    """Sum of the fluxes out of every cell, and the cell's own block times its change."""
    for i in prange(len(face_start) - 1):
        for r in range(NV):
            total = np.float32(0.0)
            for k in range(NV):
                total += diagonal[i, r, k] * change[i, k]
            out[i, r] = total
        for q in range(face_start[i], face_start[i + 1]):
            f = faces[q]
            if sign[q] > 0:
                for r in range(NV):
                    out[i, r] += flux[f, r]
            else:
                for r in range(NV):
                    out[i, r] -= flux[f, r]


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
