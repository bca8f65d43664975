"""The k-omega shear-stress-transport closure of 2003, solved in k and the logarithm of omega.

Symbols: k turbulence energy (over a_inf^2), w = ln(omega L / a_inf), d the wall distance, S the
magnitude of the strain rate.  The logarithm keeps omega positive and of order one over the nine
decades that it covers; its diffusion is written through omega^(-1/2), which is linear in the
distance next to a wall, so that the wall's singularity costs no accuracy.

References
----------
Menter, Kuntz, Langtry: Ten years of industrial experience with the SST turbulence model,
Turbulence, Heat and Mass Transfer 4, 2003 (also its detached-eddy form, shielded by F2).
Menter: Two-equation eddy-viscosity turbulence models for engineering applications,
AIAA J. 32(8), 1994.
Georgiadis, Yoder: Recalibration of the shear stress transport model to improve calculation of shock separated
flows, AIAA 2013-0685 (its limit of the shear stress).
Wilcox: Dilatation-dissipation corrections for advanced turbulence models, AIAA J. 30(11), 1992; in the outer
layer only, as in Suzen, Hoffmann: Investigation of supersonic jet exhaust flow by one- and two-equation
turbulence models, AIAA 98-0322, 1998.
"""
import numpy as np
from numba import njit, prange

from ..boundaries.registry import NO_SLIP, is_solid
from ..loops import of_dimension
from ..positions import fast, in_order
from .contract import Closure, ClosureOptions
from .velocity_gradient import gradient_product, normal_gap, strain_rate

SIGMA_K1, SIGMA_W1, BETA1 = 0.85, 0.5, 0.075
SIGMA_K2, SIGMA_W2, BETA2 = 1.0, 0.856, 0.0828
BETA_STAR, KAPPA = 0.09, 0.41
# Largest shear stress over turbulence energy: of 1994, and recalibrated for layers that a shock separates.
SHEAR_LIMIT, SHOCK_SHEAR_LIMIT = 0.31, 0.355
GAMMA1, GAMMA2 = 5.0 / 9.0, 0.44
PRODUCTION_LIMIT = 10.0
DILATATION, LEAST_TURBULENT_MACH2 = 1.5, 0.0625
# Away from walls detached eddies are as long as this share of a cell at most.
DETACHED_INNER, DETACHED_OUTER = 0.78, 0.61


@njit(**fast)
def dilatation(k, t, f1):
    """What fast turbulence loses to its own compression, over the ordinary destruction of k: nothing below a
    turbulent Mach number of 1/4, and nothing in the inner layer."""
    return DILATATION * (1.0 - f1) * max(2.0 * max(k, 0.0) / t - LEAST_TURBULENT_MACH2, 0.0)


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
    return np.tanh(min(a, 10.0)**4)


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


def closure_loops(dim):
    """The loops for one dimension."""
    K, W = dim + 2, dim + 3

    @njit(parallel=True, **in_order)
    def eddy_and_blend(state, molecular, grad, hoop, start, neighbour, weight, distance, gamma, shear_limit,
                       eddy, blend, cross):
        """Dynamic eddy viscosity, F1 and grad k . grad ln(omega) of each cell."""
        for i in prange(state.shape[0]):
            rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
            k, omega, nu, d = max(state[i, K], 0.0), np.exp(state[i, W]), molecular[i] / rho, distance[i]
            cross[i] = gradient_product(state, i, K, W, start, neighbour, weight, dim)
            blend[i] = inner_blend(k, omega, nu, d, cross[i])
            strained = strain_rate(grad, i, hoop[i] if dim == 2 else 0.0, dim) * outer_blend(k, omega, nu, d)
            eddy[i] = rho * shear_limit * k / max(shear_limit * omega, strained)

    @njit(parallel=True, **in_order)
    def closure_residual(state, molecular, eddy, blend, cross, grad, hoop, distance, size, detached, trip,
                         faces, cells, border, n_interior, mass_flux, gamma, far_k, far_w, at_wall, pin,
                         shear_velocity, time_rate, history, scale, out, diagonal):
        """Residuals of k and ln(omega) in their columns of `out`, and safe diagonals, shape (2, n_cells)."""
        left, right, centre = faces.left, faces.right, cells.centre
        for i in prange(state.shape[0]):
            rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
            k, w = state[i, K], state[i, W]
            omega, nu, d, f1 = np.exp(w), molecular[i] / rho, distance[i], blend[i]
            sigma_k, sigma_w = f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2, f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2
            total_k, total_w, diag_k, diag_w = 0.0, 0.0, 0.0, 0.0
            for q in range(cells.first[i], cells.first[i + 1]):
                f = cells.faces[q]
                inflow = min(cells.sign[q] * mass_flux[f, 0], 0.0)
                diag_k -= inflow
                diag_w -= inflow
                if f < n_interior:
                    j = right[f] if cells.sign[q] > 0 else left[f]
                    share = faces.area[f] / normal_gap(centre, faces.normal, f, i, j, dim)
                    molecular_f, eddy_f = 0.5 * (molecular[i] + molecular[j]), 0.5 * (eddy[i] + eddy[j])
                    c = (molecular_f + sigma_k * eddy_f) * share
                    total_k += (inflow - c) * (state[j, K] - k)
                    diag_k += c
                    c = (molecular_f + sigma_w * eddy_f) * share
                    change, slope = omega_slope(state[j, W] - w)
                    total_w += inflow * (state[j, W] - w) - c * change
                    diag_w += c * slope
                elif not is_solid(border.kind[f - n_interior]):
                    total_k += inflow * (far_k - k)
                    total_w += inflow * (far_w - w)
                elif border.kind[f - n_interior] == NO_SLIP and pin[i] < 1.0:
                    c = molecular[i] * faces.area[f] / border.gap[f - n_interior]
                    total_k += c * k
                    diag_k += c
            S2 = strain_rate(grad, i, hoop[i] if dim == 2 else 0.0, dim)**2
            destruction = BETA_STAR * rho * omega
            lost = destruction
            if detached:
                length = np.sqrt(max(k, 0.0)) / (BETA_STAR * omega)
                most = (f1 * DETACHED_INNER + (1.0 - f1) * DETACHED_OUTER) * size[i]
                lost *= max(length / most * (1.0 - outer_blend(max(k, 0.0), omega, nu, d)), 1.0)
            production = min(eddy[i] * S2, PRODUCTION_LIMIT * destruction * max(k, 0.0))
            squeezed = dilatation(k, state[i, 1], f1)
            lost *= 1.0 + squeezed
            if centre[i, 0] < trip and d < 0.2:
                production = 0.0
            beta = max(f1 * BETA1 + (1.0 - f1) * BETA2 - BETA_STAR * squeezed, 0.25 * BETA1)
            gain = f1 * GAMMA1 + (1.0 - f1) * GAMMA2
            made_w = gain * rho * S2 / omega
            if eddy[i] > 1e-14 * molecular[i]:
                made_w = gain * rho * production / max(eddy[i], 1e-30) / omega
            v = cells.volume[i]
            total_k -= v * (production - lost * k)
            total_w -= v * (made_w - beta * rho * omega + 2.0 *
                            (1.0 - f1) * rho * SIGMA_W2 * cross[i] / omega)
            diag_k += v * lost
            diag_w += v * (beta * rho * omega + made_w)
            if time_rate > 0.0:
                total_k += v * rho * (time_rate * k + history[i, K])
                total_w += v * rho * (time_rate * w + history[i, W])
                diag_k += v * rho * time_rate
                diag_w += v * rho * time_rate
            if at_wall[i]:
                # The first cell knows omega: 6 nu / (beta d^2) in the sublayer, u_tau / (kappa d sqrt(beta*))
                # in the log layer; where the wall moves with the stream there is no layer, and the stream's.
                viscous = 6.0 * nu / (BETA1 * d * d)
                log_layer = pin[i] * shear_velocity[i] / (KAPPA * d * np.sqrt(BETA_STAR))
                known = 0.5 * np.log(viscous * viscous + log_layer * log_layer)
                total_w = diag_w * (w - pin[i] * known - (1.0 - pin[i]) * max(known, far_w))
                if pin[i] > 0.0:
                    held = shear_velocity[i]**2 / np.sqrt(BETA_STAR)
                    total_k = (1.0 - pin[i]) * total_k + pin[i] * diag_k * (k - held)
            out[i, K], out[i, W] = total_k * scale[0, i], total_w * scale[1, i]
            diagonal[0, i], diagonal[1, i] = diag_k, diag_w

    @njit(parallel=True, **fast)
    def closure_pairs(state, molecular, eddy, blend, pin, at_wall, faces, centre, n_interior, mass_flux,
                      scale, out):
        """Scaled dependence across each face, shape (2, n_interior, 2): [left on right, right on left]."""
        for f in prange(n_interior):
            i, j = faces.left[f], faces.right[f]
            share = faces.area[f] / normal_gap(centre, faces.normal, f, i, j, dim)
            molecular_f, eddy_f = 0.5 * (molecular[i] + molecular[j]), 0.5 * (eddy[i] + eddy[j])
            for side in range(2):
                own, other = (i, j) if side == 0 else (j, i)
                f1 = blend[own]
                inflow = min(mass_flux[f, 0] if side == 0 else -mass_flux[f, 0], 0.0)
                _, slope = omega_slope(state[other, W] - state[own, W])
                mixing_k = molecular_f + (f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2) * eddy_f
                mixing_w = molecular_f + (f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2) * eddy_f
                out[0, f, side] = scale[0, own] * (1.0 - pin[own]) * (inflow - mixing_k * share)
                out[1, f, side] = 0.0 if at_wall[own] else scale[1, own] * (inflow - mixing_w * share * slope)

    return of_dimension(dim, (eddy_and_blend, closure_residual, closure_pairs))


PLANE, SPACE = closure_loops(2), closure_loops(3)


class ShearStressTransport(Closure):
    """The closure on one mesh."""

    name = "k-omega SST"
    columns = 2

    def __init__(self, flow, options=ClosureOptions(), shear_limit=SHEAR_LIMIT):
        super().__init__(flow, options)
        self.loops, self.shear_limit = SPACE if flow.dim == 3 else PLANE, shear_limit
        stream, n = flow.stream, flow.n_cells
        self.far_k = 1.5 * (stream.turbulence_intensity * stream.mach)**2
        self.far_w = float(np.log(self.far_k / (stream.viscosity_ratio * self.nu)))
        self.column_scale = np.array([0.01 * stream.mach**2, 1.0])
        # Omega's rows are scaled down where it makes them stiff, so that they do not drown the rest.
        stiff = flow.cell_height * (6 * self.nu / flow.distance**2 / stream.mach + 0.03 / flow.distance)
        weight = flow.closure_weight / (self.column_scale[:, None] * stream.mach)
        self.row_scale = weight * np.stack([np.ones(n), 1.0 / (1.0 + stiff)])
        self.blend, self.cross = np.zeros(n), np.zeros(n)
        self.hoop = np.zeros(n if flow.dim == 2 else 0)
        self.at_wall = np.zeros(n, dtype=bool)
        self.at_wall[flow.border.cell[flow.kind == NO_SLIP]] = True

    def start(self, distance):
        """The stream's values, with both raised towards the walls, shape (n_cells, 2)."""
        mach, near = self.flow.stream.mach, np.exp(-distance / 0.02)
        k = self.far_k + 0.005 * mach**2 * near
        if self.flow.dim == 2:
            k = self.far_k + (k - self.far_k) * (1 - np.exp(-distance * self.flow.stream.reynolds / 2e3))
        omega = np.exp(
            self.far_w) + near * mach * 0.3 / np.maximum(distance, 1e-3) + 6 * self.nu / (BETA1 * distance**2)
        return np.column_stack([k, np.log(omega)])

    def clip(self, state, change):
        """k keeps a tenth of itself in a step, omega stays within a factor e."""
        K, W = self.first, self.first + 1
        change[:, K] = np.maximum(change[:, K], -0.9 * np.maximum(state[:, K], 0.0) - 1e-12)
        change[:, W] = np.clip(change[:, W], -1.0, 1.0)

    def follow_rings(self, state):
        """Stretching of the rings that cells of a mesh of revolution make."""
        if self.flow.mesh.is_revolved:
            np.divide(state[:, 3], self.flow.mesh.centre[:, 1], out=self.hoop)

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity and the blending of a state."""
        f = self.flow
        self.follow_rings(state)
        self.loops.eddy_and_blend(state, molecular, velocity_gradient, self.hoop, *f.scalar, f.distance,
                                  f.stream.gamma, self.shear_limit, self.eddy, self.blend, self.cross)

    def residual(self, state, molecular, velocity_gradient, out):
        """Fill the closure's columns of the residual."""
        f, wall = self.flow, self.flow.wall_treatment
        self.loops.closure_residual(state, molecular, self.eddy, self.blend, self.cross, velocity_gradient,
                                    self.hoop, f.distance, f.cell_size, self.options.detached,
                                    self.options.trip, f.faces, f.cells, f.border, f.n_interior, f.flux,
                                    f.stream.gamma, self.far_k, self.far_w, self.at_wall, wall.pin,
                                    wall.shear_velocity, f.time_rate, f.history, self.row_scale, out,
                                    self.diagonal)

    def couple(self, state, molecular, scale, pairs):
        """Fill `pairs`."""
        f = self.flow
        self.loops.closure_pairs(state, molecular, self.eddy, self.blend, f.wall_treatment.pin, self.at_wall,
                                 f.faces, f.cells.centre, f.n_interior, f.flux, scale, pairs)
