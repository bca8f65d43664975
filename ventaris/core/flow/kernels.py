"""Compiled loops of the flow solver.

Symbols: p gauge pressure (above the free stream's), t temperature, u v w velocity,
rho density, h static and H total enthalpy, c speed of sound, g ratio of specific
heats.  All are scaled by the free stream's density, speed of sound and temperature
and by the reference length, so that c = sqrt(t) and the absolute pressure is
p + 1/g.  A state is stored as [p, t, u, v].

The flux functions are written for three dimensions; the loops below are planar.
Everything stands in one file because the compiler's cache is kept per file.
"""
import numpy as np
from numba import njit, prange

NV = 4
SLIP, NO_SLIP, FAR_FIELD = 0, 1, 2

# Positions in the array of gas constants and switches.
GAMMA, MACH, VISCOSITY, PRANDTL, SUTHERLAND, PRECONDITION, VISCOUS, LIMIT, FIRST_ORDER, TURBULENT_PRANDTL, CENTRED = range(11)
N_CONSTANTS = 11

fast = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn", "reassoc"})


@njit(**fast)
def reference_speed2(q2, c2, constants):
    """Square of the preconditioner's reference speed."""
    if constants[PRECONDITION] == 0.0:
        return c2
    return min(c2, max(q2, constants[MACH] * constants[MACH]))


@njit(**fast)
def wave_speeds(un, c, ur2, c2):
    """Mean and difference of the damped acoustic speeds: C*, M* and the factor alpha."""
    alpha = 0.5 * (1.0 - ur2 / c2)
    shifted = un * (1.0 - alpha)
    acoustic = np.sqrt(alpha * alpha * un * un + ur2)
    plus, minus = abs(shifted + acoustic), abs(shifted - acoustic)
    # Harten's smooth corner keeps expansion shocks out.
    delta = 0.1 * acoustic
    if plus < delta:
        plus = 0.5 * (plus * plus + delta * delta) / delta
    if minus < delta:
        minus = 0.5 * (minus * minus + delta * delta) / delta
    return 0.5 * (plus + minus), 0.5 * (plus - minus) / acoustic, alpha


@njit(**fast)
def dissipation(drho, dp, du, dv, dw, dt_energy, rho, u, v, w, H, un, nx, ny, nz, ur2, cstar, mstar, alpha):
    """Upwind part of the preconditioned Roe flux for given jumps.

    `dt_energy` is rho (cp dT + V . dV), so that d(rho E) = H drho + dt_energy - dp.

    References
    ----------
    Weiss, Maruszewski, Smith: Implicit solution of preconditioned Navier-Stokes
    equations using algebraic multigrid, AIAA J. 37(1), 1999.
    """
    speed = abs(un)
    dun = du * nx + dv * ny + dw * nz
    delta_u = mstar * dun + (cstar - (1.0 - 2.0 * alpha) * speed - alpha * un * mstar) * dp / (rho * ur2)
    delta_p = mstar * dp + (cstar - speed + alpha * un * mstar) * rho * dun
    d0 = speed * drho + delta_u * rho
    d1 = speed * (u * drho + rho * du) + delta_u * rho * u + delta_p * nx
    d2 = speed * (v * drho + rho * dv) + delta_u * rho * v + delta_p * ny
    d3 = speed * (w * drho + rho * dw) + delta_u * rho * w + delta_p * nz
    d4 = speed * (H * drho + dt_energy - dp) + delta_u * rho * H + delta_p * un
    return d0, d1, d2, d3, d4


@njit(**fast)
def roe_flux(pl, tl, ul, vl, wl, pr, tr, ur, vr, wr, nx, ny, nz, constants):
    """Convective flux through a unit face: mass, momentum (3), energy."""
    g = constants[GAMMA]
    p0 = 1.0 / g
    cp = 1.0 / (g - 1.0)
    rhol, rhor = g * (pl + p0) / tl, g * (pr + p0) / tr
    Hl = cp * tl + 0.5 * (ul * ul + vl * vl + wl * wl)
    Hr = cp * tr + 0.5 * (ur * ur + vr * vr + wr * wr)
    unl, unr = ul * nx + vl * ny + wl * nz, ur * nx + vr * ny + wr * nz
    ml, mr = rhol * unl, rhor * unr
    s = np.sqrt(rhor / rhol)
    a, b = 1.0 / (1.0 + s), s / (1.0 + s)
    rho = s * rhol
    u, v, w, H = a * ul + b * ur, a * vl + b * vr, a * wl + b * wr, a * Hl + b * Hr
    q2 = u * u + v * v + w * w
    c2 = (g - 1.0) * (H - 0.5 * q2)
    un = u * nx + v * ny + w * nz
    ur2 = reference_speed2(q2, c2, constants)
    cstar, mstar, alpha = wave_speeds(un, np.sqrt(c2), ur2, c2)
    du, dv, dw = ur - ul, vr - vl, wr - wl
    drho, dp = rhor - rhol, pr - pl
    energy = rhor * Hr - rhol * Hl - H * drho
    d0, d1, d2, d3, d4 = dissipation(drho, dp, du, dv, dw, energy, rho, u, v, w, H, un, nx, ny, nz,
                                     ur2, cstar, mstar, alpha)
    pm = 0.5 * (pl + pr)
    return (0.5 * (ml + mr - d0),
            0.5 * (ml * ul + mr * ur - d1) + pm * nx,
            0.5 * (ml * vl + mr * vr - d2) + pm * ny,
            0.5 * (ml * wl + mr * wr - d3) + pm * nz,
            0.5 * (ml * Hl + mr * Hr - d4))


@njit(**fast)
def viscosity(t, constants):
    """Dynamic viscosity over (rho_inf a_inf L); constant, or Sutherland's law with S = S*/T_inf."""
    s = constants[SUTHERLAND]
    if s == 0.0:
        return constants[VISCOSITY]
    return constants[VISCOSITY] * t * np.sqrt(t) * (1.0 + s) / (t + s)


@njit(parallel=True, **fast)
def molecular_viscosity(state, constants, out):
    """Dynamic molecular viscosity of each cell."""
    for i in prange(state.shape[0]):
        out[i] = viscosity(state[i, 1], constants)


@njit(parallel=True, **fast)
def gradients(state, start, neighbour, weight, wall_start, wall_neighbour, wall_weight, out):
    """Least-squares gradients of every unknown, shape (n_cells, 4, 2).

    The second stencil, used for velocity, may contain wall points (index -1, velocity 0).
    """
    for i in prange(state.shape[0]):
        p, t, u, v = state[i, 0], state[i, 1], state[i, 2], state[i, 3]
        px = py = tx = ty = ux = uy = vx = vy = 0.0
        for k in range(start[i], start[i + 1]):
            j = neighbour[k]
            a, b = weight[k, 0], weight[k, 1]
            dp, dt = state[j, 0] - p, state[j, 1] - t
            px += a * dp
            py += b * dp
            tx += a * dt
            ty += b * dt
        for k in range(wall_start[i], wall_start[i + 1]):
            j = wall_neighbour[k]
            a, b = wall_weight[k, 0], wall_weight[k, 1]
            if j >= 0:
                du, dv = state[j, 2] - u, state[j, 3] - v
            else:
                du, dv = -u, -v
            ux += a * du
            uy += b * du
            vx += a * dv
            vy += b * dv
        out[i, 0, 0], out[i, 0, 1], out[i, 1, 0], out[i, 1, 1] = px, py, tx, ty
        out[i, 2, 0], out[i, 2, 1], out[i, 3, 0], out[i, 3, 1] = ux, uy, vx, vy


@njit(parallel=True, **fast)
def limit_gradients(state, start, neighbour, face_start, faces, sign, reach, epsilon2, frozen, share, grad):
    """Venkatakrishnan's smooth limiter with a constant threshold, applied to the gradients.

    The shares are left in `share`; when `frozen`, those of an earlier call are used again.

    References
    ----------
    Venkatakrishnan: Convergence to steady state solutions of the Euler equations on
    unstructured grids with limiters, J. Comput. Phys. 118, 1995.
    """
    for i in prange(state.shape[0]):
        for k in range(NV):
            if frozen:
                grad[i, k, 0] *= share[i, k]
                grad[i, k, 1] *= share[i, k]
                continue
            low = high = state[i, k]
            for m in range(start[i], start[i + 1]):
                value = state[neighbour[m], k]
                low = min(low, value)
                high = max(high, value)
            low -= state[i, k]
            high -= state[i, k]
            e2 = epsilon2[k]
            least = 1.0
            for m in range(face_start[i], face_start[i + 1]):
                f = faces[m]
                side = 0 if sign[m] > 0 else 1
                d = grad[i, k, 0] * reach[f, side, 0] + grad[i, k, 1] * reach[f, side, 1]
                bound = high if d > 0.0 else low
                top = bound * bound + e2 + 2.0 * bound * d
                phi = top / (bound * bound + 2.0 * d * d + bound * d + e2)
                least = min(least, phi)
            share[i, k] = least
            grad[i, k, 0] *= least
            grad[i, k, 1] *= least


@njit(**fast)
def at_face(state, grad, i, dx, dy, first_order):
    """State of cell i carried by an offset; falls back to the cell's own where p or T would collapse."""
    p, t, u, v = state[i, 0], state[i, 1], state[i, 2], state[i, 3]
    if first_order:
        return p, t, u, v
    pf = p + grad[i, 0, 0] * dx + grad[i, 0, 1] * dy
    tf = t + grad[i, 1, 0] * dx + grad[i, 1, 1] * dy
    if tf < 0.2 * t or pf + 0.714 < 0.2 * (p + 0.714):
        return p, t, u, v
    return (pf, tf, u + grad[i, 2, 0] * dx + grad[i, 2, 1] * dy, v + grad[i, 3, 0] * dx + grad[i, 3, 1] * dy)


@njit(parallel=True, **fast)
def interior_fluxes(state, grad, raw, eddy, left, right, normal, area, reach, centre, constants, flux):
    """Fluxes through the faces between cells, shape (n_faces, 4): mass, energy, momentum x, y.

    Without the limiter the reconstruction blends the cell gradient with the difference of the two
    cells (Burg: Higher order variable extrapolation for unstructured finite volume RANS flow
    solvers, AIAA 2005-4999).
    """
    first = constants[FIRST_ORDER] != 0.0
    cp = 1.0 / (constants[GAMMA] - 1.0)
    centred = 0.0 if first or constants[LIMIT] != 0.0 else constants[CENTRED]
    for f in prange(len(right)):
        i, j = left[f], right[f]
        nx, ny = normal[f, 0], normal[f, 1]
        pl, tl, ul, vl = at_face(state, grad, i, reach[f, 0, 0], reach[f, 0, 1], first)
        pr, tr, ur, vr = at_face(state, grad, j, reach[f, 1, 0], reach[f, 1, 1], first)
        if centred > 0.0:
            near = abs(reach[f, 0, 0] * nx + reach[f, 0, 1] * ny)
            far = abs(reach[f, 1, 0] * nx + reach[f, 1, 1] * ny)
            share = near / (near + far)
            pc = state[i, 0] + share * (state[j, 0] - state[i, 0])
            tc = state[i, 1] + share * (state[j, 1] - state[i, 1])
            uc = state[i, 2] + share * (state[j, 2] - state[i, 2])
            vc = state[i, 3] + share * (state[j, 3] - state[i, 3])
            pl, tl, ul, vl = pl + centred * (pc - pl), tl + centred * (tc - tl), ul + centred * (uc - ul), vl + centred * (vc - vl)
            pr, tr, ur, vr = pr + centred * (pc - pr), tr + centred * (tc - tr), ur + centred * (uc - ur), vr + centred * (vc - vr)
        m, fx, fy, fz, e = roe_flux(pl, tl, ul, vl, 0.0, pr, tr, ur, vr, 0.0, nx, ny, 0.0, constants)
        if constants[VISCOUS] != 0.0:
            dx, dy = centre[j, 0] - centre[i, 0], centre[j, 1] - centre[i, 1]
            distance = dx * nx + dy * ny
            tx, ty = 0.5 * (raw[i, 1, 0] + raw[j, 1, 0]), 0.5 * (raw[i, 1, 1] + raw[j, 1, 1])
            ux, uy = 0.5 * (raw[i, 2, 0] + raw[j, 2, 0]), 0.5 * (raw[i, 2, 1] + raw[j, 2, 1])
            vx, vy = 0.5 * (raw[i, 3, 0] + raw[j, 3, 0]), 0.5 * (raw[i, 3, 1] + raw[j, 3, 1])
            # The mean gradient, corrected along the normal to match the two cell values.
            ct = (state[j, 1] - state[i, 1] - tx * dx - ty * dy) / distance
            cu = (state[j, 2] - state[i, 2] - ux * dx - uy * dy) / distance
            cv = (state[j, 3] - state[i, 3] - vx * dx - vy * dy) / distance
            tx, ty, ux, uy, vx, vy = tx + ct * nx, ty + ct * ny, ux + cu * nx, uy + cu * ny, vx + cv * nx, vy + cv * ny
            molecular = viscosity(0.5 * (state[i, 1] + state[j, 1]), constants)
            turbulent = 0.5 * (eddy[i] + eddy[j])
            mu = molecular + turbulent
            heat = cp * (molecular / constants[PRANDTL] + turbulent / constants[TURBULENT_PRANDTL])
            sx, sy = stress(ux, uy, vx, vy, mu, nx, ny)
            um, vm = 0.5 * (state[i, 2] + state[j, 2]), 0.5 * (state[i, 3] + state[j, 3])
            fx -= sx
            fy -= sy
            e -= um * sx + vm * sy + heat * (tx * nx + ty * ny)
        s = area[f]
        flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s


@njit(**fast)
def stress(ux, uy, vx, vy, mu, nx, ny):
    """Viscous traction on a face with the given normal."""
    spread = (ux + vy) * (2.0 / 3.0)
    return (mu * ((2.0 * ux - spread) * nx + (uy + vx) * ny), mu * ((uy + vx) * nx + (2.0 * vy - spread) * ny))


@njit(parallel=True, **fast)
def boundary_fluxes(state, grad, subset, cell, kind, ghost, normal, area, reach, face_centre, centre, constants, flux,
                    wall_pressure):
    """Fluxes through the boundary faces of a subset; leaves each wall's gauge pressure in `wall_pressure`."""
    first = constants[FIRST_ORDER] != 0.0
    g = constants[GAMMA]
    for n in prange(len(subset)):
        f = subset[n]
        i = cell[f]
        nx, ny = normal[f, 0], normal[f, 1]
        x, y = face_centre[f, 0], face_centre[f, 1]
        s = area[f]
        if kind[f] == FAR_FIELD:
            m, fx, fy, fz, e = roe_flux(state[i, 0], state[i, 1], state[i, 2], state[i, 3], 0.0,
                                        ghost[f, 0], ghost[f, 1], ghost[f, 2], ghost[f, 3], 0.0, nx, ny, 0.0, constants)
            wall_pressure[f] = 0.0
            flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s
            continue
        p, t, u, v = at_face(state, grad, i, reach[f, 0, 0], reach[f, 0, 1], first)
        fx = fy = 0.0
        if kind[f] == SLIP:
            c2 = t
            speed = np.sqrt(min(c2, max(u * u + v * v, constants[MACH] ** 2)))
            p += g * (p + 1.0 / g) / t * speed * (u * nx + v * ny)
        else:
            distance = (x - centre[i, 0]) * nx + (y - centre[i, 1]) * ny
            mu = viscosity(state[i, 1], constants)
            un = state[i, 2] * nx + state[i, 3] * ny
            fx = mu / distance * (state[i, 2] - un * nx)
            fy = mu / distance * (state[i, 3] - un * ny)
        wall_pressure[f] = p
        flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = 0.0, 0.0, (p * nx + fx) * s, (p * ny + fy) * s


@njit(parallel=True, **fast)
def gather(flux, face_start, faces, sign, row_scale, total_enthalpy, out):
    """Sum fluxes out of each cell and scale the rows; the energy row loses its free-stream enthalpy."""
    for i in prange(len(face_start) - 1):
        m = e = x = y = 0.0
        for k in range(face_start[i], face_start[i + 1]):
            f = faces[k]
            s = sign[k]
            m += s * flux[f, 0]
            e += s * flux[f, 1]
            x += s * flux[f, 2]
            y += s * flux[f, 3]
        out[i, 0] = m * row_scale[0]
        out[i, 1] = (e - total_enthalpy * m) * row_scale[1]
        out[i, 2] = x * row_scale[2]
        out[i, 3] = y * row_scale[3]


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
def face_jacobians(state, eddy, left, right, n_interior, kind, ghost, normal, area, face_centre, centre, constants, out):
    """First-order Jacobian of each face's flux to its left and right cell, shape (n_faces, 2, 4, 4)."""
    cp = 1.0 / (constants[GAMMA] - 1.0)
    chunk = 256
    for block in prange((len(left) + chunk - 1) // chunk):
        a, d = np.empty((NV, NV)), np.empty((NV, NV))
        for f in range(block * chunk, min(len(left), (block + 1) * chunk)):
            i = left[f]
            nx, ny, s = normal[f, 0], normal[f, 1], area[f]
            if f >= n_interior and kind[f - n_interior] != FAR_FIELD:
                wall_jacobian(state, i, kind[f - n_interior], nx, ny, s, face_centre, centre, f, constants, out)
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
def wall_jacobian(state, i, kind, nx, ny, s, face_centre, centre, f, constants, out):
    out[f] = 0.0
    out[f, 0, 2, 0], out[f, 0, 3, 0] = nx * s, ny * s
    p, t, u, v = state[i, 0], state[i, 1], state[i, 2], state[i, 3]
    if kind == SLIP:
        g = constants[GAMMA]
        speed = np.sqrt(min(t, max(u * u + v * v, constants[MACH] ** 2)))
        k = g * (p + 1.0 / g) / t * speed * s
        out[f, 0, 2, 2], out[f, 0, 2, 3] = k * nx * nx, k * nx * ny
        out[f, 0, 3, 2], out[f, 0, 3, 3] = k * nx * ny, k * ny * ny
    else:
        distance = (face_centre[f, 0] - centre[i, 0]) * nx + (face_centre[f, 1] - centre[i, 1]) * ny
        mu = viscosity(t, constants) * s / distance
        out[f, 0, 2, 2], out[f, 0, 2, 3] = mu * (1.0 - nx * nx), -mu * nx * ny
        out[f, 0, 3, 2], out[f, 0, 3, 3] = -mu * nx * ny, mu * (1.0 - ny * ny)


@njit(**fast)
def preconditioner_matrix(p, t, u, v, constants, out):
    """Gamma: the matrix of the pseudo-time term, rows mass, energy, momentum."""
    g = constants[GAMMA]
    cp = 1.0 / (g - 1.0)
    rho = g * (p + 1.0 / g) / t
    q2 = u * u + v * v
    theta = 1.0 / reference_speed2(q2, t, constants) + (g - 1.0) / t
    rt = -rho / t
    H = cp * t + 0.5 * q2
    out[0, 0], out[0, 1], out[0, 2], out[0, 3] = theta, rt, 0.0, 0.0
    out[1, 0], out[1, 1], out[1, 2], out[1, 3] = theta * H - 1.0, rt * H + rho * cp, rho * u, rho * v
    out[2, 0], out[2, 1], out[2, 2], out[2, 3] = theta * u, rt * u, rho, 0.0
    out[3, 0], out[3, 1], out[3, 2], out[3, 3] = theta * v, rt * v, 0.0, rho


@njit(parallel=True, **fast)
def assemble(state, jacobians, time_factor, face_start, faces, sign, row_start, slot, row_scale, column_scale,
             total_enthalpy, constants, values, gamma):
    """Rows of the first-order Jacobian with its pseudo-time term, as 4 x 4 blocks.

    `slot[k]` is the block of the neighbour across the k-th cell face, -1 on the boundary;
    the diagonal block of row i is `values[row_start[i]]`.
    """
    chunk = 128
    n = state.shape[0]
    for block in prange((n + chunk - 1) // chunk):
        m = np.empty((NV, NV))
        for i in range(block * chunk, min(n, (block + 1) * chunk)):
            d = row_start[i]
            preconditioner_matrix(state[i, 0], state[i, 1], state[i, 2], state[i, 3], constants, m)
            for r in range(NV):
                for k in range(NV):
                    m[r, k] *= time_factor[i]
            finish_block(m, row_scale, column_scale, total_enthalpy)
            for r in range(NV):
                for k in range(NV):
                    gamma[i, r, k] = m[r, k]
                    values[d, r, k] = m[r, k]
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
