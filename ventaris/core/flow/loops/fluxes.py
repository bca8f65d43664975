"""Fluxes through the faces, their sum over each cell, and what a cell holds."""
from numba import njit, prange

from . import of_dimension
from ..boundaries.blown import blown_flux
from ..boundaries.no_slip import friction_flux
from ..boundaries.registry import BLOWN, FAR_FIELD, NO_SLIP, OUTLET, SLIP, open_flux
from ..boundaries.slip import push
from ..positions import (AXISYMMETRIC, CENTRED, FIRST_ORDER, GAMMA, LIMIT, PRANDTL, PUSH, TURBULENT_PRANDTL,
                         VISCOUS, fast, in_order)
from ..shocks import energy_at_shock
from .reconstruction import at_face, to_face
from .relations import along_normal, moving, roe_flux, seen_at_rest, vector, velocity, viscosity


@njit(**fast)
def face_gradient(raw, state, k, i, j, dx, dy, dz, nx, ny, nz, inverse, dim):
    """Mean gradient of two cells, corrected along the normal to match their values."""
    gx, gy = 0.5 * (raw[i, k, 0] + raw[j, k, 0]), 0.5 * (raw[i, k, 1] + raw[j, k, 1])
    gz = 0.5 * (raw[i, k, 2] + raw[j, k, 2]) if dim == 3 else 0.0
    c = (state[j, k] - state[i, k] - gx * dx - gy * dy - gz * dz) * inverse
    return gx + c * nx, gy + c * ny, gz + c * nz


@njit(**fast)
def density_and_energy(state, i, gamma, dim):
    """Density and total energy per volume of a cell (the pressure in it is gauge, as in the fluxes)."""
    u, v, w = velocity(state, i, dim)
    rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
    return rho, (rho * (state[i, 1] / (gamma - 1.0) + 0.5 * (u * u + v * v + w * w)) - state[i, 0] -
                 1.0 / gamma)


@njit(**fast)
def mean_towards(a, b, share, centred, value):
    """A carried value drawn towards the one interpolated between two cells."""
    return value + centred * (a + share * (b - a) - value)


@njit(**fast)
def row_of(ghost, f, dim):
    """Row of a boundary face as five numbers."""
    return ghost[f, 0], ghost[f, 1], ghost[f, 2], ghost[f, 3], ghost[f, 4] if dim == 3 else 0.0


@njit(**fast)
def drift_of_border(faces, f, kind, nx, ny, nz, dim):
    """How a boundary face moves; of an opening, whose conditions are those of axes at rest, the part along
    its normal."""
    qx, qy, qz = moving(faces.drift, f, dim)
    if kind >= OUTLET and len(faces.drift) > 0:
        along = qx * nx + qy * ny + qz * nz
        return along * nx, along * ny, along * nz
    return qx, qy, qz


def flux_loops(dim):
    """The loops for one dimension."""
    nv = dim + 2

    @njit(parallel=True, **fast)
    def interior_fluxes(state, grad, raw, eddy, shock, faces, cells, n_interior, constants, flux):
        """Fluxes through the faces between cells, shape (n_faces, nv).

        Without the limiter the reconstruction blends the cell gradient with the difference of the two cells
        (Burg: Higher order variable extrapolation for unstructured finite volume RANS flow solvers, AIAA
        2005-4999).
        """
        first = constants[FIRST_ORDER] != 0.0
        g = constants[GAMMA]
        cp = 1.0 / (g - 1.0)
        moves, blends = len(faces.drift) > 0, len(faces.blend) > 0
        centred = 0.0 if first or constants[LIMIT] != 0.0 else constants[CENTRED]
        centre = cells.centre
        for f in prange(n_interior):
            i, j = faces.left[f], faces.right[f]
            nx, ny, nz = vector(faces.normal, f, dim)
            ax, ay, az = to_face(faces, centre, f, 0, i, dim)
            bx, by, bz = to_face(faces, centre, f, 1, j, dim)
            pl, tl, ul, vl, wl = at_face(state, grad, i, ax, ay, az, first, g, dim)
            pr, tr, ur, vr, wr = at_face(state, grad, j, bx, by, bz, first, g, dim)
            ui, vi, wi = velocity(state, i, dim)
            uj, vj, wj = velocity(state, j, dim)
            if centred > 0.0:
                part = faces.blend[f] if blends else centred
                near, far = abs(ax * nx + ay * ny + az * nz), abs(bx * nx + by * ny + bz * nz)
                share = near / (near + far)
                pl = mean_towards(state[i, 0], state[j, 0], share, part, pl)
                tl = mean_towards(state[i, 1], state[j, 1], share, part, tl)
                ul, vl = mean_towards(ui, uj, share, part, ul), mean_towards(vi, vj, share, part, vl)
                wl = mean_towards(wi, wj, share, part, wl)
                pr = mean_towards(state[i, 0], state[j, 0], share, part, pr)
                tr = mean_towards(state[i, 1], state[j, 1], share, part, tr)
                ur, vr = mean_towards(ui, uj, share, part, ur), mean_towards(vi, vj, share, part, vr)
                wr = mean_towards(wi, wj, share, part, wr)
            # The flux is taken in axes that move with the face.
            qx, qy, qz = moving(faces.drift, f, dim)
            if moves:
                ul, vl, wl, ur, vr, wr = ul - qx, vl - qy, wl - qz, ur - qx, vr - qy, wr - qz
                ui, vi, wi, uj, vj, wj = ui - qx, vi - qy, wi - qz, uj - qx, vj - qy, wj - qz
            strong = max(shock[i], shock[j])
            m, fx, fy, fz, e = roe_flux(pl, tl, ul, vl, wl, pr, tr, ur, vr, wr, nx, ny, nz, strong, constants)
            if strong > 0.0:
                e = energy_at_shock(m, e, strong, state[i, 1], ui * ui + vi * vi + wi * wi, state[j, 1],
                                    uj * uj + vj * vj + wj * wj, constants)
            if constants[VISCOUS] != 0.0:
                cx, cy, cz = vector(centre, i, dim)
                dx, dy, dz = vector(centre, j, dim)
                dx, dy, dz = dx - cx, dy - cy, dz - cz
                inverse = 1.0 / along_normal(dx, dy, dz, nx, ny, nz, dim)
                tx, ty, tz = face_gradient(raw, state, 1, i, j, dx, dy, dz, nx, ny, nz, inverse, dim)
                ux, uy, uz = face_gradient(raw, state, 2, i, j, dx, dy, dz, nx, ny, nz, inverse, dim)
                vx, vy, vz = face_gradient(raw, state, 3, i, j, dx, dy, dz, nx, ny, nz, inverse, dim)
                wx = wy = wz = 0.0
                if dim == 3:
                    wx, wy, wz = face_gradient(raw, state, 4, i, j, dx, dy, dz, nx, ny, nz, inverse, dim)
                molecular = viscosity(0.5 * (state[i, 1] + state[j, 1]), constants)
                turbulent = 0.5 * (eddy[i] + eddy[j])
                mu = molecular + turbulent
                heat = cp * (molecular / constants[PRANDTL] + turbulent / constants[TURBULENT_PRANDTL])
                # The third principal stretching is that of rings round an axis in a plane that is turned.
                hoop = wz
                if dim == 2 and constants[AXISYMMETRIC] != 0.0:
                    hoop = 0.5 * (vi / cy + vj / (cy + dy))
                spread = (ux + vy + hoop) * (2.0 / 3.0)
                sx = mu * ((2.0 * ux - spread) * nx + (uy + vx) * ny + (uz + wx) * nz)
                sy = mu * ((uy + vx) * nx + (2.0 * vy - spread) * ny + (vz + wy) * nz)
                sz = mu * ((uz + wx) * nx + (vz + wy) * ny + (2.0 * wz - spread) * nz)
                fx -= sx
                fy -= sy
                fz -= sz
                e -= (0.5 * (ui + uj) * sx + 0.5 * (vi + vj) * sy + 0.5 * (wi + wj) * sz + heat *
                      (tx * nx + ty * ny + tz * nz))
            if moves:
                m, e, fx, fy, fz = seen_at_rest(m, e, fx, fy, fz, qx, qy, qz)
            s = faces.area[f]
            flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s
            if dim == 3:
                flux[f, 4] = fz * s

    @njit(parallel=True, **fast)
    def boundary_fluxes(state, grad, subset, border, faces, cells, n_interior, constants, flux,
                        wall_pressure):
        """Fluxes through a subset of the boundary faces; leaves each wall's gauge pressure in
        `wall_pressure`."""
        first = constants[FIRST_ORDER] != 0.0
        g = constants[GAMMA]
        moves = len(faces.drift) > 0
        for n in prange(len(subset)):
            b = subset[n]
            f = n_interior + b
            i, kind = border.cell[b], border.kind[b]
            nx, ny, nz = vector(faces.normal, f, dim)
            ghost = row_of(border.ghost, b, dim)
            s = faces.area[f]
            wall_pressure[b] = 0.0
            qx, qy, qz = drift_of_border(faces, f, kind, nx, ny, nz, dim)
            if moves and kind < BLOWN:
                ghost = ghost[0], ghost[1], ghost[2] - qx, ghost[3] - qy, ghost[4] - qz
            if kind == FAR_FIELD:
                u, v, w = velocity(state, i, dim)
                u, v, w = u - qx, v - qy, w - qz
                m, fx, fy, fz, e = roe_flux(state[i, 0], state[i, 1], u, v, w, ghost[0], ghost[1], ghost[2],
                                            ghost[3], ghost[4], nx, ny, nz, 0.0, constants)
            else:
                dx, dy, dz = to_face(faces, cells.centre, f, 0, i, dim)
                p, t, u, v, w = at_face(state, grad, i, dx, dy, dz, first, g, dim)
                u, v, w = u - qx, v - qy, w - qz
                if kind >= OUTLET:
                    m, e, fx, fy, fz = open_flux(kind, p, t, u, v, w, ghost, nx, ny, nz, constants)
                else:
                    m = e = fx = fy = fz = 0.0
                    if kind == SLIP:
                        p += push(p, t, u, v, w, nx, ny, nz, constants)
                    elif kind == BLOWN:
                        m, e, fx, fy, fz = blown_flux(p, t, ghost, nx, ny, nz, constants)
                        fx, fy, fz = fx - p * nx, fy - p * ny, fz - p * nz
                    elif kind == NO_SLIP:
                        if constants[PUSH] != 0.0:
                            # Without it a cell between two walls has nothing that holds it.
                            p += push(p, t, u - ghost[2], v - ghost[3], w - ghost[4], nx, ny, nz, constants)
                        u, v, w = velocity(state, i, dim)
                        u, v, w = u - qx, v - qy, w - qz
                        e, fx, fy, fz = friction_flux(state[i, 1], u, v, w, ghost, nx, ny, nz, border.gap[b],
                                                      border.shear[b], constants)
                    wall_pressure[b] = p
                    fx, fy, fz = fx + p * nx, fy + p * ny, fz + p * nz
            if moves:
                m, e, fx, fy, fz = seen_at_rest(m, e, fx, fy, fz, qx, qy, qz)
            flux[f, 0], flux[f, 1], flux[f, 2], flux[f, 3] = m * s, e * s, fx * s, fy * s
            if dim == 3:
                flux[f, 4] = fz * s

    @njit(parallel=True, **in_order)
    def gather(flux, cells, row_scale, total_enthalpy, out):
        """Sum fluxes out of each cell and scale the rows; the energy row loses its free-stream enthalpy."""
        for i in prange(len(cells.first) - 1):
            m = e = x = y = z = 0.0
            for k in range(cells.first[i], cells.first[i + 1]):
                f, s = cells.faces[k], cells.sign[k]
                m += s * flux[f, 0]
                e += s * flux[f, 1]
                x += s * flux[f, 2]
                y += s * flux[f, 3]
                if dim == 3:
                    z += s * flux[f, 4]
            out[i, 0] = m * row_scale[0]
            out[i, 1] = (e - total_enthalpy * m) * row_scale[1]
            out[i, 2] = x * row_scale[2]
            out[i, 3] = y * row_scale[3]
            if dim == 3:
                out[i, 4] = z * row_scale[4]

    @njit(parallel=True, **fast)
    def add_time_derivative(state, volume, rate, history, row_scale, total_enthalpy, gamma, out):
        """Add V (rate U + history) to the residual, U = [rho, rho E, rho u, rho v (, rho w)] of each cell."""
        for i in prange(state.shape[0]):
            rho, energy = density_and_energy(state, i, gamma, dim)
            v = volume[i]
            m = v * (rate * rho + history[i, 0])
            out[i, 0] += m * row_scale[0]
            out[i, 1] += (v * (rate * energy + history[i, 1]) - total_enthalpy * m) * row_scale[1]
            for a in range(2, nv):
                out[i, a] += v * (rate * rho * state[i, a] + history[i, a]) * row_scale[a]

    @njit(parallel=True, **fast)
    def conserved(state, gamma, out):
        """U = [rho, rho E, rho u, rho v (, rho w)] of each cell."""
        for i in prange(state.shape[0]):
            rho, energy = density_and_energy(state, i, gamma, dim)
            out[i, 0], out[i, 1] = rho, energy
            for a in range(2, nv):
                out[i, a] = rho * state[i, a]

    return of_dimension(dim, (interior_fluxes, boundary_fluxes, gather, add_time_derivative, conserved))


@njit(parallel=True, **fast)
def add_ring_terms(state, grad, eddy, planar, centre, row_scale, constants, out):
    """Subtract from the radial momentum what pressure and hoop stress do on a wedge of the ring each cell
    makes.

    `planar` is the cells' area in the half plane; the other sizes of a mesh of revolution are per radian.
    """
    for i in prange(state.shape[0]):
        load = state[i, 0]
        if constants[VISCOUS] != 0.0:
            mu = viscosity(state[i, 1], constants) + eddy[i]
            hoop = state[i, 3] / centre[i, 1]
            load -= 2.0 * mu * (hoop - (grad[i, 2, 0] + grad[i, 3, 1] + hoop) / 3.0)
        out[i, 3] -= load * planar[i] * row_scale[3]


PLANE, SPACE = flux_loops(2), flux_loops(3)
