"""Compiled loops of the flow solver.

Symbols: p gauge pressure (above the free stream's), t temperature, u v w velocity,
rho density, h static and H total enthalpy, c speed of sound, g ratio of specific
heats.  All are scaled by the free stream's density, speed of sound and temperature
and by the reference length, so that c = sqrt(t) and the absolute pressure is
p + 1/g.  A state is stored as [p, t, u, v].

The flux functions are written for three dimensions; the loops below are planar.
They stand in few files because the compiler's cache is kept per file; `tools/setup.sh` empties it when one has changed.
"""
import numpy as np
from numba import njit, prange

# The others find these here.
from .positions import (AXISYMMETRIC, BLOWN, CENTRED, FAR_FIELD, FIRST_ORDER, GAMMA, INLET, LIMIT, MACH, MASS_INLET, MASS_OUTLET, NO_SLIP, NV,
                        N_CONSTANTS, OUTLET, PRANDTL, PRECONDITION, SLIP, SUTHERLAND, TOTAL_INLET, TURBULENT_PRANDTL, VISCOSITY, VISCOUS, fast)
from .shocks import energy_at_shock


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
def roe_flux(pl, tl, ul, vl, wl, pr, tr, ur, vr, wr, nx, ny, nz, least_speed, constants):
    """Convective flux through a unit face: mass, momentum (3), energy.

    Waves of entropy and shear are taken to be no slower than `least_speed`, see `mark_shocks`.
    """
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
    more = least_speed - abs(un)
    if more > 0.0:
        # What is left of the jumps when the acoustic waves have been taken out.
        dun = du * nx + dv * ny + dw * nz
        swirl = drho - dp / c2
        d0 += more * swirl
        d1 += more * (u * swirl + rho * (du - dun * nx))
        d2 += more * (v * swirl + rho * (dv - dun * ny))
        d3 += more * (w * swirl + rho * (dw - dun * nz))
        d4 += more * (0.5 * q2 * swirl + rho * (u * du + v * dv + w * dw - un * dun))
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
def gradients(state, start, neighbour, weight, wall_start, wall_neighbour, wall_weight, ghost, out):
    """Least-squares gradients of every unknown, shape (n_cells, 4, 2).

    The second stencil, used for velocity, may contain wall points: index -1 - b stands for boundary
    face b, whose velocity is in `ghost`.
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
                du, dv = ghost[-1 - j, 2] - u, ghost[-1 - j, 3] - v
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
    """State of cell i carried by an offset, less far where p or T would fall under a fifth of the cell's own.

    The share falls continuously: a switch there made Newton's steps stall at strong shocks.
    """
    p, t, u, v = state[i, 0], state[i, 1], state[i, 2], state[i, 3]
    if first_order:
        return p, t, u, v
    dp = grad[i, 0, 0] * dx + grad[i, 0, 1] * dy
    dt = grad[i, 1, 0] * dx + grad[i, 1, 1] * dy
    # Towards a vacuum the scheme turns first-order, which keeps such pockets from emptying.
    share = min(1.0, (p + 0.714) / 0.04)
    if -dp > 0.8 * (p + 0.714):
        share = min(share, 0.8 * (p + 0.714) / -dp)
    if -dt > 0.8 * t:
        share = min(share, 0.8 * t / -dt)
    return (p + share * dp, t + share * dt, u + share * (grad[i, 2, 0] * dx + grad[i, 2, 1] * dy), v + share * (grad[i, 3, 0] * dx + grad[i, 3, 1] * dy))


@njit(parallel=True, **fast)
def interior_fluxes(state, grad, raw, eddy, shock, left, right, normal, area, reach, centre, constants, flux):
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
        strong = max(shock[i], shock[j])
        m, fx, fy, fz, e = roe_flux(pl, tl, ul, vl, 0.0, pr, tr, ur, vr, 0.0, nx, ny, 0.0, strong, constants)
        if strong > 0.0:
            e = energy_at_shock(m, e, strong, state[i, 1], state[i, 2] ** 2 + state[i, 3] ** 2, state[j, 1], state[j, 2] ** 2 + state[j, 3] ** 2, constants)
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
            hoop = 0.0
            if constants[AXISYMMETRIC] != 0.0:
                hoop = 0.5 * (state[i, 3] / centre[i, 1] + state[j, 3] / centre[j, 1])
            sx, sy = stress(ux, uy, vx, vy, hoop, mu, nx, ny)
            um, vm = 0.5 * (state[i, 2] + state[j, 2]), 0.5 * (state[i, 3] + state[j, 3])
            fx -= sx
            fy -= sy
            e -= um * sx + vm * sy + heat * (tx * nx + ty * ny)
        s = area[f]
        flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s


@njit(**fast)
def stress(ux, uy, vx, vy, hoop, mu, nx, ny):
    """Viscous traction on a face with the given normal; `hoop` is v / r, 0 in a plane."""
    spread = (ux + vy + hoop) * (2.0 / 3.0)
    return (mu * ((2.0 * ux - spread) * nx + (uy + vx) * ny), mu * ((uy + vx) * nx + (2.0 * vy - spread) * ny))


@njit(**fast)
def exact_flux(p, t, u, v, nx, ny, constants):
    """Flux of one state through a unit face: mass, energy, momentum x, y."""
    g = constants[GAMMA]
    m = g * (p + 1.0 / g) / t * (u * nx + v * ny)
    return m, m * (t / (g - 1.0) + 0.5 * (u * u + v * v)), m * u + p * nx, m * v + p * ny


@njit(**fast)
def blown_flux(p, t, ghost, nx, ny, constants):
    """Flux through a unit of a wall that blows (positive value) or sucks air, normal to itself."""
    g = constants[GAMMA]
    value = ghost[0]
    t_through = ghost[1] if value > 0.0 else t
    rho = g * (p + 1.0 / g) / t_through
    speed = value if ghost[2] != 0.0 else value / rho
    return exact_flux(p, t_through, -speed * nx, -speed * ny, nx, ny, constants)


@njit(**fast)
def flux_from_rest(total_p, total_t, speed, dx, dy, nx, ny, constants):
    """Flux of air that comes without loss from rest at a total state to `speed` along (dx, dy), no faster than sound."""
    g = constants[GAMMA]
    speed = min(speed, np.sqrt(2.0 * total_t / (g + 1.0)))
    t = total_t - 0.5 * (g - 1.0) * speed * speed
    p = (total_p + 1.0 / g) * (t / total_t) ** (g / (g - 1.0)) - 1.0 / g
    return exact_flux(p, t, speed * dx, speed * dy, nx, ny, constants)


@njit(**fast)
def speed_from_rest(total_p, total_t, p, c, un, leaving, inward, g):
    """Speed at which air from rest meets the wave that leaves the domain.

    Behind that wave the pressure is the one to which the air outside has fallen on its way in, and both move alike across
    the opening.  `total_p` and `p` absolute; `c`, `un` sound and outward speed inside, `leaving` the outward speed if the
    pressure were the total one, `inward` the inward part of the direction of what comes in.
    """
    q = 2.0 / (g - 1.0)
    most = np.sqrt(2.0 * total_t / (g + 1.0))
    speed = min(-leaving / inward, most)
    for _ in range(4):
        t = total_t - 0.5 * (g - 1.0) * speed * speed
        there = c * (total_p / p) ** (1.0 / (g * q)) * np.sqrt(t / total_t)
        gap = speed * inward + un + q * (c - there)
        speed = min(max(speed - gap / (inward + there * speed / t), 0.0), most)
    return speed


@njit(**fast)
def open_flux(kind, p, t, u, v, ghost, nx, ny, constants):
    """Flux through a unit of an opening, given the state just inside it: mass, energy, momentum x, y.

    What passes an opening that holds a pressure depends on the speed that the wave leaving the domain gives the air there,
    not on the speed of the cell: so the flux has no jump where the air turns back.

    References
    ----------
    Hirsch: Numerical computation of internal and external flows, vol. 2, 1990, chapter 19: boundary
    conditions by the Riemann invariant that leaves the domain.
    """
    g = constants[GAMMA]
    un = u * nx + v * ny
    if kind == INLET:
        return exact_flux(p, ghost[1], ghost[2], ghost[3], nx, ny, constants)
    if kind == MASS_OUTLET:
        own = g * (p + 1.0 / g) / t * un
        through = (ghost[0] - own) * t / (g * (p + 1.0 / g))
        return exact_flux(p, t, u + through * nx, v + through * ny, nx, ny, constants)
    dx, dy = -nx, -ny
    if kind != OUTLET and (ghost[2] != 0.0 or ghost[3] != 0.0):
        dx, dy = ghost[2], ghost[3]
    inward = -(dx * nx + dy * ny)
    if kind == MASS_INLET:
        # cp T + (m T / (g (p + 1/g)))^2 / 2 along the direction = cp T0
        pull = ghost[0] / (g * (p + 1.0 / g) * inward)
        cp = 1.0 / (g - 1.0)
        if pull * pull < 1e-14:
            tb = ghost[1]
        else:
            tb = (-cp + np.sqrt(cp * cp + 2.0 * pull * pull * cp * ghost[1])) / (pull * pull)
        speed = pull * tb
        return exact_flux(p, tb, speed * dx, speed * dy, nx, ny, constants)
    q, c = 2.0 / (g - 1.0), np.sqrt(t)
    if un > c:
        return exact_flux(p, t, u, v, nx, ny, constants)
    # The wave that leaves expands or compresses the air to the pressure outside, but no further than to the speed of sound.
    inside = max(p + 1.0 / g, 1e-12)
    sonic = max((un + q * c) / (1.0 + q), 1e-6)
    outside = max(ghost[0] + 1.0 / g, inside * (sonic / c) ** (g * q))
    there = c * (outside / inside) ** (1.0 / (g * q))
    gain = q * (c - there)
    leaving = un + gain
    if leaving >= 0.0:
        return exact_flux(outside - 1.0 / g, there * there, u + gain * nx, v + gain * ny, nx, ny, constants)
    speed = speed_from_rest(ghost[0] + 1.0 / g, ghost[1], inside, c, un, leaving, inward, g)
    return flux_from_rest(ghost[0], ghost[1], speed, dx, dy, nx, ny, constants)


@njit(parallel=True, **fast)
def add_ring_terms(state, grad, eddy, planar, centre, row_scale, constants, out):
    """Subtract from the radial momentum what pressure and hoop stress do on a wedge of the ring each cell makes.

    `planar` is the cells' area in the half plane; the other sizes of a mesh of revolution are per radian.
    """
    for i in prange(state.shape[0]):
        push = state[i, 0]
        if constants[VISCOUS] != 0.0:
            mu = viscosity(state[i, 1], constants) + eddy[i]
            hoop = state[i, 3] / centre[i, 1]
            push -= 2.0 * mu * (hoop - (grad[i, 2, 0] + grad[i, 3, 1] + hoop) / 3.0)
        out[i, 3] -= push * planar[i] * row_scale[3]


@njit(parallel=True, **fast)
def boundary_fluxes(state, grad, subset, cell, kind, ghost, shear, normal, area, reach, face_centre, centre, constants, flux,
                    wall_pressure):
    """Fluxes through the boundary faces of a subset; leaves each wall's gauge pressure in `wall_pressure`.

    `shear` multiplies the molecular viscosity at a no-slip wall: 1, or what a wall function makes of it.
    """
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
                                        ghost[f, 0], ghost[f, 1], ghost[f, 2], ghost[f, 3], 0.0, nx, ny, 0.0, 0.0, constants)
            wall_pressure[f] = 0.0
            flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s
            continue
        p, t, u, v = at_face(state, grad, i, reach[f, 0, 0], reach[f, 0, 1], first)
        if kind[f] >= OUTLET:
            m, e, fx, fy = open_flux(kind[f], p, t, u, v, ghost[f], nx, ny, constants)
            wall_pressure[f] = 0.0
            flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s
            continue
        fx = fy = m = e = 0.0
        if kind[f] == SLIP:
            c2 = t
            speed = np.sqrt(min(c2, max(u * u + v * v, constants[MACH] ** 2)))
            p += g * (p + 1.0 / g) / t * speed * (u * nx + v * ny)
        elif kind[f] == BLOWN:
            m, e, fx, fy = blown_flux(p, t, ghost[f], nx, ny, constants)
            fx -= p * nx
            fy -= p * ny
        else:
            distance = (x - centre[i, 0]) * nx + (y - centre[i, 1]) * ny
            mu = shear[f] * viscosity(state[i, 1], constants)
            du, dv = state[i, 2] - ghost[f, 2], state[i, 3] - ghost[f, 3]
            un = du * nx + dv * ny
            fx = mu / distance * (du - un * nx)
            fy = mu / distance * (dv - un * ny)
            e = ghost[f, 2] * fx + ghost[f, 3] * fy - ghost[f, 1]
            if ghost[f, 0] > 0.0:
                e += mu / ((g - 1.0) * constants[PRANDTL] * distance) * (state[i, 1] - ghost[f, 0])
        wall_pressure[f] = p
        flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, (p * nx + fx) * s, (p * ny + fy) * s


@njit(parallel=True, **fast)
def add_time_derivative(state, volume, rate, history, row_scale, total_enthalpy, gamma, out):
    """Add V (rate U + history) to the residual, U = [rho, rho E, rho u, rho v] of each cell."""
    for i in prange(state.shape[0]):
        rho, energy = density_and_energy(state, i, gamma)
        v = volume[i]
        m = v * (rate * rho + history[i, 0])
        e = v * (rate * energy + history[i, 1])
        out[i, 0] += m * row_scale[0]
        out[i, 1] += (e - total_enthalpy * m) * row_scale[1]
        out[i, 2] += v * (rate * rho * state[i, 2] + history[i, 2]) * row_scale[2]
        out[i, 3] += v * (rate * rho * state[i, 3] + history[i, 3]) * row_scale[3]


@njit(**fast)
def density_and_energy(state, i, gamma):
    """Density and total energy per volume of a cell (the pressure in it is gauge, as in the fluxes)."""
    p, t, u, v = state[i, 0], state[i, 1], state[i, 2], state[i, 3]
    rho = gamma * (p + 1.0 / gamma) / t
    return rho, rho * (t / (gamma - 1.0) + 0.5 * (u * u + v * v)) - p - 1.0 / gamma


@njit(parallel=True, **fast)
def conserved(state, gamma, out):
    """U = [rho, rho E, rho u, rho v] of each cell."""
    for i in prange(state.shape[0]):
        rho, energy = density_and_energy(state, i, gamma)
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = rho, energy, rho * state[i, 2], rho * state[i, 3]


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
