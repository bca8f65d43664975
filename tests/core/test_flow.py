import unittest
from types import SimpleNamespace
from unittest import mock

import numpy as np
from scipy.sparse import bsr_matrix

from tests.marks import slow
from ventaris.core.flow.factors import filled
from ventaris.core.flow.loops import jacobians, relations as k
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.march.krylov import gmres
from ventaris.core.flow.march.prolongation import parent_cells, prolong
from ventaris.core.flow.march.steady import FlowDiverged, MarchControls, SteadyMarch
from ventaris.core.flow.stream import FreeStream
from ventaris.core.grids.section import SectionGridPlan, generate_levels
from ventaris.core.shapes.families import ellipse, four_digit
from ventaris.core.shapes.section import Section

PLAN = SectionGridPlan(around=64, layers=24, wake=16)
MESHES = generate_levels(Section(four_digit(0.12)), PLAN)


def constants(mach, precondition=True):
    return FreeStream(mach).constants(False, precondition)


class Bend:
    """Cells without neighbours and with one further column. Its residual in one cell is steep in the middle
    and flat on both sides, like a closure's source: a whole Newton step leads from one side to the other and
    back."""

    n_cells = n_own = 6
    flow_columns, closure, krylov_type, column_scale = 4, None, np.float64, np.ones(5)
    holds_derivatives = False
    stream, wall_treatment = SimpleNamespace(gamma=1.4), SimpleNamespace(shear=np.zeros(1))
    HEIGHT, STEEPNESS = 0.05, 400.0

    def uniform_state(self):
        return np.tile([0.0, 1.0, 0.3, 0.0, 0.0], (self.n_cells, 1))

    def start(self):
        state = self.uniform_state()
        state[:, 2:] = 0.0
        state[2, 4] = self.HEIGHT
        return state

    def residual(self, state):
        out = state.copy()
        out[:, 1] -= 1.0
        out[2, 4:] += self.HEIGHT * np.tanh(self.STEEPNESS * state[2, 4:])
        return out

    def linear_operator(self, state, residual):
        slope = np.ones_like(state)
        slope[2, 4] += self.HEIGHT * self.STEEPNESS / np.cosh(self.STEEPNESS * state[2, 4])**2
        return lambda vector: slope * vector

    def prepare(self, state, courant):
        """Nothing to factorise."""

    def apply_factors(self, vector):
        return vector

    def clip_change(self, state, change, most):
        return 0

    def add_pseudo_time(self, vector, out):
        """Courant numbers without bound."""


class RoeFlux(unittest.TestCase):
    def test_equal_states_give_the_exact_flux(self):
        c = constants(0.5)
        p, t, u, v = 0.1, 1.05, 0.4, -0.2
        flux = np.array(k.roe_flux(p, t, u, v, 0.0, p, t, u, v, 0.0, 0.6, 0.8, 0.0, 0.0, c))
        rho, un = 1.4 * (p + 1 / 1.4) / t, 0.6 * u + 0.8 * v
        H = 2.5 * t + 0.5 * (u * u + v * v)
        np.testing.assert_allclose(
            flux, [rho * un, rho * un * u + 0.6 * p, rho * un * v + 0.8 * p, 0, rho * un * H], atol=1e-14)

    def test_a_least_speed_damps_shear_and_entropy_but_neither_pressure_nor_what_is_even(self):
        c = constants(2.0, False)
        left, right = (0.1, 1.0, 0.0, 0.2), (0.1, 1.2, 0.0, -0.2)
        flux = lambda least, other=right: np.array(
            k.roe_flux(*left, 0.0, *other, 0.0, 1.0, 0.0, 0.0, least, c))
        change = flux(0.5) - flux(0.0)
        rho = [1.4 * (0.1 + 1 / 1.4) / t for t in (1.0, 1.2)]
        # A contact at rest: mass moves with half of the speed times the jump of density, and no push arises.
        self.assertAlmostEqual(change[0], -0.25 * (rho[1] - rho[0]), places=12)
        self.assertAlmostEqual(change[1], 0.0, places=12)
        self.assertGreater(change[2], 0.0)
        np.testing.assert_allclose(flux(0.5, left), flux(0.0, left), atol=1e-15)

    def test_supersonic_flow_takes_the_upwind_side(self):
        c = constants(2.0, False)
        left, right = (0.0, 1.0, 2.0, 0.1), (0.05, 1.1, 1.9, 0.0)
        flux = k.roe_flux(*left, 0.0, *right, 0.0, 1.0, 0.0, 0.0, 0.0, c)
        np.testing.assert_allclose(flux, k.roe_flux(*left, 0.0, *left, 0.0, 1.0, 0.0, 0.0, 0.0, c),
                                   atol=1e-12)

    def test_dissipation_is_gamma_times_the_absolute_matrix(self):
        # The closed form against eigenvalues of Gamma^-1 A, away from the entropy fix.
        for mach, u, v in ((0.1, 0.06, 0.05), (0.5, 0.3, 0.25), (0.8, 0.55, 0.4)):
            c = constants(mach)
            for dim, w, normal in ((2, 0.0, (0.8, 0.6, 0.0)), (3, 0.07, (0.64, 0.6, 0.48))):
                gamma, a, d = (np.empty((dim + 2, dim + 2)) for _ in range(3))
                jacobians.preconditioner_matrix(0.01, 1.02, u, v, w, c, False, gamma, dim)
                jacobians.flux_jacobian(0.01, 1.02, u, v, w, *normal, c, a, dim)
                jacobians.dissipation_matrix(0.01, 1.02, u, v, w, *normal, c, d, dim)
                values, vectors = np.linalg.eig(np.linalg.solve(gamma, a))
                expected = gamma @ (vectors * np.abs(values)) @ np.linalg.inv(vectors)
                np.testing.assert_allclose(d, expected.real, atol=2e-3 * np.abs(expected).max())


class Linearisation(unittest.TestCase):
    def discretisation(self, mach, wall="slip", reynolds=None):
        flow = Discretisation(MESHES["coarse"], FreeStream(mach, 0.03, reynolds=reynolds), wall)
        rng = np.random.default_rng(2)
        state = flow.uniform_state() + 0.03 * rng.normal(size=(flow.n_cells, 4)) * flow.column_scale
        return flow, state, rng

    def test_assembled_jacobian_is_that_of_the_first_order_residual(self):
        for mach, wall, reynolds in ((0.1, "slip", None), (0.5, "no-slip", 500.0), (0.8, "slip", None),
                                     (2.0, "slip", None)):
            flow, state, rng = self.discretisation(mach, wall, reynolds)
            flow._subsets = (np.arange(len(flow.kind)), )
            flow.first_order = True
            residual = flow.residual(state).copy()
            flow.prepare(state, 10.0)
            vector = rng.normal(size=state.shape)
            matrix = bsr_matrix(
                (flow.factors.values.astype(float), flow.factors.columns, flow.factors.row_start),
                shape=(4 * flow.n_cells, ) * 2)
            product = flow.linear_operator(state, residual)(vector)
            error = np.linalg.norm((matrix @ vector.ravel()).reshape(-1, 4) -
                                   product) / np.linalg.norm(product)
            # Frozen upwind coefficients and the thin-layer viscous part leave a few per cent.
            self.assertLess(error, 0.08, (mach, wall))

    def test_incomplete_factors_are_nearly_an_inverse(self):
        flow, state, rng = self.discretisation(0.3)
        flow.prepare(state, 20.0)
        matrix = bsr_matrix((flow.factors.values.astype(float), flow.factors.columns, flow.factors.row_start),
                            shape=(4 * flow.n_cells, ) * 2)
        vector = rng.normal(size=state.shape)
        back = (matrix @ flow.apply_factors(vector).ravel()).reshape(-1, 4)
        self.assertLess(np.linalg.norm(back - vector) / np.linalg.norm(vector), 0.4)

    @slow
    def test_complete_pattern_factors_exactly(self):
        rng = np.random.default_rng(0)
        n = 5
        start = np.arange(0, n * n + 1, n)
        columns = np.tile(np.arange(n), n)
        values = rng.normal(size=(n * n, 4,
                                  4)) + 6 * np.eye(4) * (np.repeat(np.arange(n), n) == columns)[:, None, None]
        fill = filled.fill_pattern(start, columns)
        factors = np.empty((len(fill[1]), 4, 4))
        filled.factorise(start, columns, values, *fill, factors)
        rhs, out = rng.normal(size=(n, 4)), np.empty((n, 4))
        filled.solve_factors(*fill, factors, rhs, out)
        matrix = values.reshape(n, n, 4, 4).transpose(0, 2, 1, 3).reshape(4 * n, 4 * n)
        np.testing.assert_allclose(matrix @ out.ravel(), rhs.ravel(), atol=1e-10)


class Krylov(unittest.TestCase):
    def test_gmres_solves_a_nonsymmetric_system(self):
        rng = np.random.default_rng(1)
        a = np.eye(40) * 4 + rng.normal(size=(40, 40)) * 0.3
        b = rng.normal(size=40)
        x, used, reached = gmres(lambda v: a @ v, lambda v: v / 4, b, 1e-10, 40)
        np.testing.assert_allclose(a @ x, b, atol=1e-8)
        self.assertLess(used, 40)
        self.assertLess(reached, 1e-9)

    def test_zero_right_hand_side(self):
        x, used, _ = gmres(lambda v: v, lambda v: v, np.zeros(3), 0.1, 5)
        self.assertEqual(used, 0)
        np.testing.assert_array_equal(x, 0)

    def test_single_precision_and_few_vectors_still_reach_what_they_say(self):
        rng = np.random.default_rng(5)
        a = (np.eye(200) + 0.4 * rng.normal(size=(200, 200)) / np.sqrt(200)).astype(np.float32)
        b = rng.normal(size=200).astype(np.float32)
        precondition = np.diag(1 / np.diag(a)).astype(np.float32)
        x, _, reached = gmres(lambda v: a @ v, lambda v: precondition @ v, b, 1e-4, 30)
        self.assertEqual(x.dtype, np.float32)
        self.assertLessEqual(reached, 1e-4)
        self.assertAlmostEqual(float(np.linalg.norm(b - a @ x) / np.linalg.norm(b)), reached, delta=2e-5)

    def test_vectors_that_nearly_repeat_are_made_orthogonal_again(self):
        # A cluster of eigenvalues: every product is nearly what came before.
        a = np.diag(1 + 1e-6 * np.arange(60.0))
        a[0, 0], a[1, 1] = 50.0, -3.0
        b = np.ones(60)
        x, used, reached = gmres(lambda v: a @ v, lambda v: v, b, 1e-9, 20)
        self.assertLess(float(np.linalg.norm(b - a @ x) / np.linalg.norm(b)), 2e-9)

    def test_few_vectors_in_memory_reach_the_same(self):
        rng = np.random.default_rng(7)
        a = np.eye(80) + 0.5 * rng.normal(size=(80, 80)) / np.sqrt(80)
        b = rng.normal(size=80)
        x, used, reached = gmres(lambda v: a @ v, lambda v: v / 2, b, 1e-6, 60, kept=8)
        self.assertGreater(used, 8)
        self.assertLessEqual(reached, 1e-6)
        self.assertAlmostEqual(float(np.linalg.norm(b - a @ x) / np.linalg.norm(b)) / reached, 1, delta=1e-3)
        _, used, reached = gmres(lambda v: a @ v, lambda v: v, b, 1e-12, 20, kept=8)
        self.assertEqual(used, 20)


class March(unittest.TestCase):
    def test_free_stream_is_kept(self):
        for mach in (0.05, 0.8, 2.0):
            flow = Discretisation(MESHES["coarse"], FreeStream(mach, 0.1))
            residual = flow.residual(flow.uniform_state())
            inside = np.ones(flow.n_cells, bool)
            inside[flow.mesh.left[flow.wall]] = False
            # The wall cells feel the wall; the vortex of that first impulse reaches the far field's cells.
            inside[flow.mesh.left[flow.n_interior + flow.far_local]] = False
            self.assertLess(np.abs(residual[inside]).max(), 1e-11)

    def test_newton_reaches_round_off(self):
        flow = Discretisation(MESHES["coarse"], FreeStream(0.3, 0.03))
        march = SteadyMarch(flow, flow.uniform_state())
        for _ in range(40):
            march.advance()
            if march.residual < 1e-10:
                break
        self.assertLess(march.residual, 1e-10)
        self.assertLess(march.step_count, 30)

    def test_steps_that_go_to_and_fro_over_a_bend_are_halved(self):
        march = SteadyMarch(Bend(), Bend().start(), MarchControls(1e6))
        while march.residual > 1e-12 and march.step_count < 12:
            march.advance()
        self.assertLess(march.residual, 1e-12)
        with mock.patch.object(SteadyMarch, "_turns_back", lambda self, change: False):
            march = SteadyMarch(Bend(), Bend().start(), MarchControls(1e6))
            for _ in range(100):
                march.advance()
        self.assertGreater(march.residual, 0.1)

    def test_symmetric_flow_has_no_lift(self):
        flow = Discretisation(MESHES["coarse"], FreeStream(0.3))
        march = SteadyMarch(flow, flow.uniform_state())
        while march.residual > 1e-9 and march.step_count < 60:
            march.advance()
        pressure, _ = flow.wall_loads()
        self.assertLess(abs(pressure[:, 1].sum()), 1e-8)

    def test_a_hopeless_march_says_which_cells_and_what_to_try(self):
        flow = Discretisation(MESHES["coarse"], FreeStream(0.3))
        state = flow.uniform_state()
        state[100:110, 1] = np.nan
        march = SteadyMarch(flow, state, MarchControls(retries=1))
        with self.assertRaisesRegex(FlowDiverged, r"worst cells.*x = .*courant_start"):
            for _ in range(10):
                march.advance()

    def test_far_field_vortex_has_the_circulation(self):
        stream = FreeStream(0.3, 0.02)
        angle = np.linspace(0, 2 * np.pi, 400, endpoint=False)
        points = np.stack([0.25 + 40 * np.cos(angle), 40 * np.sin(angle)], axis=1)
        ghost = stream.far_field(points, 0.05) - stream.far_field(points, 0.0)
        tangential = -ghost[:, 2] * np.sin(angle) + ghost[:, 3] * np.cos(angle)
        self.assertAlmostEqual(-tangential.mean() * 2 * np.pi * 40, 0.05, delta=5e-4)


class Prolongation(unittest.TestCase):
    def test_parents_contain_their_children(self):
        parent = parent_cells(MESHES["coarse"], MESHES["medium"])
        np.testing.assert_array_equal(np.bincount(parent), 4)
        total = np.bincount(parent, MESHES["medium"].volume)
        # Curved lines make the children fill their parent only nearly.
        np.testing.assert_allclose(total, MESHES["coarse"].volume, rtol=0.25)

    def test_uniform_flow_stays_uniform_and_values_stay_bounded(self):
        coarse, medium = MESHES["coarse"], MESHES["medium"]
        state = np.tile([0.0, 1.0, 0.5, 0.1], (coarse.n_cells, 1))
        np.testing.assert_allclose(prolong(coarse, medium, state), np.tile(state[0], (medium.n_cells, 1)))
        state[:, 0] = np.where(coarse.centre[:, 0] > 0.5, 1.0, 0.0)
        fine = prolong(coarse, medium, state)
        self.assertGreaterEqual(fine[:, 0].min(), 0)
        self.assertLessEqual(fine[:, 0].max(), 1)


@slow
class LowMach(unittest.TestCase):
    def test_coefficients_do_not_depend_on_the_mach_number_when_it_is_small(self):
        mesh = generate_levels(Section(ellipse(0.2)), SectionGridPlan(around=96, layers=32),
                               ("medium", ))["medium"]
        cp = []
        for mach in (0.02, 0.1):
            flow = Discretisation(mesh, FreeStream(mach), vortex=False)
            march = SteadyMarch(flow, flow.uniform_state())
            while march.residual > 1e-8 and march.step_count < 80:
                march.advance()
            cp.append(flow.wall_pressure[flow.wall_local] / flow.stream.dynamic_pressure)
        # Compressibility changes Cp by about M^2/2.
        np.testing.assert_allclose(cp[0], cp[1], atol=0.02)
