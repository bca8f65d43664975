"""The Spalart-Allmaras closure, negative variant, with all of its terms.

Symbols: nt the working variable (kinematic, over a_inf L), chi = nt / nu, d the wall
distance, S the vorticity.  The equation is solved in its advective form, weighted with the
density; convection is first-order upwind.

References
----------
Spalart, Allmaras: A one-equation turbulence model for aerodynamic flows, Rech. Aerosp. 1, 1994.
Allmaras, Johnson, Spalart: Modifications and clarifications for the implementation of the
Spalart-Allmaras turbulence model, ICCFD7-1902, 2012.
"""
import numpy as np
from numba import njit, prange
from scipy.optimize import brentq

from .kernels import BLOWN, FAR_FIELD, NO_SLIP
from .scalar_factors import factorise_scalar, solve_scalar

CB1, SIGMA, CB2, KAPPA, CW2, CW3, CV1, CT3, CT4, CN1 = 0.1355, 2.0 / 3.0, 0.622, 0.41, 0.3, 2.0, 7.1, 1.2, 0.5, 16.0
CW1 = CB1 / KAPPA**2 + (1 + CB2) / SIGMA
# Compressible mixing layers (Spalart: Trends in turbulence treatments, AIAA 2000-2306), shielded as in
# Spalart, Deck, Shur et al.: A new version of detached-eddy simulation, Theor. Comput. Fluid Dyn. 20, 2006.
C5 = 3.5

fast = dict(cache=True, error_model="numpy", fastmath={"nsz", "arcp", "contract", "afn", "reassoc"})


@njit(**fast)
def viscous_damping(chi):
    """fv1: share of the working variable that acts as eddy viscosity."""
    c3 = chi * chi * chi
    return c3 / (c3 + CV1**3)


@njit(parallel=True, **fast)
def eddy_viscosity(state, molecular, gamma, out):
    """Dynamic eddy viscosity of each cell; zero where the working variable is negative."""
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        nt = state[i, 4]
        out[i] = rho * nt * viscous_damping(nt * rho / molecular[i]) if nt > 0.0 else 0.0


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
    fw = g * ((1.0 + CW3**6) / (g**6 + CW3**6)) ** (1.0 / 6.0)
    ft2 = CT3 * np.exp(-CT4 * chi * chi)
    destruction = (CW1 * fw - CB1 / (KAPPA * KAPPA) * ft2) * nt / (d * d)
    production = CB1 * (1.0 - ft2) * St
    return nt * (production - destruction), 2.0 * destruction - production


@njit(**fast)
def diffusivity(nt, nu):
    """nu + nt, with the negative variant's factor."""
    if nt >= 0.0:
        return nu + nt
    c3 = (nt / nu) ** 3
    return nu + nt * (CN1 + c3) / (CN1 - c3)


@njit(parallel=True, **fast)
def closure_residual(state, molecular, velocity_gradient, distance, volume, centre, face_centre, normal, area, left, right, kind, mass_flux,
                     face_start, faces, sign, n_interior, gamma, far_value, laminar_until, pin, pinned, time_rate, history, scale, out, diagonal):
    """Residual of the working variable in column 4 of `out`, and a safe diagonal.

    `pin` (0 to 1) draws a cell to its value in `pinned`, where a wall function knows it better.

    `laminar_until` switches production off for cells upstream of that station (fully
    turbulent: far ahead of the body).
    """
    for i in prange(state.shape[0]):
        rho = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        nt = state[i, 4]
        nu = molecular[i] / rho
        total, diag = 0.0, 0.0
        own = diffusivity(nt, nu)
        for q in range(face_start[i], face_start[i + 1]):
            f = faces[q]
            m = sign[q] * mass_flux[f, 0]
            other, gap, rho_f = nt, 0.0, rho
            if f < n_interior:
                j = right[f] if sign[q] > 0 else left[f]
                other = state[j, 4]
                rho_j = gamma * (state[j, 0] + 1.0 / gamma) / state[j, 1]
                rho_f = 0.5 * (rho + rho_j)
                gap = abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1])
                mixed = 0.5 * (own + diffusivity(other, molecular[j] / rho_j))
            elif kind[f - n_interior] == FAR_FIELD or kind[f - n_interior] >= BLOWN:
                other = far_value if m < 0.0 else nt
                gap = 0.0
                mixed = own
            elif kind[f - n_interior] == NO_SLIP:
                other = 0.0
                gap = abs((face_centre[f, 0] - centre[i, 0]) * normal[f, 0] + (face_centre[f, 1] - centre[i, 1]) * normal[f, 1])
                mixed = nu
            else:
                mixed = own
            inflow = min(m, 0.0)
            total += inflow * (other - nt)
            diag -= inflow
            if gap > 0.0:
                # Both diffusion terms as one compact sum: the squared gradient by least squares grew without
                # bound in the flat cells ahead of a plate and along wakes.
                c = rho_f * max((1.0 + CB2) * mixed - CB2 * own, 0.2 * nu) / SIGMA * area[f] / gap
                total -= c * (other - nt)
                diag += c
        S = abs(velocity_gradient[i, 3, 0] - velocity_gradient[i, 2, 1])
        made, safe = source(nt, nu, S, distance[i])
        if centre[i, 0] < laminar_until and distance[i] < 0.2:
            made, safe = min(made, 0.0), max(safe, 0.0)
        squares = velocity_gradient[i, 2, 0] ** 2 + velocity_gradient[i, 2, 1] ** 2 + velocity_gradient[i, 3, 0] ** 2 + velocity_gradient[i, 3, 1] ** 2
        # It belongs to free shear layers: in a boundary layer, told by the shielding function, it is left out.
        near_wall = (max(nt, 0.0) + nu) / (max(np.sqrt(squares), 1e-12) * (KAPPA * distance[i]) ** 2)
        free = 1.0 - np.tanh((8.0 * near_wall) ** 3)
        slow = free * C5 * max(nt, 0.0) * squares / state[i, 1]
        total -= volume[i] * rho * (made - slow * nt)
        diag += volume[i] * rho * (max(safe, 0.0) + 2.0 * slow)
        if time_rate > 0.0:
            total += volume[i] * rho * (time_rate * nt + history[i])
            diag += volume[i] * rho * time_rate
        if pin[i] > 0.0:
            total = (1.0 - pin[i]) * total + pin[i] * diag * (nt - pinned[i])
        out[i, 4] = total * scale
        diagonal[i] = diag


@njit(parallel=True, **fast)
def closure_off_diagonals(state, molecular, centre, normal, area, left, right, mass_flux, n_interior, gamma, out):
    """Dependence of each cell's equation on its neighbour: [left on right, right on left] per face."""
    for f in prange(n_interior):
        i, j = left[f], right[f]
        rho_i = gamma * (state[i, 0] + 1.0 / gamma) / state[i, 1]
        rho_j = gamma * (state[j, 0] + 1.0 / gamma) / state[j, 1]
        gap = abs((centre[j, 0] - centre[i, 0]) * normal[f, 0] + (centre[j, 1] - centre[i, 1]) * normal[f, 1])
        nu_i, nu_j = molecular[i] / rho_i, molecular[j] / rho_j
        one, two = diffusivity(state[i, 4], nu_i), diffusivity(state[j, 4], nu_j)
        mixed = 0.5 * (1.0 + CB2) * (one + two)
        c = 0.5 * (rho_i + rho_j) / SIGMA * area[f] / gap
        m = mass_flux[f, 0]
        out[f, 0] = min(m, 0.0) - c * max(mixed - CB2 * one, 0.2 * nu_i)
        out[f, 1] = min(-m, 0.0) - c * max(mixed - CB2 * two, 0.2 * nu_j)


class SpalartAllmaras:
    """The closure on one mesh; what every closure offers.

    Parameters
    ----------
    flow : Discretisation
        Its mesh, stencils and matrix pattern are used.
    laminar_until : float
        Station in chords up to which the boundary layer is kept laminar; None is fully turbulent.

    Attributes
    ----------
    columns : int
        Unknowns of the closure, after the four of the flow.
    column_scale : ndarray, shape (columns,)
    eddy : ndarray, shape (n_cells,)
        Dynamic eddy viscosity after the last `update`.
    pseudo_time : ndarray, shape (n_cells, columns)
        Scaled pseudo-time diagonal after `prepare`.
    """

    name = "Spalart-Allmaras"
    columns = 1

    def __init__(self, flow, laminar_until=None):
        self.flow = flow
        self.laminar_until = -1e30 if laminar_until is None else float(laminar_until)
        stream = flow.stream
        self.nu = stream.mach / stream.reynolds
        self.stream_chi = chi_of_ratio(stream.viscosity_ratio)
        self.far_value = self.stream_chi * self.nu
        # The working variable reaches some hundreds of nu in a boundary layer.
        self.column_scale = np.array([max(100.0 * self.nu, flow.mixing * stream.mach)])
        self.row_scale = 1.0 / (self.column_scale[0] * stream.mach)
        n = flow.n_cells
        self.eddy, self.diagonal = np.zeros(n), np.zeros(n)
        self._faces = np.empty((flow.n_interior, 2))
        self._values = np.zeros(len(flow.columns))
        self._factors = np.zeros(len(flow.fill_columns))

    def start(self, distance):
        """A boundary-layer-like start of the working variable, shape (n_cells, 1)."""
        chi = self.stream_chi + 0.0164 * self.flow.stream.reynolds * distance * np.exp(-((distance / 0.01) ** 2))
        return chi[:, None] * self.nu

    def clip(self, state, change):
        """The working variable may change freely."""

    def update(self, state, molecular, velocity_gradient):
        """Compute the eddy viscosity of a state."""
        eddy_viscosity(state, molecular, self.flow.stream.gamma, self.eddy)

    def residual(self, state, molecular, velocity_gradient, out):
        """Fill column 4 of the residual."""
        f, m = self.flow, self.flow.mesh
        wall = f.wall_treatment
        pinned = KAPPA * wall.shear_velocity * f.distance
        closure_residual(state, molecular, velocity_gradient, f.distance, m.volume, m.centre, m.face_centre, m.normal, m.area, f.left,
                         f.right, f.kind, f.flux, f.cell_face_start, f.cell_faces, f.cell_face_sign, f.n_interior, f.stream.gamma, self.far_value,
                         self.laminar_until, wall.pin, pinned, f.time_rate, f.history[:, 4], self.row_scale, out, self.diagonal)

    def prepare(self, state, molecular, time_factor):
        """Assemble and factorise the scalar matrix."""
        f, m = self.flow, self.flow.mesh
        gamma = f.stream.gamma
        closure_off_diagonals(state, molecular, m.centre, m.normal, m.area, f.left, f.right, f.flux, f.n_interior, gamma, self._faces)
        rho = gamma * (state[:, 0] + 1 / gamma) / state[:, 1]
        scale = self.row_scale * self.column_scale[0]
        self.pseudo_time = (scale * rho * time_factor)[:, None]
        self._values[f.row_start[:-1]] = scale * self.diagonal + self.pseudo_time[:, 0]
        f.fill_off_diagonals(self._faces, scale, self._values)
        factorise_scalar(f.row_start, f.columns, self._values, f.fill_start, f.fill_columns, f.diagonal, self._factors)

    def apply_factors(self, vector, out):
        """Fill column 4 of the preconditioned vector."""
        f = self.flow
        solve_scalar(f.fill_start, f.fill_columns, f.diagonal, self._factors, vector, out, 4)


def chi_of_ratio(ratio):
    """chi with chi fv1(chi) = eddy viscosity over molecular viscosity."""
    return float(brentq(lambda chi: chi * viscous_damping(chi) - ratio, 1e-6, 10.0 + 2.0 * ratio))
