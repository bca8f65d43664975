"""First-order Jacobians of the three-dimensional flow, kept on the faces, and their incomplete factors.

On cubes two neighbours of a cell are hardly ever neighbours of each other, so that an incomplete
factorisation changes the diagonal blocks only; the off-diagonal ones are read from the faces.
Blocks are stored column after column, so that a product with a vector adds up whole columns, which the processor does at once.
Faces are sorted by their left cell, which is the one of lower number: what a cell has to do with later ones lies in one piece in memory,
and the sweeps pass what is known of a cell on to those.
Cells are cut into a fixed number of strips that are factorised apart, so that two threads can work and the answer
does not depend on how many there are.

References
----------
Pommerell: Solution of large unsymmetric systems of linear equations, ETH Zurich, 1992 (diagonal ILU).
"""
import numpy as np
from numba import njit, prange

from ..kernels import (FAR_FIELD, GAMMA, INLET, MACH, OUTLET, PRANDTL, SLIP, TURBULENT_PRANDTL, VISCOUS, dissipation,
                       fast, reference_speed2, viscosity, wave_speeds)

NV = 5
STRIPS = 4


@njit(parallel=True, **fast)
def spectral_sums(state, eddy, face_start, faces, sign, normal, area, volume, constants, out):
    """Sum over the faces of each cell of half the largest wave speed times the face area."""
    for i in prange(state.shape[0]):
        t, u, v, w = state[i, 1], state[i, 2], state[i, 3], state[i, 4]
        ur2 = reference_speed2(u * u + v * v + w * w, t, constants)
        alpha = 0.5 * (1.0 - ur2 / t)
        nu = 0.0
        if constants[VISCOUS] != 0.0:
            rho = constants[GAMMA] * (state[i, 0] + 1.0 / constants[GAMMA]) / t
            nu = (viscosity(t, constants) + eddy[i]) / rho
        total = 0.0
        for k in range(face_start[i], face_start[i + 1]):
            f = faces[k]
            un = u * normal[f, 0] + v * normal[f, 1] + w * normal[f, 2]
            wave = abs(un) * (1.0 - alpha) + np.sqrt(alpha * alpha * un * un + ur2)
            total += 0.5 * (wave + 4.0 * nu * area[f] / volume[i]) * area[f]
        out[i] = total


@njit(**fast)
def flux_jacobian(p, t, u, v, w, nx, ny, nz, constants, out):
    """d(flux)/d[p, t, u, v, w] of the exact flux through a unit face."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    rp, rt = g / t, -rho / t
    un = u * nx + v * ny + w * nz
    H = cp * t + 0.5 * (u * u + v * v + w * w)
    out[0, 0], out[0, 1], out[0, 2], out[0, 3], out[0, 4] = rp * un, rt * un, rho * nx, rho * ny, rho * nz
    out[1, 0], out[1, 1] = rp * un * H, rt * un * H + rho * un * cp
    out[1, 2], out[1, 3], out[1, 4] = rho * (nx * H + un * u), rho * (ny * H + un * v), rho * (nz * H + un * w)
    out[2, 0], out[2, 1], out[2, 2], out[2, 3], out[2, 4] = rp * un * u + nx, rt * un * u, rho * (un + u * nx), rho * u * ny, rho * u * nz
    out[3, 0], out[3, 1], out[3, 2], out[3, 3], out[3, 4] = rp * un * v + ny, rt * un * v, rho * v * nx, rho * (un + v * ny), rho * v * nz
    out[4, 0], out[4, 1], out[4, 2], out[4, 3], out[4, 4] = rp * un * w + nz, rt * un * w, rho * w * nx, rho * w * ny, rho * (un + w * nz)


@njit(**fast)
def dissipation_matrix(p, t, u, v, w, nx, ny, nz, constants, out):
    """The upwind matrix acting on jumps of [p, t, u, v, w], evaluated at one state."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    rp, rt = g / t, -rho / t
    q2 = u * u + v * v + w * w
    H = cp * t + 0.5 * q2
    un = u * nx + v * ny + w * nz
    ur2 = reference_speed2(q2, t, constants)
    cstar, mstar, alpha = wave_speeds(un, np.sqrt(t), ur2, t)
    for k in range(NV):
        dp, dt = 1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0
        du, dv, dw = 1.0 if k == 2 else 0.0, 1.0 if k == 3 else 0.0, 1.0 if k == 4 else 0.0
        d0, d1, d2, d3, d4 = dissipation(rp * dp + rt * dt, dp, du, dv, dw, rho * (cp * dt + u * du + v * dv + w * dw),
                                         rho, u, v, w, H, un, nx, ny, nz, ur2, cstar, mstar, alpha)
        out[0, k], out[1, k], out[2, k], out[3, k], out[4, k] = d0, d4, d1, d2, d3


@njit(parallel=True, **fast)
def face_jacobians(state, eddy, left, right, n_interior, kind, ghost, shear, gap, normal, area, centre, constants, row_scale, column_scale,
                   total_enthalpy, out, friction):
    """Scaled first-order Jacobian of each face's flux to its left and right cell, shape (2, n_faces, 5, 5), its columns last but one.

    `friction`, shape (n_faces, 2): the scaled viscosity and conductivity over the distance of the cells that are in it.
    """
    cp = 1.0 / (constants[GAMMA] - 1.0)
    g = constants[GAMMA]
    chunk = 256
    for block in prange((len(left) + chunk - 1) // chunk):
        a, d, one, two = np.empty((NV, NV)), np.empty((NV, NV)), np.empty((NV, NV)), np.empty((NV, NV))
        for f in range(block * chunk, min(len(left), (block + 1) * chunk)):
            i = left[f]
            nx, ny, nz, s = normal[f, 0], normal[f, 1], normal[f, 2], area[f]
            pl, tl, ul, vl, wl = state[i, 0], state[i, 1], state[i, 2], state[i, 3], state[i, 4]
            b = f - n_interior
            friction[f, 0] = friction[f, 1] = 0.0
            if f < n_interior or kind[b] == FAR_FIELD:
                if f < n_interior:
                    j = right[f]
                    pr, tr, ur, vr, wr = state[j, 0], state[j, 1], state[j, 2], state[j, 3], state[j, 4]
                else:
                    pr, tr, ur, vr, wr = ghost[b, 0], ghost[b, 1], ghost[b, 2], ghost[b, 3], ghost[b, 4]
                dissipation_matrix(0.5 * (pl + pr), 0.5 * (tl + tr), 0.5 * (ul + ur), 0.5 * (vl + vr), 0.5 * (wl + wr), nx, ny, nz, constants, d)
                flux_jacobian(pl, tl, ul, vl, wl, nx, ny, nz, constants, a)
                for r in range(NV):
                    for k in range(NV):
                        one[r, k] = 0.5 * s * (a[r, k] + d[r, k])
                flux_jacobian(pr, tr, ur, vr, wr, nx, ny, nz, constants, a)
                for r in range(NV):
                    for k in range(NV):
                        two[r, k] = 0.5 * s * (a[r, k] - d[r, k])
                if constants[VISCOUS] != 0.0 and f < n_interior:
                    distance = (centre[j, 0] - centre[i, 0]) * nx + (centre[j, 1] - centre[i, 1]) * ny + (centre[j, 2] - centre[i, 2]) * nz
                    molecular, turbulent = viscosity(0.5 * (tl + tr), constants), 0.5 * (eddy[i] + eddy[j])
                    mu = (molecular + turbulent) * s / distance
                    heat = cp * (molecular / constants[PRANDTL] + turbulent / constants[TURBULENT_PRANDTL]) * s / distance
                    um, vm, wm = 0.5 * (ul + ur), 0.5 * (vl + vr), 0.5 * (wl + wr)
                    friction[f, 0], friction[f, 1] = mu * row_scale[2] * column_scale[2], heat * row_scale[1] * column_scale[1]
                    one[1, 1] += heat
                    two[1, 1] -= heat
                    add_stress(one, mu, nx, ny, nz, um, vm, wm)
                    add_stress(two, -mu, nx, ny, nz, um, vm, wm)
                finish_block(two, row_scale, column_scale, total_enthalpy)
                for r in range(NV):
                    for k in range(NV):
                        out[1, f, k, r] = two[r, k]
            else:
                for r in range(NV):
                    for k in range(NV):
                        one[r, k] = 0.0
                if kind[b] == OUTLET:
                    flux_jacobian(ghost[b, 0], tl, ul, vl, wl, nx, ny, nz, constants, a)
                    for r in range(NV):
                        for k in range(1, NV):
                            one[r, k] = s * a[r, k]
                elif kind[b] == INLET:
                    flux_jacobian(pl, ghost[b, 1], ghost[b, 2], ghost[b, 3], ghost[b, 4], nx, ny, nz, constants, a)
                    for r in range(NV):
                        one[r, 0] = s * a[r, 0]
                else:
                    one[2, 0], one[3, 0], one[4, 0] = nx * s, ny * s, nz * s
                    speed = np.sqrt(min(tl, max(ul * ul + vl * vl + wl * wl, constants[MACH] ** 2)))
                    k0 = g * (pl + 1.0 / g) / tl * speed * s
                    mu = 0.0 if kind[b] == SLIP else shear[b] * viscosity(tl, constants) * s / gap[b]
                    friction[f, 0] = mu * row_scale[2] * column_scale[2]
                    # The pressure of what runs against the wall grows with the square of its speed once it is faster than the stream.
                    du, dv, dw = ul - ghost[b, 2], vl - ghost[b, 3], wl - ghost[b, 4]
                    if kind[b] == SLIP:
                        du, dv, dw = ul, vl, wl
                    towards = du * nx + dv * ny + dw * nz
                    more = k0 * towards / speed**2 if towards > 0.0 and constants[MACH] < speed and speed**2 < tl else 0.0
                    for r in range(3):
                        for k in range(3):
                            one[2 + r, 2 + k] = mu * (1.0 if r == k else 0.0) + (k0 - mu) * normal[f, r] * normal[f, k]
                        one[2 + r, 2] += more * normal[f, r] * du
                        one[2 + r, 3] += more * normal[f, r] * dv
                        one[2 + r, 4] += more * normal[f, r] * dw
            finish_block(one, row_scale, column_scale, total_enthalpy)
            for r in range(NV):
                for k in range(NV):
                    out[0, f, k, r] = one[r, k]


@njit(**fast)
def add_stress(m, mu, nx, ny, nz, u, v, w):
    m[2, 2] += mu * (1.0 + nx * nx / 3.0)
    m[2, 3] += mu * nx * ny / 3.0
    m[2, 4] += mu * nx * nz / 3.0
    m[3, 2] += mu * nx * ny / 3.0
    m[3, 3] += mu * (1.0 + ny * ny / 3.0)
    m[3, 4] += mu * ny * nz / 3.0
    m[4, 2] += mu * nx * nz / 3.0
    m[4, 3] += mu * ny * nz / 3.0
    m[4, 4] += mu * (1.0 + nz * nz / 3.0)
    m[1, 2] += mu * u
    m[1, 3] += mu * v
    m[1, 4] += mu * w


@njit(**fast)
def finish_block(m, row_scale, column_scale, total_enthalpy):
    for k in range(NV):
        m[1, k] -= total_enthalpy * m[0, k]
    for r in range(NV):
        for k in range(NV):
            m[r, k] *= row_scale[r] * column_scale[k]


@njit(**fast)
def preconditioner_matrix(p, t, u, v, w, constants, physical, out):
    """Gamma: the matrix of the pseudo-time term; `physical` is that of real time."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    q2 = u * u + v * v + w * w
    theta = g / t if physical else 1.0 / reference_speed2(q2, t, constants) + (g - 1.0) / t
    rt = -rho / t
    H = cp * t + 0.5 * q2
    for r in range(NV):
        for k in range(NV):
            out[r, k] = 0.0
    out[0, 0], out[0, 1] = theta, rt
    out[1, 0], out[1, 1], out[1, 2], out[1, 3], out[1, 4] = theta * H - 1.0, rt * H + rho * cp, rho * u, rho * v, rho * w
    out[2, 0], out[2, 1], out[2, 2] = theta * u, rt * u, rho
    out[3, 0], out[3, 1], out[3, 3] = theta * v, rt * v, rho
    out[4, 0], out[4, 1], out[4, 4] = theta * w, rt * w, rho


@njit(parallel=True, **fast)
def assemble_diagonal(state, jacobians, time_factor, time_rate, volume, face_start, faces, sign, row_scale, column_scale, total_enthalpy,
                      constants, diagonal, gamma):
    """Diagonal blocks with their pseudo-time term, shape (n_cells, 5, 5), stored by columns."""
    chunk = 128
    n = state.shape[0]
    for block in prange((n + chunk - 1) // chunk):
        m, total = np.empty((NV, NV)), np.empty((NV, NV))
        for i in range(block * chunk, min(n, (block + 1) * chunk)):
            preconditioner_matrix(state[i, 0], state[i, 1], state[i, 2], state[i, 3], state[i, 4], constants, False, m)
            for r in range(NV):
                for k in range(NV):
                    m[r, k] *= time_factor[i]
            finish_block(m, row_scale, column_scale, total_enthalpy)
            for r in range(NV):
                for k in range(NV):
                    gamma[i, k, r] = m[r, k]
                    total[r, k] = m[r, k]
            if time_rate > 0.0:
                preconditioner_matrix(state[i, 0], state[i, 1], state[i, 2], state[i, 3], state[i, 4], constants, True, m)
                for r in range(NV):
                    for k in range(NV):
                        m[r, k] *= time_rate * volume[i]
                finish_block(m, row_scale, column_scale, total_enthalpy)
                for r in range(NV):
                    for k in range(NV):
                        total[r, k] += m[r, k]
            for q in range(face_start[i], face_start[i + 1]):
                f, s = faces[q], sign[q]
                own = 0 if s > 0 else 1
                for r in range(NV):
                    for k in range(NV):
                        total[r, k] += s * jacobians[own, f, k, r]
            for r in range(NV):
                for k in range(NV):
                    diagonal[i, k, r] = total[r, k]


@njit(**fast)
def invert(a, inverse):
    """Gauss-Jordan without pivoting search beyond the column; destroys `a`."""
    for r in range(NV):
        for k in range(NV):
            inverse[r, k] = 1.0 if r == k else 0.0
    for c in range(NV):
        pivot = c
        for r in range(c + 1, NV):
            if abs(a[r, c]) > abs(a[pivot, c]):
                pivot = r
        if pivot != c:
            for k in range(NV):
                a[c, k], a[pivot, k] = a[pivot, k], a[c, k]
                inverse[c, k], inverse[pivot, k] = inverse[pivot, k], inverse[c, k]
        scale = 1.0 / a[c, c] if a[c, c] != 0.0 else 1.0
        for k in range(NV):
            a[c, k] *= scale
            inverse[c, k] *= scale
        for r in range(NV):
            if r != c:
                factor = a[r, c]
                for k in range(NV):
                    a[r, k] -= factor * a[c, k]
                    inverse[r, k] -= factor * inverse[c, k]


@njit(parallel=True, **fast)
def factorise(strips, later, right, jacobians, diagonal):
    """D_i - sum over j < i of A_ij D_j^-1 A_ji, inverted in place; each strip for itself.

    `later[i]:later[i + 1]` are the faces between cell i and those of higher number, `right`.
    """
    for s in prange(len(strips) - 1):
        a, inverse, product = np.empty((NV, NV), dtype=np.float32), np.empty((NV, NV), dtype=np.float32), np.empty((NV, NV), dtype=np.float32)
        for i in range(strips[s], strips[s + 1]):
            for r in range(NV):
                for k in range(NV):
                    a[r, k] = diagonal[i, k, r]
            invert(a, inverse)
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


@njit(parallel=True, **fast)
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
                y0, y1, y2, y3, y4 = times(jacobians[1, f], out[j, 0], out[j, 1], out[j, 2], out[j, 3], out[j, 4])
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
    """The same for a scalar equation; `pairs[f]` holds [left on right, right on left]. `diagonal` becomes inverted factors."""
    for s in prange(len(strips) - 1):
        for i in range(strips[s], strips[s + 1]):
            diagonal[i] = 1.0 / diagonal[i]
            for f in range(later[i], later[i + 1]):
                if right[f] >= strips[s + 1]:
                    break
                diagonal[right[f]] -= pairs[f, 0] * pairs[f, 1] * diagonal[i]


@njit(parallel=True, **fast)
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


@njit(parallel=True, cache=True, error_model="numpy")
def block_diagonal_product(blocks, vector, out):
    """out += blocks * vector, cell by cell; the blocks stored by columns."""
    for i in prange(vector.shape[0]):
        for r in range(NV):
            total = 0.0
            for k in range(NV):
                total += blocks[i, k, r] * vector[i, k]
            out[i, r] += total
