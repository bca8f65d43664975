"""Relations of the gas and the flux between two states; symbols as in the package's own description."""
import numpy as np
from numba import njit, prange

from ..positions import GAMMA, MACH, PRECONDITION, SUTHERLAND, VISCOSITY, fast

# Cosine between face and way below which two cells count as no nearer along the normal.
ASKEW = 0.2


@njit(**fast)
def vector(array, i, dim):
    """Components of row i of an array of vectors."""
    return array[i, 0], array[i, 1], array[i, 2] if dim == 3 else 0.0


@njit(**fast)
def velocity(state, i, dim):
    """Velocity of cell i."""
    return state[i, 2], state[i, 3], state[i, 4] if dim == 3 else 0.0


@njit(**fast)
def moving(drift, i, dim):
    """Velocity at which face or cell i moves; nothing where none is stored."""
    if len(drift) == 0:
        return 0.0, 0.0, 0.0
    return vector(drift, i, dim)


@njit(**fast)
def seen_at_rest(m, e, fx, fy, fz, gx, gy, gz):
    """Flux of mass, energy and momentum that was taken in axes moving with (gx, gy, gz), in those at rest."""
    return (m, e + gx * fx + gy * fy + gz * fz + 0.5 * m * (gx * gx + gy * gy + gz * gz), fx + m * gx,
            fy + m * gy, fz + m * gz)


@njit(**fast)
def along_normal(dx, dy, dz, nx, ny, nz, dim):
    """The way from one cell to the next along their face's normal; in space, where a flat cell of a layer may
    stand askew to a cube, at least a share of the whole way."""
    gap = dx * nx + dy * ny + dz * nz
    return max(gap, ASKEW * np.sqrt(dx * dx + dy * dy + dz * dz)) if dim == 3 else gap


@njit(**fast)
def density(p, t, g):
    return g * (p + 1.0 / g) / t


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
    d0, d1, d2, d3, d4 = dissipation(drho, dp, du, dv, dw, energy, rho, u, v, w, H, un, nx, ny, nz, ur2,
                                     cstar, mstar, alpha)
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
    return (0.5 * (ml + mr - d0), 0.5 * (ml * ul + mr * ur - d1) + pm * nx,
            0.5 * (ml * vl + mr * vr - d2) + pm * ny, 0.5 * (ml * wl + mr * wr - d3) + pm * nz,
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


@njit(**fast)
def exact_flux(p, t, u, v, w, nx, ny, nz, constants):
    """Flux of one state through a unit face: mass, energy, momentum x, y, z."""
    g = constants[GAMMA]
    m = g * (p + 1.0 / g) / t * (u * nx + v * ny + w * nz)
    return m, m * (t / (g - 1.0) + 0.5 *
                   (u * u + v * v + w * w)), m * u + p * nx, m * v + p * ny, m * w + p * nz
