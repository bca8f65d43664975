"""The flow equations on one mesh, in the plane or in space: residual, forces, first-order Jacobian and its
factors."""
import numpy as np

from . import positions as k
from .boundaries.registry import BLOWN, FAR_FIELD, NO_SLIP, OUTLET, lay_out
from .closures.catalogue import CATALOGUE
from .closures.contract import ClosureOptions
from .driven_walls import DrivenOn
from .factors.filled import FilledFactors
from .factors.held import HeldProducts
from .factors.strips import StripFactors
from .frame import Repeated, add_turning, add_turning_blocks, face_drift, spin
from .loops import Border, Cells, Faces, changes, fluxes, jacobians, reconstruction
from .loops.fluxes import add_ring_terms
from .loops.relations import molecular_viscosity
from .shocks import AROUND_BODIES, mark_shocks
from .stencils.plane import PlaneStencils
from .stencils.space import SpaceStencils
from .stream import CENTRED_ON_CUBES
from .wall_treatment import WallTreatment

PRECONDITION_BELOW = 0.6
LIMIT_ABOVE = 0.6
# From this Mach number on a shock may be a strong one.
STRONG_ABOVE = 1.2
# What the limiter lets pass as smooth: a share of the dynamic scales; in space beyond Mach 1 of the ambient
# values.
SMOOTH, SUPERSONIC_SMOOTH = 0.3, 0.05
# A cell is cold that lies so many times the cooling by the fastest speed below what its pressure asks for.
COLD = 2.0
# Absolute pressure in space below which nothing more is taken from a cell, over that of the stream.
EMPTY = 0.056
# Relative step of differences through the residual.
STEP = 2e-7


class Discretisation:
    """Everything that depends on the mesh and the free stream but not on the state.

    Parameters
    ----------
    mesh : Mesh or SpatialMesh
    stream : FreeStream
        In space its incidence is not used: `direction` says where the stream goes.
    wall_kind : {"slip", "no-slip"} or None
        Of the body's walls; None is no-slip when the flow has friction.
    limit, precondition : bool or None
        None decides by the Mach number.
    vortex : bool
        Whether the far field of a plane carries the vortex of the lift.
    closure : str or None
        A name of the catalogue: the turbulence closure that is solved along; a state then has its columns
        too.
    laminar_until : float or None
        Station up to which the boundary layer is kept laminar.
    boundaries : dict of str to Boundary or None
        Conditions of named boundaries; the others are walls of `wall_kind`, symmetry, or far field.
    bridge : bool
        Whether a wall function takes over where the first cell stands beyond the sublayer.
    mixing : float
        Eddy viscosity over speed and reference length that free shear makes here; scales a closure's
        equation.
    strength : float or None
        Mach number that measures the waves which the limiter must not see; None takes the stream's, at most
        1.
    shock_bounds : tuple or None
        Which shocks count as strong, see `shocks`; given, they are looked for at any speed of the stream.
        None takes those around bodies, and looks for them in a supersonic stream.
    direction : array, shape (3,)
        Of the stream in space.
    detached : bool
        Detached-eddy simulation.
    omega : float
        Speed at which mesh and axes turn about x, over a_inf per reference length; the state's velocity is
        that against axes at rest (see `frame`).
    turning_near : TurningNear or None
        Where they turn; None turns all of them.
    pace : float or None
        Mach number of the fastest motion there is, which scales residuals and unknowns; None takes the
        stream's.
    driven : sequence of DrivenWall
        Walls of a plane whose blowing or sliding changes in time.
    motion : Motion, TurningZones or None
        How a plane's grid moves, as one piece or its turning zones in it; until a march in time moves it, it
        stands as at time 0.

    Attributes
    ----------
    dim : int
    n_cells, n_own : int
        With and without the images beyond sides that repeat each other; states given and returned have no
        rows for those.
    row_scale, column_scale : ndarray
        Scales that make residuals and unknowns of order one at any Mach number.
    wall_pressure : ndarray
        Gauge pressure on each boundary face after the last residual.
    outflow : RadialEquilibrium or None
        What sets the pressure of an outlet while the state changes.
    turned : ndarray, shape (n_cells,)
        Volume times the speed at which the axes turn there; where they turn.
    even_turning : EvenTurning or None
        What mends the motion of air that is alike all round the axis of turning ones.
    moved : Moved, Turned or None
        Puts a grid that moves where it is at a time.
    driven : DrivenOn or None
        Puts driven walls where they are at a time.
    exact_products : bool
        Whether a march may no longer hold the flux derivatives.
    """

    exact_products = False

    def __init__(self, mesh, stream, wall_kind=None, limit=None, precondition=None, vortex=True, closure=None,
                 laminar_until=None, boundaries=None, bridge=True, mixing=0.0, strength=None,
                 shock_bounds=None, direction=(1.0, 0.0, 0.0), detached=False, omega=0.0, motion=None,
                 pace=None, driven=(), turning_near=None):
        self.mesh, self.stream, self.dim = mesh, stream, mesh.dim
        mach, flat = stream.mach, self.dim == 2
        limit = mach > LIMIT_ABOVE if limit is None else limit
        precondition = mach < PRECONDITION_BELOW if precondition is None else precondition
        self.vortex = vortex and mach < 1 and flat
        self.has_strong_shocks = limit and (mach > STRONG_ABOVE or shock_bounds is not None)
        self.shock_bounds = shock_bounds or AROUND_BODIES
        self.constants = stream.constants(limit, precondition)
        self.constants[k.AXISYMMETRIC] = float(mesh.is_revolved)
        if not flat:
            self.constants[k.PUSH], self.constants[k.EMPTY] = 1.0, EMPTY / stream.gamma
            if mesh.lines is None:
                self.constants[k.CENTRED] = CENTRED_ON_CUBES
        self.direction = np.asarray(direction, dtype=float) / np.linalg.norm(direction)
        self.free = stream.state if flat else np.concatenate([[0.0, 1.0], mach * self.direction])
        self.n_cells, self.n_own, self.n_interior = mesh.n_cells, mesh.n_own, mesh.n_interior
        self.omega = omega
        self.repeated = None if mesh.images is None else Repeated(mesh.images, mesh.n_own)
        self.wall = mesh.wall_faces()
        self.wall_local = self.wall - self.n_interior
        self._choose_loops()
        self._scale(strength, pace or mach)
        self.fastest, self.boundaries = pace or mach, boundaries or {}
        if wall_kind is None:
            wall_kind = "slip" if stream.reynolds is None else "no-slip"
        self._lay_out(wall_kind, boundaries or {}, closure is not None, motion is not None, turning_near)
        self._allocate()
        self.wall_treatment = WallTreatment(self, bridge and closure is not None)
        self.closure = self.outflow = self.even_turning = None
        # Cells without slopes; see `flatten_cold`.
        self.plain = None
        # Physical time: coefficient of the present level, and what the levels before contribute, per volume.
        self.time_rate = 0.0
        if closure is not None:
            self.closure = CATALOGUE[closure].make(self, ClosureOptions(laminar_until, detached, mixing))
            self.column_scale = np.append(self.column_scale, self.closure.column_scale)
        self.history = np.zeros((self.n_cells, self.columns_of_state))
        self.moved = None if motion is None else motion.on(self)
        self.driven = DrivenOn(self, driven) if driven else None
        if closure is not None and not flat:
            self._weigh_closure()

    def _choose_loops(self):
        flat = self.dim == 2
        self._reconstruct = reconstruction.PLANE if flat else reconstruction.SPACE
        self._flux = fluxes.PLANE if flat else fluxes.SPACE
        self._jacobian = jacobians.PLANE if flat else jacobians.SPACE
        self._change = changes.PLANE if flat else changes.SPACE

    def _scale(self, strength, mach):
        g, dim = self.stream.gamma, self.dim
        energy = (g - 1) / mach**3 if mach <= 1 else (g - 1) / mach
        self.row_scale = np.array([1 / mach, energy] + dim * [1 / mach**2])
        self.constants[k.MACH] = mach
        self.column_scale = np.array([mach**2, (g - 1) * mach**2] + dim * [mach])
        # The limiter must not see waves weaker than this; in supersonic flow the stream's own pressure is the
        # measure, or it would overlook undershoots to vacuum.
        s = strength or min(mach, 1.0)
        smooth = SMOOTH * np.array([0.5 * g * s**2, (g - 1) * s**2] + dim * [s])
        if dim == 3 and mach > 1:
            smooth = SUPERSONIC_SMOOTH * np.array([1 / g, 1.0] + dim * [1.0])
        self.epsilon2 = smooth**2

    def _lay_out(self, wall_kind, boundaries, turbulent, moves, turning_near):
        """Boundary conditions, stencils, and the arrays that the loops read."""
        mesh, inner = self.mesh, self.n_interior
        self.kind, self.ghost = lay_out(mesh, self.free, wall_kind, boundaries)
        cell = mesh.left[inner:]
        gap = np.einsum("ij,ij->i", mesh.face_centre[inner:] - mesh.centre[cell], mesh.normal[inner:])
        if self.dim == 3:
            gap = np.maximum(gap, 0.1 * mesh.size[cell])
        first, faces, sign = mesh.cell_faces()
        faces, sign = faces.astype(np.int32), sign.astype(np.float32)
        drift, cell_drift = np.empty((0, self.dim)), np.empty((0, self.dim))
        if self.omega:
            near = np.ones(mesh.n_cells) if turning_near is None else turning_near.share(mesh.centre)
            self.turned = self.omega * near * mesh.volume
            drift = face_drift(mesh, self.omega, turning_near)
            cell_drift = spin(mesh.centre, self.omega) * near[:, None]
        elif moves:
            drift, cell_drift = np.zeros((mesh.n_faces, 2)), np.zeros((mesh.n_cells, 2))
        self.cells = Cells(mesh.centre, mesh.volume, first, faces, sign, cell_drift)
        self.stencils = (PlaneStencils(mesh, self.kind, (first, faces, sign), turbulent) if self.dim == 2 else
                         SpaceStencils(mesh, self.kind, (first, faces, sign), turbulent, drift))
        self.scalar, self.velocity, self.distance = (self.stencils.scalar, self.stencils.velocity,
                                                     self.stencils.distance)
        self.faces = Faces(mesh.left, mesh.right, mesh.normal, mesh.area, mesh.face_centre,
                           self.stencils.offset, drift, self.stencils.blend)
        self.border = Border(cell, self.kind, self.ghost, gap, np.ones(len(cell)))
        solid = np.nonzero(self.kind != FAR_FIELD)[0]
        self.far_local = np.nonzero(self.kind == FAR_FIELD)[0]
        # The far field comes after the walls, whose lift it carries.
        self._subsets = (solid, self.far_local) if self.vortex else (np.arange(len(cell)), )
        self.cell_size = np.sqrt(mesh.cell_area) if self.dim == 2 else mesh.width
        # Of the flat cells of wall layers in space less than their size.
        self.cell_height = self.cell_size if self.dim == 2 else mesh.size
        # By the area of the smallest cubes: a few huge cells far downstream would otherwise make up the whole
        # norm by which systems are solved and steps are judged.
        self.closure_weight = np.ones(self.n_cells) if self.dim == 2 else (mesh.width.min() / mesh.width)**2

    def _allocate(self):
        n, nf, nv = self.n_cells, self.mesh.n_faces, self.flow_columns
        self.factors = (FilledFactors if self.dim == 2 else StripFactors)(self.mesh, self.cells[2:5])
        self.factor_type = np.float64 if self.dim == 2 else np.float32
        self.grad, self.raw, self.flux = np.empty((n, nv, self.dim)), None, np.empty((nf, nv))
        self.wall_pressure = np.zeros(nf - self.n_interior)
        self.time_sum, self.molecular, self.no_eddy, self.shock = np.empty(n), np.empty(n), np.zeros(
            n), np.zeros(n)
        # Without the limiter nobody asks for its shares.
        self.limiter_share = np.ones((n if self.constants[k.LIMIT] else 0, nv))
        self.limiter_frozen = False
        self.jacobians = np.empty((2, nf, nv, nv), dtype=np.float32)
        self.friction = np.empty((nf, 2), dtype=np.float32)
        self.diagonal = np.empty((n, nv, nv), dtype=np.float32)
        self.gamma = np.empty((n, nv, nv), dtype=self.factor_type)
        self.turning = np.zeros((n if self.omega else 0, 3, nv), dtype=np.float32)
        self._held = None

    def _weigh_closure(self):
        """Scale the closure's equation so that at an impulsive start it weighs no more than the flow's.

        Far from the body, where cells are huge, it would otherwise rule the norm by which steps are judged
        and systems are solved.
        """
        residual, nv = self.residual(self.uniform_state()), self.flow_columns
        flow, own = (float(np.sqrt((part**2).mean())) for part in (residual[:, :nv], residual[:, nv:]))
        if own > flow > 0:
            self.closure.row_scale *= flow / own

    @property
    def holds_derivatives(self):
        """Whether products take the flux derivatives as they were held: in space with a closure or in a
        passage, in steady flow, without strong shocks, until a march asks for the exact ones."""
        steady = (self.closure is not None or self.repeated is not None) and self.time_rate == 0
        return self.dim == 3 and steady and not self.has_strong_shocks and not self.exact_products

    @property
    def krylov_type(self):
        """Precision of the vectors that systems are solved with: single with held derivatives and in steps
        in time, whose systems are solved to a few thousandths."""
        return np.float32 if self.holds_derivatives or self.time_rate > 0 else np.float64

    @property
    def flow_columns(self):
        return self.dim + 2

    @property
    def columns_of_state(self):
        return self.flow_columns + (0 if self.closure is None else self.closure.columns)

    @property
    def first_order(self):
        return bool(self.constants[k.FIRST_ORDER])

    @first_order.setter
    def first_order(self, value):
        self.constants[k.FIRST_ORDER] = float(value)

    def uniform_state(self):
        """The undisturbed stream in every cell and the closure's columns, shape (n_cells,
        columns_of_state)."""
        state = np.tile(self.free, (self.n_own, 1))
        if self.closure is None:
            return state
        return np.hstack([state, self.closure.start(self.distance)[:self.n_own]])

    @property
    def eddy(self):
        """Dynamic eddy viscosity of each cell; zeros without a closure."""
        return self.no_eddy if self.closure is None else self.closure.eddy

    def residual(self, state, out=None):
        """Scaled sum of fluxes out of each cell: mass, energy, momentum, and the closure's."""
        m, c, inner = self.mesh, self.constants, self.n_interior
        if self.repeated:
            state = self.repeated.with_images(state)
        out = np.empty_like(state) if out is None else out
        if self.outflow is not None:
            self.outflow.follow(state)
        raw = self._gradients(state)
        if self.closure is not None:
            molecular_viscosity(state, c, self.molecular)
            self.wall_treatment.update(state)
            self.closure.update(state, self.molecular, raw)
        if self.has_strong_shocks:
            mark_shocks(state, *self.cells[2:5], m.left, m.right, m.normal, inner, c[k.GAMMA],
                        self.shock_bounds, not self.first_order, self.limiter_frozen, self.grad, self.shock)
            if self.repeated:
                self.repeated.fill(self.shock)
                self.repeated.fill_gradients(self.grad)
        self._flux.interior_fluxes(state, self.grad, raw, self.eddy, self.shock, self.faces, self.cells,
                                   inner, c, self.flux)
        for number, subset in enumerate(self._subsets):
            if number == 1:
                self._update_far_field()
            self._flux.boundary_fluxes(state, self.grad, subset, self.border, self.faces, self.cells, inner,
                                       c, self.flux, self.wall_pressure)
        enthalpy = self.stream.total_enthalpy
        self._flux.gather(self.flux, self.cells, self.row_scale, enthalpy, out)
        if self.omega:
            add_turning(state, self.turned, self.row_scale, self.stream.gamma, out)
            if self.even_turning is not None and not self.first_order:
                self.even_turning.mend(state, self.row_scale, out)
        if m.is_revolved:
            add_ring_terms(state, raw, self.eddy, m.cell_area, m.centre, self.row_scale, c, out)
        if self.time_rate > 0:
            self._flux.add_time_derivative(state, m.volume, self.time_rate, self.history, self.row_scale,
                                           enthalpy, self.stream.gamma, out)
        if self.closure is not None:
            self.closure.residual(state, self.molecular, raw, out)
        return out[:self.n_own]

    def _gradients(self, state):
        """Fill `grad` with what the fluxes reconstruct by; returns the gradients before the limiter."""
        c, first = self.constants, self.first_order
        viscous = c[k.VISCOUS] != 0
        if not first or viscous:
            self._reconstruct.gradients(state, *self.scalar, *self.velocity, self.ghost, self.grad)
            self.stencils.mend(state, self.grad)
            if self.plain is not None and not first:
                self.grad[self.plain, :self.flow_columns] = 0.0
            if self.repeated:
                self.repeated.fill_gradients(self.grad)
        if c[k.LIMIT] == 0 or first:
            return self.grad
        raw = self.grad
        if viscous:
            self.raw = np.empty_like(self.grad) if self.raw is None else self.raw
            raw = self.raw
            raw[:] = self.grad
        self._reconstruct.limit_gradients(state, self.scalar[0], self.scalar[1], self.faces, self.cells,
                                          self.epsilon2, self.limiter_frozen, self.limiter_share, self.grad)
        if self.repeated:
            self.repeated.fill_gradients(self.grad)
        return raw

    def flatten_cold(self, state):
        """Take the slopes of cells that are colder than air of their pressure can be, and of their
        neighbours, until this is asked again.

        Without heat taken out, entropy only rises. At low speeds, which have no limiter, the temperature of
        the smallest cells at a sharp trailing edge may run down in time all the same.
        """
        if self.constants[k.LIMIT] or self.loses_heat:
            return
        g = self.stream.gamma
        low = (1 + g * state[:self.n_own, 0])**((g - 1) / g) - state[:self.n_own, 1]
        cold = low > COLD * 0.5 * (g - 1) * self.fastest**2
        if not cold.any():
            self.plain = None
            return
        inner, m = self.n_interior, self.mesh
        beside = cold.copy()
        beside[m.left[:inner][cold[m.right[:inner]]]] = True
        beside[m.right[:inner][cold[m.left[:inner]]]] = True
        self.plain = np.nonzero(beside)[0]

    @property
    def loses_heat(self):
        """Whether anything but the stream's own air and adiabatic walls is about."""
        return any(b.isothermal or b.heat or b.kind == "blown" for b in self.boundaries.values())

    def _update_far_field(self):
        """Give the far field the vortex of the lift on the walls.

        It is part of the residual, so that the Newton steps see it: updated between steps
        it made their number three times as large.
        """
        lift = float((self.flux[self.wall][:, 2:] @ self.stream.axes[1]).sum())
        faces = self.n_interior + self.far_local
        self.ghost[self.far_local] = self.stream.far_field(self.mesh.face_centre[faces],
                                                           lift / self.stream.mach)

    def wall_loads(self):
        """Force on each wall face from the last residual.

        Returns
        -------
        pressure, friction : ndarray, shape (n_wall, dim)
            Scaled by rho_inf a_inf^2 times the reference length (in a plane) or area. On faces that blow,
            suck or are open the second is the momentum of what passes (see `is_blown`).
        """
        scale = (self.wall_pressure[self.wall_local] * self.mesh.area[self.wall])[:, None]
        pressure = scale * self.mesh.normal[self.wall]
        return pressure, self.flux[self.wall][:, 2:] - pressure

    @property
    def is_blown(self):
        """Which of the wall faces let air pass, shape (n_wall,)."""
        kind = self.kind[self.wall_local]
        return (kind == BLOWN) | (kind >= OUTLET)

    @property
    def is_sticky(self):
        """Which of the wall faces have friction, shape (n_wall,)."""
        return self.kind[self.wall_local] == NO_SLIP

    def prepare(self, state, courant):
        """Assemble and factorise the first-order Jacobian with a pseudo-time term."""
        m, c, scales = self.mesh, self.constants, (self.row_scale, self.column_scale,
                                                   self.stream.total_enthalpy)
        if self.repeated:
            state = self.repeated.with_images(state)
        self._jacobian.spectral_sums(state, self.eddy, self.faces, self.cells, c, self.time_sum)
        self._jacobian.face_jacobians(state, self.eddy, self.border, self.faces, m.centre, self.n_interior, c,
                                      *scales, self.jacobians, self.friction)
        planar = m.cell_area if self.dim == 2 else m.volume
        self._jacobian.assemble_diagonal(state, self.eddy, self.jacobians, self.time_sum / courant,
                                         self.time_rate, planar, self.cells, c, *scales, self.diagonal,
                                         self.gamma)
        if self.omega:
            add_turning_blocks(state, self.turned, *scales[:2], self.stream.gamma, self.diagonal,
                               self.turning)
        self.factors.factorise(self.jacobians, self.diagonal)
        if self.closure is not None:
            self.closure.prepare(state, self.molecular, self.time_sum / courant)

    def apply_factors(self, vector):
        """Approximate inverse of the prepared matrix times a vector of the state's shape."""
        out = np.empty_like(vector)
        self.factors.solve(vector, out)
        if self.closure is not None:
            self.closure.apply_factors(vector, out)
        return out

    def add_pseudo_time(self, vector, out):
        """Add the prepared pseudo-time term times a scaled vector."""
        self._change.block_diagonal_product(self.gamma, vector, out)
        if self.closure is not None:
            nv = self.flow_columns
            out[:, nv:] += self.closure.pseudo_time[:len(vector)] * vector[:, nv:]

    def linear_operator(self, state, residual):
        """Product of the Jacobian, pseudo-time term included, with a scaled vector.

        Exact, by finite differences; or with the flux derivatives held, which costs far less (see
        `holds_derivatives`). Differences are taken in double precision whatever that of the vector is.
        """
        if self.holds_derivatives:
            self._held = self._held or HeldProducts(self)
            return self._held

        def product(vector):
            norm = np.linalg.norm(vector) / np.sqrt(vector.size)
            if norm == 0:
                return np.zeros_like(vector)
            step = STEP / norm
            self.wall_treatment.held = True
            out = self.residual(state + (step * vector) * self.column_scale)
            self.wall_treatment.held = False
            out -= residual
            out /= step
            self.add_pseudo_time(vector, out)
            return out.astype(vector.dtype, copy=False)

        return product

    def conserved(self, state):
        """What is kept of a time level: conserved variables and the closure's columns."""
        out = state.copy()
        self._flux.conserved(state, self.stream.gamma, out)
        return out

    def clip_change(self, state, change, most):
        """Hold a change within bounds, cell by cell; returns how many cells were held."""
        return self._change.clip_change(state, change, most, self.constants)
