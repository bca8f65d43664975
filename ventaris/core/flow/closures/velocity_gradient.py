"""Gradients that closures are made of: invariants of a cell's velocity gradient, shape (unknowns, dim), and
products."""
import numpy as np
from numba import njit

from ..loops.relations import along_normal, vector
from ..positions import fast, in_order


@njit(**fast)
def vorticity(grad, i, dim):
    """Magnitude of the curl."""
    if dim == 2:
        return abs(grad[i, 3, 0] - grad[i, 2, 1])
    ox, oy = grad[i, 4, 1] - grad[i, 3, 2], grad[i, 2, 2] - grad[i, 4, 0]
    oz = grad[i, 3, 0] - grad[i, 2, 1]
    return np.sqrt(ox * ox + oy * oy + oz * oz)


@njit(**fast)
def sum_of_squares(grad, i, dim):
    """Sum of the squares of all its components."""
    total = 0.0
    for a in range(2, 2 + dim):
        for b in range(dim):
            total += grad[i, a, b]**2
    return total


@njit(**fast)
def strain_rate(grad, i, hoop, dim):
    """sqrt(2 Sij Sij); `hoop` is v / r of rings round an axis, 0 otherwise."""
    ux, uy, vx, vy = grad[i, 2, 0], grad[i, 2, 1], grad[i, 3, 0], grad[i, 3, 1]
    if dim == 2:
        return np.sqrt(2.0 * (ux * ux + vy * vy + hoop * hoop) + (uy + vx)**2)
    uz, vz, wx, wy, wz = grad[i, 2, 2], grad[i, 3, 2], grad[i, 4, 0], grad[i, 4, 1], grad[i, 4, 2]
    return np.sqrt(2.0 * (ux * ux + vy * vy + wz * wz) + (uy + vx)**2 + (uz + wx)**2 + (vz + wy)**2)


@njit(**fast)
def normal_gap(centre, normal, f, i, j, dim):
    """Distance of two cells along the normal of the face between them."""
    x, y, z = vector(centre, i, dim)
    dx, dy, dz = vector(centre, j, dim)
    nx, ny, nz = vector(normal, f, dim)
    dx, dy, dz = dx - x, dy - y, dz - z
    # The normal may look from the other cell to this one.
    turn = 1.0 if dx * nx + dy * ny + dz * nz >= 0.0 else -1.0
    return along_normal(turn * dx, turn * dy, turn * dz, nx, ny, nz, dim)


@njit(**fast)
def shielding(kinematic, squares, d, kappa):
    """1 within a boundary layer, 0 outside of it, by the viscosity (molecular and of eddies) that is
    there."""
    r = kinematic / (max(np.sqrt(squares), 1e-12) * (kappa * d)**2)
    x = 8.0 * r
    # Within layers and far outside nothing is left to compute.
    if x > 2.7:
        return 1.0
    x = x * x * x
    return np.tanh(x) if x > 1e-6 else x


@njit(**in_order)
def gradient_product(state, i, one, other, start, neighbour, weight, dim):
    """Least-squares gradients of two columns of the state in cell i, multiplied."""
    ax = ay = az = bx = by = bz = 0.0
    for m in range(start[i], start[i + 1]):
        x, y, z = vector(weight, m, dim)
        da, db = state[neighbour[m], one] - state[i, one], state[neighbour[m], other] - state[i, other]
        ax += x * da
        ay += y * da
        az += z * da
        bx += x * db
        by += y * db
        bz += z * db
    return ax * bx + ay * by + az * bz
