"""Compiled loops of the three-dimensional flow: gradients, fluxes, sums.

Symbols and scales as in the planar kernels, whose flux functions are used; a state is [p, t, u, v, w].
"""
import numpy as np
from numba import njit, prange

from ..kernels import (CENTRED, FAR_FIELD, FIRST_ORDER, GAMMA, INLET, LIMIT, MACH, NO_SLIP, OUTLET, PRANDTL, TURBULENT_PRANDTL,
                       VISCOUS, fast, roe_flux, viscosity)
from ..shocks import energy_at_shock

NV = 5
# Absolute pressure over gamma p_inf, and temperature over that of the stream, below which nothing more is taken from a cell.
EMPTY = 0.04


@njit(parallel=True, **fast)
def gradients(state, start, neighbour, weight, wall_start, wall_neighbour, wall_weight, ghost, out):
    """Least-squares gradients of the five unknowns, shape (n_cells, 5, 3).

    The second stencil, used for velocity, may hold wall points: index -1 - b is boundary face b.
    """
    for i in prange(state.shape[0]):
        for k in range(NV):
            for a in range(3):
                out[i, k, a] = 0.0
        for m in range(start[i], start[i + 1]):
            j = neighbour[m]
            a, b, c = weight[m, 0], weight[m, 1], weight[m, 2]
            for k in range(2):
                d = state[j, k] - state[i, k]
                out[i, k, 0] += a * d
                out[i, k, 1] += b * d
                out[i, k, 2] += c * d
        for m in range(wall_start[i], wall_start[i + 1]):
            j = wall_neighbour[m]
            a, b, c = wall_weight[m, 0], wall_weight[m, 1], wall_weight[m, 2]
            for k in range(2, NV):
                d = (state[j, k] if j >= 0 else ghost[-1 - j, k]) - state[i, k]
                out[i, k, 0] += a * d
                out[i, k, 1] += b * d
                out[i, k, 2] += c * d


@njit(parallel=True, **fast)
def limit_gradients(state, start, neighbour, face_start, faces, sign, face_centre, centre, epsilon2, frozen, share, grad):
    """Venkatakrishnan's limiter as in the plane; one share for each unknown of a cell."""
    for i in prange(state.shape[0]):
        for k in range(NV):
            if frozen:
                least = share[i, k]
            else:
                low = high = 0.0
                for m in range(start[i], start[i + 1]):
                    d = state[neighbour[m], k] - state[i, k]
                    low = min(low, d)
                    high = max(high, d)
                e2 = epsilon2[k]
                least = 1.0
                for m in range(face_start[i], face_start[i + 1]):
                    f = faces[m]
                    d = (grad[i, k, 0] * (face_centre[f, 0] - centre[i, 0]) + grad[i, k, 1] * (face_centre[f, 1] - centre[i, 1])
                         + grad[i, k, 2] * (face_centre[f, 2] - centre[i, 2]))
                    bound = high if d > 0.0 else low
                    top = bound * bound + e2 + 2.0 * bound * d
                    least = min(least, top / (bound * bound + 2.0 * d * d + bound * d + e2))
                share[i, k] = least
            grad[i, k, 0] *= least
            grad[i, k, 1] *= least
            grad[i, k, 2] *= least


@njit(**fast)
def at_face(state, grad, i, dx, dy, dz, first_order):
    """State of cell i carried by an offset; its own where p or T would collapse."""
    p, t, u, v, w = state[i, 0], state[i, 1], state[i, 2], state[i, 3], state[i, 4]
    if first_order:
        return p, t, u, v, w
    pf = p + grad[i, 0, 0] * dx + grad[i, 0, 1] * dy + grad[i, 0, 2] * dz
    tf = t + grad[i, 1, 0] * dx + grad[i, 1, 1] * dy + grad[i, 1, 2] * dz
    if tf < 0.2 * t or pf + 0.714 < 0.2 * (p + 0.714):
        return p, t, u, v, w
    return (pf, tf, u + grad[i, 2, 0] * dx + grad[i, 2, 1] * dy + grad[i, 2, 2] * dz,
            v + grad[i, 3, 0] * dx + grad[i, 3, 1] * dy + grad[i, 3, 2] * dz,
            w + grad[i, 4, 0] * dx + grad[i, 4, 1] * dy + grad[i, 4, 2] * dz)


@njit(parallel=True, **fast)
def interior_fluxes(state, grad, raw, eddy, shock, left, right, normal, area, face_centre, centre, constants, flux):
    """Fluxes through the faces between cells, shape (n_faces, 5): mass, energy, momentum x, y, z."""
    first = constants[FIRST_ORDER] != 0.0
    cp = 1.0 / (constants[GAMMA] - 1.0)
    centred = 0.0 if first or constants[LIMIT] != 0.0 else constants[CENTRED]
    for f in prange(len(right)):
        i, j = left[f], right[f]
        nx, ny, nz = normal[f, 0], normal[f, 1], normal[f, 2]
        ax, ay, az = face_centre[f, 0] - centre[i, 0], face_centre[f, 1] - centre[i, 1], face_centre[f, 2] - centre[i, 2]
        bx, by, bz = face_centre[f, 0] - centre[j, 0], face_centre[f, 1] - centre[j, 1], face_centre[f, 2] - centre[j, 2]
        pl, tl, ul, vl, wl = at_face(state, grad, i, ax, ay, az, first)
        pr, tr, ur, vr, wr = at_face(state, grad, j, bx, by, bz, first)
        if centred > 0.0:
            near, far = abs(ax * nx + ay * ny + az * nz), abs(bx * nx + by * ny + bz * nz)
            share = near / (near + far)
            pc = state[i, 0] + share * (state[j, 0] - state[i, 0])
            tc = state[i, 1] + share * (state[j, 1] - state[i, 1])
            uc = state[i, 2] + share * (state[j, 2] - state[i, 2])
            vc = state[i, 3] + share * (state[j, 3] - state[i, 3])
            wc = state[i, 4] + share * (state[j, 4] - state[i, 4])
            pl, tl, ul, vl, wl = pl + centred * (pc - pl), tl + centred * (tc - tl), ul + centred * (uc - ul), vl + centred * (vc - vl), wl + centred * (wc - wl)
            pr, tr, ur, vr, wr = pr + centred * (pc - pr), tr + centred * (tc - tr), ur + centred * (uc - ur), vr + centred * (vc - vr), wr + centred * (wc - wr)
        strong = max(shock[i], shock[j])
        m, fx, fy, fz, e = roe_flux(pl, tl, ul, vl, wl, pr, tr, ur, vr, wr, nx, ny, nz, strong, constants)
        if strong > 0.0:
            e = energy_at_shock(m, e, strong, state[i, 1], state[i, 2] ** 2 + state[i, 3] ** 2 + state[i, 4] ** 2,
                                state[j, 1], state[j, 2] ** 2 + state[j, 3] ** 2 + state[j, 4] ** 2, constants)
        if constants[VISCOUS] != 0.0:
            dx, dy, dz = centre[j, 0] - centre[i, 0], centre[j, 1] - centre[i, 1], centre[j, 2] - centre[i, 2]
            inverse = 1.0 / (dx * nx + dy * ny + dz * nz)
            tx, ty, tz = face_gradient(raw, state, 1, i, j, dx, dy, dz, nx, ny, nz, inverse)
            ux, uy, uz = face_gradient(raw, state, 2, i, j, dx, dy, dz, nx, ny, nz, inverse)
            vx, vy, vz = face_gradient(raw, state, 3, i, j, dx, dy, dz, nx, ny, nz, inverse)
            wx, wy, wz = face_gradient(raw, state, 4, i, j, dx, dy, dz, nx, ny, nz, inverse)
            molecular = viscosity(0.5 * (state[i, 1] + state[j, 1]), constants)
            turbulent = 0.5 * (eddy[i] + eddy[j])
            mu = molecular + turbulent
            heat = cp * (molecular / constants[PRANDTL] + turbulent / constants[TURBULENT_PRANDTL])
            spread = (ux + vy + wz) * (2.0 / 3.0)
            sx = mu * ((2.0 * ux - spread) * nx + (uy + vx) * ny + (uz + wx) * nz)
            sy = mu * ((uy + vx) * nx + (2.0 * vy - spread) * ny + (vz + wy) * nz)
            sz = mu * ((uz + wx) * nx + (vz + wy) * ny + (2.0 * wz - spread) * nz)
            fx -= sx
            fy -= sy
            fz -= sz
            e -= (0.5 * (state[i, 2] + state[j, 2]) * sx + 0.5 * (state[i, 3] + state[j, 3]) * sy + 0.5 * (state[i, 4] + state[j, 4]) * sz
                  + heat * (tx * nx + ty * ny + tz * nz))
        s = area[f]
        flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3], flux[f, 4] = m * s, e * s, fx * s, fy * s, fz * s


@njit(**fast)
def face_gradient(raw, state, k, i, j, dx, dy, dz, nx, ny, nz, inverse):
    """Mean gradient of two cells, corrected along the normal to match their values."""
    gx, gy, gz = 0.5 * (raw[i, k, 0] + raw[j, k, 0]), 0.5 * (raw[i, k, 1] + raw[j, k, 1]), 0.5 * (raw[i, k, 2] + raw[j, k, 2])
    c = (state[j, k] - state[i, k] - gx * dx - gy * dy - gz * dz) * inverse
    return gx + c * nx, gy + c * ny, gz + c * nz


@njit(**fast)
def exact_flux(p, t, u, v, w, nx, ny, nz, constants):
    """Flux of one state through a unit face: mass, energy, momentum x, y, z."""
    g = constants[GAMMA]
    m = g * (p + 1.0 / g) / t * (u * nx + v * ny + w * nz)
    return m, m * (t / (g - 1.0) + 0.5 * (u * u + v * v + w * w)), m * u + p * nx, m * v + p * ny, m * w + p * nz


@njit(parallel=True, **fast)
def boundary_fluxes(state, grad, cell, kind, ghost, shear, gap, normal, area, face_centre, centre, constants, flux, wall_pressure):
    """Fluxes through the boundary faces; leaves each wall's gauge pressure in `wall_pressure`.

    `gap` is the distance of the cell's centre from the wall and `shear` multiplies the molecular viscosity there.
    """
    first = constants[FIRST_ORDER] != 0.0
    g = constants[GAMMA]
    for f in prange(len(cell)):
        i = cell[f]
        nx, ny, nz, s = normal[f, 0], normal[f, 1], normal[f, 2], area[f]
        wall_pressure[f] = 0.0
        if kind[f] == FAR_FIELD:
            m, fx, fy, fz, e = roe_flux(state[i, 0], state[i, 1], state[i, 2], state[i, 3], state[i, 4],
                                        ghost[f, 0], ghost[f, 1], ghost[f, 2], ghost[f, 3], ghost[f, 4], nx, ny, nz, 0.0, constants)
        elif kind[f] == OUTLET:
            m, e, fx, fy, fz = exact_flux(ghost[f, 0], state[i, 1], state[i, 2], state[i, 3], state[i, 4], nx, ny, nz, constants)
        else:
            p, t, u, v, w = at_face(state, grad, i, face_centre[f, 0] - centre[i, 0], face_centre[f, 1] - centre[i, 1],
                                    face_centre[f, 2] - centre[i, 2], first)
            if kind[f] == INLET:
                m, e, fx, fy, fz = exact_flux(p, ghost[f, 1], ghost[f, 2], ghost[f, 3], ghost[f, 4], nx, ny, nz, constants)
            else:
                m = e = fx = fy = fz = 0.0
                if kind[f] == NO_SLIP:
                    u, v, w = u - ghost[f, 2], v - ghost[f, 3], w - ghost[f, 4]
                # What runs against the wall raises its pressure; without it a cell between two walls has nothing that holds it.
                speed = np.sqrt(min(t, max(u * u + v * v + w * w, constants[MACH] ** 2)))
                p += g * (p + 1.0 / g) / t * speed * (u * nx + v * ny + w * nz)
                if kind[f] == NO_SLIP:
                    mu = shear[f] * viscosity(state[i, 1], constants) / gap[f]
                    du, dv, dw = state[i, 2] - ghost[f, 2], state[i, 3] - ghost[f, 3], state[i, 4] - ghost[f, 4]
                    un = du * nx + dv * ny + dw * nz
                    fx, fy, fz = mu * (du - un * nx), mu * (dv - un * ny), mu * (dw - un * nz)
                    e = ghost[f, 2] * fx + ghost[f, 3] * fy + ghost[f, 4] * fz
                wall_pressure[f] = p
                fx += p * nx
                fy += p * ny
                fz += p * nz
        flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3], flux[f, 4] = m * s, e * s, fx * s, fy * s, fz * s


@njit(parallel=True, **fast)
def gather(flux, face_start, faces, sign, row_scale, total_enthalpy, out):
    """Sum fluxes out of each cell and scale the rows; the energy row loses its free-stream enthalpy."""
    for i in prange(len(face_start) - 1):
        m = e = x = y = z = 0.0
        for k in range(face_start[i], face_start[i + 1]):
            f, s = faces[k], sign[k]
            m += s * flux[f, 0]
            e += s * flux[f, 1]
            x += s * flux[f, 2]
            y += s * flux[f, 3]
            z += s * flux[f, 4]
        out[i, 0] = m * row_scale[0]
        out[i, 1] = (e - total_enthalpy * m) * row_scale[1]
        out[i, 2] = x * row_scale[2]
        out[i, 3] = y * row_scale[3]
        out[i, 4] = z * row_scale[4]


@njit(parallel=True, **fast)
def add_time_derivative(state, volume, rate, history, row_scale, total_enthalpy, gamma, out):
    """Add V (rate U + history) to the residual, U = [rho, rho E, rho u, rho v, rho w] of each cell."""
    for i in prange(state.shape[0]):
        rho, energy = density_and_energy(state, i, gamma)
        v = volume[i]
        m = v * (rate * rho + history[i, 0])
        out[i, 0] += m * row_scale[0]
        out[i, 1] += (v * (rate * energy + history[i, 1]) - total_enthalpy * m) * row_scale[1]
        for a in range(2, NV):
            out[i, a] += v * (rate * rho * state[i, a] + history[i, a]) * row_scale[a]


@njit(**fast)
def density_and_energy(state, i, gamma):
    p, t = state[i, 0], state[i, 1]
    rho = gamma * (p + 1.0 / gamma) / t
    return rho, rho * (t / (gamma - 1.0) + 0.5 * (state[i, 2] ** 2 + state[i, 3] ** 2 + state[i, 4] ** 2)) - p - 1.0 / gamma


@njit(parallel=True, **fast)
def conserved(state, gamma, out):
    """U = [rho, rho E, rho u, rho v, rho w] of each cell."""
    for i in prange(state.shape[0]):
        rho, energy = density_and_energy(state, i, gamma)
        out[i, 0], out[i, 1] = rho, energy
        for a in range(2, NV):
            out[i, a] = rho * state[i, a]


@njit(cache=True, error_model="numpy")
def clip_change(state, change, most):
    """As the planar one: cells that want more than a share of p and T, or half the speed of sound, are held back. Returns how many."""
    clipped = 0
    for i in range(state.shape[0]):
        p, t = state[i, 0] + 0.714, state[i, 1]
        factor = 1.0
        if abs(change[i, 0]) > most * p:
            factor = min(factor, most * p / abs(change[i, 0]))
        if abs(change[i, 1]) > most * t:
            factor = min(factor, most * t / abs(change[i, 1]))
        speed = np.sqrt(change[i, 2] ** 2 + change[i, 3] ** 2 + change[i, 4] ** 2)
        if speed > 0.5 * np.sqrt(t):
            factor = min(factor, 0.5 * np.sqrt(t) / speed)
        # Where hardly anything is left (the base of a body far beyond Mach 1) nothing more is taken.
        if p < EMPTY and change[i, 0] < 0.0:
            change[i, 0] = 0.0
        if t < EMPTY and change[i, 1] < 0.0:
            change[i, 1] = 0.0
        if factor < 1.0:
            clipped += 1
            for k in range(NV):
                change[i, k] *= factor
    return clipped


@njit(parallel=True, cache=True, error_model="numpy")
def turn_along_walls(state, cells, first, walls, normal, face_centre, centre, grad):
    """Correct velocity gradients so that the velocity carried to a frictionless wall runs along it.

    The smallest change that does so; a cell with several walls (`walls[first[k]:first[k + 1]]`, counted from the first
    boundary face) takes them in turn. It halved the pressure error on a sphere.
    """
    for k in prange(len(cells)):
        i = cells[k]
        for m in range(first[k], first[k + 1]):
            f = walls[m]
            rx, ry, rz = face_centre[f, 0] - centre[i, 0], face_centre[f, 1] - centre[i, 1], face_centre[f, 2] - centre[i, 2]
            un = 0.0
            for a in range(3):
                un += normal[f, a] * (state[i, 2 + a] + grad[i, 2 + a, 0] * rx + grad[i, 2 + a, 1] * ry + grad[i, 2 + a, 2] * rz)
            scale = un / (rx * rx + ry * ry + rz * rz)
            for a in range(3):
                grad[i, 2 + a, 0] -= scale * normal[f, a] * rx
                grad[i, 2 + a, 1] -= scale * normal[f, a] * ry
                grad[i, 2 + a, 2] -= scale * normal[f, a] * rz
