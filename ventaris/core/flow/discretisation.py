"""The flow equations on one mesh: residual, forces, first-order Jacobian and its factors."""
from functools import partial

import numpy as np

from . import factorisation, jacobians, kernels as k
from .boundaries import lay_out
from .gradients import face_offsets, gradient_stencils, layer_stencil, wall_layer_cells
from .shear_stress_transport import SHOCK_SHEAR_LIMIT, ShearStressTransport
from .shocks import AROUND_BODIES, mark_shocks
from .spalart_allmaras import SpalartAllmaras
from .updates import block_diagonal_product, clip_change
from .wall_treatment import WallTreatment

PRECONDITION_BELOW = 0.6
LIMIT_ABOVE = 0.6
# From this Mach number on a shock may be a strong one.
STRONG_ABOVE = 1.2
CLOSURES = {"spalart-allmaras": SpalartAllmaras, "sst": ShearStressTransport, "sst-shock": partial(ShearStressTransport, shear_limit=SHOCK_SHEAR_LIMIT)}


class Discretisation:
    """Everything that depends on the mesh and the free stream but not on the state.

    Parameters
    ----------
    mesh : Mesh
    stream : FreeStream
    wall_kind : {"slip", "no-slip"}
    limit, precondition : bool or None
        None decides by the Mach number.
    vortex : bool
        Whether the far field carries the vortex of the lift.
    closure : {None, "spalart-allmaras", "sst", "sst-shock"}
        The turbulence closure that is solved along; a state then has its columns too.
    boundaries : dict of str to Boundary or None
        Conditions of named boundaries; the others are walls of `wall_kind`, symmetry, or far field.
    bridge : bool
        Whether a wall function takes over where the first cell stands beyond the sublayer.
    strength : float or None
        Mach number that measures the waves which the limiter must not see; None takes the stream's, at most 1.
    shock_bounds : tuple or None
        Which shocks count as strong, see `shocks`; given, they are looked for at any speed of the stream. None takes those
        around bodies, and looks for them in a supersonic stream.
    mixing : float
        Eddy viscosity over speed and reference length that free shear makes here; scales a closure's equation.
    laminar_until : float or None
        Station up to which the boundary layer is kept laminar.

    Attributes
    ----------
    n_cells : int
    row_scale, column_scale : ndarray, shape (4,)
        Scales that make residuals and unknowns of order one at any Mach number.
    wall_pressure : ndarray
        Gauge pressure on each boundary face after the last residual.
    krylov_type : dtype
        Precision of the vectors that steady steps are solved with.
    """

    krylov_type = np.float64

    def __init__(self, mesh, stream, wall_kind="slip", limit=None, precondition=None, vortex=True, closure=None, laminar_until=None,
                 boundaries=None, bridge=True, mixing=0.0, strength=None, shock_bounds=None):
        self.mesh, self.stream, self.mixing = mesh, stream, mixing
        mach = stream.mach
        limit = mach > LIMIT_ABOVE if limit is None else limit
        precondition = mach < PRECONDITION_BELOW if precondition is None else precondition
        self.vortex = vortex and mach < 1
        self.has_strong_shocks = limit and (mach > STRONG_ABOVE or shock_bounds is not None)
        self.shock_bounds = shock_bounds or AROUND_BODIES
        self.constants = stream.constants(limit, precondition)
        self.constants[k.AXISYMMETRIC] = float(mesh.is_revolved)
        self.n_cells, self.n_interior = mesh.n_cells, mesh.n_interior
        self.left, self.right = mesh.left, mesh.right
        self.cell_face_start, self.cell_faces, self.cell_face_sign = mesh.cell_faces()
        wall = mesh.wall_faces()
        self.wall = wall
        self.wall_local = wall - self.n_interior
        self.kind, self.ghost = lay_out(mesh, stream, wall_kind, boundaries or {})
        inside = self.n_interior
        self.sticky = inside + np.nonzero(self.kind == k.NO_SLIP)[0]
        self.solid_local = np.nonzero(self.kind != k.FAR_FIELD)[0]
        self.far_local = np.nonzero(self.kind == k.FAR_FIELD)[0]
        self._lift_direction = stream.axes[1]
        self.row_scale = np.array([1 / mach, (stream.gamma - 1) / mach**3, 1 / mach**2, 1 / mach**2])
        if mach > 1:
            self.row_scale = np.array([1 / mach, (stream.gamma - 1) / mach, 1 / mach**2, 1 / mach**2])
        self.column_scale = stream.column_scale
        # The limiter must not see waves weaker than this; in supersonic flow the stream's own pressure is the measure, or it would overlook undershoots to vacuum.
        strength = strength or min(mach, 1.0)
        self.epsilon2 = (0.3 * np.array([0.7 * strength**2, 0.4 * strength**2, strength, strength])) ** 2
        self.closure = None
        # Physical time: coefficient of the present level, and what the levels before contribute, per volume.
        self.time_rate = 0.0
        self._stencils(closure is not None)
        self._allocate()
        self._matrix_pattern()
        self.wall_treatment = WallTreatment(self, bridge and closure is not None)
        if closure is not None:
            self.closure = CLOSURES[closure](self, laminar_until)
            self.column_scale = np.append(self.column_scale, self.closure.column_scale)
        self.history = np.zeros((self.n_cells, self.columns_of_state))

    @property
    def flow_columns(self):
        return 4

    @property
    def columns_of_state(self):
        return 4 if self.closure is None else 4 + self.closure.columns

    def _stencils(self, turbulent):
        """Gradient stencils and face offsets; on the thin cells of turbulent wall layers by wall distance."""
        mesh = self.mesh
        if turbulent:
            walls = self.n_interior + np.nonzero((self.kind == k.NO_SLIP) | (self.kind == k.BLOWN))[0]
            self.distance, direction, at_corner = mesh.wall_distance(walls)
            inside = wall_layer_cells(mesh, self.distance, direction, at_corner)
            self.scalar, self.velocity = layer_stencil(mesh, self.sticky, self.distance, direction, inside)
            self.reach = face_offsets(mesh, (inside, direction, self.distance, mesh.wall_distance(walls, mesh.face_centre)[0]))
        else:
            self.scalar, self.velocity = gradient_stencils(mesh, self.sticky)
            self.reach = face_offsets(mesh)

    def _allocate(self):
        n, nf = self.n_cells, self.mesh.n_faces
        self.grad, self.flux = np.empty((n, 4, 2)), np.empty((nf, 4))
        self.wall_pressure = np.zeros(nf - self.n_interior)
        self.time_sum, self.molecular, self.no_eddy, self.shock = np.empty(n), np.empty(n), np.zeros(n), np.zeros(n)
        self.limiter_share, self.limiter_frozen = np.ones((n, 4)), False

    def _matrix_pattern(self):
        n, inner = self.n_cells, self.n_interior
        start, faces, sign = self.cell_face_start, self.cell_faces, self.cell_face_sign
        owner = np.repeat(np.arange(n), np.diff(start))
        other = np.where(sign > 0, self.right[faces], self.left[faces])
        has = faces < inner
        count = np.bincount(owner[has], minlength=n) + 1
        self.row_start = np.zeros(n + 1, dtype=np.int64)
        np.cumsum(count, out=self.row_start[1:])
        rank = np.cumsum(has) - 1
        first = np.concatenate([[0], np.cumsum(np.bincount(owner[has], minlength=n))])[:-1]
        self.slot = np.where(has, self.row_start[owner] + 1 + rank - first[owner], -1)
        self.columns = np.empty(self.row_start[-1], dtype=np.int64)
        self.columns[self.row_start[:-1]] = np.arange(n)
        self.columns[self.slot[has]] = other[has]
        self._inside, self._side = self.slot >= 0, (sign[self.slot >= 0] < 0).astype(int)
        self.fill_start, self.fill_columns, self.diagonal = factorisation.fill_pattern(self.row_start, self.columns)
        self.values = np.empty((len(self.columns), 4, 4), dtype=np.float32)
        self.factors = np.empty((len(self.fill_columns), 4, 4), dtype=np.float32)
        self.jacobians = np.empty((self.mesh.n_faces, 2, 4, 4), dtype=np.float32)
        self.gamma = np.empty((n, 4, 4))

    @property
    def first_order(self):
        return bool(self.constants[k.FIRST_ORDER])

    @first_order.setter
    def first_order(self, value):
        self.constants[k.FIRST_ORDER] = float(value)

    def uniform_state(self):
        """The undisturbed stream in every cell, shape (n_cells, 4) and the closure's columns."""
        state = np.tile(self.stream.state, (self.n_cells, 1))
        return state if self.closure is None else np.hstack([state, self.closure.start(self.distance)])

    @property
    def eddy(self):
        """Dynamic eddy viscosity of each cell; zeros without a closure."""
        return self.no_eddy if self.closure is None else self.closure.eddy

    def residual(self, state, out=None):
        """Scaled sum of fluxes out of each cell, shape (n_cells, 4): mass, energy, momentum x, y."""
        m = self.mesh
        out = np.empty_like(state) if out is None else out
        constants, raw = self.constants, self.grad
        viscous, first = constants[k.VISCOUS] != 0, constants[k.FIRST_ORDER] != 0
        if not first or viscous:
            k.gradients(state, *self.scalar, *self.velocity, self.ghost, self.grad)
        if constants[k.LIMIT] != 0 and not first:
            raw = self.grad.copy() if viscous else self.grad
            k.limit_gradients(state, self.scalar[0], self.scalar[1], self.cell_face_start, self.cell_faces,
                              self.cell_face_sign, self.reach, self.epsilon2, self.limiter_frozen, self.limiter_share, self.grad)
        if self.closure is not None:
            k.molecular_viscosity(state, constants, self.molecular)
            self.wall_treatment.update(state)
            self.closure.update(state, self.molecular, raw)
        inner = self.n_interior
        if self.has_strong_shocks:
            mark_shocks(state, self.cell_face_start, self.cell_faces, self.cell_face_sign, self.left, self.right, m.normal, inner, constants[k.GAMMA], self.shock_bounds, not first, self.limiter_frozen, self.grad, self.shock)
        k.interior_fluxes(state, self.grad, raw, self.eddy, self.shock, self.left[:inner], self.right[:inner], m.normal[:inner], m.area[:inner],
                          self.reach[:inner], m.centre, constants, self.flux)
        self._boundary(self.solid_local, state)
        self._update_far_field()
        self._boundary(self.far_local, state)
        k.gather(self.flux, self.cell_face_start, self.cell_faces, self.cell_face_sign, self.row_scale,
                 self.stream.total_enthalpy, out)
        if self.mesh.is_revolved:
            k.add_ring_terms(state, raw, self.eddy, m.cell_area, m.centre, self.row_scale, constants, out)
        if self.time_rate > 0:
            k.add_time_derivative(state, m.volume, self.time_rate, self.history, self.row_scale, self.stream.total_enthalpy, self.stream.gamma, out)
        if self.closure is not None:
            self.closure.residual(state, self.molecular, raw, out)
        return out

    def _boundary(self, subset, state):
        m, inner = self.mesh, self.n_interior
        k.boundary_fluxes(state, self.grad, subset, self.left[inner:], self.kind, self.ghost, self.wall_treatment.shear, m.normal[inner:],
                          m.area[inner:], self.reach[inner:], m.face_centre[inner:], m.centre, self.constants, self.flux[inner:],
                          self.wall_pressure)

    def _update_far_field(self):
        """Give the far field the vortex of the lift on the walls.

        It is part of the residual, so that the Newton steps see it: updated between steps
        it made their number three times as large.
        """
        if self.vortex:
            lift = float((self.flux[self.wall][:, 2:] @ self._lift_direction).sum())
            faces = self.n_interior + self.far_local
            self.ghost[self.far_local] = self.stream.far_field(self.mesh.face_centre[faces], lift / self.stream.mach)

    def wall_loads(self):
        """Force on each wall face from the last residual.

        Returns
        -------
        pressure, friction : ndarray, shape (n_wall, 2)
            Scaled by rho_inf a_inf^2 times the reference length. On blown faces the second is the
            momentum of the blown air (see `is_blown`).
        """
        scale = (self.wall_pressure[self.wall_local] * self.mesh.area[self.wall])[:, None]
        pressure = scale * self.mesh.normal[self.wall]
        return pressure, self.flux[self.wall][:, 2:] - pressure

    @property
    def is_blown(self):
        """Which of the wall faces blow or suck, shape (n_wall,)."""
        return self.kind[self.wall_local] == k.BLOWN

    def fill_off_diagonals(self, face_values, scale, values):
        """Put a closure's dependence on its neighbours, [left on right, right on left] per face, into the matrix rows."""
        inside = self._inside
        values[self.slot[inside]] = scale * face_values[self.cell_faces[inside], self._side]

    def prepare(self, state, courant):
        """Assemble and factorise the first-order Jacobian with a pseudo-time term."""
        m = self.mesh
        jacobians.spectral_sums(state, self.eddy, self.cell_face_start, self.cell_faces, self.cell_face_sign, m.normal, m.area, m.volume,
                        self.constants, self.time_sum)
        jacobians.face_jacobians(state, self.eddy, self.left, self.right, self.n_interior, self.kind, self.ghost, self.wall_treatment.shear, m.normal, m.area,
                         m.face_centre, m.centre, self.constants, self.jacobians)
        jacobians.assemble(state, self.eddy, m.cell_area, m.centre, self.jacobians, self.time_sum / courant, self.time_rate, m.volume, self.cell_face_start, self.cell_faces,
                   self.cell_face_sign, self.row_start, self.slot, self.row_scale, self.column_scale,
                   self.stream.total_enthalpy, self.constants, self.values, self.gamma)
        factorisation.factorise(self.row_start, self.columns, self.values, self.fill_start, self.fill_columns,
                                self.diagonal, self.factors)
        if self.closure is not None:
            self.closure.prepare(state, self.molecular, self.time_sum / courant)

    def apply_factors(self, vector):
        """Approximate inverse of the prepared matrix times a vector of the state's shape."""
        out = np.empty_like(vector)
        factorisation.solve_factors(self.fill_start, self.fill_columns, self.diagonal, self.factors, vector, out)
        if self.closure is not None:
            self.closure.apply_factors(vector, out)
        return out

    def add_pseudo_time(self, vector, out):
        """Add the prepared pseudo-time term times a scaled vector."""
        block_diagonal_product(self.gamma, vector, out)
        if self.closure is not None:
            out[:, 4:] += self.closure.pseudo_time * vector[:, 4:]

    def conserved(self, state):
        """What is kept of a time level: conserved variables and the closure's columns."""
        out = state.copy()
        k.conserved(state, self.stream.gamma, out)
        return out

    def clip_change(self, state, change, most):
        """Hold a change within bounds, cell by cell; returns how many cells were held."""
        return clip_change(state, change, most)

    def linear_operator(self, state, residual):
        """Product of the exact (finite-difference) Jacobian, pseudo-time term included, with a scaled vector."""
        def product(vector):
            norm = np.sqrt((vector**2).mean())
            if norm == 0:
                return np.zeros_like(vector)
            step = 2e-7 / norm
            self.wall_treatment.held = True
            out = self.residual(state + (step * vector) * self.column_scale)
            self.wall_treatment.held = False
            out -= residual
            out /= step
            self.add_pseudo_time(vector, out)
            return out
        return product
