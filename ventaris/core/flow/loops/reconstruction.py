"""Gradients, their limiter, and what they carry to the faces."""
from numba import njit, prange

from . import of_dimension
from ..positions import checked, fast, in_order
from .relations import vector, velocity

# Absolute pressure over rho_inf a_inf^2 below which the scheme turns first-order, times the ratio of specific
# heats.
NEARLY_EMPTY = 0.056


@njit(**fast)
def to_face(faces, cells_centre, f, side, i, dim):
    """Offset of face f from its cell i on a side: the stored one, or the straight one."""
    offset = faces.offset
    if len(offset) > 0:
        return offset[f, side, 0], offset[f, side, 1], offset[f, side, 2] if dim == 3 else 0.0
    x, y, z = vector(faces.centre, f, dim)
    cx, cy, cz = vector(cells_centre, i, dim)
    return x - cx, y - cy, z - cz


@njit(**fast)
def carried(grad, i, k, dx, dy, dz, dim):
    """What the gradient of unknown k adds over an offset."""
    change = grad[i, k, 0] * dx + grad[i, k, 1] * dy
    if dim == 3:
        change += grad[i, k, 2] * dz
    return change


@njit(**fast)
def at_face(state, grad, i, dx, dy, dz, first_order, g, dim):
    """State of cell i carried by an offset, less far where p or T would fall under a fifth of the cell's own.

    The share falls continuously: a switch there made Newton's steps stall at strong shocks.
    """
    p, t = state[i, 0], state[i, 1]
    u, v, w = velocity(state, i, dim)
    if first_order:
        return p, t, u, v, w
    dp, dt = carried(grad, i, 0, dx, dy, dz, dim), carried(grad, i, 1, dx, dy, dz, dim)
    # Towards a vacuum the scheme turns first-order, which keeps such pockets from emptying.
    absolute = p + 1.0 / g
    share = min(1.0, absolute * g / NEARLY_EMPTY)
    if -dp > 0.8 * absolute:
        share = min(share, 0.8 * absolute / -dp)
    if -dt > 0.8 * t:
        share = min(share, 0.8 * t / -dt)
    du, dv = carried(grad, i, 2, dx, dy, dz, dim), carried(grad, i, 3, dx, dy, dz, dim)
    dw = carried(grad, i, 4, dx, dy, dz, dim) if dim == 3 else 0.0
    return p + share * dp, t + share * dt, u + share * du, v + share * dv, w + share * dw


@njit(parallel=True, **checked)
def turn_along_walls(state, cells, is_layer, first, walls, normal, face_centre, centre, drift, grad):
    """Correct velocity gradients in space so that the velocity carried to a frictionless wall runs along it.

    The smallest change that does so; a cell with several walls (`walls[first[k]:first[k + 1]]`, counted from
    the first boundary face) takes them in turn. It halved the pressure error on a sphere.  In the thin cells
    of layers, which may lean along the wall, it is the change across the wall alone: a share of it along the
    wall would be carried far. `drift` is how the boundary faces move, or nothing.
    """
    for k in prange(len(cells)):
        i = cells[k]
        for m in range(first[k], first[k + 1]):
            f = walls[m]
            rx, ry, rz = (face_centre[f, 0] - centre[i, 0], face_centre[f, 1] - centre[i, 1],
                          face_centre[f, 2] - centre[i, 2])
            un = 0.0
            for a in range(3 if len(drift) > 0 else 0):
                un -= normal[f, a] * drift[f, a]
            for a in range(3):
                un += normal[f, a] * (state[i, 2 + a] + grad[i, 2 + a, 0] * rx + grad[i, 2 + a, 1] * ry +
                                      grad[i, 2 + a, 2] * rz)
            if is_layer[i]:
                gap = rx * normal[f, 0] + ry * normal[f, 1] + rz * normal[f, 2]
                rx, ry, rz = gap * normal[f, 0], gap * normal[f, 1], gap * normal[f, 2]
            scale = un / (rx * rx + ry * ry + rz * rz)
            for a in range(3):
                grad[i, 2 + a, 0] -= scale * normal[f, a] * rx
                grad[i, 2 + a, 1] -= scale * normal[f, a] * ry
                grad[i, 2 + a, 2] -= scale * normal[f, a] * rz


def reconstruction_loops(dim):
    """The loops for one dimension."""
    nv = dim + 2

    @njit(parallel=True, **in_order)
    def gradients(state, start, neighbour, weight, wall_start, wall_neighbour, wall_weight, ghost, out):
        """Least-squares gradients of every unknown, shape (n_cells, nv, dim).

        The second stencil, used for velocity, may contain wall points: index -1 - b stands for boundary face
        b, whose velocity is in `ghost`.
        """
        for i in prange(state.shape[0]):
            p, t = state[i, 0], state[i, 1]
            u, v, w = velocity(state, i, dim)
            px = py = pz = tx = ty = tz = 0.0
            for k in range(start[i], start[i + 1]):
                j = neighbour[k]
                a, b, c = vector(weight, k, dim)
                dp, dt = state[j, 0] - p, state[j, 1] - t
                px += a * dp
                py += b * dp
                pz += c * dp
                tx += a * dt
                ty += b * dt
                tz += c * dt
            ux = uy = uz = vx = vy = vz = wx = wy = wz = 0.0
            for k in range(wall_start[i], wall_start[i + 1]):
                j = wall_neighbour[k]
                a, b, c = vector(wall_weight, k, dim)
                if j >= 0:
                    du, dv, dw = velocity(state, j, dim)
                else:
                    du, dv, dw = velocity(ghost, -1 - j, dim)
                du, dv, dw = du - u, dv - v, dw - w
                ux += a * du
                uy += b * du
                uz += c * du
                vx += a * dv
                vy += b * dv
                vz += c * dv
                wx += a * dw
                wy += b * dw
                wz += c * dw
            out[i, 0, 0], out[i, 0, 1], out[i, 1, 0], out[i, 1, 1] = px, py, tx, ty
            out[i, 2, 0], out[i, 2, 1], out[i, 3, 0], out[i, 3, 1] = ux, uy, vx, vy
            if dim == 3:
                out[i, 0, 2], out[i, 1, 2], out[i, 2, 2], out[i, 3, 2] = pz, tz, uz, vz
                out[i, 4, 0], out[i, 4, 1], out[i, 4, 2] = wx, wy, wz

    @njit(parallel=True, **fast)
    def limit_gradients(state, start, neighbour, faces, cells, epsilon2, frozen, share, grad):
        """Venkatakrishnan's smooth limiter with a constant threshold, applied to the gradients.

        The shares are left in `share`; when `frozen`, those of an earlier call are used again.

        References
        ----------
        Venkatakrishnan: Convergence to steady state solutions of the Euler equations on
        unstructured grids with limiters, J. Comput. Phys. 118, 1995.
        """
        for i in prange(state.shape[0]):
            for k in range(nv):
                least = share[i, k] if frozen else 1.0
                if not frozen:
                    low = high = state[i, k]
                    for m in range(start[i], start[i + 1]):
                        value = state[neighbour[m], k]
                        low = min(low, value)
                        high = max(high, value)
                    low -= state[i, k]
                    high -= state[i, k]
                    e2 = epsilon2[k]
                    for m in range(cells.first[i], cells.first[i + 1]):
                        side = 0 if cells.sign[m] > 0 else 1
                        dx, dy, dz = to_face(faces, cells.centre, cells.faces[m], side, i, dim)
                        d = carried(grad, i, k, dx, dy, dz, dim)
                        bound = high if d > 0.0 else low
                        top = bound * bound + e2 + 2.0 * bound * d
                        least = min(least, top / (bound * bound + 2.0 * d * d + bound * d + e2))
                    share[i, k] = least
                for a in range(dim):
                    grad[i, k, a] *= least

    return of_dimension(dim, (gradients, limit_gradients))


PLANE, SPACE = reconstruction_loops(2), reconstruction_loops(3)
