import unittest

import numpy as np

from tests.marks import slow, thorough
from tests.sheets import run, sheet
from ventaris.core.flow.closures.shear_stress_transport import SHEAR_LIMIT, SHOCK_SHEAR_LIMIT, dilatation
from ventaris.core.flow.closures import spalart_allmaras as sa
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.stencils.plane import layer_stencil, wall_layer_cells
from ventaris.core.flow.stream import FreeStream
from ventaris.core.grids.section import SectionGridPlan, generate_levels
from ventaris.core.look.drawable import drawable
from ventaris.core.shapes.families import ellipse, four_digit
from ventaris.core.shapes.section import Section
from ventaris.core.study.checks import examine
from ventaris.core.study.setup import prepare
from ventaris.core.study.kinds.section.ready import wall_unit
from ventaris.store.fields import pack_field, unpack_field

TURBULENT = {
    "flow": {"model": "turbulent"}, "air": {
        "motion": "mach", "mach": 0.15, "incidence": 2, "viscosity_law": "from Reynolds number",
        "reynolds": 3e6
    }
}


class Closure(unittest.TestCase):
    def test_the_log_layer_is_in_equilibrium(self):
        # With nt = kappa u d and S = u/(kappa d), production, destruction and diffusion cancel exactly (chi
        # large).
        nu, u = 1e-7, 0.04
        for d in (0.02, 0.05):
            nt, S = sa.KAPPA * u * d, u / (sa.KAPPA * d)
            made, _ = sa.source(nt, nu, S, d)
            spread = (1 + sa.CB2) / sa.SIGMA * (sa.KAPPA * u)**2
            self.assertLess(abs(made + spread) / spread, 2e-3)

    def test_damping_runs_from_nothing_to_one(self):
        self.assertAlmostEqual(sa.viscous_damping(7.1), 0.5)
        self.assertLess(sa.viscous_damping(0.5), 1e-3)
        self.assertGreater(sa.viscous_damping(100), 0.99)

    def test_negative_values_are_driven_back(self):
        made, safe = sa.source(-1e-5, 1e-6, 1.0, 0.01)
        self.assertGreater(made, 0)
        self.assertGreater(safe, 0)
        self.assertGreater(sa.diffusivity(-1e-5, 1e-6), 0)

    def test_the_safe_diagonal_bounds_the_sources_slope_near_walls(self):
        nu, S, d = 1e-6, 50.0, 1e-4
        nt = 3e-6
        slope = (sa.source(nt * 1.001, nu, S, d)[0] - sa.source(nt * 0.999, nu, S, d)[0]) / (0.002 * nt)
        self.assertGreaterEqual(max(sa.source(nt, nu, S, d)[1], 0.0) + 1e-9, min(-slope, 0.0))


class WallLayers(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.mesh = generate_levels(Section(ellipse(1.0)),
                                   SectionGridPlan(around=128, layers=64, first_height=1e-5),
                                   ("fine", ))["fine"]

    def test_distance_to_a_circle_is_exact_to_its_facets(self):
        distance, direction, corner = self.mesh.wall_distance()
        radius = np.linalg.norm(self.mesh.centre - [0.5, 0], axis=1)
        near = radius < 2
        # A chord of 1/128 of the circle sags by 1.5e-4 of the diameter.
        np.testing.assert_allclose(distance[near], radius[near] - 0.5, atol=3.5e-4)
        self.assertFalse(corner.any())
        outward = (self.mesh.centre - [0.5, 0]) / radius[:, None]
        self.assertGreater((direction * outward).sum(1)[radius > 0.52].min(), 0.99)

    def test_trailing_edges_are_corners(self):
        mesh = generate_levels(Section(four_digit(0.12)), SectionGridPlan(around=64, layers=24, wake=16),
                               ("coarse", ))["coarse"]
        _, _, corner = mesh.wall_distance()
        behind = (mesh.centre[:, 0] > 1.2) & (np.abs(mesh.centre[:, 1]) < 0.05)
        self.assertTrue(corner[behind].all())
        self.assertFalse(corner[(mesh.centre[:, 0] > 0.2) & (mesh.centre[:, 0] < 0.8)].any())

    def test_a_shear_layer_along_a_curved_wall_has_its_exact_gradient(self):
        # u = d along the wall: plain least squares on cells 100 times longer than high loses two thirds of
        # it.
        mesh = self.mesh
        distance, direction, corner = mesh.wall_distance()
        inside = wall_layer_cells(mesh, distance, direction, corner)
        self.assertGreater(inside.sum(), 1000)
        (start, neighbour, weight), _ = layer_stencil(mesh, mesh.wall_faces(), distance, direction, inside)
        owner = np.repeat(np.arange(mesh.n_cells), np.diff(start))
        jump = (distance[neighbour] - distance[owner])[:, None] * weight
        gradient = np.stack([np.bincount(owner, jump[:, k]) for k in (0, 1)], axis=1)
        normal = (gradient * direction).sum(1)[inside]
        np.testing.assert_allclose(normal, 1.0, atol=1e-6)


@slow
class TurbulentRuns(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.execution = run({"level": "coarse", "around": 160, "layers": 72, "wake": 32}, **TURBULENT)

    def test_forces_are_those_of_a_turbulent_section(self):
        c = self.execution.result["coefficients"]
        self.assertGreater(c["drag_friction"], 0.004)
        self.assertLess(c["drag_friction"], 0.009)
        self.assertGreater(c["lift"], 0.15)

    def test_wall_units_are_reported(self):
        y_plus = self.execution.result["y_plus"]
        self.assertGreater(y_plus["largest"], y_plus["mean"])
        self.assertGreater(y_plus["mean"], 0.2)

    def test_the_field_shows_eddy_viscosity_and_survives_storing(self):
        level, flow, state = self.execution.field()
        picture = drawable(flow.mesh, state, self.execution.setup.air)
        self.assertGreater(picture.values["eddy"].max(), 20)
        _, _, again = unpack_field(pack_field(level, flow.mesh, state))
        self.assertEqual(again.shape, state.shape)
        # The ratio computed for pictures is that of the solver.
        expected = flow.eddy / flow.molecular
        from ventaris.core.look.fields import derive
        np.testing.assert_allclose(
            derive(state, self.execution.setup.air)["eddy"], expected, rtol=0.02, atol=1e-3)

    def test_a_trip_lowers_the_friction(self):
        tripped = run({"level": "coarse", "around": 160, "layers": 72, "wake": 32}, air=TURBULENT["air"],
                      flow={"model": "turbulent", "trip": 0.5})
        self.assertLess(tripped.result["coefficients"]["drag_friction"],
                        0.9 * self.execution.result["coefficients"]["drag_friction"])

    def test_residual_of_the_stream_is_kept_away_from_walls(self):
        mesh = generate_levels(Section(four_digit(0.12)),
                               SectionGridPlan(around=64, layers=48, wake=16, first_height=1e-5),
                               ("medium", ))["medium"]
        flow = Discretisation(mesh, FreeStream(0.3, reynolds=1e6), "no-slip", vortex=False,
                              closure="spalart-allmaras")
        state = flow.uniform_state()
        state[:, 4] = flow.closure.far_value
        far = flow.distance > 3
        self.assertLess(np.abs(flow.residual(state)[far][:, :4]).max(), 1e-10)


class HeldLimiter(unittest.TestCase):
    def test_a_held_limiter_gives_the_same_residual_and_ignores_the_state(self):
        mesh = generate_levels(Section(four_digit(0.12)), SectionGridPlan(around=64, layers=24, wake=16),
                               ("coarse", ))["coarse"]
        flow = Discretisation(mesh, FreeStream(0.8, 0.02))
        rng = np.random.default_rng(4)
        state = flow.uniform_state() + 0.05 * rng.normal(size=(mesh.n_cells, 4)) * flow.column_scale
        free = flow.residual(state).copy()
        flow.limiter_frozen = True
        np.testing.assert_allclose(flow.residual(state), free, atol=1e-12)
        share = flow.limiter_share.copy()
        flow.residual(state + 0.02 * flow.column_scale)
        np.testing.assert_array_equal(flow.limiter_share, share)
        self.assertLess(share.min(), 0.9)


class Planning(unittest.TestCase):
    def test_the_first_layer_is_one_wall_unit(self):
        s = prepare(sheet({"level": "fine"}, **TURBULENT))
        self.assertAlmostEqual(s.plan.first_height, wall_unit(3e6))
        self.assertEqual(s.plan.layers, 88)
        self.assertEqual(prepare(sheet({"level": "fine"})).plan.layers, 64)

    def test_preflight_complains_of_coarse_wall_layers(self):
        for grid, path in (({"first_height": 1e-3}, "grid.first_height"), ({"layers": 40}, "grid.layers")):
            _, findings = examine(sheet({"level": "fine", **grid}, **TURBULENT))
            self.assertIn(path, [f.path for f in findings])
        _, findings = examine(sheet({"level": "fine"}, flow={"model": "turbulent"}, air={"speed": 2.0}))
        self.assertIn("flow.model", [f.path for f in findings])


@slow
class TwoEquations(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.setup = prepare(
            sheet(flow={"model": "turbulent", "closure": "sst"},
                  air={**TURBULENT["air"], "turbulence_intensity": 1.0, "viscosity_ratio": 5.0}))
        cls.flow = Discretisation(cls.setup.generate()["coarse"], cls.setup.stream, "no-slip", closure="sst")

    def test_the_stream_has_the_intensity_and_viscosity_ratio_given(self):
        far = np.argmax(self.flow.distance)
        k, log_omega = self.flow.uniform_state()[far, 4:]
        self.assertAlmostEqual(k / (1.5 * (0.01 * 0.15)**2), 1, delta=0.02)
        self.assertAlmostEqual(k / np.exp(log_omega) / (0.15 / 3e6), 5.0, delta=0.2)

    def test_the_shear_limit_acts_where_shear_is_strong_near_walls_and_nowhere_else(self):
        eddy = {}
        for closure, limit in (("sst", SHEAR_LIMIT), ("sst-shock", SHOCK_SHEAR_LIMIT)):
            flow = Discretisation(self.setup.generate()["coarse"], self.setup.stream, "no-slip",
                                  closure=closure)
            state = flow.uniform_state()
            rho = flow.stream.gamma * (state[:, 0] + 1 / flow.stream.gamma) / state[:, 1]
            gradient = np.zeros((flow.n_cells, 4, 2))
            gradient[::2, 2, 1] = 1e6
            flow.closure.update(state, np.full(flow.n_cells, flow.closure.nu), gradient)
            near = np.argmin(flow.distance[::2]) * 2
            self.assertAlmostEqual(flow.closure.eddy[near] / (rho[near] * limit * state[near, 4] / 1e6), 1,
                                   delta=1e-6)
            eddy[closure] = flow.closure.eddy[1::2].copy()
        np.testing.assert_allclose(eddy["sst"], eddy["sst-shock"], rtol=1e-12)

    @slow
    @thorough
    def test_the_shear_limit_for_shocks_leaves_the_shock_further_back(self):
        upper = {}
        for closure in ("sst", "sst-shock"):
            result = run({"level": "medium"}, flow={"model": "turbulent", "closure": closure}, air={
                "motion": "mach", "mach": 0.799, "incidence": 2.26, "viscosity_law": "from Reynolds number",
                "reynolds": 9e6
            }).result
            upper[closure] = next(s["x"] for s in result["shocks"]
                                  if s["surface"] == "upper"), result["coefficients"]["lift"]
        self.assertGreater(upper["sst-shock"][0], upper["sst"][0] + 0.03)
        self.assertGreater(upper["sst-shock"][1], upper["sst"][1] + 0.05)

    @slow
    @thorough
    def test_the_closures_agree_on_a_sections_drag(self):
        one, other = (run({"level": "medium"}, flow={"model": "turbulent", "closure": closure},
                          air=TURBULENT["air"]).result["coefficients"]
                      for closure in ("spalart-allmaras", "sst"))
        self.assertAlmostEqual(other["drag"] / one["drag"], 1, delta=0.06)
        self.assertAlmostEqual(other["lift"] / one["lift"], 1, delta=0.03)

    def test_a_wall_function_bridges_a_coarse_first_cell(self):
        # y+ about 40: the friction drag stays within a tenth of the resolved one.
        fine = run({"level": "medium"}, **TURBULENT).result
        coarse = run({"level": "medium", "first_height": 5e-4, "layers": 52}, **TURBULENT).result
        self.assertGreater(coarse["y_plus"]["mean"], 20)
        self.assertAlmostEqual(
            coarse["coefficients"]["drag_friction"] / fine["coefficients"]["drag_friction"], 1, delta=0.12)
        self.assertTrue(any("wall function bridges" in w for w in coarse["verdict"]["warnings"]))

    def test_the_first_height_is_judged_by_its_y_plus(self):
        for height, words, grade in ((0.02, "beyond the wall function's reach",
                                      "warn"), (6e-4, "a wall function takes over",
                                                "note"), (3e-5, "friction is surest near 1", "note"),
                                     (1e-7, "far thinner than needed", "warn")):
            _, findings = examine(sheet({"level": "coarse", "first_height": height}, **TURBULENT))
            mine = [f for f in findings if f.path == "grid.first_height"]
            self.assertTrue(mine and words in mine[0].message and mine[0].grade == grade, (height, mine))


class Dilatation(unittest.TestCase):
    def test_slow_turbulence_and_inner_layers_know_nothing_of_it(self):
        # Turbulent Mach number sqrt(2 k / T): 0.2 and 0.5.
        self.assertEqual(dilatation(0.02, 1.0, 0.0), 0.0)
        self.assertEqual(dilatation(0.125, 1.0, 1.0), 0.0)

    def test_fast_turbulence_loses_more(self):
        # Wilcox 1992: 3/2 (Mt^2 - 1/16).
        self.assertAlmostEqual(dilatation(0.125, 1.0, 0.0), 1.5 * (0.25 - 0.0625))
        self.assertAlmostEqual(dilatation(0.25, 2.0, 0.5), 0.75 * (0.25 - 0.0625))
