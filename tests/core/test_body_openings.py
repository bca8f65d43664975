"""Surfaces of a body that take in, supply, blow, slide and are heated."""
import unittest

import numpy as np

from tests.bodies import body_sheet, run_body
from tests.marks import slow
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.grids.bodies import LADDER
from ventaris.core.sheet import SheetError
from ventaris.core.study.kinds.body.preflight import preflight_body
from ventaris.core.study.kinds.body.run import body_channels
from ventaris.core.study.kinds.body.ready import prepare_body

POD = {"name": "pod", "kind": "frustum", "length": 2.0, "front_diameter": 0.6, "rear_diameter": 0.6}
ENDS = [{"name": "face", "x": 0.0, "y": 0, "z": 0}, {"name": "base", "x": 2.0, "y": 0, "z": 0}]
SPEED, AREA = 60.0, np.pi * 0.09
PASSED = 1.225 * SPEED * AREA
INTAKE = {"surface": "face", "action": "takes in", "mass_flow": PASSED}
GRID = {
    "level": "coarse", "surface_size": 0.05 / LADDER**2, "edge_halvings": 0, "curved": 0, "wake_length": 0
}


def pod(walls, model="inviscid", make=run_body, **sections):
    air = {"motion": "speed", "speed": SPEED, "walls": walls}
    grid = {**GRID, **sections.pop("grid", {})}
    return make([POD], shape={"parts": [POD], "regions": ENDS}, air=air, flow={"model": model}, grid=grid,
                **sections)


def ready(*parts, **sections):
    return prepare_body(body_sheet(*parts, **sections))


@slow
class Openings(unittest.TestCase):
    def test_a_pod_that_swallows_its_stream_gives_the_ram_drag(self):
        """What comes in with the stream's own speed leaves its momentum: m U, 2 on the face's area."""
        done = pod([INTAKE])
        c = done.result["coefficients"]
        self.assertAlmostEqual(c["mass_flow_face"] / -PASSED, 1, delta=1e-9)
        self.assertAlmostEqual(c["drag_face"], 2.0, delta=0.03)
        self.assertIn("mass_flow_face", body_channels(done.setup))

    def test_an_exhaust_pushes_with_its_momentum(self):
        done = pod([
            INTAKE,
            {"surface": "base", "action": "supplies", "total_pressure": 115_000, "total_temperature": 600}
        ])
        c, q = done.result["coefficients"], done.setup.air.dynamic_pressure
        base = done._level.flow.mesh.boundaries["base"]
        area = done._level.flow.mesh.area[base].sum() * done.setup.scale**2
        # Subsonic: the jet leaves at ambient pressure, with the speed of an expansion from its total state.
        mach2 = 5 * ((115_000 / 101_325)**(0.4 / 1.4) - 1)
        static = 600 / (1 + 0.2 * mach2)
        speed = np.sqrt(mach2 * 1.4 * 287.05287 * static)
        flow = 101_325 / (287.05287 * static) * speed * area
        self.assertAlmostEqual(c["mass_flow_base"] / flow, 1, delta=0.03)
        self.assertAlmostEqual(c["drag_base"] / (-flow * speed / (q * done.setup.area)), 1, delta=0.06)

    def test_half_a_body_passes_half_and_reports_the_whole(self):
        whole, half = (pod([INTAKE], domain={"ahead": 1, "behind": 2, "beside": 1,
                                             "half": h}).result["coefficients"] for h in ("no", "yes"))
        self.assertAlmostEqual(half["mass_flow_face"], whole["mass_flow_face"], places=9)
        self.assertAlmostEqual(half["drag_face"], whole["drag_face"], delta=0.03)

    def test_every_action_is_laid_out_and_keeps_a_residual(self):
        actions = [{"action": "vents", "pressure": 101_000}, {"action": "feeds", "mass_flow": 2},
                   {"action": "blows",
                    "speed": -3}, {"action": "blows mass", "mass_flow": 0.5,
                                   "blown_temperature": 320}, {"action": "slides", "along": 20},
                   {"action": "turns", "turn_speed": 600},
                   {"action": "slips"}, {"action": "held",
                                         "temperature": 350}, {"action": "heated", "heat": 500},
                   {"action": "supersonic", "mach": 2,
                    "pressure": 101_325}, {"action": "supplies"}, {"action": "takes in"}]
        for action in actions:
            setup = pod([{"surface": "base", **action}], "laminar", make=ready)
            mesh = setup.generate(("coarse", ))["coarse"]
            flow = Discretisation(mesh, setup.stream, boundaries=setup.boundaries, direction=setup.direction)
            with self.subTest(action["action"]):
                self.assertTrue(np.isfinite(flow.residual(flow.uniform_state())).all())

    def test_a_surface_turns_about_the_middle_of_its_box(self):
        def speeds(**turning):
            setup = pod([{"surface": "pod", "action": "turns", **turning}], "laminar", make=ready)
            low, high = (b / setup.scale for b in setup.body.surface.box)
            middle, name = 0.5 * (low + high), setup.body.surface.patches[0]
            ends = np.array([[*middle[:2], low[2]], [middle[0], high[1], middle[2]], [high[0], *middle[1:]]])
            return setup.boundaries[name].velocity(ends), setup, 0.5 * (high - low)

        rolling, setup, reach = speeds()
        np.testing.assert_allclose(rolling[0], [setup.stream.mach, 0, 0], atol=1e-12)
        for axis, row, want in (("across", 0, (1, 0, 0)), ("along", 1, (0, 0, 1)), ("upwards", 2, (0, 1, 0))):
            found, setup, reach = speeds(turn_axis=axis, turn_speed="10 rev/s")
            arm = reach[{"across": 2, "along": 1, "upwards": 0}[axis]] * setup.scale
            fast = 20 * np.pi * arm / setup.air.speed_of_sound
            np.testing.assert_allclose(found[row], fast * np.array(want), atol=1e-12, err_msg=axis)
        with self.assertRaisesRegex(SheetError, "without one a surface rolls"):
            pod([{"surface": "pod", "action": "turns", "turn_axis": "along"}])
        with self.assertRaisesRegex(ValueError, "side of the box cannot turn"):
            pod([{"surface": "floor", "action": "turns", "turn_speed": 3}], "laminar", make=ready)

    def test_a_warm_wall_gives_its_heat(self):
        done = pod([{"surface": "pod", "action": "heated", "heat": 800}], "laminar", run={"steps": 5})
        c = done.result["coefficients"]
        heated = sum(v for name, v in c.items() if name.startswith("heat_"))
        mesh = done._level.flow.mesh
        area = mesh.area[mesh.wall_faces()].sum() * done.setup.scale**2
        self.assertAlmostEqual(heated / (800 * area), 1, delta=1e-6)

    def test_bad_names_and_flows_are_told(self):
        with self.assertRaisesRegex(
                ValueError,
                r"air.walls.0.surface = mouth: there is no such surface. There are: body, pod, pod side, "
                r"face, base, inflow"
        ):
            pod([{"surface": "mouth"}], make=ready)
        with self.assertRaisesRegex(SheetError, "more than 0"):
            pod([{"surface": "face", "mass_flow": -2}])
        with self.assertRaisesRegex(ValueError, "symmetry plane"):
            pod([{"surface": "left", "action": "slips"}], domain={"half": "yes"}, make=ready)

    def test_the_preflight_tells_of_openings_that_are_hardly_seen(self):
        setup = pod([{**INTAKE, "mass_flow": 500}], make=ready, grid={"surface_size": 0.12})
        paths = {f.path: f.grade for f in preflight_body(setup)}
        self.assertEqual(paths.get("air.walls.0.mass_flow"), "warn")
        self.assertEqual(paths.get("air.walls.0.surface"), "stop")


if __name__ == "__main__":
    unittest.main()
