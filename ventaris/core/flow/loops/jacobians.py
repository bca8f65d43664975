"""First-order Jacobians: wave-speed sums, blocks of the faces, diagonal blocks of the cells.

Blocks are stored column after column, so that a product with a vector adds up whole columns, which the
processor does at once; they are scaled by the rows' and columns' scales.
"""
import numpy as np
from numba import njit, prange

from . import of_dimension
from ..boundaries.registry import BLOWN, FAR_FIELD, NO_SLIP, OUTLET, SLIP, open_flux
from ..positions import (AXISYMMETRIC, GAMMA, MACH, PRANDTL, PUSH, TURBULENT_PRANDTL, VISCOUS, fast, in_order)
from .fluxes import drift_of_border, row_of
from .relations import (along_normal, dissipation, moving, reference_speed2, vector, velocity, viscosity,
                        wave_speeds)

# Step of differences through an opening's flux.
STEP = 1e-7


@njit(**fast)
def flux_jacobian(p, t, u, v, w, nx, ny, nz, constants, out, dim):
    """d(flux)/d(state) of the exact flux through a unit face, rows mass, energy, momentum."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    rp, rt = g / t, -rho / t
    un = u * nx + v * ny + w * nz
    H = cp * t + 0.5 * (u * u + v * v + w * w)
    n, q = (nx, ny, nz), (u, v, w)
    out[0, 0], out[0, 1] = rp * un, rt * un
    out[1, 0], out[1, 1] = rp * un * H, rt * un * H + rho * un * cp
    for a in range(dim):
        out[0, 2 + a] = rho * n[a]
        out[1, 2 + a] = rho * (n[a] * H + un * q[a])
        out[2 + a, 0], out[2 + a, 1] = rp * un * q[a] + n[a], rt * un * q[a]
        for b in range(dim):
            out[2 + a, 2 + b] = rho * q[a] * n[b]
        out[2 + a, 2 + a] = rho * (un + q[a] * n[a])


@njit(**fast)
def dissipation_matrix(p, t, u, v, w, nx, ny, nz, constants, out, dim):
    """The upwind matrix acting on jumps of the state, evaluated at one state."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    rp, rt = g / t, -rho / t
    q2 = u * u + v * v + w * w
    H = cp * t + 0.5 * q2
    un = u * nx + v * ny + w * nz
    ur2 = reference_speed2(q2, t, constants)
    cstar, mstar, alpha = wave_speeds(un, np.sqrt(t), ur2, t)
    for k in range(dim + 2):
        dp, dt = 1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0
        du, dv, dw = 1.0 if k == 2 else 0.0, 1.0 if k == 3 else 0.0, 1.0 if k == 4 else 0.0
        d0, d1, d2, d3, d4 = dissipation(rp * dp + rt * dt, dp, du, dv, dw,
                                         rho * (cp * dt + u * du + v * dv + w * dw), rho, u, v, w, H, un, nx,
                                         ny, nz, ur2, cstar, mstar, alpha)
        out[0, k], out[1, k], out[2, k], out[3, k] = d0, d4, d1, d2
        if dim == 3:
            out[4, k] = d3


@njit(**fast)
def add_stress(m, mu, nx, ny, nz, u, v, w, dim):
    """What friction between two cells adds to a block."""
    n, q = (nx, ny, nz), (u, v, w)
    for a in range(dim):
        for b in range(dim):
            m[2 + a, 2 + b] += mu * n[a] * n[b] / 3.0
        m[2 + a, 2 + a] += mu
        m[1, 2 + a] += mu * q[a]


@njit(**fast)
def finish_block(m, row_scale, column_scale, total_enthalpy):
    """Scale a block; its energy row loses the free-stream enthalpy."""
    nv = len(m)
    for k in range(nv):
        m[1, k] -= total_enthalpy * m[0, k]
    for r in range(nv):
        for k in range(nv):
            m[r, k] *= row_scale[r] * column_scale[k]


@njit(**fast)
def rows_at_rest(m, gx, gy, gz, dim):
    """Rows of a flux's derivatives from axes that move with (gx, gy, gz) to those at rest."""
    for k in range(len(m)):
        m[1, k] += (gx * m[2, k] + gy * m[3, k] + (gz * m[4, k] if dim == 3 else 0.0) + 0.5 *
                    (gx * gx + gy * gy + gz * gz) * m[0, k])
        m[2, k] += gx * m[0, k]
        m[3, k] += gy * m[0, k]
        if dim == 3:
            m[4, k] += gz * m[0, k]


@njit(**fast)
def wall_jacobian(p, t, u, v, w, kind, ghost, nx, ny, nz, s, shear, gap, constants, out, dim):
    """Jacobian of the flux through a wall to its cell; a blown wall keeps only its pressure."""
    g = constants[GAMMA]
    n = (nx, ny, nz)
    for a in range(dim):
        out[2 + a, 0] = n[a] * s
    if kind == BLOWN:
        return
    against, mu = 0.0, 0.0
    speed2 = min(t, max(u * u + v * v + w * w, constants[MACH]**2))
    if kind == SLIP or constants[PUSH] != 0.0:
        against = g * (p + 1.0 / g) / t * np.sqrt(speed2) * s
    if kind == NO_SLIP:
        mu = shear * viscosity(t, constants) * s / gap
        u, v, w = u - ghost[2], v - ghost[3], w - ghost[4]
        if ghost[0] > 0.0:
            out[1, 1] = mu / ((g - 1.0) * constants[PRANDTL])
    # The pressure of what runs against the wall grows with the square of its speed once it is faster than the
    # stream.
    q = (u, v, w)
    towards = u * nx + v * ny + w * nz
    more = against * towards / speed2 if towards > 0.0 and constants[MACH]**2 < speed2 and speed2 < t else 0.0
    for a in range(dim):
        for b in range(dim):
            out[2 + a, 2 + b] = (mu if a == b else 0.0) + (against - mu) * n[a] * n[b] + more * n[a] * q[b]


@njit(**fast)
def open_jacobian(p, t, u, v, w, kind, ghost, nx, ny, nz, s, constants, out, dim):
    """Jacobian of the flux through an opening, by differences: the conditions have too many branches for
    more."""
    m0, e0, x0, y0, z0 = open_flux(kind, p, t, u, v, w, ghost, nx, ny, nz, constants)
    for k in range(dim + 2):
        h = STEP
        m, e, x, y, z = open_flux(kind, p + (h if k == 0 else 0.0), t + (h if k == 1 else 0.0),
                                  u + (h if k == 2 else 0.0), v + (h if k == 3 else 0.0),
                                  w + (h if k == 4 else 0.0), ghost, nx, ny, nz, constants)
        out[0, k], out[1, k] = s * (m - m0) / h, s * (e - e0) / h
        out[2, k], out[3, k] = s * (x - x0) / h, s * (y - y0) / h
        if dim == 3:
            out[4, k] = s * (z - z0) / h


@njit(**fast)
def preconditioner_matrix(p, t, u, v, w, constants, physical, out, dim):
    """Gamma: the matrix of the pseudo-time term, rows mass, energy, momentum; `physical` is that of real
    time."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    q2 = u * u + v * v + w * w
    theta = g / t if physical else 1.0 / reference_speed2(q2, t, constants) + (g - 1.0) / t
    rt = -rho / t
    H = cp * t + 0.5 * q2
    q = (u, v, w)
    out[:] = 0.0
    out[0, 0], out[0, 1] = theta, rt
    out[1, 0], out[1, 1] = theta * H - 1.0, rt * H + rho * cp
    for a in range(dim):
        out[1, 2 + a] = rho * q[a]
        out[2 + a, 0], out[2 + a, 1], out[2 + a, 2 + a] = theta * q[a], rt * q[a], rho


def jacobian_loops(dim):
    """The loops for one dimension."""
    nv = dim + 2

    @njit(parallel=True, **in_order)
    def spectral_sums(state, eddy, faces, cells, constants, out):
        """Sum over the faces of each cell of half the largest wave speed times the face area."""
        for i in prange(state.shape[0]):
            t = state[i, 1]
            u, v, w = velocity(state, i, dim)
            qx, qy, qz = moving(cells.drift, i, dim)
            u, v, w = u - qx, v - qy, w - qz
            ur2 = reference_speed2(u * u + v * v + w * w, t, constants)
            alpha = 0.5 * (1.0 - ur2 / t)
            nu = 0.0
            if constants[VISCOUS] != 0.0:
                rho = constants[GAMMA] * (state[i, 0] + 1.0 / constants[GAMMA]) / t
                nu = (viscosity(t, constants) + eddy[i]) / rho
            total = 0.0
            for k in range(cells.first[i], cells.first[i + 1]):
                f = cells.faces[k]
                nx, ny, nz = vector(faces.normal, f, dim)
                area = faces.area[f]
                un = u * nx + v * ny + w * nz
                wave = abs(un) * (1.0 - alpha) + np.sqrt(alpha * alpha * un * un + ur2)
                total += 0.5 * (wave + 4.0 * nu * area / cells.volume[i]) * area
            out[i] = total

    @njit(parallel=True, **fast)
    def face_jacobians(state, eddy, border, faces, centre, n_interior, constants, row_scale, column_scale,
                       total_enthalpy, out, friction):
        """Scaled first-order Jacobian of each face's flux to its left and right cell, shape (2, n_faces, nv,
        nv).

        `friction`, shape (n_faces, 2): the scaled viscosity and conductivity over the distance that are in
        it.
        """
        cp = 1.0 / (constants[GAMMA] - 1.0)
        chunk = 256
        left, moves = faces.left, len(faces.drift) > 0
        for block in prange((len(left) + chunk - 1) // chunk):
            a, d, one, two = np.empty((nv, nv)), np.empty((nv, nv)), np.empty((nv, nv)), np.empty((nv, nv))
            for f in range(block * chunk, min(len(left), (block + 1) * chunk)):
                i, b, s = left[f], f - n_interior, faces.area[f]
                nx, ny, nz = vector(faces.normal, f, dim)
                friction[f, 0] = friction[f, 1] = 0.0
                kind = border.kind[b] if f >= n_interior else FAR_FIELD
                qx, qy, qz = drift_of_border(faces, f, kind, nx, ny, nz, dim)
                pl, tl = state[i, 0], state[i, 1]
                ul, vl, wl = velocity(state, i, dim)
                ul, vl, wl = ul - qx, vl - qy, wl - qz
                if f >= n_interior and kind != FAR_FIELD:
                    one[:] = 0.0
                    ghost = row_of(border.ghost, b, dim)
                    if kind >= OUTLET:
                        open_jacobian(pl, tl, ul, vl, wl, kind, ghost, nx, ny, nz, s, constants, one, dim)
                    else:
                        ghost = ghost[0], ghost[1], ghost[2] - qx, ghost[3] - qy, ghost[4] - qz
                        wall_jacobian(pl, tl, ul, vl, wl, kind, ghost, nx, ny, nz, s, border.shear[b],
                                      border.gap[b], constants, one, dim)
                        if kind == NO_SLIP:
                            friction[f, 0] = (border.shear[b] * viscosity(state[i, 1], constants) * s /
                                              border.gap[b] * row_scale[2] * column_scale[2])
                else:
                    if f < n_interior:
                        j = faces.right[f]
                        pr, tr = state[j, 0], state[j, 1]
                        ur, vr, wr = velocity(state, j, dim)
                    else:
                        pr, tr, ur, vr, wr = row_of(border.ghost, b, dim)
                    ur, vr, wr = ur - qx, vr - qy, wr - qz
                    um, vm, wm = 0.5 * (ul + ur), 0.5 * (vl + vr), 0.5 * (wl + wr)
                    dissipation_matrix(0.5 * (pl + pr), 0.5 * (tl + tr), um, vm, wm, nx, ny, nz, constants, d,
                                       dim)
                    flux_jacobian(pl, tl, ul, vl, wl, nx, ny, nz, constants, a, dim)
                    for r in range(nv):
                        for k in range(nv):
                            one[r, k] = 0.5 * s * (a[r, k] + d[r, k])
                    flux_jacobian(pr, tr, ur, vr, wr, nx, ny, nz, constants, a, dim)
                    for r in range(nv):
                        for k in range(nv):
                            two[r, k] = 0.5 * s * (a[r, k] - d[r, k])
                    if constants[VISCOUS] != 0.0 and f < n_interior:
                        x, y, z = vector(centre, i, dim)
                        dx, dy, dz = vector(centre, j, dim)
                        distance = along_normal(dx - x, dy - y, dz - z, nx, ny, nz, dim)
                        molecular, turbulent = viscosity(0.5 * (tl + tr),
                                                         constants), 0.5 * (eddy[i] + eddy[j])
                        mu = (molecular + turbulent) * s / distance
                        heat = (cp *
                                (molecular / constants[PRANDTL] + turbulent / constants[TURBULENT_PRANDTL]) *
                                s / distance)
                        friction[f, 0] = mu * row_scale[2] * column_scale[2]
                        friction[f, 1] = heat * row_scale[1] * column_scale[1]
                        one[1, 1] += heat
                        two[1, 1] -= heat
                        add_stress(one, mu, nx, ny, nz, um, vm, wm, dim)
                        add_stress(two, -mu, nx, ny, nz, um, vm, wm, dim)
                    if moves:
                        rows_at_rest(two, qx, qy, qz, dim)
                    finish_block(two, row_scale, column_scale, total_enthalpy)
                    for r in range(nv):
                        for k in range(nv):
                            out[1, f, k, r] = two[r, k]
                if moves:
                    rows_at_rest(one, qx, qy, qz, dim)
                finish_block(one, row_scale, column_scale, total_enthalpy)
                for r in range(nv):
                    for k in range(nv):
                        out[0, f, k, r] = one[r, k]

    @njit(parallel=True, **fast)
    def assemble_diagonal(state, eddy, jacobians, time_factor, time_rate, planar, cells, constants, row_scale,
                          column_scale, total_enthalpy, diagonal, gamma):
        """Diagonal blocks with their pseudo-time term, shape (n_cells, nv, nv).

        `time_rate` is the coefficient of the present level in the physical time derivative; it enters the
        blocks but not `gamma`. `planar` is the cells' area in the half plane of a mesh of revolution.
        """
        chunk = 128
        n = state.shape[0]
        for block in prange((n + chunk - 1) // chunk):
            m, total = np.empty((nv, nv)), np.empty((nv, nv))
            for i in range(block * chunk, min(n, (block + 1) * chunk)):
                p, t = state[i, 0], state[i, 1]
                u, v, w = velocity(state, i, dim)
                qx, qy, qz = moving(cells.drift, i, dim)
                preconditioner_matrix(p, t, u - qx, v - qy, w - qz, constants, False, m, dim)
                if len(cells.drift) > 0:
                    rows_at_rest(m, qx, qy, qz, dim)
                for r in range(nv):
                    for k in range(nv):
                        m[r, k] *= time_factor[i]
                finish_block(m, row_scale, column_scale, total_enthalpy)
                for r in range(nv):
                    for k in range(nv):
                        gamma[i, k, r] = m[r, k]
                        total[r, k] = m[r, k]
                if time_rate > 0.0:
                    preconditioner_matrix(p, t, u, v, w, constants, True, m, dim)
                    for r in range(nv):
                        for k in range(nv):
                            m[r, k] *= time_rate * cells.volume[i]
                    finish_block(m, row_scale, column_scale, total_enthalpy)
                    for r in range(nv):
                        for k in range(nv):
                            total[r, k] += m[r, k]
                if dim == 2 and constants[AXISYMMETRIC] != 0.0:
                    total[3, 0] -= planar[i] * row_scale[3] * column_scale[0]
                    if constants[VISCOUS] != 0.0:
                        ring = 4.0 / 3.0 * (viscosity(t, constants) + eddy[i]) / cells.centre[i, 1]
                        total[3, 3] += ring * planar[i] * row_scale[3] * column_scale[3]
                for q in range(cells.first[i], cells.first[i + 1]):
                    f, s = cells.faces[q], cells.sign[q]
                    own = 0 if s > 0 else 1
                    for r in range(nv):
                        for k in range(nv):
                            total[r, k] += s * jacobians[own, f, k, r]
                for r in range(nv):
                    for k in range(nv):
                        diagonal[i, k, r] = total[r, k]

    return of_dimension(dim, (spectral_sums, face_jacobians, assemble_diagonal))


PLANE, SPACE = jacobian_loops(2), jacobian_loops(3)
