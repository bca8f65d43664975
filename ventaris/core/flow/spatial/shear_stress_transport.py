"""The k-omega shear-stress-transport closure in space, solved in k and the logarithm of omega.

Functions, constants and symbols are the planar closure's; walls are bridged by wall functions, which give k and omega in their cells.

References
----------
Menter, Kuntz, Langtry: Ten years of industrial experience with the SST turbulence model,
Turbulence, Heat and Mass Transfer 4, 2003 (also its detached-eddy form, shielded by F2).
"""
import numpy as np
from numba import njit, prange

from ..kernels import BLOWN, FAR_FIELD, NO_SLIP, fast
from ..shear_stress_transport import (BETA1, BETA2, BETA_STAR, GAMMA1, GAMMA2, KAPPA, PRODUCTION_LIMIT, SHEAR_LIMIT, SIGMA_K1, SIGMA_K2, SIGMA_W1, SIGMA_W2,
                                      dilatation, inner_blend, omega_slope, outer_blend)
from .relaxation import scalar_factorise, scalar_solve

K, W = 5, 6
DETACHED_INNER, DETACHED_OUTER = 0.78, 0.61


@njit(**fast)
def strain_rate(grad, i):
    """sqrt(2 Sij Sij)."""
    ux, uy, uz = grad[i, 2, 0], grad[i, 2, 1], grad[i, 2, 2]
    vx, vy, vz = grad[i, 3, 0], grad[i, 3, 1], grad[i, 3, 2]
    wx, wy, wz = grad[i, 4, 0], grad[i, 4, 1], grad[i, 4, 2]
    return np.sqrt(2.0 * (ux * ux + vy * vy + wz * wz) + (uy + vx) ** 2 + (uz + wx) ** 2 + (vz + wy) ** 2)


@njit(parallel=True, **fast)
def eddy_and_blend(state, molecular, grad, start, neighbour, weight, distance, gamma, shear_limit, eddy, blend, cross):
    """Dynamic eddy viscosity, F1 and grad k . grad ln(omega) of each cell."""
    for i in prange(state.shape[0]):
        kx = ky = kz = wx = wy = wz = 0.0
        for m in range(start[i], start[i + 1]):
            dk, dw = state[neighbour[m], K] - state[i, K], state[neighbour[m], W] - state[i, W]
            kx += weight[m, 0] * dk
            ky += weight[m, 1] * dk
            kz += weight[m, 2] * dk
            wx += weight[m, 0] * dw
            wy += weight[m, 1] * dw
            wz += weight[m, 2] * dw
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        k, omega, nu = max(state[i, K], 0.0), np.exp(state[i, W]), molecular[i] / rho
        cross[i] = kx * wx + ky * wy + kz * wz
        blend[i] = inner_blend(k, omega, nu, distance[i], cross[i])
        eddy[i] = rho * shear_limit * k / max(shear_limit * omega, strain_rate(grad, i) * outer_blend(k, omega, nu, distance[i]))


@njit(parallel=True, **fast)
def closure_residual(state, molecular, eddy, blend, cross, grad, distance, size, detached, volume, centre, normal, area, left, right, kind, gap, mass_flux, face_start, faces, sign,
                     n_interior, gamma, far_k, far_w, at_wall, pin, pinned, time_rate, history, scale, out, diagonal):
    """Residuals of k and ln(omega) in columns 5 and 6 of `out`, and safe diagonals, shape (2, n_cells)."""
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        k, w = state[i, K], state[i, W]
        omega, d, f1 = np.exp(w), distance[i], blend[i]
        sigma_k, sigma_w = f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2, f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2
        total_k, total_w, diag_k, diag_w = 0.0, 0.0, 0.0, 0.0
        for q in range(face_start[i], face_start[i + 1]):
            f = faces[q]
            inflow = min(sign[q] * mass_flux[f, 0], 0.0)
            diag_k -= inflow
            diag_w -= inflow
            if f < n_interior:
                j = right[f] if sign[q] > 0 else left[f]
                share = area[f] / abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1]
                                      + (centre[j, 2] - centre[i, 2]) * normal[f, 2])
                molecular_f, eddy_f = 0.5 * (molecular[i] + molecular[j]), 0.5 * (eddy[i] + eddy[j])
                c = (molecular_f + sigma_k * eddy_f) * share
                total_k += (inflow - c) * (state[j, K] - k)
                diag_k += c
                c = (molecular_f + sigma_w * eddy_f) * share
                change, slope = omega_slope(state[j, W] - w)
                total_w += inflow * (state[j, W] - w) - c * change
                diag_w += c * slope
            elif kind[f - n_interior] == FAR_FIELD or kind[f - n_interior] >= BLOWN:
                total_k += inflow * (far_k - k)
                total_w += inflow * (far_w - w)
            elif kind[f - n_interior] == NO_SLIP and pin[i] < 1.0:
                c = molecular[i] * area[f] / gap[f - n_interior]
                total_k += c * k
                diag_k += c
        S2 = strain_rate(grad, i) ** 2
        destruction = BETA_STAR * rho * omega
        lost = destruction
        if detached:
            length = np.sqrt(max(k, 0.0)) / (BETA_STAR * omega)
            lost *= max(length / ((f1 * DETACHED_INNER + (1.0 - f1) * DETACHED_OUTER) * size[i]) * (1.0 - outer_blend(max(k, 0.0), omega, molecular[i] / rho, d)), 1.0)
        production = min(eddy[i] * S2, PRODUCTION_LIMIT * destruction * max(k, 0.0))
        squeezed = dilatation(k, state[i, 1], f1)
        lost *= 1.0 + squeezed
        beta, gain = max(f1 * BETA1 + (1.0 - f1) * BETA2 - BETA_STAR * squeezed, 0.25 * BETA1), f1 * GAMMA1 + (1.0 - f1) * GAMMA2
        made_w = gain * rho * production / eddy[i] / omega if eddy[i] > 1e-14 * molecular[i] else gain * rho * S2 / omega
        v = volume[i]
        total_k -= v * (production - lost * k)
        total_w -= v * (made_w - beta * rho * omega + 2.0 * (1.0 - f1) * rho * SIGMA_W2 * cross[i] / omega)
        diag_k += v * lost
        diag_w += v * (beta * rho * omega + made_w)
        if time_rate > 0.0:
            total_k += v * rho * (time_rate * k + history[i, K])
            total_w += v * rho * (time_rate * w + history[i, W])
            diag_k += v * rho * time_rate
            diag_w += v * rho * time_rate
        if at_wall[i]:
            # The first cell knows omega: 6 nu / (beta d^2) in the sublayer, u_tau / (kappa d sqrt(beta*)) in the log layer;
            # where the wall moves with the stream there is no layer, and the stream's.
            shear_velocity = pinned[i] / (KAPPA * d)
            viscous, log_layer = 6.0 * molecular[i] / rho / (BETA1 * d * d), pin[i] * shear_velocity / (KAPPA * d * np.sqrt(BETA_STAR))
            known = 0.5 * np.log(viscous * viscous + log_layer * log_layer)
            total_w = diag_w * (w - pin[i] * known - (1.0 - pin[i]) * max(known, far_w))
            total_k = (1.0 - pin[i]) * total_k + pin[i] * diag_k * (k - shear_velocity**2 / np.sqrt(BETA_STAR))
        out[i, K], out[i, W] = total_k * scale[0, i], total_w * scale[1, i]
        diagonal[0, i], diagonal[1, i] = diag_k, diag_w


@njit(parallel=True, **fast)
def off_diagonals(state, molecular, eddy, blend, pin, at_wall, centre, normal, area, left, right, mass_flux, n_interior, scale, out):
    """Scaled dependence of each cell's equations on its neighbour, shape (2, n_interior, 2): [left on right, right on left]."""
    for f in prange(n_interior):
        i, j = left[f], right[f]
        share = area[f] / abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1]
                              + (centre[j, 2] - centre[i, 2]) * normal[f, 2])
        molecular_f, eddy_f = 0.5 * (molecular[i] + molecular[j]), 0.5 * (eddy[i] + eddy[j])
        for side in range(2):
            own, other = (i, j) if side == 0 else (j, i)
            f1 = blend[own]
            inflow = min(mass_flux[f, 0] if side == 0 else -mass_flux[f, 0], 0.0)
            _, slope = omega_slope(state[other, W] - state[own, W])
            out[0, f, side] = scale[0, own] * (1.0 - pin[own]) * (inflow - (molecular_f + (f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2) * eddy_f) * share)
            free = 0.0 if at_wall[own] else 1.0
            out[1, f, side] = scale[1, own] * free * (inflow - (molecular_f + (f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2) * eddy_f) * share * slope)


class SpatialShearStressTransport:
    """The closure on one mesh; the contract is that of `SpatialSpalartAllmaras`."""

    name = "k-omega SST"
    columns = 2

    def __init__(self, flow, detached=False, shear_limit=SHEAR_LIMIT):
        self.flow, self.detached, self.shear_limit = flow, detached, shear_limit
        stream, n = flow.stream, flow.n_cells
        self.nu = stream.mach / stream.reynolds
        self.far_k = 1.5 * (stream.turbulence_intensity * stream.mach) ** 2
        self.far_w = float(np.log(self.far_k / (stream.viscosity_ratio * self.nu)))
        self.column_scale = np.array([0.01 * stream.mach**2, 1.0])
        size = flow.mesh.size
        # By the area of the smallest cubes (see the one-equation closure); omega's rows also by how stiff it makes them near walls.
        calm = 1.0 / (1.0 + size * (6 * self.nu / flow.distance**2 / stream.mach + 0.03 / flow.distance))
        self.row_scale = (size.min() / size) ** 2 / (self.column_scale[:, None] * stream.mach) * np.stack([np.ones(n), calm])
        self.eddy, self.blend, self.cross, self.diagonal = np.zeros(n), np.zeros(n), np.zeros(n), np.zeros((2, n))
        self.at_wall = np.zeros(n, dtype=bool)
        self.at_wall[flow.mesh.left[flow.n_interior:][flow.kind == NO_SLIP]] = True
        self.pairs = np.empty((2, flow.n_interior, 2), dtype=np.float32)
        self.factors = np.zeros((2, n), dtype=np.float32)

    def start(self, distance):
        """The stream's values, with both raised towards the walls, shape (n_cells, 2)."""
        mach, near = self.flow.stream.mach, np.exp(-distance / 0.02)
        omega = np.exp(self.far_w) + near * mach * 0.3 / np.maximum(distance, 1e-3) + 6 * self.nu / (BETA1 * distance**2)
        return np.column_stack([self.far_k + 0.005 * mach**2 * near, np.log(omega)])

    def clip(self, state, change):
        """k keeps a tenth of itself in a step, omega stays within a factor e."""
        change[:, K] = np.maximum(change[:, K], -0.9 * np.maximum(state[:, K], 0.0) - 1e-12)
        change[:, W] = np.clip(change[:, W], -1.0, 1.0)

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity and the blending of a state."""
        f = self.flow
        eddy_and_blend(state, molecular, velocity_gradient, *f.scalar, f.distance, f.stream.gamma, self.shear_limit, self.eddy, self.blend, self.cross)

    def residual(self, state, molecular, velocity_gradient, out):
        """Fill columns 5 and 6 of the residual."""
        f, m, wall = self.flow, self.flow.mesh, self.flow.wall_treatment
        closure_residual(state, molecular, self.eddy, self.blend, self.cross, velocity_gradient, f.distance, m.size, self.detached, m.volume, m.centre, m.normal, m.area, m.left, m.right,
                         f.kind, f.gap, f.flux, f.face_start, f.faces, f.sign, f.n_interior, f.stream.gamma, self.far_k, self.far_w, self.at_wall, wall.pin, wall.pinned,
                         f.time_rate, f.history, self.row_scale, out, self.diagonal)

    def prepare(self, state, molecular, time_factor):
        """Assemble and factorise the two scalar matrices."""
        f, m, wall = self.flow, self.flow.mesh, self.flow.wall_treatment
        scale = self.row_scale * self.column_scale[:, None]
        off_diagonals(state, molecular, self.eddy, self.blend, wall.pin, self.at_wall, m.centre, m.normal, m.area, m.left, m.right, f.flux, f.n_interior, scale, self.pairs)
        rho = f.stream.gamma * (state[:, 0] + 1 / f.stream.gamma) / state[:, 1]
        held = scale * rho * time_factor
        self.pseudo_time = held.T.copy()
        self.matrix_diagonal = (scale * self.diagonal + held).astype(np.float32)
        self.factors[:] = self.matrix_diagonal
        for n in range(self.columns):
            scalar_factorise(f.strips, f.later, m.right, self.pairs[n], self.factors[n])

    def apply_factors(self, vector, out):
        """Fill columns 5 and 6 of the preconditioned vector."""
        f = self.flow
        for n in range(self.columns):
            scalar_solve(f.strips, f.later, f.mesh.right, self.pairs[n], self.factors[n], vector, out, K + n)
