"""Products with the second-order Jacobian whose flux derivatives are held as `prepare` left them.

A change of the state is carried to the faces along its own gradients, as the residual does with the state,
and multiplied there by the derivatives of the flux to both sides that the first-order Jacobian is made of.
What is left out is how the upwind matrix and the eddy viscosity change with the state; what is gained is a
product that costs about a quarter of a residual, in single precision.
"""
import numpy as np
from numba import njit, prange

from ..boundaries.registry import FAR_FIELD
from ..frame import add_turning_product
from ..positions import CENTRED, LIMIT, fast, in_order
from ..stencils.space import face_offsets
from .strips import NV, times

zero, third = np.float32(0.0), np.float32(1.0 / 3.0)


class HeldProducts:
    """The products on one discretisation in space, in single precision.

    The residual's `grad` and `flux` lend their memory: nobody reads them while products are made, and each
    accepted step fills them anew.
    """
    def __init__(self, flow):
        mesh, inner, cell = flow.mesh, flow.n_interior, flow.mesh.left
        self.flow = flow
        given = flow.faces.offset
        self.offset = (given if len(given) else face_offsets(mesh)).astype(np.float32)
        # The far field takes the cell's own value.
        self.offset[inner:][flow.kind == FAR_FIELD] = 0.0
        self.normal = mesh.normal.astype(np.float32)
        ahead, behind = (np.abs(np.einsum("ij,ij->i", self.offset[:, side], self.normal)) for side in (0, 1))
        self.share = ahead / np.maximum(ahead + behind, 1e-30)
        blend = flow.faces.blend
        self.blend = blend if len(blend) else np.full(inner, flow.constants[CENTRED], dtype=np.float32)
        self.plain = np.zeros(inner, dtype=np.float32)
        # Faces of the boundary, cell after cell; faces between strips.
        self.edges = inner + np.argsort(cell[inner:], kind="stable")
        self.edge_start = np.searchsorted(cell[self.edges], np.arange(mesh.n_own + 1))
        strip = np.searchsorted(flow.factors.strips, np.arange(mesh.n_cells), side="right")
        self.crossing = np.nonzero(strip[cell[:inner]] != strip[mesh.right[:inner]])[0]
        self.no_closure = (np.empty((0, inner, 2), dtype=np.float32),
                           np.empty((0, mesh.n_cells), dtype=np.float32))
        lent = lambda room, shape: room.reshape(-1).view(np.float32)[:np.prod(shape)].reshape(shape)
        self.grad, self.across = lent(flow.grad, flow.grad.shape), lent(flow.flux,
                                                                        (inner, flow.columns_of_state))

    def __call__(self, vector):
        """Product with a scaled change of the state, pseudo-time term included."""
        flow, grad, limit, n = self.flow, self.grad, self.flow.constants[LIMIT] != 0, len(vector)
        if flow.repeated:
            vector = flow.repeated.with_images(vector)
        if flow.first_order:
            grad[:] = 0.0
        else:
            change_gradients(vector, *flow.scalar, grad)
            flow.stencils.mend(vector, grad, is_change=True)
            if limit:
                grad *= flow.limiter_share[:, :, None]
            if flow.repeated:
                flow.repeated.fill_gradients(grad)
        blend = self.plain if flow.first_order or limit else self.blend
        factors, closure, out = flow.factors, flow.closure, np.empty_like(vector)
        pairs, own = self.no_closure if closure is None else (closure.pairs, closure.matrix_diagonal)
        product(vector, grad, flow.jacobians, flow.friction, flow.gamma, pairs, own, factors.strips,
                factors.later, factors.right, flow.n_interior, self.edge_start, self.edges, self.offset,
                self.normal, self.share, blend, self.across, out)
        hand_over(self.crossing, factors.right, self.across, out)
        if flow.omega:
            add_turning_product(flow.turning, vector, out)
            if flow.even_turning is not None and not flow.first_order:
                flow.even_turning.mend_product(vector, flow.row_scale, flow.column_scale, out)
        return out[:n]


@njit(parallel=True, **in_order)
def change_gradients(change, start, neighbour, weight, out):
    """Least-squares gradients of the first five columns, shape (n_cells, 5, 3)."""
    for i in prange(change.shape[0]):
        c0, c1, c2, c3, c4 = change[i, 0], change[i, 1], change[i, 2], change[i, 3], change[i, 4]
        x0 = x1 = x2 = x3 = x4 = y0 = y1 = y2 = y3 = y4 = z0 = z1 = z2 = z3 = z4 = zero
        for m in range(start[i], start[i + 1]):
            j = neighbour[m]
            a, b, c = weight[m, 0], weight[m, 1], weight[m, 2]
            d0, d1, d2, d3, d4 = change[j, 0] - c0, change[j, 1] - c1, change[j, 2] - c2, change[
                j, 3] - c3, change[j, 4] - c4
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


@njit(inline="always", **fast)
def carried(grad, i, x, y, z):
    """What the gradients of cell i add over an offset."""
    return (grad[i, 0, 0] * x + grad[i, 0, 1] * y + grad[i, 0, 2] * z, grad[i, 1, 0] * x + grad[i, 1, 1] * y +
            grad[i, 1, 2] * z, grad[i, 2, 0] * x + grad[i, 2, 1] * y + grad[i, 2, 2] * z,
            grad[i, 3, 0] * x + grad[i, 3, 1] * y + grad[i, 3, 2] * z,
            grad[i, 4, 0] * x + grad[i, 4, 1] * y + grad[i, 4, 2] * z)


@njit(inline="always", **fast)
def face_change(change, grad, jacobians, friction, f, i, j, offset, normal, share, blend):
    """Change of the scaled flux through face f between the cells i and j.

    `friction`, shape (n_faces, 2), holds what a face's stress and heat flux gain with a difference of the
    cells' velocities and temperatures, scaled; the Jacobians hold it too, acting on what the gradients carry
    to the face, which all but cancels there. `blend` is the share of the mean of both cells in what
    is carried, `share` the left cell's part of their distance.
    """
    nx, ny, nz = normal[f, 0], normal[f, 1], normal[f, 2]
    c0, c1, c2, c3, c4 = change[i, 0], change[i, 1], change[i, 2], change[i, 3], change[i, 4]
    e0, e1, e2, e3, e4 = change[j, 0], change[j, 1], change[j, 2], change[j, 3], change[j, 4]
    p0, p1, p2, p3, p4 = carried(grad, i, offset[f, 0, 0], offset[f, 0, 1], offset[f, 0, 2])
    q0, q1, q2, q3, q4 = carried(grad, j, offset[f, 1, 0], offset[f, 1, 1], offset[f, 1, 2])
    mean, one = blend[f], np.float32(1.0)
    ahead, behind, own = mean * share[f], mean * (share[f] - one), one - mean
    d0, d1, d2, d3, d4 = e0 - c0, e1 - c1, e2 - c2, e3 - c3, e4 - c4
    p0, p1, p2, p3, p4 = (own * p0 + ahead * d0, own * p1 + ahead * d1, own * p2 + ahead * d2,
                          own * p3 + ahead * d3, own * p4 + ahead * d4)
    q0, q1, q2, q3, q4 = (own * q0 + behind * d0, own * q1 + behind * d1, own * q2 + behind * d2,
                          own * q3 + behind * d3, own * q4 + behind * d4)
    y0, y1, y2, y3, y4 = times(jacobians[1, f], e0 + q0, e1 + q1, e2 + q2, e3 + q3, e4 + q4)
    z0, z1, z2, z3, z4 = times(jacobians[0, f], c0 + p0, c1 + p1, c2 + p2, c3 + p3, c4 + p4)
    stress, u, v, w = friction[f, 0], q2 - p2, q3 - p3, q4 - p4
    along = third * (nx * u + ny * v + nz * w)
    return (y0 + z0, y1 + z1 + friction[f, 1] * (q1 - p1), y2 + z2 + stress * (u + along * nx),
            y3 + z3 + stress * (v + along * ny), y4 + z4 + stress * (w + along * nz))


@njit(parallel=True, **in_order)
def product(change, grad, jacobians, friction, diagonal, pairs, closure_diagonal, strips, later, right,
            n_interior, edge_start, edges, offset, normal, share, blend, across, out):
    """Product of the held Jacobian with a change of the state and of the closure's variables, shape (n_cells,
    5 + c).

    Each strip of cells sums its own faces; what those between strips give to the later one waits in `across`,
    shape (n_interior, 5 + c).
    `pairs`, shape (c, n_interior, 2), and `closure_diagonal`, shape (c, n_cells), are the matrices of the
    closure's equations.
    """
    closures = len(pairs)
    for s in prange(len(strips) - 1):
        lo, hi = strips[s], strips[s + 1]
        for i in range(lo, hi):
            x0, x1, x2, x3, x4 = times(diagonal[i], change[i, 0], change[i, 1], change[i, 2], change[i, 3],
                                       change[i, 4])
            out[i, 0], out[i, 1], out[i, 2], out[i, 3], out[i, 4] = x0, x1, x2, x3, x4
            for c in range(closures):
                out[i, NV + c] = closure_diagonal[c, i] * change[i, NV + c]
        for i in range(lo, hi):
            s0 = s1 = s2 = s3 = s4 = zero
            for f in range(later[i], later[i + 1]):
                j = right[f]
                y0, y1, y2, y3, y4 = face_change(change, grad, jacobians, friction, f, i, j, offset, normal,
                                                 share, blend)
                s0 += y0
                s1 += y1
                s2 += y2
                s3 += y3
                s4 += y4
                if j < hi:
                    out[j, 0] -= y0
                    out[j, 1] -= y1
                    out[j, 2] -= y2
                    out[j, 3] -= y3
                    out[j, 4] -= y4
                else:
                    across[f, 0], across[f, 1], across[f, 2], across[f, 3], across[f, 4] = y0, y1, y2, y3, y4
            for q in range(edge_start[i], edge_start[i + 1]):
                f = edges[q]
                p0, p1, p2, p3, p4 = carried(grad, i, offset[f, 0, 0], offset[f, 0, 1], offset[f, 0, 2])
                y0, y1, y2, y3, y4 = times(jacobians[0, f], change[i, 0] + p0, change[i, 1] + p1,
                                           change[i, 2] + p2, change[i, 3] + p3, change[i, 4] + p4)
                nx, ny, nz, stress = normal[f, 0], normal[f, 1], normal[f, 2], friction[f, 0]
                along = nx * p2 + ny * p3 + nz * p4
                s0 += y0
                s1 += y1
                s2 += y2 - stress * (p2 - along * nx)
                s3 += y3 - stress * (p3 - along * ny)
                s4 += y4 - stress * (p4 - along * nz)
            out[i, 0] += s0
            out[i, 1] += s1
            out[i, 2] += s2
            out[i, 3] += s3
            out[i, 4] += s4
        for c in range(closures):
            column = NV + c
            for i in range(lo, hi):
                own, total = change[i, column], zero
                for f in range(later[i], later[i + 1]):
                    j = right[f]
                    total += pairs[c, f, 0] * change[j, column]
                    other = pairs[c, f, 1] * own
                    if j < hi:
                        out[j, column] += other
                    else:
                        across[f, column] = -other
                out[i, column] += total


@njit(**fast)
def hand_over(crossing, right, across, out):
    """Give the later cells of the faces between strips what waits for them."""
    for f in crossing:
        j = right[f]
        for k in range(out.shape[1]):
            out[j, k] -= across[f, k]
