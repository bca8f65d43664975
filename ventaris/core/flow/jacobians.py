"""Compiled first-order Jacobians: wave-speed sums, face blocks, and the assembled rows.

Symbols as in kernels.py.
"""
import numpy as np
from numba import njit, prange

from .kernels import (AXISYMMETRIC, BLOWN, FAR_FIELD, GAMMA, MACH, NO_SLIP, NV, OUTLET, PRANDTL, SLIP, TURBULENT_PRANDTL, VISCOUS,
                      dissipation, fast, open_flux, reference_speed2, viscosity, wave_speeds)


@njit(parallel=True, **fast)
def spectral_sums(state, eddy, face_start, faces, sign, normal, area, volume, constants, out):
    """Sum over the faces of each cell of half the largest wave speed times the face area."""
    for i in prange(state.shape[0]):
        t, u, v = state[i, 1], state[i, 2], state[i, 3]
        ur2 = reference_speed2(u * u + v * v, t, constants)
        alpha = 0.5 * (1.0 - ur2 / t)
        nu = 0.0
        if constants[VISCOUS] != 0.0:
            rho = constants[GAMMA] * (state[i, 0] + 1.0 / constants[GAMMA]) / t
            nu = (viscosity(t, constants) + eddy[i]) / rho
        total = 0.0
        for k in range(face_start[i], face_start[i + 1]):
            f = faces[k]
            un = u * normal[f, 0] + v * normal[f, 1]
            wave = abs(un) * (1.0 - alpha) + np.sqrt(alpha * alpha * un * un + ur2)
            total += 0.5 * (wave + 4.0 * nu * area[f] / volume[i]) * area[f]
        out[i] = total


@njit(**fast)
def flux_jacobian(p, t, u, v, nx, ny, constants, out):
    """d(flux)/d[p, t, u, v] of the exact flux through a unit face, rows mass, energy, momentum."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    rp, rt = g / t, -rho / t
    un = u * nx + v * ny
    H = cp * t + 0.5 * (u * u + v * v)
    out[0, 0], out[0, 1], out[0, 2], out[0, 3] = rp * un, rt * un, rho * nx, rho * ny
    out[1, 0], out[1, 1] = rp * un * H, rt * un * H + rho * un * cp
    out[1, 2], out[1, 3] = rho * (nx * H + un * u), rho * (ny * H + un * v)
    out[2, 0], out[2, 1], out[2, 2], out[2, 3] = rp * un * u + nx, rt * un * u, rho * (un + u * nx), rho * u * ny
    out[3, 0], out[3, 1], out[3, 2], out[3, 3] = rp * un * v + ny, rt * un * v, rho * v * nx, rho * (un + v * ny)


@njit(**fast)
def dissipation_matrix(p, t, u, v, nx, ny, constants, out):
    """The upwind matrix acting on jumps of [p, t, u, v], evaluated at one state."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    rp, rt = g / t, -rho / t
    q2 = u * u + v * v
    H = cp * t + 0.5 * q2
    un = u * nx + v * ny
    ur2 = reference_speed2(q2, t, constants)
    cstar, mstar, alpha = wave_speeds(un, np.sqrt(t), ur2, t)
    for k in range(NV):
        dp, dt = 1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0
        du, dv = 1.0 if k == 2 else 0.0, 1.0 if k == 3 else 0.0
        d0, d1, d2, d3, d4 = dissipation(rp * dp + rt * dt, dp, du, dv, 0.0, rho * (cp * dt + u * du + v * dv),
                                         rho, u, v, 0.0, H, un, nx, ny, 0.0, ur2, cstar, mstar, alpha)
        out[0, k], out[1, k], out[2, k], out[3, k] = d0, d4, d1, d2


@njit(parallel=True, **fast)
def face_jacobians(state, eddy, left, right, n_interior, kind, ghost, shear, normal, area, face_centre, centre, constants, out):
    """First-order Jacobian of each face's flux to its left and right cell, shape (n_faces, 2, 4, 4)."""
    cp = 1.0 / (constants[GAMMA] - 1.0)
    chunk = 256
    for block in prange((len(left) + chunk - 1) // chunk):
        a, d = np.empty((NV, NV)), np.empty((NV, NV))
        for f in range(block * chunk, min(len(left), (block + 1) * chunk)):
            i = left[f]
            nx, ny, s = normal[f, 0], normal[f, 1], area[f]
            if f >= n_interior and kind[f - n_interior] != FAR_FIELD:
                b = f - n_interior
                if kind[b] >= OUTLET:
                    open_jacobian(state[i], kind[b], ghost[b], nx, ny, s, constants, out[f, 0])
                else:
                    wall_jacobian(state[i], kind[b], ghost[b], nx, ny, s, shear[b], face_centre[f], centre[i], constants, out[f, 0])
                continue
            pl, tl, ul, vl = state[i, 0], state[i, 1], state[i, 2], state[i, 3]
            if f < n_interior:
                j = right[f]
                pr, tr, ur, vr = state[j, 0], state[j, 1], state[j, 2], state[j, 3]
            else:
                b = f - n_interior
                pr, tr, ur, vr = ghost[b, 0], ghost[b, 1], ghost[b, 2], ghost[b, 3]
            dissipation_matrix(0.5 * (pl + pr), 0.5 * (tl + tr), 0.5 * (ul + ur), 0.5 * (vl + vr), nx, ny, constants, d)
            flux_jacobian(pl, tl, ul, vl, nx, ny, constants, a)
            for r in range(NV):
                for k in range(NV):
                    out[f, 0, r, k] = 0.5 * s * (a[r, k] + d[r, k])
            flux_jacobian(pr, tr, ur, vr, nx, ny, constants, a)
            for r in range(NV):
                for k in range(NV):
                    out[f, 1, r, k] = 0.5 * s * (a[r, k] - d[r, k])
            if constants[VISCOUS] != 0.0 and f < n_interior:
                distance = (centre[j, 0] - centre[i, 0]) * nx + (centre[j, 1] - centre[i, 1]) * ny
                molecular, turbulent = viscosity(0.5 * (tl + tr), constants), 0.5 * (eddy[i] + eddy[j])
                mu = (molecular + turbulent) * s / distance
                heat = cp * (molecular / constants[PRANDTL] + turbulent / constants[TURBULENT_PRANDTL]) * s / distance
                um, vm = 0.5 * (ul + ur), 0.5 * (vl + vr)
                for side in range(2):
                    m = mu if side == 0 else -mu
                    out[f, side, 2, 2] += m * (1.0 + nx * nx / 3.0)
                    out[f, side, 2, 3] += m * nx * ny / 3.0
                    out[f, side, 3, 2] += m * nx * ny / 3.0
                    out[f, side, 3, 3] += m * (1.0 + ny * ny / 3.0)
                    out[f, side, 1, 2] += m * um
                    out[f, side, 1, 3] += m * vm
                    out[f, side, 1, 1] += heat if side == 0 else -heat


@njit(**fast)
def wall_jacobian(state, kind, ghost, nx, ny, s, shear, face_centre, centre, constants, out):
    """Jacobian of the flux through a wall to its cell; a blown wall keeps only its pressure."""
    out[:] = 0.0
    out[2, 0], out[3, 0] = nx * s, ny * s
    p, t, u, v = state[0], state[1], state[2], state[3]
    if kind == SLIP:
        g = constants[GAMMA]
        speed = np.sqrt(min(t, max(u * u + v * v, constants[MACH] ** 2)))
        k = g * (p + 1.0 / g) / t * speed * s
        out[2, 2], out[2, 3] = k * nx * nx, k * nx * ny
        out[3, 2], out[3, 3] = k * nx * ny, k * ny * ny
    elif kind != BLOWN:
        distance = (face_centre[0] - centre[0]) * nx + (face_centre[1] - centre[1]) * ny
        mu = shear * viscosity(t, constants) * s / distance
        out[2, 2], out[2, 3] = mu * (1.0 - nx * nx), -mu * nx * ny
        out[3, 2], out[3, 3] = -mu * nx * ny, mu * (1.0 - ny * ny)
        if kind == NO_SLIP and ghost[0] > 0.0:
            out[1, 1] = mu / ((constants[GAMMA] - 1.0) * constants[PRANDTL])


@njit(**fast)
def open_jacobian(state, kind, ghost, nx, ny, s, constants, out):
    """Jacobian of the flux through an opening, by differences: the conditions have too many branches for anything better."""
    p, t, u, v = state[0], state[1], state[2], state[3]
    m0, e0, x0, y0 = open_flux(kind, p, t, u, v, ghost, nx, ny, constants)
    for k in range(NV):
        h = 1e-7
        m, e, x, y = open_flux(kind, p + (h if k == 0 else 0.0), t + (h if k == 1 else 0.0), u + (h if k == 2 else 0.0), v + (h if k == 3 else 0.0),
                               ghost, nx, ny, constants)
        out[0, k], out[1, k], out[2, k], out[3, k] = s * (m - m0) / h, s * (e - e0) / h, s * (x - x0) / h, s * (y - y0) / h


@njit(**fast)
def preconditioner_matrix(p, t, u, v, constants, physical, out):
    """Gamma: the matrix of the pseudo-time term, rows mass, energy, momentum; `physical` is that of real time."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    q2 = u * u + v * v
    theta = g / t if physical else 1.0 / reference_speed2(q2, t, constants) + (g - 1.0) / t
    rt = -rho / t
    H = cp * t + 0.5 * q2
    out[0, 0], out[0, 1], out[0, 2], out[0, 3] = theta, rt, 0.0, 0.0
    out[1, 0], out[1, 1], out[1, 2], out[1, 3] = theta * H - 1.0, rt * H + rho * cp, rho * u, rho * v
    out[2, 0], out[2, 1], out[2, 2], out[2, 3] = theta * u, rt * u, rho, 0.0
    out[3, 0], out[3, 1], out[3, 2], out[3, 3] = theta * v, rt * v, 0.0, rho


@njit(parallel=True, **fast)
def assemble(state, eddy, planar, centre, jacobians, time_factor, time_rate, volume, face_start, faces, sign, row_start, slot, row_scale, column_scale,
             total_enthalpy, constants, values, gamma):
    """Rows of the first-order Jacobian with its pseudo-time term, as 4 x 4 blocks.

    `slot[k]` is the block of the neighbour across the k-th cell face, -1 on the boundary;
    the diagonal block of row i is `values[row_start[i]]`. `time_rate` is the coefficient of the
    present level in the physical time derivative; it enters the rows but not `gamma`.
    """
    chunk = 128
    n = state.shape[0]
    for block in prange((n + chunk - 1) // chunk):
        m = np.empty((NV, NV))
        for i in range(block * chunk, min(n, (block + 1) * chunk)):
            d = row_start[i]
            preconditioner_matrix(state[i, 0], state[i, 1], state[i, 2], state[i, 3], constants, False, m)
            for r in range(NV):
                for k in range(NV):
                    m[r, k] *= time_factor[i]
            finish_block(m, row_scale, column_scale, total_enthalpy)
            for r in range(NV):
                for k in range(NV):
                    gamma[i, r, k] = m[r, k]
                    values[d, r, k] = m[r, k]
            if time_rate > 0.0:
                preconditioner_matrix(state[i, 0], state[i, 1], state[i, 2], state[i, 3], constants, True, m)
                for r in range(NV):
                    for k in range(NV):
                        m[r, k] *= time_rate * volume[i]
                finish_block(m, row_scale, column_scale, total_enthalpy)
                for r in range(NV):
                    for k in range(NV):
                        values[d, r, k] += m[r, k]
            if constants[AXISYMMETRIC] != 0.0:
                values[d, 3, 0] -= planar[i] * row_scale[3] * column_scale[0]
                if constants[VISCOUS] != 0.0:
                    ring = 4.0 / 3.0 * (viscosity(state[i, 1], constants) + eddy[i]) / centre[i, 1]
                    values[d, 3, 3] += ring * planar[i] * row_scale[3] * column_scale[3]
            for q in range(face_start[i], face_start[i + 1]):
                f, s = faces[q], sign[q]
                own, other = (0, 1) if s > 0 else (1, 0)
                for r in range(NV):
                    for k in range(NV):
                        m[r, k] = s * jacobians[f, own, r, k]
                finish_block(m, row_scale, column_scale, total_enthalpy)
                for r in range(NV):
                    for k in range(NV):
                        values[d, r, k] += m[r, k]
                if slot[q] >= 0:
                    for r in range(NV):
                        for k in range(NV):
                            m[r, k] = s * jacobians[f, other, r, k]
                    finish_block(m, row_scale, column_scale, total_enthalpy)
                    for r in range(NV):
                        for k in range(NV):
                            values[slot[q], r, k] = m[r, k]


@njit(**fast)
def finish_block(m, row_scale, column_scale, total_enthalpy):
    for k in range(NV):
        m[1, k] -= total_enthalpy * m[0, k]
    for r in range(NV):
        for k in range(NV):
            m[r, k] *= row_scale[r] * column_scale[k]
