"""The k-omega shear-stress-transport closure of 2003, solved in k and the logarithm of omega.

Symbols: k turbulence energy (over a_inf^2), w = ln(omega L / a_inf), d the wall distance, S the
magnitude of the strain rate.  The logarithm keeps omega positive and of order one over the nine
decades that it covers; its diffusion is written through omega^(-1/2), which is linear in the
distance next to a wall, so that the wall's singularity costs no accuracy.

References
----------
Menter, Kuntz, Langtry: Ten years of industrial experience with the SST turbulence model,
Turbulence, Heat and Mass Transfer 4, 2003.
Menter: Two-equation eddy-viscosity turbulence models for engineering applications,
AIAA J. 32(8), 1994.
Georgiadis, Yoder: Recalibration of the shear stress transport model to improve calculation of shock separated flows,
AIAA 2013-0685 (its limit of the shear stress).
Wilcox: Dilatation-dissipation corrections for advanced turbulence models, AIAA J. 30(11), 1992; in the outer layer
only, as in Suzen, Hoffmann: Investigation of supersonic jet exhaust flow by one- and two-equation turbulence
models, AIAA 98-0322, 1998.
"""
import numpy as np
from numba import njit, prange

from .kernels import BLOWN, FAR_FIELD, NO_SLIP
from .scalar_factors import factorise_scalar, solve_scalar

SIGMA_K1, SIGMA_W1, BETA1 = 0.85, 0.5, 0.075
SIGMA_K2, SIGMA_W2, BETA2 = 1.0, 0.856, 0.0828
BETA_STAR, KAPPA = 0.09, 0.41
# Largest shear stress over turbulence energy: of 1994, and recalibrated for layers that a shock separates.
SHEAR_LIMIT, SHOCK_SHEAR_LIMIT = 0.31, 0.355
GAMMA1, GAMMA2 = 5.0 / 9.0, 0.44
PRODUCTION_LIMIT = 10.0
DILATATION, LEAST_TURBULENT_MACH2 = 1.5, 0.0625

fast = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn", "reassoc"})


@njit(**fast)
def dilatation(k, t, f1):
    """What fast turbulence loses to its own compression, over the ordinary destruction of k: nothing below a turbulent Mach number of 1/4, and nothing in the inner layer."""
    return DILATATION * (1.0 - f1) * max(2.0 * max(k, 0.0) / t - LEAST_TURBULENT_MACH2, 0.0)


@njit(**fast)
def strain_rate(grad, i, hoop):
    """sqrt(2 Sij Sij); `hoop` is v / r, 0 in a plane."""
    ux, uy, vx, vy = grad[i, 2, 0], grad[i, 2, 1], grad[i, 3, 0], grad[i, 3, 1]
    return np.sqrt(2.0 * (ux * ux + vy * vy + hoop * hoop) + (uy + vx) ** 2)


@njit(**fast)
def outer_blend(k, omega, nu, d):
    """F2."""
    a = max(2.0 * np.sqrt(k) / (BETA_STAR * omega * d), 500.0 * nu / (d * d * omega))
    return np.tanh(a * a)


@njit(**fast)
def inner_blend(k, omega, nu, d, cross):
    """F1; `cross` is grad k . grad omega / omega."""
    floor = max(2.0 * SIGMA_W2 * cross, 1e-16)
    a = max(np.sqrt(k) / (BETA_STAR * omega * d), 500.0 * nu / (d * d * omega))
    a = min(a, 4.0 * SIGMA_W2 * k / (floor * d * d))
    return np.tanh(min(a, 10.0) ** 4)


@njit(parallel=True, **fast)
def eddy_and_blend(state, molecular, grad, hoop, own_gradient, distance, gamma, shear_limit, eddy, blend):
    """Dynamic eddy viscosity and F1 of each cell."""
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        k, omega, nu = max(state[i, 4], 0.0), np.exp(state[i, 5]), molecular[i] / rho
        cross = own_gradient[i, 0, 0] * own_gradient[i, 1, 0] + own_gradient[i, 0, 1] * own_gradient[i, 1, 1]
        blend[i] = inner_blend(k, omega, nu, distance[i], cross)
        eddy[i] = rho * shear_limit * k / max(shear_limit * omega, strain_rate(grad, i, hoop[i]) * outer_blend(k, omega, nu, distance[i]))


@njit(parallel=True, **fast)
def closure_gradients(state, start, neighbour, weight, out):
    """Gradients of k and w, shape (n_cells, 2, 2)."""
    for i in prange(state.shape[0]):
        kx = ky = wx = wy = 0.0
        for m in range(start[i], start[i + 1]):
            j = neighbour[m]
            dk, dw = state[j, 4] - state[i, 4], state[j, 5] - state[i, 5]
            kx += weight[m, 0] * dk
            ky += weight[m, 1] * dk
            wx += weight[m, 0] * dw
            wy += weight[m, 1] * dw
        out[i, 0, 0], out[i, 0, 1], out[i, 1, 0], out[i, 1, 1] = kx, ky, wx, wy


@njit(**fast)
def omega_slope(dw):
    """(omega_j - omega_i) / omega_i through omega^(-1/2), and its derivative by w_j; dw = w_j - w_i."""
    r = np.exp(-0.5 * min(max(dw, -40.0), 40.0))
    if r > 1.8:
        # Beyond this the fraction turns back; go on along its tangent in dw.
        edge = -2.0 * np.log(1.8)
        slope = 8.0 * 1.8 * 0.4 / 2.8**4
        return -16.0 * 0.8 / 2.8**3 + slope * (dw - edge), slope
    below = 1.0 + r
    return -16.0 * (r - 1.0) / below**3, 8.0 * r * (4.0 - 2.0 * r) / below**4


@njit(parallel=True, **fast)
def closure_residual(state, molecular, eddy, blend, grad, hoop, own_gradient, distance, volume, centre, face_centre, normal, area, left, right, kind,
                     mass_flux, face_start, faces, sign, n_interior, gamma, far_k, far_w, laminar_until, at_wall, pin, shear_velocity, time_rate,
                     history, weight, scale, out, diagonal):
    """Residuals of k and w in columns 4 and 5 of `out`, and safe diagonals.

    `weight` scales the rows of w down where omega makes them stiff, so that they do not drown the rest.
    """
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        k, w = state[i, 4], state[i, 5]
        omega, nu, d, f1 = np.exp(w), molecular[i] / rho, distance[i], blend[i]
        sigma_k, sigma_w = f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2, f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2
        total_k, total_w, diag_k, diag_w = 0.0, 0.0, 0.0, 0.0
        for q in range(face_start[i], face_start[i + 1]):
            f = faces[q]
            inflow = min(sign[q] * mass_flux[f, 0], 0.0)
            diag_k -= inflow
            diag_w -= inflow
            if f < n_interior:
                j = right[f] if sign[q] > 0 else left[f]
                gap = abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1])
                share = area[f] / gap
                molecular_f, eddy_f = 0.5 * (molecular[i] + molecular[j]), 0.5 * (eddy[i] + eddy[j])
                c = (molecular_f + sigma_k * eddy_f) * share
                total_k += (inflow - c) * (state[j, 4] - k)
                diag_k += c
                c = (molecular_f + sigma_w * eddy_f) * share
                change, slope = omega_slope(state[j, 5] - w)
                total_w += inflow * (state[j, 5] - w) - c * change
                diag_w += c * slope
            elif kind[f - n_interior] == FAR_FIELD or kind[f - n_interior] >= BLOWN:
                total_k += inflow * (far_k - k)
                total_w += inflow * (far_w - w)
            elif kind[f - n_interior] == NO_SLIP:
                gap = abs((face_centre[f, 0] - centre[i, 0]) * normal[f, 0] + (face_centre[f, 1] - centre[i, 1]) * normal[f, 1])
                c = molecular[i] * area[f] / gap
                total_k += c * k
                diag_k += c
        S2 = strain_rate(grad, i, hoop[i]) ** 2
        destruction = BETA_STAR * rho * omega
        production = min(eddy[i] * S2, PRODUCTION_LIMIT * destruction * max(k, 0.0))
        squeezed = dilatation(k, state[i, 1], f1)
        destruction *= 1.0 + squeezed
        if centre[i, 0] < laminar_until and d < 0.2:
            production = 0.0
        beta, gain = max(f1 * BETA1 + (1.0 - f1) * BETA2 - BETA_STAR * squeezed, 0.25 * BETA1), f1 * GAMMA1 + (1.0 - f1) * GAMMA2
        cross = own_gradient[i, 0, 0] * own_gradient[i, 1, 0] + own_gradient[i, 0, 1] * own_gradient[i, 1, 1]
        made_w = gain * rho * production / max(eddy[i], 1e-30) / omega if eddy[i] > 1e-14 * molecular[i] else gain * rho * S2 / omega
        v = volume[i]
        total_k -= v * (production - destruction * k)
        total_w -= v * (made_w - beta * rho * omega + 2.0 * (1.0 - f1) * rho * SIGMA_W2 * cross / omega)
        diag_k += v * destruction
        diag_w += v * (beta * rho * omega + made_w)
        if time_rate > 0.0:
            total_k += v * rho * (time_rate * k + history[i, 4])
            total_w += v * rho * (time_rate * w + history[i, 5])
            diag_k += v * rho * time_rate
            diag_w += v * rho * time_rate
        if at_wall[i]:
            # The first cell knows omega: 6 nu / (beta d^2) in the sublayer, u_tau / (kappa d sqrt(beta*)) in the log layer.
            viscous, log_layer = 6.0 * nu / (BETA1 * d * d), pin[i] * shear_velocity[i] / (KAPPA * d * np.sqrt(BETA_STAR))
            total_w = diag_w * (w - 0.5 * np.log(viscous * viscous + log_layer * log_layer))
            if pin[i] > 0.0:
                total_k = (1.0 - pin[i]) * total_k + pin[i] * diag_k * (k - shear_velocity[i] ** 2 / np.sqrt(BETA_STAR))
        out[i, 4], out[i, 5] = total_k * scale[0], total_w * weight[i] * scale[1]
        diagonal[i, 0], diagonal[i, 1] = diag_k, diag_w * weight[i]


@njit(parallel=True, **fast)
def closure_off_diagonals(state, molecular, eddy, blend, at_wall, centre, normal, area, left, right, mass_flux, n_interior, out):
    """Dependence of each cell's equations on its neighbour, shape (n_interior, 2 sides, 2 equations)."""
    for f in prange(n_interior):
        i, j = left[f], right[f]
        gap = abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1])
        share = area[f] / gap
        molecular_f, eddy_f = 0.5 * (molecular[i] + molecular[j]), 0.5 * (eddy[i] + eddy[j])
        for side in range(2):
            own = i if side == 0 else j
            f1 = blend[own]
            m = mass_flux[f, 0] if side == 0 else -mass_flux[f, 0]
            inflow = min(m, 0.0)
            out[f, side, 0] = inflow - (molecular_f + (f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2) * eddy_f) * share
            _, slope = omega_slope(state[j, 5] - state[i, 5] if side == 0 else state[i, 5] - state[j, 5])
            out[f, side, 1] = inflow - (molecular_f + (f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2) * eddy_f) * share * slope
            if at_wall[own]:
                out[f, side, 1] = 0.0


class ShearStressTransport:
    """The closure on one mesh; the contract is that of `SpalartAllmaras`."""

    name = "k-omega SST"
    columns = 2

    def __init__(self, flow, laminar_until=None, shear_limit=SHEAR_LIMIT):
        self.flow, self.shear_limit = flow, shear_limit
        self.laminar_until = -1e30 if laminar_until is None else float(laminar_until)
        stream = flow.stream
        nu = stream.mach / stream.reynolds
        self.far_k = 1.5 * (stream.turbulence_intensity * stream.mach) ** 2
        self.far_w = float(np.log(self.far_k / (stream.viscosity_ratio * nu)))
        self.nu = nu
        self.column_scale = np.array([0.01 * stream.mach**2, 1.0])
        self.row_scale = 1.0 / (self.column_scale * stream.mach)
        n = flow.n_cells
        self.eddy, self.blend, self.diagonal = np.zeros(n), np.zeros(n), np.zeros((n, 2))
        self.own_gradient, self.hoop = np.zeros((n, 2, 2)), np.zeros(n)
        self.at_wall = np.zeros(n, dtype=bool)
        self.at_wall[flow.left[flow.n_interior + np.nonzero(flow.kind == NO_SLIP)[0]]] = True
        size = np.sqrt(flow.mesh.cell_area)
        self.weight = 1.0 / (1.0 + size * (6 * nu / flow.distance**2 / stream.mach + 0.03 / flow.distance))
        self._faces = np.empty((flow.n_interior, 2, 2))
        self._values = np.zeros(len(flow.columns))
        self._factors = np.zeros((2, len(flow.fill_columns)))

    def start(self, distance):
        """The stream's values, with omega raised towards the wall, shape (n_cells, 2)."""
        near = np.exp(-distance / 0.02)
        k = self.far_k + 0.005 * self.flow.stream.mach**2 * near * (1 - np.exp(-distance * self.flow.stream.reynolds / 2e3))
        omega = np.exp(self.far_w) + near * self.flow.stream.mach * 0.3 / np.maximum(distance, 1e-3) + 6 * self.nu / (BETA1 * distance**2)
        return np.column_stack([k, np.log(omega)])

    def clip(self, state, change):
        """k keeps a tenth of itself in a step, omega stays within a factor e."""
        floor = np.maximum(state[:, 4], 0.0)
        change[:, 4] = np.maximum(change[:, 4], -0.9 * floor - 1e-12)
        change[:, 5] = np.clip(change[:, 5], -1.0, 1.0)

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity and the blending of a state."""
        f = self.flow
        closure_gradients(state, *f.scalar, self.own_gradient)
        if f.mesh.is_revolved:
            np.divide(state[:, 3], f.mesh.centre[:, 1], out=self.hoop)
        eddy_and_blend(state, molecular, velocity_gradient, self.hoop, self.own_gradient, f.distance, f.stream.gamma, self.shear_limit, self.eddy, self.blend)

    def residual(self, state, molecular, velocity_gradient, out):
        """Fill columns 4 and 5 of the residual."""
        f, m, wall = self.flow, self.flow.mesh, self.flow.wall_treatment
        closure_residual(state, molecular, self.eddy, self.blend, velocity_gradient, self.hoop, self.own_gradient, f.distance, m.volume, m.centre, m.face_centre,
                         m.normal, m.area, f.left, f.right, f.kind, f.flux, f.cell_face_start, f.cell_faces, f.cell_face_sign, f.n_interior,
                         f.stream.gamma, self.far_k, self.far_w, self.laminar_until, self.at_wall, wall.pin, wall.shear_velocity, f.time_rate,
                         f.history, self.weight, self.row_scale, out, self.diagonal)

    def prepare(self, state, molecular, time_factor):
        """Assemble and factorise the two scalar matrices."""
        f, m = self.flow, self.flow.mesh
        closure_off_diagonals(state, molecular, self.eddy, self.blend, self.at_wall, m.centre, m.normal, m.area, f.left, f.right, f.flux,
                              f.n_interior, self._faces)
        rho = f.stream.gamma * (state[:, 0] + 1 / f.stream.gamma) / state[:, 1]
        scale = self.row_scale * self.column_scale
        self.pseudo_time = scale * (rho * time_factor)[:, None]
        self.pseudo_time[:, 1] *= self.weight
        self._faces[:, 0, 1] *= self.weight[f.left[:f.n_interior]]
        self._faces[:, 1, 1] *= self.weight[f.right[:f.n_interior]]
        for n in range(2):
            self._values[f.row_start[:-1]] = scale[n] * self.diagonal[:, n] + self.pseudo_time[:, n]
            f.fill_off_diagonals(self._faces[:, :, n], scale[n], self._values)
            factorise_scalar(f.row_start, f.columns, self._values, f.fill_start, f.fill_columns, f.diagonal, self._factors[n])

    def apply_factors(self, vector, out):
        """Fill columns 4 and 5 of the preconditioned vector."""
        f = self.flow
        for n in range(2):
            solve_scalar(f.fill_start, f.fill_columns, f.diagonal, self._factors[n], vector, out, 4 + n)
