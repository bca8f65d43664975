"""The flow in space by itself: products, sweeps, closures."""
import unittest

import numpy as np

from tests.bodies import CAR, NEAR, body_sheet
from tests.marks import slow
from ventaris.core.flow.march.krylov import gmres
from ventaris.core.flow.closures.shear_stress_transport import (
    SHEAR_LIMIT, SHOCK_SHEAR_LIMIT, ShearStressTransport
)
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.march.steady import MarchControls, SteadyMarch
from ventaris.core.study.kinds.body.ready import prepare_body

CLOSURES = ("spalart-allmaras", "sst")


def marched(closure, steps=25, level=0, **sections):
    """(flow, state) some way into a march about a small car."""
    setup = prepare_body(body_sheet([CAR], **sections))
    mesh = setup.generate((setup.levels[level], ))[setup.levels[level]]
    flow = Discretisation(mesh, setup.stream, closure=closure, boundaries=setup.boundaries,
                          direction=setup.direction)
    march = SteadyMarch(flow, flow.uniform_state(),
                        MarchControls(3.0, 100.0, 1.5, 8, 20, 0.3, least_solved=0.5))
    for _ in range(steps):
        march.advance()
    return flow, march


def exact_product(flow, state, vector):
    """The Jacobian's product by finite differences, without pseudo-time."""
    step = 1e-6 / np.sqrt((vector**2).mean())
    there, back = (flow.residual(state + sign * step * vector * flow.column_scale) for sign in (1, -1))
    flow.residual(state)
    return (there - back) / (2 * step)


class HeldProducts(unittest.TestCase):
    def setUp(self):
        self.flow, self.march = marched("spalart-allmaras")

    def product(self, vector):
        held = self.flow.linear_operator(self.march.state, None)(vector.astype(np.float32)).astype(float)
        self.flow.add_pseudo_time(-vector, held)
        return held

    def smooth_change(self, columns):
        """A change that varies slowly from cell to cell."""
        where, change = self.flow.mesh.centre, np.zeros((self.flow.n_cells, 6))
        for c in columns:
            change[:, c] = 0.1 * np.sin((2 + c) * where[:, 0] + c) * np.cos(2 * where[:, 1]) * np.cos(
                (1 + c) * where[:, 2])
        return change

    def test_the_held_product_is_nearly_the_exact_one(self):
        state = self.march.state
        self.flow.residual(state)
        self.flow.prepare(state, 50.0)
        self.flow.wall_treatment.held = True
        for columns, within in (((0, ), 0.02), ((2, 3, 4), 0.15)):
            change = self.smooth_change(columns)
            exact, held = exact_product(self.flow, state, change)[:, :5], self.product(change)[:, :5]
            with self.subTest(columns=columns):
                self.assertLess(np.linalg.norm(held - exact), within * np.linalg.norm(exact))

    def test_the_closure_s_product_is_that_of_its_matrix(self):
        flow, state = self.flow, self.march.state
        flow.prepare(state, 50.0)
        product, pairs = flow.linear_operator(state, None), flow.closure.pairs[0]
        left, right = flow.mesh.left[:flow.n_interior], flow.mesh.right[:flow.n_interior]
        change = np.zeros((flow.n_cells, 6), dtype=np.float32)
        change[:, 5] = np.random.default_rng(1).normal(size=flow.n_cells)
        wanted = flow.closure.matrix_diagonal[0] * change[:, 5]
        np.add.at(wanted, left, pairs[:, 0] * change[right, 5])
        np.add.at(wanted, right, pairs[:, 1] * change[left, 5])
        np.testing.assert_allclose(product(change)[:, 5], wanted, rtol=2e-4, atol=1e-4 * np.abs(wanted).max())

    def test_mass_that_leaves_a_cell_enters_its_neighbours(self):
        change = self.smooth_change((0, 2, 3, 4))
        self.flow.prepare(self.march.state, 50.0)
        inside = np.ones(self.flow.n_cells, dtype=bool)
        inside[self.flow.mesh.left[self.flow.n_interior:]] = False
        change[~inside] = 0
        # Two rings of cells away from every border nothing is lost.
        total = self.product(change)
        self.assertLess(abs(total[:, 0].sum()), 0.2 * np.abs(total[:, 0]).sum())

    def test_sweeps_bring_a_first_order_system_down(self):
        flow, state = self.flow, self.march.state
        flow.first_order = True
        residual = flow.residual(state)
        flow.prepare(state, 30.0)
        _, vectors, left = gmres(flow.linear_operator(state, residual), flow.apply_factors,
                                 -residual.astype(np.float32), 1e-3, 40)
        self.assertLess(left, 1.1e-3)
        self.assertLess(vectors, 30)

    def test_a_march_that_runs_away_goes_back_and_takes_exact_products(self):
        march = self.march
        self.assertEqual(self.flow.krylov_type, np.float32)
        best, lowest = march._best[0], march.lowest
        # As if the quick products had spoilt the flow.
        march.state = march.state * np.array([1, 1, 1.5, 3, 3, 1])
        march.courant = 0.5
        march._evaluate()
        report = march.advance()
        self.assertIn("exact", report.note)
        self.assertEqual(self.flow.krylov_type, np.float64)
        self.assertLessEqual(march.residual, 1.01 * lowest)
        np.testing.assert_array_equal(march.state, best)
        self.assertLess(march.advance().residual, 3 * lowest)


@slow
class Closures(unittest.TestCase):
    def test_both_closures_converge_on_a_small_car(self):
        drag = {}
        for closure in CLOSURES:
            flow, march = marched(closure, 60, level=1)
            with self.subTest(closure=closure):
                self.assertLess(march.residual, 2e-3)
                self.assertGreater(flow.eddy.min(), 0)
            flow.residual(march.state)
            pressure, friction = flow.wall_loads()
            drag[closure] = (pressure + friction)[:, 0].sum()
        self.assertAlmostEqual(drag["sst"] / drag["spalart-allmaras"], 1.0, delta=0.15)

    def test_huge_cells_do_not_rule_the_norm(self):
        for closure in CLOSURES:
            flow, march = marched(closure, 20)
            share = (march._vector**2).sum(axis=1)
            far = flow.mesh.size > 16 * flow.mesh.size.min()
            with self.subTest(closure=closure):
                self.assertLess(share[far].sum(), 0.7 * share.sum())
                self.assertLess(share.max(), 0.5 * share.sum())

    def test_a_ground_that_moves_with_the_stream_carries_no_layer(self):
        flow, march = marched("sst", 15, domain={**NEAR, "kind": "ground", "clearance": 0.25})
        self.assertEqual(march.retries, 0)
        floor = flow.mesh.left[flow.mesh.boundaries["floor"]]
        ahead = floor[flow.mesh.centre[floor, 0] < -0.7]
        self.assertLess(flow.eddy[ahead].max(), 1e-3)

    def test_the_shear_limit_for_shocks_raises_the_eddies_it_held_down(self):
        flow, march = marched("sst", 15)
        gradient = np.zeros((flow.n_cells, 5, 3))
        gradient[:, 2, 1] = 1e6
        state, eddy = march.state, []
        for closure in (flow.closure, ShearStressTransport(flow, shear_limit=SHOCK_SHEAR_LIMIT)):
            closure.update(state, flow.molecular, gradient)
            eddy.append(closure.eddy[flow.closure.at_wall])
        np.testing.assert_allclose(eddy[1] / eddy[0], SHOCK_SHEAR_LIMIT / SHEAR_LIMIT, rtol=1e-3)

    def test_omega_of_the_wall_cells_is_that_of_the_log_layer(self):
        flow, march = marched("sst", 45)
        wall = flow.wall_treatment
        cells = np.nonzero(wall.pin == 1.0)[0]
        shear_velocity = wall.shear_velocity[cells]
        wanted = shear_velocity / (0.41 * flow.distance[cells] * 0.3)
        off = np.abs(march.state[cells, 6] - np.log(wanted))
        self.assertLess(np.median(off), 0.05)


if __name__ == "__main__":
    unittest.main()
