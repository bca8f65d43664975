"""Casings in a plane: grids, what comes through their openings against exact values, and what is refused."""
import unittest

import numpy as np

from tests.marks import slow
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.stencils.plane import _among_their_like
from ventaris.core.grids.casing import Casing
from ventaris.core.instruments.casing_meter import fan_efficiency
from ventaris.core.sheet import SheetError, read_sheet, read_toml, write_toml
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.registry import kind_of
from ventaris.core.study.setup import prepare

DUCT = ((-4, -1, "wall"), (6, -1, "outlet"), (6, 1, "wall"), (-4, 1, "inlet"))
# In from the left and out downwards, through half of the width, round a sharp inner corner.
BEND = ((-3, -1, "wall"), (2, -1, "wall"), (2, -4, "outlet"), (3, -4, "wall"), (3, 1, "wall"),
        (-3, 1, "inlet"))
MACH = 0.1
# Total pressure above the ambient one with which air leaves at the reference speed without loss.
HEAD = 101325.0 * ((1 + 0.2 * MACH**2)**3.5 - 1)


def sheet(corners=DUCT, domain=None, flow=None, shape=None, **more):
    rows = [{"x": x, "y": y, "side": side} for x, y, side in corners]
    return read_sheet({
        "format": 1, "space": "section",
        "shape": {"kind": "four-digit", "thickness": 0.12, "camber": 0.0, **(shape or {})},
        "air": {"motion": "mach", "mach": MACH}, "domain":
        {"kind": "casing", "corners": rows, "inlet_pressure": HEAD, **(domain or {})}, "flow":
        {"model": "inviscid", **(flow or {})}, "grid": {"level": "coarse"}, **more
    })


def result(*args, **more):
    run = execute(sheet(*args, **more))
    for _ in run:
        pass
    return run


class Grids(unittest.TestCase):
    def area(self, corners):
        x, y = np.array([c[:2] for c in corners]).T
        return 0.5 * abs(float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()))

    def test_cells_fill_the_casing_but_for_the_section(self):
        section = 0.0822
        for corners in (DUCT, BEND, DUCT[::-1]):
            given = corners if corners[0][2] != "inlet" else [
                (x, y, side) for (x, y, _), side in zip(corners, ("wall", "outlet", "wall", "inlet"))]
            for model, walls in (("inviscid", "slip"), ("turbulent", "no-slip")):
                setup = prepare(sheet(given, {"side_walls": walls}, {"model": model}))
                mesh = setup.generate(("coarse", ))["coarse"]
                with self.subTest(given=given, model=model):
                    self.assertAlmostEqual(mesh.volume.sum(), self.area(corners) - section, delta=2e-3)
                    self.assertGreater(mesh.volume.min(), 0)
                    self.assertEqual(set(mesh.boundaries) - set(mesh.walls), {"casing", "inlet", "outlet"})

    def test_either_way_round_is_one_casing(self):
        one = prepare(sheet(DUCT)).plan.casing
        # The side behind a corner is another one when corners are listed the other way.
        back = [(6, 1, "outlet"), (6, -1, "wall"), (-4, -1, "inlet"), (-4, 1, "wall")]
        two = prepare(sheet(back)).plan.casing
        sides = lambda casing: {
            (casing.corners[k], casing.corners[(k + 1) % 4]): casing.sides[k]
            for k in range(4)
        }
        self.assertEqual(sides(one), sides(two))
        self.assertEqual((one.width("outlet"), one.reach), (2.0, 5.0))

    def test_levels_are_nested_on_the_walls(self):
        setup = prepare(
            sheet(BEND, {"side_walls": "no-slip"}, {"model": "laminar"}, grid={"level": "medium"}))
        grids = setup.generate(("coarse", "medium"))
        coarse, medium = (len(grids[level].boundaries["casing"]) for level in ("coarse", "medium"))
        self.assertEqual(2 * coarse, medium)


class Openings(unittest.TestCase):
    def test_air_leaves_with_what_its_total_pressure_gives(self):
        run = result()
        c = run.result["coefficients"]
        self.assertTrue(run.result["verdict"]["settled"], run.result["verdict"]["words"])
        # Bernoulli: the reference speed through a width of two chords.
        self.assertAlmostEqual(c["casing_flow"] / 2.0, 1.0, delta=2e-3)
        self.assertLess(abs(c["casing_rise"]), 5e-3)
        self.assertLess(abs(c["drag"]), 5e-3)
        kind_of(run.sheet).result.model_validate(run.result)

    def test_a_mass_flow_is_held(self):
        air = prepare(sheet()).air
        flow = 1.5 * air.density * air.speed * 1.0
        c = result(domain={"outlet": "flow", "outlet_flow": flow}).result["coefficients"]
        self.assertAlmostEqual(c["casing_flow"], 1.5, delta=1e-6)
        self.assertLess(abs(c["casing_rise"]), 5e-3)

    def test_through_a_nozzle_the_outlet_decides(self):
        """From two chords to one: what leaves has the ambient pressure, and so the reference speed."""
        x = np.linspace(1.5, 4.0, 13)
        y = 0.75 + 0.25 * np.cos(np.pi * (x - 1.5) / 2.5)
        lower = [(-4, -1, "wall"), *((a, -b, "wall") for a, b in zip(x, y)), (6, -0.5, "outlet")]
        upper = [(6, 0.5, "wall"), *((a, b, "wall") for a, b in zip(x[::-1], y[::-1])), (-4, 1, "inlet")]
        c = result([*lower, *upper]).result["coefficients"]
        self.assertAlmostEqual(c["casing_flow"], 1.0, delta=5e-3)

    @slow
    def test_walls_with_friction_cost_total_pressure(self):
        c = result(domain={"side_walls": "no-slip"}, flow={"model": "turbulent"}).result["coefficients"]
        self.assertTrue(-0.1 < c["casing_rise"] < -0.01)
        self.assertTrue(1.9 < c["casing_flow"] < 2.0)

    def test_a_fans_efficiency_is_flow_times_rise_over_power(self):
        self.assertAlmostEqual(fan_efficiency({"casing_flow": 0.5, "casing_rise": 0.8}, 0.6), 2 / 3)
        self.assertIsNone(fan_efficiency({"casing_flow": 0.5, "casing_rise": None}, 0.6))
        self.assertIsNone(fan_efficiency({"casing_flow": 0.5, "casing_rise": 0.8}, -0.1))


class Sheets(unittest.TestCase):
    def test_they_go_out_and_come_back(self):
        one = sheet(BEND)
        self.assertEqual(read_toml(write_toml(one)), one)

    def test_what_cannot_be_is_explained(self):
        for corners, words in (
            (DUCT[:3], "at least 4"), ([*DUCT[:3], (-4, 1, "wall")], "no side is an inlet"),
            ([(-4, -1, "wall"), (6, -1, "outlet"), (6, 1, "inlet"),
              (-4, 1, "wall")], "an outlet and an inlet meet"),
            ([DUCT[0], DUCT[0], *DUCT[1:]], "two corners in a row")):
            with self.subTest(words), self.assertRaisesRegex(SheetError, words):
                sheet(corners)
        crossed = [(-4, -1, "wall"), (6, 1, "outlet"), (6, -1, "wall"), (-4, 1, "inlet")]
        for corners, words in ((crossed, "crosses itself"),
                               ([(x / 10, y, side) for x, y, side in DUCT], "reaches out of the casing"),
                               ([(x, y / 16.6, side) for x, y, side in DUCT], "less than four")):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                prepare(sheet(corners))

    def test_the_preflight_says_what_drives_the_air(self):
        found = lambda one: [f.path for f in kind_of(one).preflight(prepare(one)) if f.grade == "warn"]
        self.assertIn("domain.inlet_pressure", found(sheet(domain={"inlet_pressure": 0.0})))
        self.assertNotIn("domain.inlet_pressure", found(sheet()))
        self.assertNotIn("domain.far_field", found(sheet()))

    def test_a_casings_sides_stand_between_openings(self):
        casing = Casing(((0, 0), (4, 0), (4, 1), (3, 1), (2, 1), (0, 1)),
                        ("wall", "outlet", "wall", "inlet", "wall", "inlet"))
        self.assertEqual(casing.stretches(), [(0, 1, "inlet", "outlet"), (2, 3, "outlet", "inlet"),
                                              (4, 5, "inlet", "inlet")])

    def test_air_at_rest_stays_so(self):
        """A casing that nothing drives: the march starts at its end."""
        run = execute(sheet(domain={"inlet_pressure": 0.0}, flow={"model": "laminar"}))
        for _ in run:
            pass
        self.assertLess(abs(run.result["coefficients"]["casing_flow"]), 1e-9)
        self.assertIsNone(run.result["coefficients"]["casing_rise"])

    def test_cells_colder_than_air_can_be_lose_their_slopes(self):
        setup = prepare(sheet())
        flow = Discretisation(setup.generate(("coarse",))["coarse"], setup.stream, "slip", False,
                              boundaries=setup.boundaries)
        state = flow.uniform_state()
        state[:, 0] = -0.002
        state[:, 1] = (1 - 1.4 * 0.002)**(0.4 / 1.4)
        flow.flatten_cold(state)
        self.assertIsNone(flow.plain)
        state[40, 1] -= 3 * 0.2 * MACH**2
        flow.flatten_cold(state)
        self.assertIn(40, flow.plain)
        # The cell and those beside it.
        self.assertTrue(3 <= len(flow.plain) <= 5)
        flow.residual(state)
        self.assertFalse(flow.grad[40, :4].any())
        self.assertTrue(flow.grad.any())

    def test_at_a_trailing_edge_distance_does_not_count(self):
        """The nearest wall of the cells behind it is the edge itself: they face another way."""
        setup = prepare(sheet(flow={"model": "turbulent"}))
        mesh = setup.generate(("coarse",))["coarse"]
        _, direction, _ = mesh.wall_distance(mesh.wall_faces())
        among = _among_their_like(mesh, direction)
        tail = np.argmin(np.linalg.norm(mesh.points - [1.0, 0.0], axis=1))
        at_tail = (mesh.cell_nodes == tail).any(axis=1)
        self.assertGreaterEqual(at_tail.sum(), 4)
        self.assertFalse(among[at_tail].any())
        x, y = mesh.centre.T
        above = (y > 0.05) & (y < 0.07) & (np.abs(x - 0.4) < 0.2)
        self.assertTrue(above.any() and among[above].all())


if __name__ == "__main__":
    unittest.main()
