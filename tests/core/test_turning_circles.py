"""Circles that turn, as a sheet asks for them: what is refused, grids, runs, what they leave."""
import unittest

import numpy as np

from tests.marks import slow
from tests.sheets import sheet
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.instruments.flow_meter import FlowMeter
from ventaris.core.instruments.probe import Locator
from ventaris.core.look.drawable import drawable, moment
from ventaris.core.look.lines import FlowSampler
from ventaris.core.sheet import SheetError
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.section.preflight import preflight
from ventaris.core.study.progress import Checkpoint
from ventaris.core.study.setup import prepare
from ventaris.store.fields import pack_field, unpack_field

AIR = {"motion": "mach", "mach": 0.1}
GRID = {"level": "coarse", "around": 64, "layers": 8, "wake_size": 0}
# Two blades about a centre, and a post beside them.
WHEEL = {"blades": 2, "wheel_x": 0.4, "wheel_y": 1.2, "thickness": 0.18}
POST = {"name": "post", "role": "free", "kind": "ellipse", "thickness": 1.0, "chord": 0.5, "x": -2.0,
        "y": 1.2}
TURN = {"does": "turn", "whole": "circle", "edge": 1.6, "radius": 1.2, "pivot_x": 0.4, "pivot_y": 1.2,
        "tip_speed_ratio": 1.5}


def wheel_sheet(*rows, grid=GRID, shape=None, air=AIR, **sections):
    sections.setdefault("flow", {"time": "unsteady"})
    sections.setdefault("domain", {"far_field": 15})
    sections.setdefault("run", {"cycle_steps": 24, "cycles": 2, "frames": 4})
    return sheet(grid, shape=shape or {**WHEEL, "elements": [POST]},
                 air={**air, "motions": list(rows or (TURN, ))}, **sections)


class Refused(unittest.TestCase):
    def test_bad_circles_name_the_field_and_the_mend(self):
        other = {**TURN, "pivot_x": 2.0}
        for rows, more, words in (
            (({**TURN, "edge": 1.0}, ), {}, "does not fit into that circle"),
            (({**TURN, "edge": 1.21}, ), {}, "cuts “main”"),
            (({**TURN, "edge": 2.2}, ), {}, "cuts “post”"),
            (({**TURN, "pivot_y": 30.0, "edge": 1.3}, ), {"domain": {"far_field": 80}}, "nothing is inside"),
            ((TURN, other), {}, "overlap"),
            ((TURN, {"does": "heave"}), {}, "nothing else may move"),
            (({**TURN, "tip_speed_ratio": 0}, ), {}, "turns nothing"),
            ((TURN, ), {"domain": {"kind": "channel", "height": 2.0}}, "channel"),
            ((TURN, ), {"domain": {"kind": "ground", "clearance": 0.15}}, "reaches the ground"),
            ((TURN, ), {"domain": {"far_field": 3}}, "reaches the far field"),
            ((TURN, ), {"flow": {"model": "turbulent", "trip": 0.1}}, "flow.trip"),
            ((TURN, ), {"grid": {**GRID, "kind": "lines"}}, "grid.kind = lines")):
            with self.subTest(words=words), self.assertRaises((ValueError, SheetError)) as caught:
                prepare(wheel_sheet(*rows, **more))
            self.assertIn(words, str(caught.exception))

    def test_everything_cannot_move_in_a_channel_but_a_circle_can(self):
        with self.assertRaises(ValueError) as caught:
            prepare(wheel_sheet({**TURN, "whole": "all"}, domain={"kind": "channel", "height": 9}))
        self.assertIn("inside a circle", str(caught.exception))
        prepare(wheel_sheet(domain={"kind": "channel", "height": 9}))

    def test_a_circle_too_close_to_a_wall(self):
        with self.assertRaises(ValueError) as caught:
            prepare(wheel_sheet({**TURN, "edge": 1.3061}))
        self.assertRegex(str(caught.exception), "halfway|cuts")

    def test_the_preflight_tells_of_steps_and_of_tail_first(self):
        said = lambda row, **more: " ".join(f.message for f in preflight(prepare(wheel_sheet(row, **more))))
        self.assertIn("turns by 15.0°", said(TURN))
        self.assertNotIn("tail first", said(TURN))
        self.assertIn("tail first: main, blade 2", said({**TURN, "tip_speed_ratio": -1.5}))
        self.assertIn("held as it stands", said(TURN, flow={"time": "steady"}))


class Setups(unittest.TestCase):
    def test_speeds_periods_and_circles(self):
        moving = prepare(wheel_sheet()).moving
        self.assertAlmostEqual(moving.period, 2 * np.pi / (1.5 / 1.2))
        self.assertAlmostEqual(moving.degrees_of_step(72), 5.0)
        self.assertGreater(moving.fastest(np.array([[0.4, 2.4]])), 2.49)
        self.assertEqual(moving.fastest(np.array([[9.0, 2.4]])), 1.0)
        self.assertAlmostEqual(moving.reading(0.0, 0.1)["angle"], 0.0)

    def test_circles_of_several_speeds_repeat_together(self):
        second = {**TURN, "pivot_y": -3.0, "tip_speed_ratio": -1.0}
        shape = {**WHEEL, "elements": [{**POST, "x": 0.2, "y": -3.0}]}
        moving = prepare(wheel_sheet(TURN, second, shape=shape)).moving
        self.assertAlmostEqual(moving.period, 2 * 2 * np.pi / (1.5 / 1.2) * 1.5)
        self.assertEqual([name for name in moving.reading(0.5, 0.1)], ["angle", "angle_2"])
        odd = prepare(wheel_sheet(TURN, {**second, "tip_speed_ratio": -np.pi / 3}, shape=shape)).moving
        self.assertIsNone(odd.period)

    def test_upside_down_and_beside_a_ground_the_circle_goes_with_its_elements(self):
        row = {**TURN, "edge": 1.75}
        for more in ({"shape": {**WHEEL, "attitude": "inverted"}},
                     {"air": {**AIR, "incidence": 12}, "shape": WHEEL, "domain": {
                         "kind": "ground", "clearance": 3, "far_field": 20}}):
            setup = prepare(wheel_sheet(row, **more))
            circle = setup.moving.circles[0].circle
            for outline in setup.outlines:
                away = np.hypot(*(outline.place(np.array([[0.4, 0.0]]))[0] - circle.centre))
                self.assertAlmostEqual(away, 1.2, 6)


class Grids(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.setup = prepare(wheel_sheet())
        cls.mesh = cls.setup.generate(("coarse", ))["coarse"]

    def test_walls_lie_on_their_sides_and_names_are_kept(self):
        mesh, zone = self.mesh, self.mesh.zones[0]
        turning = {name for name in mesh.walls if np.isin(mesh.boundaries[name], zone.faces).all()}
        self.assertEqual({name.split()[0] for name in turning}, {"main", "blade"})
        self.assertEqual({name.split()[0] for name in set(mesh.walls) - turning}, {"post"})
        self.assertAlmostEqual(self.setup.cells("coarse") / mesh.n_cells, 1, delta=0.12)

    def test_what_is_kept_stands_as_it_stood(self):
        mesh = self.mesh
        mesh.zones[0].turn_to(mesh, 1.234)
        state = np.random.default_rng(1).normal(size=(mesh.n_cells, 4))
        _, back, _ = unpack_field(pack_field("coarse", mesh, state))
        mesh.zones[0].turn_to(mesh, 1.234)
        for one, two in ((mesh.points, back.points), (mesh.centre, back.centre)):
            self.assertLess(np.abs(one - two).max(), 1e-5)
        self.assertAlmostEqual(back.zones[0].angle, 1.234)
        self.assertLess(np.abs(back.openness()).max(), 1e-5)

    def test_pictures_have_neither_gaps_nor_jumps_at_the_seam(self):
        mesh, air = self.mesh, self.setup.air
        for angle in (0.0, 0.01, 1.234, -3.0):
            mesh.zones[0].turn_to(mesh, angle)
            state = np.tile([0.0, 1.0, 0.1, 0.0], (mesh.n_cells, 1))
            state[:, 2] += 0.01 * mesh.centre[:, 1]
            picture = drawable(mesh, state, air)
            circle = mesh.zones[0].circle
            sampler = FlowSampler(picture, (-3, 4, -3, 4))
            found = sampler.velocity(circle.shrunk(0.0).points(500))
            self.assertTrue(np.isfinite(found).all(), angle)
            ring = np.concatenate([circle.shrunk(0.02).points(300), circle.shrunk(-0.02).points(300)])
            wanted = (0.1 + 0.01 * ring[:, 1]) * air.speed_of_sound
            self.assertLess(np.abs(sampler.velocity(ring)[:, 0] - wanted).max(), 0.01 * wanted.max())

    def test_another_moment_is_read_where_the_circle_stands_then(self):
        mesh = self.mesh
        mesh.zones[0].turn_to(mesh, 0.4)
        state = np.tile([0.0, 1.0, 0.1, 0.0], (mesh.n_cells, 1))
        state[:, 2] -= 0.01 * mesh.centre[:, 1]
        first = moment(self.setup, mesh, state, None, {"vorticity"}, [0.4])["vorticity"]
        mesh.zones[0].turn_to(mesh, 0.9)
        again = moment(self.setup, mesh, state, None, {"vorticity"}, [0.4])["vorticity"]
        self.assertLess(np.abs(first - again).max(), 0.02 * np.abs(first).max())

    def test_probes_and_meters_find_the_cells_that_pass(self):
        mesh = self.mesh
        mesh.zones[0].turn_to(mesh, 0.0)
        locator = Locator(mesh)
        for angle in (0.0, 0.7, 2.9):
            mesh.zones[0].turn_to(mesh, angle)
            for point in ((0.4, 1.2), (0.4, 2.0), (1.9, 1.2), (3.0, 2.0), (0.4 + 1.599, 1.2)):
                cell = locator.find(*point)
                self.assertGreaterEqual(cell, 0)
                corner = mesh.points[mesh.cell_nodes[cell]]
                reach = np.hypot(*(corner - mesh.centre[cell]).T).max()
                self.assertLess(np.hypot(*(mesh.centre[cell] - point)), 1.05 * reach)
        self.assertEqual(locator.find(-1.75, 1.2), -1)

    def test_a_meter_in_a_uniform_stream(self):
        flow = Discretisation(self.mesh, self.setup.stream, vortex=False, motion=self.setup.moving.motion)
        state = flow.uniform_state()
        flow.residual(state)
        for start, end, passed in (((2.5, 0.0), (2.5, 2.0), 2.0), ((2.5, 2.0), (2.5, 0.0), -2.0)):
            found = FlowMeter("gap", start, end).read(flow, state, Locator(self.mesh))
            self.assertAlmostEqual(found["flow_gap"], passed, 9)
            # Of a compressible stream: 1 + M^2 / 4 and a little.
            self.assertAlmostEqual(found["total_pressure_gap"], 1.0025, 4)
        along = FlowMeter("gap", (2.0, 3.0), (3.0, 3.0)).read(flow, state, Locator(self.mesh))
        self.assertAlmostEqual(along["flow_gap"], 0.0, 9)
        self.assertIsNone(along["total_pressure_gap"])


class Distances(unittest.TestCase):
    def test_they_are_those_to_the_nearest_wall_wherever_the_circle_stands(self):
        setup = prepare(wheel_sheet(flow={"model": "turbulent", "time": "unsteady"}))
        mesh = setup.generate(("coarse", ))["coarse"]
        flow = Discretisation(mesh, setup.stream, vortex=False, closure="spalart-allmaras",
                              motion=setup.moving.motion, pace=setup.pace)
        for time in (3.0, 17.0, 41.0):
            flow.moved.put(time)
            exact = mesh.wall_distance(flow.stencils.walls)[0]
            self.assertLess(np.abs(flow.distance / exact - 1).max(), 0.06)
            near = exact < 0.15
            self.assertLess(np.abs(flow.distance / exact - 1)[near].max(), 1e-9)


@slow
class TwoEquations(unittest.TestCase):
    def test_k_omega_follows_a_wheel(self):
        # Its cells behind sharp trailing edges had every step refused.
        wheel = {"thickness": 0.18, "blades": 3, "wheel_x": 0.4, "wheel_y": 4.0}
        turn = {**TURN, "edge": 5.0, "radius": 4.0, "pivot_y": 4.0, "tip_speed_ratio": 2.5}
        run = execute(wheel_sheet(turn, shape=wheel, grid={"level": "coarse"}, domain={"far_field": 40},
                                  flow={"model": "turbulent", "time": "unsteady", "closure": "sst"},
                                  air={"motion": "speed", "speed": 10},
                                  run={"cycle_steps": 90, "cycles": 2, "frames": 0}))
        for _ in run:
            if run.time_march is not None and run.time_march.number == 18:
                break
        self.assertEqual(run.time_march.number, 18)
        self.assertLessEqual(run.time_march.parts, 4)
        self.assertTrue(np.isfinite(run.time_march.state).all())


@slow
class Runs(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.asked = wheel_sheet(instruments={
            "probes": [{"name": "inside", "x": 0.4, "y": 1.2}],
            "meters": [{"name": "behind", "x1": 2.4, "y1": 0.2, "x2": 2.4, "y2": 2.2}]
        })
        cls.done = execute(cls.asked)
        for _ in cls.done:
            pass

    def test_a_wheel_beside_a_post_gives_its_channels(self):
        done = self.done.result["unsteady"]["cycle"]["channels"]
        self.assertAlmostEqual(done["wheel_power"]["mean"] / done["wheel_torque"]["mean"], 1.5, delta=1e-6)
        self.assertIn("cp_inside", done)
        self.assertGreater(done["flow_behind"]["mean"], 0.2)
        self.assertLess(done["total_pressure_behind"]["mean"], 1.01)
        for name in ("lift_post", "drag_blade_2", "angle"):
            self.assertIn(name, done)
        self.assertEqual(len(self.done.recorder.frames), 4)
        zone = self.done.field()[1].mesh.zones[0]
        self.assertAlmostEqual(abs(np.degrees(zone.angle)), self.done.history[-1]["angle"], 4)

    def test_taps_are_told_where_their_walls_stand_in_the_arrangement(self):
        taps = self.done.kept_readings(False)
        upper = taps.side("main upper")
        self.assertGreater(upper.size, 5)
        self.assertLess(abs(taps.x[upper].min()), 0.1)
        self.assertLess(np.abs(taps.y[upper]).max(), 0.12)

    def test_power_is_what_the_walls_give_to_the_air(self):
        flow, mesh = self.done.field()[1], self.done.field()[1].mesh
        flow.residual(self.done.field()[2])
        walls = flow.wall[np.isin(flow.wall, mesh.zones[0].faces)]
        given = -flow.flux[walls, 1].sum() / (flow.stream.dynamic_pressure * flow.stream.mach)
        power = self.done.setup.moving.work(flow)["wheel_power"] * 2 * 1.2
        self.assertAlmostEqual(-power / given, 1.0, delta=1e-3)

    def test_an_interrupted_run_comes_to_the_same_end(self):
        first = execute(self.asked)
        for _ in first:
            if first.time_march is not None and len(first.recorder.entries) == 17:
                break
        again = execute(self.asked, Checkpoint.from_bytes(first.checkpoint().to_bytes()))
        for _ in again:
            pass
        one, two = (r.result["unsteady"]["cycle"]["channels"]["wheel_power"] for r in (again, self.done))
        self.assertAlmostEqual(one["mean"], two["mean"], delta=1e-7 * abs(two["amplitude"]))


if __name__ == "__main__":
    unittest.main()
