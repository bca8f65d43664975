"""The Spalart-Allmaras closure, negative variant, with all of its terms.

Symbols: nt the working variable (kinematic, over a_inf L), chi = nt / nu, d the wall
distance, S the vorticity.  The equation is solved in its advective form, weighted with the
density; convection is first-order upwind.

References
----------
Spalart, Allmaras: A one-equation turbulence model for aerodynamic flows, Rech. Aerosp. 1, 1994.
Allmaras, Johnson, Spalart: Modifications and clarifications for the implementation of the
Spalart-Allmaras turbulence model, ICCFD7-1902, 2012.
Spalart, Deck, Shur, Squires, Strelets, Travin: A new version of detached-eddy simulation, resistant to
ambiguous grid densities, Theor. Comput. Fluid Dyn. 20, 2006.
"""
import numpy as np
from numba import njit, prange
from scipy.optimize import brentq

from ..boundaries.registry import NO_SLIP, is_solid
from ..loops import of_dimension
from ..positions import fast, in_order
from .contract import Closure, ClosureOptions
from .velocity_gradient import normal_gap, shielding, sum_of_squares, vorticity

CB1, SIGMA, CB2, KAPPA, CW2, CW3, CV1, CT3, CT4, CN1 = (0.1355, 2.0 / 3.0, 0.622, 0.41, 0.3, 2.0, 7.1, 1.2,
                                                        0.5, 16.0)
# fw at its ends, beyond which the function of g is left out as too dear for what it changes.
FW_LEAST, FW_MOST, SATURATED = (1.0 + CW3**-6)**(1.0 / 6.0), (1.0 + CW3**6)**(1.0 / 6.0), 1e17
CW1 = CB1 / KAPPA**2 + (1 + CB2) / SIGMA
# Compressible mixing layers (Spalart: Trends in turbulence treatments, AIAA 2000-2306), shielded as in
# Spalart, Deck, Shur et al.: A new version of detached-eddy simulation, Theor. Comput. Fluid Dyn. 20, 2006.
C5 = 3.5
# Away from walls detached eddies are as long as this share of a cell at most.
DETACHED = 0.65


@njit(**fast)
def viscous_damping(chi):
    """fv1: share of the working variable that acts as eddy viscosity."""
    c3 = chi * chi * chi
    return c3 / (c3 + CV1**3)


@njit(**fast)
def source(nt, nu, S, d):
    """Production minus destruction, and a diagonal that is safe for the implicit side."""
    k2d2 = KAPPA * KAPPA * d * d
    if nt < 0.0:
        value = CB1 * (1.0 - CT3) * S * nt + CW1 * nt * nt / (d * d)
        return value, -CB1 * (1.0 - CT3) * S - 2.0 * CW1 * nt / (d * d)
    chi = nt / nu
    fv1 = viscous_damping(chi)
    fv2 = 1.0 - chi / (1.0 + chi * fv1)
    bar = nt * fv2 / k2d2
    if bar >= -0.7 * S:
        St = S + bar
    else:
        St = S + S * (0.49 * S + 0.9 * bar) / ((0.9 - 1.4) * S - bar)
    St = max(St, 1e-12)
    r = min(nt / (St * k2d2), 10.0)
    g = r + CW2 * (r**6 - r)
    g6 = g**6
    fw = FW_MOST
    if g6 < SATURATED:
        fw = g * FW_LEAST if g6 < CW3**6 / SATURATED else g * ((1.0 + CW3**6) / (g6 + CW3**6))**(1.0 / 6.0)
    ft2 = CT3 * np.exp(-CT4 * chi * chi) if chi < 9.0 else 0.0
    destruction = (CW1 * fw - CB1 / (KAPPA * KAPPA) * ft2) * nt / (d * d)
    production = CB1 * (1.0 - ft2) * St
    return nt * (production - destruction), 2.0 * destruction - production


@njit(**fast)
def diffusivity(nt, nu):
    """nu + nt, with the negative variant's factor."""
    if nt >= 0.0:
        return nu + nt
    c3 = (nt / nu)**3
    return nu + nt * (CN1 + c3) / (CN1 - c3)


def closure_loops(dim):
    """The loops for one dimension."""
    nt_column = dim + 2

    @njit(parallel=True, **fast)
    def eddy_viscosity(state, molecular, gamma, out):
        """Dynamic eddy viscosity of each cell; zero where the working variable is negative."""
        for i in prange(state.shape[0]):
            rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
            nt = state[i, nt_column]
            out[i] = rho * nt * viscous_damping(nt * rho / molecular[i]) if nt > 0.0 else 0.0

    @njit(parallel=True, **in_order)
    def closure_residual(state, molecular, grad, distance, size, detached, trip, faces, cells, border,
                         n_interior, mass_flux, gamma, far_value, pin, pinned, time_rate, history, scale, out,
                         diagonal):
        """Residual of the working variable in its column of `out`, and a safe diagonal.

        `pin` (0 to 1) draws a cell to its value in `pinned`, where a wall function knows it better. `trip`
        switches production off in boundary layers upstream of that station (fully turbulent: far ahead of the
        body). With `detached` the wall distance is cut at the cell's size away from walls.
        """
        left, right, centre = faces.left, faces.right, cells.centre
        for i in prange(state.shape[0]):
            rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
            nt = state[i, nt_column]
            nu = molecular[i] / rho
            total, diag = 0.0, 0.0
            own = diffusivity(nt, nu)
            for q in range(cells.first[i], cells.first[i + 1]):
                f = cells.faces[q]
                m = cells.sign[q] * mass_flux[f, 0]
                other, gap, rho_f, mixed = nt, 0.0, rho, own
                if f < n_interior:
                    j = right[f] if cells.sign[q] > 0 else left[f]
                    other = state[j, nt_column]
                    rho_j = gamma * (state[j, 0] + 1.0 / gamma) / state[j, 1]
                    rho_f = 0.5 * (rho + rho_j)
                    gap = normal_gap(centre, faces.normal, f, i, j, dim)
                    mixed = 0.5 * (own + diffusivity(other, molecular[j] / rho_j))
                elif not is_solid(border.kind[f - n_interior]):
                    other = far_value if m < 0.0 else nt
                elif border.kind[f - n_interior] == NO_SLIP:
                    other, gap, mixed = 0.0, border.gap[f - n_interior], nu
                inflow = min(m, 0.0)
                total += inflow * (other - nt)
                diag -= inflow
                if gap > 0.0:
                    # Both diffusion terms as one compact sum: the squared gradient by least squares grew
                    # without bound in the flat cells ahead of a plate and along wakes.
                    c = rho_f * max((1.0 + CB2) * mixed - CB2 * own, 0.2 * nu) / SIGMA * faces.area[f] / gap
                    total -= c * (other - nt)
                    diag += c
            S, d, squares = vorticity(grad, i, dim), distance[i], sum_of_squares(grad, i, dim)
            if detached:
                layer = shielding(max(nt, 0.0) * viscous_damping(nt / nu) + nu, squares, d, KAPPA)
                d -= (1.0 - layer) * max(0.0, d - DETACHED * size[i])
            made, safe = source(nt, nu, S, d)
            if centre[i, 0] < trip and distance[i] < 0.2:
                made, safe = min(made, 0.0), max(safe, 0.0)
            # It belongs to free shear layers: in a boundary layer, told by the shielding function, it is left
            # out.
            free = 1.0 - shielding(max(nt, 0.0) + nu, squares, distance[i], KAPPA)
            slow = free * C5 * max(nt, 0.0) * squares / state[i, 1]
            volume = cells.volume[i]
            total -= volume * rho * (made - slow * nt)
            diag += volume * rho * (max(safe, 0.0) + 2.0 * slow)
            if time_rate > 0.0:
                total += volume * rho * (time_rate * nt + history[i, nt_column])
                diag += volume * rho * time_rate
            if pin[i] > 0.0:
                total = (1.0 - pin[i]) * total + pin[i] * diag * (nt - pinned[i])
            out[i, nt_column] = total * scale[0, i]
            diagonal[0, i] = diag

    @njit(parallel=True, **fast)
    def closure_pairs(state, molecular, faces, centre, n_interior, mass_flux, gamma, pin, scale, out):
        """Scaled dependence of each cell's equation on its neighbour: [left on right, right on left] per
        face."""
        for f in prange(n_interior):
            i, j = faces.left[f], faces.right[f]
            rho_i = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
            rho_j = gamma * (state[j, 0] + 1.0 / gamma) / state[j, 1]
            gap = normal_gap(centre, faces.normal, f, i, j, dim)
            nu_i, nu_j = molecular[i] / rho_i, molecular[j] / rho_j
            one, two = diffusivity(state[i, nt_column], nu_i), diffusivity(state[j, nt_column], nu_j)
            mixed = 0.5 * (1.0 + CB2) * (one + two)
            c = 0.5 * (rho_i + rho_j) / SIGMA * faces.area[f] / gap
            m = mass_flux[f, 0]
            a, b = scale[0, i] * (1.0 - pin[i]), scale[0, j] * (1.0 - pin[j])
            out[0, f, 0] = a * (min(m, 0.0) - c * max(mixed - CB2 * one, 0.2 * nu_i))
            out[0, f, 1] = b * (min(-m, 0.0) - c * max(mixed - CB2 * two, 0.2 * nu_j))

    return of_dimension(dim, (eddy_viscosity, closure_residual, closure_pairs))


PLANE, SPACE = closure_loops(2), closure_loops(3)


class SpalartAllmaras(Closure):
    """The closure on one mesh."""

    name = "Spalart-Allmaras"

    def __init__(self, flow, options=ClosureOptions()):
        super().__init__(flow, options)
        self.loops = SPACE if flow.dim == 3 else PLANE
        self.stream_chi = chi_of_ratio(flow.stream.viscosity_ratio)
        self.far_value = self.stream_chi * self.nu
        # The working variable reaches some hundreds of nu in a boundary layer.
        self.column_scale = np.array([max(100.0 * self.nu, options.mixing * flow.stream.mach)])
        self.row_scale = (flow.closure_weight / (self.column_scale[0] * flow.stream.mach))[None]

    def start(self, distance):
        """Eddy viscosity near the walls, in a plane like a boundary layer's, shape (n_cells, 1)."""
        if self.flow.dim == 3:
            return (self.far_value + 30.0 * self.nu * np.exp(-((distance / 0.05)**2)))[:, None]
        layer = 0.0164 * self.flow.stream.reynolds * distance * np.exp(-((distance / 0.01)**2))
        return (self.stream_chi + layer)[:, None] * self.nu

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity of a state."""
        self.loops.eddy_viscosity(state, molecular, self.flow.stream.gamma, self.eddy)

    def residual(self, state, molecular, velocity_gradient, out):
        """Fill the closure's column of the residual."""
        f, wall = self.flow, self.flow.wall_treatment
        pinned = KAPPA * wall.shear_velocity * f.distance
        self.loops.closure_residual(state, molecular, velocity_gradient, f.distance, f.cell_size,
                                    self.options.detached, self.options.trip, f.faces, f.cells, f.border,
                                    f.n_interior, f.flux, f.stream.gamma, self.far_value, wall.pin, pinned,
                                    f.time_rate, f.history, self.row_scale, out, self.diagonal)

    def couple(self, state, molecular, scale, pairs):
        """Fill `pairs`."""
        f = self.flow
        self.loops.closure_pairs(state, molecular, f.faces, f.cells.centre, f.n_interior, f.flux,
                                 f.stream.gamma, f.wall_treatment.pin, scale, pairs)


def chi_of_ratio(ratio):
    """chi with chi fv1(chi) = eddy viscosity over molecular viscosity."""
    return float(brentq(lambda chi: chi * viscous_damping(chi) - ratio, 1e-6, 10.0 + 2.0 * ratio))
