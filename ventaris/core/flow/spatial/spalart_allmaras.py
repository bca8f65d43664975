"""Spalart-Allmaras in three dimensions, with the wall function's value in the first cells and detached eddies if wished.

Formulae and references as in the planar closure, whose functions are used.

References
----------
Spalart, Deck, Shur, Squires, Strelets, Travin: A new version of detached-eddy simulation, resistant to
ambiguous grid densities, Theor. Comput. Fluid Dyn. 20, 2006.
"""
import numpy as np
from numba import njit, prange

from ..kernels import BLOWN, FAR_FIELD, NO_SLIP, fast
from ..spalart_allmaras import CB2, KAPPA, SIGMA, chi_of_ratio, diffusivity, source, viscous_damping
from .relaxation import scalar_factorise, scalar_solve

DETACHED = 0.65


@njit(parallel=True, **fast)
def eddy_viscosity(state, molecular, gamma, out):
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        nt = state[i, 5]
        out[i] = rho * nt * viscous_damping(nt * rho / molecular[i]) if nt > 0.0 else 0.0


@njit(parallel=True, **fast)
def closure_residual(state, molecular, grad, distance, size, detached, volume, centre, normal, area, left, right, kind, gap, mass_flux, face_start, faces,
                     sign, n_interior, gamma, far_value, pin, pinned, time_rate, history, scale, out, diagonal):
    """Residual of the working variable in column 5 of `out`, and a safe diagonal."""
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        nt = state[i, 5]
        nu = molecular[i] / rho
        total, diag = 0.0, 0.0
        own = diffusivity(nt, nu)
        for q in range(face_start[i], face_start[i + 1]):
            f = faces[q]
            m = sign[q] * mass_flux[f, 0]
            other, between, rho_f, mixed = nt, 0.0, rho, own
            if f < n_interior:
                j = right[f] if sign[q] > 0 else left[f]
                other = state[j, 5]
                rho_j = gamma * (state[j, 0] + 1.0 / gamma) / state[j, 1]
                rho_f = 0.5 * (rho + rho_j)
                between = abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1]
                              + (centre[j, 2] - centre[i, 2]) * normal[f, 2])
                mixed = 0.5 * (own + diffusivity(other, molecular[j] / rho_j))
            elif kind[f - n_interior] == FAR_FIELD or kind[f - n_interior] >= BLOWN:
                other = far_value if m < 0.0 else nt
            elif kind[f - n_interior] == NO_SLIP:
                other, between, mixed = 0.0, gap[f - n_interior], nu
            inflow = min(m, 0.0)
            total += inflow * (other - nt)
            diag -= inflow
            if between > 0.0:
                c = rho_f * max((1.0 + CB2) * mixed - CB2 * own, 0.2 * nu) / SIGMA * area[f] / between
                total -= c * (other - nt)
                diag += c
        ox, oy, oz = grad[i, 4, 1] - grad[i, 3, 2], grad[i, 2, 2] - grad[i, 4, 0], grad[i, 3, 0] - grad[i, 2, 1]
        S = np.sqrt(ox * ox + oy * oy + oz * oz)
        d = distance[i]
        if detached:
            squares = 0.0
            for a in range(2, 5):
                for b in range(3):
                    squares += grad[i, a, b] ** 2
            rd = (max(nt, 0.0) * viscous_damping(nt / nu) + nu) / (max(np.sqrt(squares), 1e-12) * (KAPPA * d) ** 2)
            shield = 1.0 - np.tanh((8.0 * rd) ** 3)
            d -= shield * max(0.0, d - DETACHED * size[i])
        made, safe = source(nt, nu, S, d)
        total -= volume[i] * rho * made
        diag += volume[i] * rho * max(safe, 0.0)
        if time_rate > 0.0:
            total += volume[i] * rho * (time_rate * nt + history[i])
            diag += volume[i] * rho * time_rate
        if pin[i] > 0.0:
            total = (1.0 - pin[i]) * total + pin[i] * diag * (nt - pinned[i])
        out[i, 5] = total * scale[i]
        diagonal[i] = diag


@njit(parallel=True, **fast)
def off_diagonals(state, molecular, centre, normal, area, left, right, mass_flux, n_interior, gamma, scale, out):
    """Scaled dependence of each cell's equation on its neighbour: [left on right, right on left] per face."""
    for f in prange(n_interior):
        i, j = left[f], right[f]
        rho_i = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        rho_j = gamma * (state[j, 0] + 1.0 / gamma) / state[j, 1]
        between = abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1]
                      + (centre[j, 2] - centre[i, 2]) * normal[f, 2])
        nu_i, nu_j = molecular[i] / rho_i, molecular[j] / rho_j
        one, two = diffusivity(state[i, 5], nu_i), diffusivity(state[j, 5], nu_j)
        mixed = 0.5 * (1.0 + CB2) * (one + two)
        c = 0.5 * (rho_i + rho_j) / SIGMA * area[f] / between
        m = mass_flux[f, 0]
        out[f, 0] = scale[i] * (min(m, 0.0) - c * max(mixed - CB2 * one, 0.2 * nu_i))
        out[f, 1] = scale[j] * (min(-m, 0.0) - c * max(mixed - CB2 * two, 0.2 * nu_j))


class SpatialSpalartAllmaras:
    """The closure on one mesh; see the planar one for what it offers.

    Parameters
    ----------
    flow : SpatialDiscretisation
    detached : bool
        Whether the wall distance is cut at the cell size away from walls (detached-eddy simulation, shielded).
    """

    name = "Spalart-Allmaras"
    columns = 1

    def __init__(self, flow, detached=False):
        self.flow, self.detached = flow, detached
        stream = flow.stream
        self.nu = stream.mach / stream.reynolds
        self.far_value = chi_of_ratio(stream.viscosity_ratio) * self.nu
        self.column_scale = np.array([100.0 * self.nu])
        n, size = flow.n_cells, flow.mesh.size
        # By the area of the smallest cubes instead of the cell's own: a few huge cells far downstream would otherwise make up the whole norm
        # by which systems are solved and steps are judged.
        self.row_scale = (size.min() / size) ** 2 / (100.0 * self.nu * stream.mach)
        self.eddy, self.diagonal, self.factors = np.zeros(n), np.zeros(n), np.zeros(n, dtype=np.float32)
        self.pairs = np.empty((1, flow.n_interior, 2), dtype=np.float32)

    def start(self, distance):
        """Some eddy viscosity near the walls, shape (n_cells, 1)."""
        return (self.far_value + 30.0 * self.nu * np.exp(-((distance / 0.05) ** 2)))[:, None]

    def clip(self, state, change):
        """The working variable may change freely."""

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity of a state."""
        eddy_viscosity(state, molecular, self.flow.stream.gamma, self.eddy)

    def residual(self, state, molecular, velocity_gradient, out):
        """Fill column 5 of the residual."""
        f, m = self.flow, self.flow.mesh
        wall = f.wall_treatment
        closure_residual(state, molecular, velocity_gradient, f.distance, m.size, self.detached, m.volume, m.centre, m.normal, m.area, m.left, m.right,
                         f.kind, f.gap, f.flux, f.face_start, f.faces, f.sign, f.n_interior, f.stream.gamma, self.far_value, wall.pin, wall.pinned,
                         f.time_rate, f.history[:, 5], self.row_scale, out, self.diagonal)

    def prepare(self, state, molecular, time_factor):
        """Assemble and factorise the scalar matrix."""
        f, m = self.flow, self.flow.mesh
        gamma, scale = f.stream.gamma, self.row_scale * self.column_scale[0]
        off_diagonals(state, molecular, m.centre, m.normal, m.area, m.left, m.right, f.flux, f.n_interior, gamma, scale * (1 - f.wall_treatment.pin), self.pairs[0])
        rho = gamma * (state[:, 0] + 1 / gamma) / state[:, 1]
        self.pseudo_time = (scale * rho * time_factor)[:, None]
        self.matrix_diagonal = (scale * self.diagonal + self.pseudo_time[:, 0]).astype(np.float32)[None]
        self.factors[:] = self.matrix_diagonal[0]
        scalar_factorise(f.strips, f.later, f.mesh.right, self.pairs[0], self.factors)

    def apply_factors(self, vector, out):
        """Fill column 5 of the preconditioned vector."""
        f = self.flow
        scalar_solve(f.strips, f.later, f.mesh.right, self.pairs[0], self.factors, vector, out, 5)
