"""The flow equations on a spatial mesh; offers what the planar Discretisation offers to the marches."""
from functools import partial

import numpy as np

from .. import kernels as k
from ..discretisation import LIMIT_ABOVE, PRECONDITION_BELOW, STRONG_ABOVE
from ..shear_stress_transport import SHOCK_SHEAR_LIMIT
from ..shocks import AROUND_BODIES, mark_shocks
from . import held
from . import kernels as s
from . import relaxation as r
from .shear_stress_transport import SpatialShearStressTransport
from .spalart_allmaras import SpatialSpalartAllmaras
from .stencils import neighbour_rows, weights, with_wall_feet
from .walls import SpatialWalls

KINDS = {"slip": k.SLIP, "no-slip": k.NO_SLIP, "far field": k.FAR_FIELD, "outlet": k.OUTLET, "inlet": k.INLET}
SUPERSONIC_THRESHOLD = 0.05
# Walls whose area vectors add up to less than this share of their area face each other.
PINCHED = 0.6
CLOSURES = {"spalart-allmaras": SpatialSpalartAllmaras, "sst": SpatialShearStressTransport, "sst-shock": partial(SpatialShearStressTransport, shear_limit=SHOCK_SHEAR_LIMIT)}


class SpatialDiscretisation:
    """Everything that depends on the mesh and the stream but not on the state.

    Parameters
    ----------
    mesh : SpatialMesh
    stream : FreeStream
        Its incidence is not used: `direction` says where the stream goes.
    boundaries : dict of str to (kind, velocity)
        Condition of every named boundary; `velocity` is None, a vector over a_inf, or a callable of face centres.
        Names that are missing are no-slip on the body when the flow has friction, slip otherwise, and far field on the box.
    closure : {None, "spalart-allmaras", "sst", "sst-shock"}
    direction : array, shape (3,)
    detached : bool
        Detached-eddy simulation.

    Attributes
    ----------
    exact_products : bool
        Whether a march may no longer hold the flux derivatives.
    """

    exact_products = False

    def __init__(self, mesh, stream, boundaries=None, closure=None, direction=(1.0, 0.0, 0.0), limit=None, precondition=None, detached=False):
        self.mesh, self.stream = mesh, stream
        mach = stream.mach
        limit = mach > LIMIT_ABOVE if limit is None else limit
        precondition = mach < PRECONDITION_BELOW if precondition is None else precondition
        self.has_strong_shocks = limit and mach > STRONG_ABOVE
        self.constants = stream.constants(limit, precondition)
        self.direction = np.asarray(direction, dtype=float) / np.linalg.norm(direction)
        self.free = np.concatenate([[0.0, 1.0], mach * self.direction])
        self.n_cells, self.n_interior = mesh.n_cells, mesh.n_interior
        self.face_start, self.faces, self.sign = mesh.cell_faces()
        self.faces, self.sign = self.faces.astype(np.int32), self.sign.astype(np.float32)
        # Faces between a cell and those of higher number.
        self.later = np.searchsorted(mesh.left[:self.n_interior], np.arange(self.n_cells + 1))
        self.strips = np.linspace(0, self.n_cells, r.STRIPS + 1).astype(np.int64)
        self.wall = mesh.wall_faces()
        self._lay_out(boundaries or {})
        energy = (stream.gamma - 1) / mach**3 if mach <= 1 else (stream.gamma - 1) / mach
        self.row_scale = np.array([1 / mach, energy, 1 / mach**2, 1 / mach**2, 1 / mach**2])
        self.column_scale = np.array([mach**2, 0.4 * mach**2, mach, mach, mach])
        # What the limiter lets pass as smooth: a share of the dynamic scales, beyond Mach 1 a smaller one of the ambient values.
        threshold = 0.3 * np.array([0.7 * mach**2, 0.4 * mach**2, mach, mach, mach]) if mach <= 1 else SUPERSONIC_THRESHOLD * np.array([0.7, 1.0, 1.0, 1.0, 1.0])
        self.epsilon2 = threshold**2
        self.time_rate = 0.0
        self.closure = None
        self.bridged = closure is not None
        self._stencils()
        self._allocate()
        self.wall_treatment = SpatialWalls(self, closure is not None)
        if closure is not None:
            self.closure = CLOSURES[closure](self, detached)
            self.column_scale = np.append(self.column_scale, self.closure.column_scale)
        self.history = np.zeros((self.n_cells, self.columns_of_state))
        if closure is not None:
            self._weigh_closure()

    @property
    def krylov_type(self):
        """Single precision where flux derivatives are held: with a closure, in steady flow, without strong shocks, until a march asks for the exact ones."""
        held = self.closure is not None and self.time_rate == 0 and not self.has_strong_shocks and not self.exact_products
        return np.float32 if held else np.float64

    @property
    def flow_columns(self):
        return s.NV

    @property
    def columns_of_state(self):
        return s.NV if self.closure is None else s.NV + self.closure.columns

    def _lay_out(self, boundaries):
        mesh, first = self.mesh, self.n_interior
        n = mesh.n_faces - first
        self.kind, self.ghost = np.full(n, k.FAR_FIELD, dtype=np.int64), np.tile(self.free, (n, 1))
        for name, faces in mesh.boundaries.items():
            wall = "slip" if self.stream.reynolds is None else "no-slip"
            kind, velocity = boundaries.get(name, (wall if name in mesh.walls else "far field", None))
            self.kind[faces - first] = KINDS[kind]
            if kind == "no-slip":
                value = velocity(mesh.face_centre[faces]) if callable(velocity) else np.zeros(3) if velocity is None else np.asarray(velocity)
                self.ghost[faces - first, 2:5] = value
        cell = mesh.left[first:]
        gap = np.einsum("ij,ij->i", mesh.face_centre[first:] - mesh.centre[cell], mesh.normal[first:])
        self.gap = np.maximum(gap, 0.1 * mesh.size[cell])
        self.distance = self._wall_distance()

    def _wall_distance(self):
        """Distance of each cell to the nearest wall with friction: the body, or a side of the box."""
        mesh, first, out = self.mesh, self.n_interior, self.mesh.distance
        for name, faces in mesh.boundaries.items():
            if name not in mesh.walls and len(faces) and self.kind[faces[0] - first] == k.NO_SLIP:
                axis = int(np.argmax(np.abs(mesh.normal[faces[0]])))
                out = np.minimum(out, np.abs(mesh.centre[:, axis] - mesh.face_centre[faces[0], axis]))
        return out

    def _weigh_closure(self):
        """Scale the closure's equation so that at an impulsive start it weighs no more than the flow's.

        Far from the body, where cells are huge, it would otherwise rule the norm by which steps are judged and systems are solved.
        """
        start = self.uniform_state()
        residual = self.residual(start)
        flow, own = (float(np.sqrt((residual[:, c] ** 2).mean())) for c in (slice(0, s.NV), slice(s.NV, None)))
        if own > flow > 0:
            self.closure.row_scale *= flow / own

    def _pinched_cells(self, walls):
        """Cells that lie between walls facing each other: too few neighbours to tell how the flow changes across them."""
        mesh = self.mesh
        cell, vector = mesh.left[walls], mesh.normal[walls] * mesh.area[walls, None]
        total = np.bincount(cell, mesh.area[walls], minlength=self.n_cells)
        summed = np.stack([np.bincount(cell, vector[:, a], minlength=self.n_cells) for a in range(3)], axis=1)
        return np.nonzero(np.linalg.norm(summed, axis=1) < PINCHED * total)[0]

    def _stencils(self):
        mesh, first = self.mesh, self.n_interior
        walls = first + np.nonzero((self.kind == k.SLIP) | (self.kind == k.NO_SLIP))[0]
        cut = np.unique(np.concatenate([mesh.left[self.wall], np.nonzero(np.bincount(mesh.left[:first], minlength=self.n_cells)
                                        + np.bincount(mesh.right[:first], minlength=self.n_cells) < 4)[0]]))
        start, neighbour = neighbour_rows(mesh, (self.face_start, self.faces, self.sign), cut)
        self.scalar = start, neighbour.astype(np.int32), weights(mesh, start, mesh.centre[neighbour])
        self.velocity = self.scalar
        sticky = walls[self.kind[walls - first] == k.NO_SLIP]
        if len(sticky) and not self.bridged:
            rows, members, points = with_wall_feet(mesh, start, neighbour, sticky)
            self.velocity = rows, members.astype(np.int32), weights(mesh, rows, points)
        self.pinched = self._pinched_cells(walls)
        turned = np.nonzero((self.kind == k.SLIP) | ((self.kind == k.NO_SLIP) & self.bridged))[0]
        turned = turned[~np.isin(mesh.left[first:][turned], self.pinched)]
        order = np.argsort(mesh.left[first:][turned], kind="stable")
        self.turned = turned[order]
        self.turned_cells, head = np.unique(mesh.left[first:][self.turned], return_index=True)
        self.turned_first = np.append(head, len(self.turned)).astype(np.int64)

    def _allocate(self):
        n, nf = self.n_cells, self.mesh.n_faces
        self._held = None
        self.grad, self.raw, self.flux = np.empty((n, s.NV, 3)), None, np.empty((nf, s.NV))
        self.wall_pressure = np.zeros(nf - self.n_interior)
        self.time_sum, self.molecular, self.no_eddy, self.shock = np.empty(n), np.empty(n), np.zeros(n), np.zeros(n)
        # Without the limiter nobody asks for its shares.
        self.limiter_share, self.limiter_frozen = np.ones((n if self.constants[k.LIMIT] else 0, s.NV)), False
        self.jacobians = np.empty((2, nf, s.NV, s.NV), dtype=np.float32)
        self.friction = np.empty((nf, 2), dtype=np.float32)
        self.diagonal, self.gamma = (np.empty((n, s.NV, s.NV), dtype=np.float32) for _ in range(2))

    @property
    def first_order(self):
        return bool(self.constants[k.FIRST_ORDER])

    @first_order.setter
    def first_order(self, value):
        self.constants[k.FIRST_ORDER] = float(value)

    @property
    def eddy(self):
        """Dynamic eddy viscosity of each cell; zeros without a closure."""
        return self.no_eddy if self.closure is None else self.closure.eddy

    def uniform_state(self):
        """The undisturbed stream in every cell."""
        state = np.tile(self.free, (self.n_cells, 1))
        return state if self.closure is None else np.hstack([state, self.closure.start(self.distance)])

    def residual(self, state, out=None):
        """Scaled sum of fluxes out of each cell: mass, energy, momentum x, y, z, and the closure's."""
        m, c = self.mesh, self.constants
        out = np.empty_like(state) if out is None else out
        viscous, first = c[k.VISCOUS] != 0, c[k.FIRST_ORDER] != 0
        raw, inner = self.grad, self.n_interior
        if not first or viscous:
            s.gradients(state, *self.scalar, *self.velocity, self.ghost, self.grad)
            s.turn_along_walls(state, self.turned_cells, self.turned_first, self.turned, m.normal[inner:], m.face_centre[inner:], m.centre, self.grad)
            self.grad[self.pinched] = 0.0
        if c[k.LIMIT] != 0 and not first:
            if viscous:
                self.raw = np.empty_like(self.grad) if self.raw is None else self.raw
                raw = self.raw
                raw[:] = self.grad
            s.limit_gradients(state, self.scalar[0], self.scalar[1], self.face_start, self.faces, self.sign, m.face_centre, m.centre,
                              self.epsilon2, self.limiter_frozen, self.limiter_share, self.grad)
        if self.closure is not None:
            k.molecular_viscosity(state, c, self.molecular)
            self.wall_treatment.update(state)
            self.closure.update(state, self.molecular, raw)
        if self.has_strong_shocks:
            mark_shocks(state, self.face_start, self.faces, self.sign, m.left, m.right, m.normal, inner, c[k.GAMMA], AROUND_BODIES, not first, self.limiter_frozen, self.grad, self.shock)
        s.interior_fluxes(state, self.grad, raw, self.eddy, self.shock, m.left[:inner], m.right[:inner], m.normal, m.area, m.face_centre, m.centre, c, self.flux)
        s.boundary_fluxes(state, self.grad, m.left[inner:], self.kind, self.ghost, self.wall_treatment.shear, self.gap, m.normal[inner:],
                          m.area[inner:], m.face_centre[inner:], m.centre, c, self.flux[inner:], self.wall_pressure)
        s.gather(self.flux, self.face_start, self.faces, self.sign, self.row_scale, self.stream.total_enthalpy, out)
        if self.time_rate > 0:
            s.add_time_derivative(state, m.volume, self.time_rate, self.history, self.row_scale, self.stream.total_enthalpy, self.stream.gamma, out)
        if self.closure is not None:
            self.closure.residual(state, self.molecular, raw, out)
        return out

    def wall_loads(self):
        """Force of the air on each wall face from the last residual: pressure, friction, each shape (n_wall, 3), over rho_inf a_inf^2 L^2."""
        scale = (self.wall_pressure[self.wall - self.n_interior] * self.mesh.area[self.wall])[:, None]
        pressure = scale * self.mesh.normal[self.wall]
        return pressure, self.flux[self.wall][:, 2:5] - pressure

    def prepare(self, state, courant):
        """Assemble and factorise the first-order Jacobian with a pseudo-time term."""
        m, c = self.mesh, self.constants
        r.spectral_sums(state, self.eddy, self.face_start, self.faces, self.sign, m.normal, m.area, m.volume, c, self.time_sum)
        r.face_jacobians(state, self.eddy, m.left, m.right, self.n_interior, self.kind, self.ghost, self.wall_treatment.shear, self.gap, m.normal,
                         m.area, m.centre, c, self.row_scale, self.column_scale, self.stream.total_enthalpy, self.jacobians, self.friction)
        r.assemble_diagonal(state, self.jacobians, self.time_sum / courant, self.time_rate, m.volume, self.face_start, self.faces, self.sign,
                            self.row_scale, self.column_scale, self.stream.total_enthalpy, c, self.diagonal, self.gamma)
        r.factorise(self.strips, self.later, m.right, self.jacobians, self.diagonal)
        if self.closure is not None:
            self.closure.prepare(state, self.molecular, self.time_sum / courant)

    def apply_factors(self, vector):
        """Approximate inverse of the prepared matrix times a vector of the state's shape."""
        out = np.empty_like(vector)
        r.solve(self.strips, self.later, self.mesh.right, self.jacobians, self.diagonal, vector, out)
        if self.closure is not None:
            self.closure.apply_factors(vector, out)
        return out

    def add_pseudo_time(self, vector, out):
        """Add the prepared pseudo-time term times a scaled vector."""
        r.block_diagonal_product(self.gamma, vector, out)
        if self.closure is not None:
            out[:, s.NV:] += self.closure.pseudo_time * vector[:, s.NV:]

    def linear_operator(self, state, residual):
        """Product of the Jacobian, pseudo-time term included, with a scaled vector.

        Exact, by finite differences; or with the flux derivatives held, which costs far less (see `krylov_type`).
        """
        if self.krylov_type == np.float32:
            return self._held_product
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

    def _held_product(self, vector):
        m, inner = self.mesh, self.n_interior
        if self._held is None:
            self._held = held.HeldGeometry(m, self.scalar, self.kind, self.strips, self.columns_of_state, self.grad, self.flux)
        h, grad, limit = self._held, self._held.grad, self.constants[k.LIMIT] != 0
        if self.first_order:
            grad[:] = 0.0
        else:
            held.change_gradients(vector, h.start, h.neighbour, h.weight, grad)
            s.turn_along_walls(vector, self.turned_cells, self.turned_first, self.turned, m.normal[inner:], m.face_centre[inner:], m.centre, grad)
            grad[self.pinched] = 0.0
            if limit:
                grad *= self.limiter_share[:, :, None]
        centred = 0.0 if self.first_order or limit else self.constants[k.CENTRED]
        out = np.empty_like(vector)
        held.product(vector, grad, self.jacobians, self.friction, self.gamma, self.closure.pairs, self.closure.matrix_diagonal, self.strips, self.later, m.right,
                     inner, h.edge_start, h.edges, h.offset, h.normal, h.share, np.float32(centred), h.across, out)
        held.hand_over(h.crossing, m.right, h.across, out)
        return out

    def conserved(self, state):
        """What is kept of a time level: conserved variables and the closure's columns."""
        out = state.copy()
        s.conserved(state, self.stream.gamma, out)
        return out

    def clip_change(self, state, change, most):
        """Hold a change within bounds, cell by cell; returns how many cells were held."""
        return s.clip_change(state, change, most)
