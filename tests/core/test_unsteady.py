import unittest

import numpy as np

from tests.meshes import box_mesh
from tests.sheets import run, sheet
from ventaris.core.flow.boundaries.contract import Boundary
from ventaris.core.flow.boundaries.registry import CONDITIONS
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.stream import FreeStream
from ventaris.core.flow.march.unsteady import TimeMarch
from ventaris.core.flow.wall_treatment import law_of_the_wall, y_plus_of
from ventaris.core.instruments.control_volume import momentum_balance
from ventaris.core.instruments.profiles import WallSampler, wake_profile
from ventaris.core.study.checks import examine
from ventaris.core.study.execute import execute
from ventaris.core.study.progress import Checkpoint
from ventaris.store.fields import pack_frames, unpack_frames

CYLINDER = {
    "shape": {"kind": "ellipse", "thickness": 1.0}, "flow": {"model": "laminar", "time": "unsteady"},
    "air": {"motion": "mach", "mach": 0.2, "viscosity_law": "from Reynolds number", "reynolds": 100}
}


class InTime(unittest.TestCase):
    def travelled(self, step, n=64):
        """A temperature bump carried by the stream: root mean square error after a given way."""
        mesh = box_mesh(n)
        flow = Discretisation(mesh, FreeStream(0.5), "slip", limit=False, vortex=False)
        bump = lambda centre: 0.02 * np.exp(-((mesh.centre[:, 0] - centre) / 0.12)**2)
        state = flow.uniform_state()
        state[:, 1] += bump(0.35)
        march = TimeMarch(flow, state, step, tolerance=1e-8)
        while march.time < 0.6 - 1e-9:
            march.advance()
        return float(np.sqrt(((march.state[:, 1] - 1 - bump(0.35 + 0.5 * march.time))**2).mean()))

    def test_a_bump_travels_with_the_stream_at_second_order(self):
        # The two-step rule quarters the error with the step until the grid's own error shows.
        coarse, fine = self.travelled(0.03, 128), self.travelled(0.015, 128)
        self.assertGreater(np.log2(coarse / fine), 1.7)
        self.assertLess(fine, 2e-4)

    def test_a_steady_flow_stays_when_followed(self):
        mesh = box_mesh(12)
        flow = Discretisation(mesh, FreeStream(0.3, reynolds=100.0), "slip", vortex=False)
        march = TimeMarch(flow, flow.uniform_state(), 0.1)
        for _ in range(4):
            march.advance()
        self.assertLess(np.abs(march.state - flow.uniform_state()).max(), 1e-12)


class Follow(unittest.TestCase):
    RUN = {"duration": 4, "time_step": 0.25, "discard": 0.5, "frames": 4, "residual": 1e-2, "steps": 30}

    def made(self, grid={"level": "medium", "around": 64, "layers": 24}):
        return sheet(grid, **CYLINDER, run=self.RUN)

    def test_an_unsteady_run_records_frames_and_statistics_and_resumes_where_it_was(self):
        whole = execute(self.made())
        for _ in whole:
            pass
        result = whole.result
        self.assertEqual(result["unsteady"]["steps"], 16)
        self.assertEqual(len(whole.recorder.frames), 4)
        self.assertTrue(all("time" in h for h in whole.history[-16:]))
        self.assertIn("Followed for 4 chords", result["verdict"]["words"])
        times, frames, mean = unpack_frames(
            pack_frames(whole.recorder.times, whole.recorder.frames, whole.recorder.mean))
        np.testing.assert_array_equal(frames, np.stack(whole.recorder.frames))
        mean_of_last = np.mean([f.astype(float) for f in whole.recorder.frames], axis=0)
        self.assertEqual(whole.recorder.mean_field.count, 8)
        self.assertLess(np.abs(mean / whole._level.flow.column_scale[:4] - mean_of_last).max(), 0.3)
        for stop in (3, 12):
            broken = execute(self.made())
            for _ in broken:
                if broken.recorder and len(broken.recorder.entries) == stop:
                    break
            again = execute(self.made(), Checkpoint.from_bytes(broken.checkpoint().to_bytes()))
            for _ in again:
                pass
            self.assertEqual(again.result["unsteady"]["steps"], 16)
            self.assertAlmostEqual(again.history[-1]["drag"], whole.history[-1]["drag"], delta=2e-4)
            self.assertLess(np.abs(again.recorder.mean - whole.recorder.mean).max(), 1e-3)

    def test_a_step_that_misses_the_shedding_is_said_before_and_too_many_are_refused(self):
        _, findings = examine(sheet(**CYLINDER, run={"time_step": 1.0}))
        self.assertTrue(any("damped or missed" in f.message for f in findings))
        _, findings = examine(sheet(**CYLINDER, run={"time_step": 1e-4, "duration": 500}))
        self.assertEqual((findings[0].grade, findings[0].path), ("stop", "run.time_step"))


class Walls(unittest.TestCase):
    def test_the_law_of_the_wall_has_its_two_ends(self):
        self.assertAlmostEqual(law_of_the_wall(1.0), 1.0, delta=0.03)
        self.assertAlmostEqual(law_of_the_wall(300.0), np.log(300) / 0.41 + 5.5, delta=0.4)
        for y in (2.0, 20.0, 200.0):
            self.assertAlmostEqual(y_plus_of(y * law_of_the_wall(y)), y, delta=1e-5 * y)

    def test_blown_and_moving_walls_are_laid_out(self):
        normal = np.array([[0.0, -1.0], [0.0, 1.0]])
        rows = np.zeros((2, 4))
        CONDITIONS["no-slip"].rows(Boundary("no-slip", tangential=2.0), normal, np.zeros((2, 2)), rows)
        np.testing.assert_allclose(rows[:, 2], [-2.0, 2.0])
        CONDITIONS["blown"].rows(Boundary("blown", blown=0.3, by_speed=False), normal, np.zeros((2, 2)), rows)
        np.testing.assert_allclose(rows, [[0.3, 1.0, 0.0, 0.0]] * 2)

    def test_a_rotating_cylinder_is_lifted_and_mass_is_kept(self):
        done = run({"level": "coarse", "kind": "hybrid"}, shape={"kind": "ellipse", "thickness": 1.0},
                   flow={"model": "laminar"}, air={
                       "motion": "mach", "mach": 0.2, "viscosity_law": "from Reynolds number", "reynolds": 40,
                       "walls": [{"surface": "body", "action": "move", "speed": -68}]
                   })
        # Clockwise: the upper side moves with the stream, the lift is upwards.
        self.assertGreater(done.result["coefficients"]["lift"], 1.0)
        self.assertLess(abs(done.result["control_volume"]["mass"]), 1e-4)


class Profiles(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.done = run({"level": "medium"}, air={
            "motion": "mach", "mach": 0.3, "incidence": 0, "viscosity_law": "from Reynolds number",
            "reynolds": 1e4
        }, shape={"kind": "double wedge", "thickness": 0.02}, flow={"model": "laminar"})
        cls.level, cls.flow, cls.state = cls.done.field()

    def test_a_thin_plates_layer_is_blasius(self):
        sampler = WallSampler(self.flow.mesh, self.state, 1.4, 0.3)
        found = sampler.profile(sampler.nearest(0.5, 0.02)).thicknesses()
        scale = np.sqrt(0.5 / 1e4)
        self.assertAlmostEqual(found["thickness"] / (4.91 * scale), 1, delta=0.12)
        self.assertAlmostEqual(found["momentum"] / (0.664 * scale), 1, delta=0.12)
        self.assertAlmostEqual(found["shape"], 2.59, delta=0.15)

    def test_walls_and_surrounding_air_agree(self):
        around = momentum_balance(self.flow)
        drag = self.done.result["coefficients"]["drag"]
        self.assertLess(abs(around["drag"] / drag - 1), 0.01)
        self.assertLess(abs(around["mass"]), 1e-5)

    def test_the_wake_holds_the_drag(self):
        found = wake_profile(self.flow.mesh, self.state, 1.4, 0.3, 1.4, -0.5, 0.5)
        self.assertAlmostEqual(found["drag"] / self.done.result["coefficients"]["drag"], 1, delta=0.15)
        self.assertLess(min(found["u"]), 0.8)
