"""The compiled loops of flow in space, each against plain arithmetic."""
import unittest

import numpy as np

from tests.marks import slow
from ventaris.core.flow.closures import shear_stress_transport as sst
from ventaris.core.flow.closures.shear_stress_transport import (
    SHEAR_LIMIT, inner_blend, omega_slope, outer_blend
)
from ventaris.core.flow.closures.velocity_gradient import strain_rate
from ventaris.core.flow.factors import strips as relaxation
from ventaris.core.flow.loops import changes, fluxes
from ventaris.core.flow.loops.reconstruction import turn_along_walls
from ventaris.core.flow.stream import FreeStream

GAMMA = 1.4


def random_state(count, columns=5, seed=1):
    """Cells of air near rest: gauge pressure, temperature, velocity, shape (count, columns)."""
    rng = np.random.default_rng(seed)
    state = np.zeros((count, columns))
    state[:, 0] = rng.uniform(-0.2, 0.4, count)
    state[:, 1] = rng.uniform(0.7, 1.4, count)
    state[:, 2:5] = rng.uniform(-0.8, 0.8, (count, 3))
    return state


class Chains(unittest.TestCase):
    """Cells in a row, each joined to the next: incomplete factors are complete there, so that the sweeps
    solve exactly."""
    def setUp(self):
        self.count, rng = 9, np.random.default_rng(2)
        self.left, self.right = np.arange(self.count - 1), np.arange(1, self.count)
        # later[i]:later[i + 1] are the faces to cells of higher number.
        self.later = np.minimum(np.arange(self.count + 1), self.count - 1)
        self.blocks = rng.uniform(-0.3, 0.3, (2, self.count - 1, 5, 5)).astype(np.float32)
        self.diagonal = (2.0 * np.eye(5) + rng.uniform(-0.2, 0.2, (self.count, 5, 5))).astype(np.float32)
        self.rhs = rng.uniform(-1, 1, (self.count, 5)).astype(np.float32)

    def matrix(self, joined):
        """The dense matrix; blocks are stored by columns, that of the left side leaves the right cell with
        its sign turned."""
        dense = np.zeros((5 * self.count, 5 * self.count))
        for i in range(self.count):
            dense[5 * i:5 * i + 5, 5 * i:5 * i + 5] = self.diagonal[i].T
        for f, (i, j) in enumerate(zip(self.left, self.right)):
            if joined(i, j):
                dense[5 * j:5 * j + 5, 5 * i:5 * i + 5] = -self.blocks[0, f].T
                dense[5 * i:5 * i + 5, 5 * j:5 * j + 5] = self.blocks[1, f].T
        return dense

    def test_block_sweeps_solve_a_row_of_cells(self):
        # Over the end of a strip nothing is carried.
        for strips in ([0, 9], [0, 4, 9]):
            ends = np.array(strips)
            with self.subTest(strips=strips):
                dense = self.matrix(lambda i, j: np.searchsorted(ends, i, "right") == np.searchsorted(
                    ends, j, "right"))
                inverse, out = self.diagonal.copy(), np.zeros_like(self.rhs)
                relaxation.factorise(ends, self.later, self.right, self.blocks, inverse)
                relaxation.solve(ends, self.later, self.right, self.blocks, inverse, self.rhs, out)
                np.testing.assert_allclose(out.ravel(), np.linalg.solve(dense, self.rhs.ravel()), atol=2e-6)

    def test_scalar_sweeps_solve_a_row_of_cells(self):
        rng = np.random.default_rng(3)
        pairs = rng.uniform(-0.4, 0.4, (self.count - 1, 2)).astype(np.float32)
        diagonal = rng.uniform(1.5, 2.5, self.count).astype(np.float32)
        dense = np.diag(diagonal.astype(float))
        dense[self.left, self.right], dense[self.right, self.left] = pairs[:, 0], pairs[:, 1]
        rhs, out, strips = np.zeros((self.count, 7), np.float32), np.zeros(
            (self.count, 7), np.float32), np.array([0, self.count])
        rhs[:, 6] = rng.uniform(-1, 1, self.count)
        relaxation.scalar_factorise(strips, self.later, self.right, pairs, diagonal)
        relaxation.scalar_solve(strips, self.later, self.right, pairs, diagonal, rhs, out, 6)
        np.testing.assert_allclose(out[:, 6], np.linalg.solve(dense, rhs[:, 6]), atol=2e-6)
        self.assertEqual(np.abs(out[:, :6]).max(), 0.0)

    def test_products_with_blocks_are_those_of_their_transposes(self):
        out = np.ones((self.count, 5))
        changes.SPACE.block_diagonal_product(self.diagonal, self.rhs.astype(float), out)
        np.testing.assert_allclose(out - 1, np.einsum("ikr,ik->ir", self.diagonal, self.rhs), rtol=1e-6,
                                   atol=1e-6)


class Stored(unittest.TestCase):
    """What a cell holds, and its change in time."""
    def test_conserved_variables_are_those_of_the_gas(self):
        state = random_state(20)
        out = np.empty((20, 5))
        fluxes.SPACE.conserved(state, GAMMA, out)
        pressure = state[:, 0] + 1 / GAMMA
        density = GAMMA * pressure / state[:, 1]
        np.testing.assert_allclose(out[:, 0], density, rtol=1e-14)
        np.testing.assert_allclose(out[:, 1],
                                   pressure / (GAMMA - 1) + 0.5 * density * (state[:, 2:]**2).sum(axis=1),
                                   rtol=1e-13)
        np.testing.assert_allclose(out[:, 2:], density[:, None] * state[:, 2:], rtol=1e-14)

    def test_a_cell_that_keeps_what_it_held_has_no_time_derivative(self):
        state, volume, scale = random_state(12, seed=4), np.linspace(0.1, 2.0,
                                                                     12), np.array([1.0, 0.4, 2.0, 3.0, 0.5])
        held, out, enthalpy, rate = np.empty((12, 5)), np.zeros((12, 5)), 2.6, 7.5
        fluxes.SPACE.conserved(state, GAMMA, held)
        fluxes.SPACE.add_time_derivative(state, volume, rate, -rate * held, scale, enthalpy, GAMMA, out)
        np.testing.assert_allclose(out, 0.0, atol=1e-13)
        # What was not there before comes in at this rate; the energy row is that of energy without the
        # stream's enthalpy.
        out[:] = 0
        fluxes.SPACE.add_time_derivative(state, volume, rate, 0 * held, scale, enthalpy, GAMMA, out)
        expected = rate * volume[:, None] * held
        expected[:, 1] -= enthalpy * expected[:, 0]
        np.testing.assert_allclose(out, expected * scale, rtol=1e-13)

    def test_steps_that_want_too_much_are_shortened_whole(self):
        state = np.array([[0.0, 1.0, 0.3, 0.0, 0.0]] * 4)
        change = np.array([[0.01, 0.01, 0.01, 0.0, 0.0], [1 / GAMMA, 0.1, 0.2, 0.0, 0.0],
                           [0.0, -0.8, 0.1, 0.0, 0.0], [0.0, 0.0, 0.0, 3.0, 4.0]])
        wanted = change.copy()
        self.assertEqual(
            changes.SPACE.clip_change(state, change, 0.2,
                                      FreeStream(0.3).constants(False, False)), 3)
        np.testing.assert_allclose(change[0], wanted[0])
        for cell, share in ((1, 0.2), (2, 0.25), (3, 0.1)):
            np.testing.assert_allclose(change[cell], share * wanted[cell], rtol=1e-12, err_msg=str(cell))


class Walls(unittest.TestCase):
    def test_the_velocity_carried_to_a_wall_runs_along_it(self):
        rng = np.random.default_rng(5)
        state, gradient = random_state(1, seed=6), rng.uniform(-1, 1, (1, 5, 3))
        before = gradient.copy()
        normal = np.array([[0.6, 0.0, -0.8]])
        at, centre = np.array([[0.2, 0.1, -0.3]]), np.zeros((1, 3))
        turn_along_walls(state, np.array([0]), np.zeros(1, dtype=bool), np.array([0, 1]), np.array([0]),
                         normal, at, centre, np.empty((0, 3)), gradient)
        carried = state[0, 2:] + gradient[0, 2:] @ at[0]
        self.assertAlmostEqual(float(carried @ normal[0]), 0.0, places=13)
        # Only velocities are touched, and only in the direction of the wall's place.
        np.testing.assert_array_equal(gradient[0, :2], before[0, :2])
        change = gradient[0, 2:] - before[0, 2:]
        np.testing.assert_allclose(np.cross(change, at[0]), 0.0, atol=1e-14)
        np.testing.assert_allclose(np.cross(change.T, normal[0]), 0.0, atol=1e-14)


class TwoEquations(unittest.TestCase):
    """Functions of the shear-stress-transport closure."""
    def test_strain_is_shear_and_not_rotation(self):
        gradient = np.zeros((4, 5, 3))
        gradient[0, 2, 1] = 3.0  # u = 3 y
        gradient[1, 2, 1], gradient[1, 3, 0] = -2.0, 2.0  # turning as a solid
        gradient[2, 2, 0], gradient[2, 3, 1], gradient[2, 4, 2] = 1.0, 1.0, -2.0
        gradient[3, 3, 2], gradient[3, 4, 1] = 1.5, 1.5
        for cell, expected in enumerate((3.0, 0.0, np.sqrt(12.0), 3.0)):
            self.assertAlmostEqual(strain_rate(gradient, cell, 0.0, 3), expected, places=13)

    def eddy(self, strain, distance):
        state = np.zeros((1, 7))
        state[0, 1], state[0, 5], state[0, 6] = 1.0, 0.01, np.log(2.0)
        gradient = np.zeros((1, 5, 3))
        gradient[0, 2, 1] = strain
        eddy, blend, cross = np.empty(1), np.empty(1), np.empty(1)
        none = np.zeros(0, dtype=np.int64)
        sst.SPACE.eddy_and_blend(state, np.full(1, 1e-6), gradient,
                                 np.zeros(0), np.zeros(2, dtype=np.int64), none, np.zeros((0, 3)),
                                 np.full(1, distance), GAMMA, SHEAR_LIMIT, eddy, blend, cross)
        return float(eddy[0]), float(blend[0])

    @slow
    def test_eddies_are_k_over_omega_until_shear_limits_their_stress(self):
        self.assertAlmostEqual(self.eddy(0.1, 0.05)[0], 0.01 / 2.0, places=12)
        strong = self.eddy(100.0, 0.05)[0]
        # Bradshaw's assumption: the stress is a1 times k.
        self.assertAlmostEqual(strong * 100.0 / 0.01, SHEAR_LIMIT, places=6)
        # Far from walls the limit is off.
        self.assertAlmostEqual(self.eddy(100.0, 50.0)[0], 0.01 / 2.0, delta=1e-4)

    def test_blends_run_from_walls_to_the_outside(self):
        near, far = (1e-4, 1e3, 1e-5, 1e-3), (1e-4, 1e3, 1e-5, 1e2)
        for blend in (lambda *a: inner_blend(*a, 0.0), outer_blend):
            self.assertAlmostEqual(blend(*near), 1.0, places=6)
            self.assertLess(blend(*far), 1e-6)
        places = np.geomspace(1e-4, 10, 60)
        inner = [inner_blend(1e-4, 10.0, 1e-6, d, 0.0) for d in places]
        self.assertTrue(np.all(np.diff(inner) <= 1e-12))
        # The outer function reaches further out, as it is meant to: to the edge of the layer.
        self.assertTrue(all(outer_blend(1e-4, 10.0, 1e-6, d) >= f1 - 1e-12 for d, f1 in zip(places, inner)))

    def test_the_slope_of_omega_is_its_own_derivative_and_exact_for_walls(self):
        for dw in (-6.0, -1.3, -0.2, 0.0, 0.4, 3.0, 9.0):
            value, slope = omega_slope(dw)
            step = 1e-6
            self.assertAlmostEqual((omega_slope(dw + step)[0] - omega_slope(dw - step)[0]) / (2 * step),
                                   slope, delta=1e-6 * max(1.0, abs(slope)))
        self.assertEqual(omega_slope(0.0)[0], 0.0)
        # Near a wall omega = c / d^2; between d and d' the diffusion needs (d' - d) times the slope of omega
        # half-way.
        for ratio in (1.1, 1.5):
            value = omega_slope(-2 * np.log(ratio))[0]
            half_way = 0.5 * (1 + ratio)
            self.assertAlmostEqual(value, -2.0 * (ratio - 1) / half_way**3, delta=1e-12)
