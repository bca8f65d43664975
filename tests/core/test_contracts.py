"""Every boundary condition and every closure of the registries through the same checks, in the plane and in
space."""
import unittest

import numpy as np

from tests.meshes import MESHES, SIDES
from ventaris.core.flow.boundaries.contract import Boundary
from ventaris.core.flow.boundaries.registry import CONDITIONS
from ventaris.core.flow.closures.catalogue import CATALOGUE as CLOSURES
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.march.steady import MarchControls, SteadyMarch
from ventaris.core.flow.stream import FreeStream

MACH, GAMMAS = 0.4, (1.4, 1.3, 1.667)
DOWNSTREAM, UPSTREAM = {2: "right", 3: "outflow"}, {2: "left", 3: "inflow"}


def border(name, dim, g, at):
    """A condition that lets the undisturbed stream pass on the side where it comes in or leaves."""
    warm = 1 + 0.5 * (g - 1) * MACH**2
    total = (warm**(g / (g - 1)) - 1) / g
    along = (1.0, ) + (dim - 1) * (0.0, )
    if name in ("total inlet", ):
        return Boundary(name, pressure=total if at == "in" else 0.0, temperature=warm,
                        velocity=along if at == "in" else ())
    if name == "blown":
        return Boundary(name, blown=MACH if at == "in" else -MACH, by_speed=True)
    return Boundary(name, velocity=along if name == "mass inlet" else (), mass_flow=MACH,
                    temperature=warm if name == "mass inlet" else 1.0)


# Where the stream may pass a condition, and where it runs along.
PASSES = {
    "far field": "both", "outlet": "out", "inlet": "in", "total inlet": "both", "mass inlet": "in",
    "mass outlet": "out", "slip": "along", "no-slip": "along", "blown": "both"
}


class Conditions(unittest.TestCase):
    def flow(self, dim, given, g=1.4, reynolds=None):
        return Discretisation(MESHES[dim](), FreeStream(MACH, gamma=g, reynolds=reynolds), "slip",
                              limit=False, vortex=False, boundaries=given)

    def sides(self, dim, name):
        where = PASSES.get(name, "both")
        if where == "along":
            return {side: "along" for side in SIDES[dim][2:]}
        return {
            side: at
            for side, at in ((UPSTREAM[dim], "in"), (DOWNSTREAM[dim], "out")) if where in (at, "both")
        }

    def test_the_undisturbed_stream_stays_what_it_is(self):
        for dim in (2, 3):
            for g in GAMMAS:
                for name in CONDITIONS:
                    with self.subTest(name, dim=dim, gamma=g):
                        moving = (MACH, ) + (dim - 1) * (0.0, )
                        given = {
                            side: Boundary("no-slip", velocity=moving) if name == "no-slip" else border(
                                name, dim, g, at)
                            for side, at in self.sides(dim, name).items()
                        }
                        flow = self.flow(dim, given, g)
                        self.assertLess(np.abs(flow.residual(flow.uniform_state())).max(), 1e-10)

    def test_the_jacobian_is_that_of_the_flux(self):
        rng = np.random.default_rng(3)
        for dim in (2, 3):
            for name in CONDITIONS:
                given = {side: border(name, dim, 1.4, at) for side, at in self.sides(dim, name).items()}
                flow = self.flow(dim, given, reynolds=200.0)
                flow.first_order = True
                state = flow.uniform_state() + 0.02 * rng.normal(size=(flow.n_cells,
                                                                       dim + 2)) * flow.column_scale
                flow.residual(state)
                flow.prepare(state, 10.0)
                faces = np.concatenate([flow.mesh.boundaries[side] for side in given])
                cell, found, exact = flow.mesh.left[faces], [], []
                for column in range(dim + 2):
                    step = 1e-6 * flow.column_scale[column]
                    flux = []
                    for sign in (1, -1):
                        moved = state.copy()
                        moved[cell, column] += sign * step
                        flow.residual(moved)
                        flux.append(flow.flux[faces].copy())
                    slope = (flux[0] - flux[1]) / (2 * step) * flow.column_scale[column]
                    slope[:, 1] -= flow.stream.total_enthalpy * slope[:, 0]
                    exact.append(slope * flow.row_scale)
                    found.append(flow.jacobians[0, faces, column])
                exact, found = np.array(exact), np.array(found)
                with self.subTest(name, dim=dim):
                    # Upwind coefficients are held, and of a wall that blows only its pressure is kept.
                    within = 0.6 if name == "blown" else 0.1
                    self.assertLess(np.linalg.norm(found - exact), within * np.linalg.norm(exact))

    def test_what_a_wall_takes_up_is_no_mass(self):
        for dim in (2, 3):
            for name, condition in CONDITIONS.items():
                if not condition.is_wall or name == "blown":
                    continue
                given = {side: Boundary(name) for side in SIDES[dim]}
                flow = self.flow(dim, given, reynolds=200.0)
                state = flow.uniform_state()
                flow.residual(state)
                faces = np.concatenate([flow.mesh.boundaries[side] for side in given])
                with self.subTest(name, dim=dim):
                    self.assertEqual(np.abs(flow.flux[faces, 0]).max(), 0.0)
                    self.assertTrue((flow.wall_pressure[faces - flow.n_interior] >= -1.0).all())


class Closures(unittest.TestCase):
    """A layer over a floor that begins at the inflow."""
    def flow(self, dim, closure, **options):
        floor = {2: "below", 3: "floor"}[dim]
        given = {side: Boundary("slip") for side in SIDES[dim][2:]} | {floor: Boundary("no-slip")}
        stream = FreeStream(0.2, reynolds=1e6, turbulence_intensity=0.01, viscosity_ratio=1.0)
        return Discretisation(MESHES[dim](), stream, "no-slip", vortex=False, closure=closure,
                              boundaries=given, **options)

    def test_each_makes_a_layer_and_settles(self):
        for dim in (2, 3):
            for name in CLOSURES:
                with self.subTest(name, dim=dim):
                    flow = self.flow(dim, name)
                    march = SteadyMarch(flow, flow.uniform_state(), MarchControls(5.0, 100.0, 1.5, 4, 25))
                    for _ in range(60):
                        march.advance()
                    self.assertLess(march.residual, 1e-3)
                    self.assertEqual(march.state.shape, (flow.n_cells, dim + 2 + flow.closure.columns))
                    self.assertGreaterEqual(flow.eddy.min(), 0)
                    self.assertGreater(flow.eddy.max(), 5 * flow.molecular[0])
                    # What is next to the wall drags, and the wall function says by how much: the plate's law
                    # at y+ of 1 000s.
                    flow.residual(march.state)
                    floor = flow.mesh.boundaries[{2: "below", 3: "floor"}[dim]]
                    friction = flow.flux[floor, 2].sum() / flow.mesh.area[floor].sum() / (0.5 * 0.2**2)
                    self.assertAlmostEqual(friction / 0.0045, 1, delta=0.4)

    def test_residuals_far_from_walls_keep_the_stream_s_flow(self):
        for dim in (2, 3):
            for name in CLOSURES:
                with self.subTest(name, dim=dim):
                    flow = self.flow(dim, name)
                    state = flow.uniform_state()
                    upper = flow.mesh.centre[:, -1] > 0.5
                    # The closure's columns may grow or decay; the flow itself does not see it.
                    state[:, dim + 2:] = state[upper, dim + 2:][0]
                    self.assertLess(np.abs(flow.residual(state)[upper, :dim + 2]).max(), 1e-10)

    def test_steps_keep_unknowns_where_they_make_sense(self):
        rng = np.random.default_rng(5)
        for name in CLOSURES:
            flow = self.flow(2, name)
            state = flow.uniform_state()
            change = 50 * rng.normal(size=state.shape) * flow.column_scale
            change[:, :flow.flow_columns] = 0.0
            flow.closure.clip(state, change)
            with self.subTest(name):
                moved = state + change
                flow.closure.update(moved, np.full(flow.n_cells, flow.closure.nu), flow.grad * 0 + 0.1)
                self.assertTrue(np.isfinite(flow.eddy).all())
                self.assertGreaterEqual(flow.eddy.min(), 0)

    def test_a_trip_and_detached_eddies_are_options_of_each(self):
        for dim in (2, 3):
            for name in CLOSURES:
                plain, tripped = (self.flow(dim, name, laminar_until=trip) for trip in (None, 0.6))
                state = plain.uniform_state()
                state[:, 2] *= np.minimum(1.0, (plain.distance / 0.3))**0.2
                rows = [f.residual(state)[:, dim + 2] for f in (plain, tripped)]
                ahead = (plain.mesh.centre[:, 0] < 0.6) & (plain.distance < 0.2)
                with self.subTest(name, dim=dim):
                    self.assertTrue((rows[1][ahead] >= rows[0][ahead] - 1e-12).all())
                    np.testing.assert_allclose(rows[1][~ahead], rows[0][~ahead], rtol=1e-12)
                    self.flow(dim, name, detached=True).residual(state)


if __name__ == "__main__":
    unittest.main()
