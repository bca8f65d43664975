"""Runs of bodies: sheet, preflight, execution, instruments, and what is looked at afterwards."""
import unittest
from dataclasses import replace

import numpy as np

from tests.marks import EVERYTHING, slow, thorough
from tests.bodies import CAR, NEAR, SMALL, WHEEL, body_sheet, run_body
from ventaris.core.grids.bodies import LADDER
from ventaris.core.formats.body_files import body_surface_csv, body_surface_vtp, body_vtu
from ventaris.core.look.body_field import body_field
from ventaris.core.look.body_lines import cut_plane, iso_surface, oil_lines, rake, streamlines
from ventaris.core.look.body_surface import drawn_surface
from ventaris.core.look.wall_cut import section_force, wall_cut
from ventaris.core.shapes.bodies import box, ellipsoid
from ventaris.core.shapes.surface import joined
from ventaris.core.sheet import SheetError, read_sheet, read_toml, write_toml
from ventaris.core.study.checks import estimate, examine
from ventaris.core.study.execute import execute
from ventaris.core.study.progress import RunFailed

_kept = {}


def finished():
    """One run over a moving ground, shared by the tests."""
    if "run" not in _kept:
        _kept["run"] = run_body([CAR, WHEEL], domain={**NEAR, "kind": "ground", "clearance": 0.25},
                                instruments={
                                    "front_axle": 0.8, "rear_axle": 3.2, "mass": 900,
                                    "probes": [{"name": "wake", "x": 4.6, "z": 0.7}], "meters": [{
                                        "name": "behind", "x": 4.8, "z": 0.7, "width": 2, "height": 1.6
                                    }], "formulas": [{"name": "half", "expression": "drag / 2"}]
                                })
    return _kept["run"]


def field_of(run):
    level, flow, state = run.field()
    return body_field(level, flow, state, run.setup.scale, run.setup.half, run.setup.air, run.mean)


class Sheets(unittest.TestCase):
    def test_toml_keeps_a_body_sheet(self):
        sheet = body_sheet([CAR, WHEEL])
        self.assertEqual(read_toml(write_toml(sheet)), sheet)

    def test_problems_name_their_field(self):
        for sections, words in (({"shape": {"parts": [{**CAR, "length": -1}]}}, "shape.parts"),
                                ({"grid": {"budget": 10}}, "grid.budget"), ({"domain": {"ahead": 0}},
                                                                            "domain.ahead")):
            with self.subTest(words), self.assertRaisesRegex(SheetError, words):
                read_sheet({"format": 1, "space": "body", **sections})
        with self.assertRaisesRegex(SheetError, "space"):
            read_sheet({"format": 1, "space": "time"})


class Preflight(unittest.TestCase):
    def findings(self, *args, **sections):
        setup, found = examine(body_sheet(*args, **sections))
        return setup, " ".join(f.message for f in found)

    def test_a_wrong_unit_is_noticed(self):
        self.assertIn("millimetres", self.findings([{**CAR, "length": 1000, "scale": 2}])[1])

    def test_half_bodies_must_be_symmetric_and_unyawed(self):
        self.assertIn("symmetric", self.findings([{**CAR, "y": 0.3}], domain={**NEAR, "half": "yes"})[1])
        self.assertIn("yawed", self.findings(domain={**NEAR, "half": "yes"}, air={"yaw": 5})[1])

    def test_thin_parts_blockage_and_instruments_are_reported(self):
        fin = {"name": "fin", "kind": "box", "length": 1, "width": 0.02, "height": 0.5, "x": 1, "z": 1.4}
        self.assertIn("thin", self.findings([CAR, fin])[1])
        self.assertIn("lockage", self.findings(domain={**NEAR, "beside": 0.5})[1])
        self.assertIn("outside the domain",
                      self.findings(instruments={"probes": [{"name": "far", "x": 500}]})[1])
        self.assertIn("half the body",
                      self.findings(domain={**NEAR, "half": "yes"}, instruments={"area": 1.1})[1])
        self.assertIn("outside the domain",
                      self.findings(instruments={"meters": [{"name": "m", "x": 500}]})[1])

    def test_a_stream_from_below_needs_free_air(self):
        self.assertIn("over a ground",
                      self.findings(domain={**NEAR, "kind": "ground"}, air={"incidence": 4})[1])

    def test_a_budget_is_kept_and_the_cost_grows_with_the_level(self):
        small = body_sheet(grid={**SMALL, "surface_size": None, "budget": 20_000, "level": "fine"})
        setup, _ = examine(small)
        mesh = setup.generate(("fine", ))["fine"]
        self.assertLessEqual(mesh.tree.n_leaves, 20_000 * 1.02)
        self.assertGreater(mesh.tree.n_leaves, 9_000)
        coarse, _ = examine(body_sheet(grid={**SMALL, "level": "coarse"}))
        self.assertLess(estimate(coarse).seconds, estimate(setup).seconds)


@slow
class Execution(unittest.TestCase):
    def test_a_car_over_ground_gives_every_reading(self):
        r = finished().result
        c = r["coefficients"]
        self.assertEqual([level["level"] for level in r["levels"]], ["coarse", "medium"])
        self.assertTrue(0.1 < c["drag"] < 1.2, c["drag"])
        self.assertAlmostEqual(c["drag"], c["drag_pressure"] + c["drag_friction"],
                               delta=1e-6 + 0.02 * abs(c["drag"]))
        self.assertAlmostEqual(c["lift_front"] + c["lift_rear"], c["lift"], places=6)
        self.assertAlmostEqual(sum(s["drag"] for s in r["surfaces"].values()), r["build_up"]["drag"][-1],
                               places=6)
        self.assertIn("drag_wheel", c)
        self.assertAlmostEqual(c["half"], c["drag"] / 2, delta=0.02)
        self.assertGreater(r["meters"]["behind"]["kilograms_per_second"], 0)
        self.assertLess(r["meters"]["behind"]["total_pressure"], 1.0)
        self.assertIsNotNone(r["probes"]["wake"])
        self.assertAlmostEqual(r["forces"]["drag"],
                               c["drag"] * r["air"]["dynamic_pressure"] * r["shape"]["area"], places=3)
        self.assertIsNotNone(r["weight"])

    def test_a_wheel_turns_with_the_ground(self):
        setup = finished().setup
        wheel = next(boundary for name, boundary in setup.boundaries.items() if name.startswith("wheel"))
        self.assertEqual(wheel.kind, "no-slip")
        axle = setup.body.wheels["wheel"] / setup.scale
        low = axle - np.array([0, 0, 0.3]) / setup.scale
        np.testing.assert_allclose(wheel.velocity_at(low[None])[0], [setup.stream.mach, 0, 0], atol=1e-9)

    def test_half_a_body_gives_the_whole_ones_forces(self):
        whole = run_body(grid={**SMALL, "level": "coarse"}).result["coefficients"]
        half = run_body(domain={**NEAR, "half": "yes"},
                        grid={**SMALL, "level": "coarse"}).result["coefficients"]
        self.assertAlmostEqual(half["drag"] / whole["drag"], 1, delta=0.12)
        self.assertEqual(half["side"], 0.0)

    def test_a_resumed_run_ends_where_the_other_did(self):
        sheet = body_sheet(grid={**SMALL, "level": "coarse"}, run={"steps": 12, "first_order_steps": 3})
        straight = execute(sheet)
        for k, _ in enumerate(straight):
            if k == 5:
                kept = straight.checkpoint().to_bytes()
        resumed = execute(sheet, kept)
        for _ in resumed:
            pass
        self.assertEqual(len(resumed.history), len(straight.history))
        self.assertAlmostEqual(resumed.result["coefficients"]["drag"],
                               straight.result["coefficients"]["drag"],
                               delta=0.02 * abs(straight.result["coefficients"]["drag"]))

    @slow
    @thorough
    def test_the_next_level_is_refined_at_the_shock_and_a_checkpoint_knows_where(self):
        values = dict(domain={"ahead": 0.8, "behind": 0.8,
                              "beside": 0.8}, air={"motion": "mach", "mach": 2.0}, flow={"model": "inviscid"},
                      run={"steps": 15, "courant_start": 2, "courant_most": 20})
        grid = {"surface_size": 0.06, "curved": 0, "edge_halvings": 0, "wake_length": 0, "level": "medium"}
        ball = [{"name": "ball", "kind": "ellipsoid", "length": 1, "width": 1, "height": 1}]
        plain, adapted = run_body(ball, grid=grid,
                                  **values), run_body(ball, grid={**grid, "shock_size": 0.03}, **values)
        self.assertGreater(adapted.result["cells"], 1.3 * plain.result["cells"])
        mesh = adapted.field()[1].mesh
        ahead = (np.hypot(mesh.centre[:, 1], mesh.centre[:, 2]) < 0.2) & (mesh.centre[:, 0] < -0.6)
        self.assertAlmostEqual(float(np.cbrt(mesh.volume[ahead]).min()), LADDER * 0.06, places=6)
        self.assertGreater(float(np.cbrt(plain.field()[1].mesh.volume).max()), 0.11)
        again = execute(adapted.sheet, adapted.checkpoint().to_bytes())
        for _ in again:
            pass
        self.assertEqual(again.result["cells"], adapted.result["cells"])
        _, findings = examine(body_sheet(ball, grid={**grid, "shock_size": 0.03}))
        self.assertTrue(any("no shock is looked for" in f.message for f in findings))

    def test_free_eddies_are_followed_in_time(self):
        for closure in ("spalart-allmaras", "sst") if EVERYTHING else ("sst", ):
            with self.subTest(closure=closure):
                run = run_body(grid={**SMALL, "level": "coarse"},
                               flow={"model": "turbulent", "wake": "detached", "closure": closure},
                               run={"steps": 10, "duration": 2.0, "time_step": 0.1})
                self.assertEqual(run.result["averages"]["of"], "time steps")
                self.assertGreaterEqual(run.result["averages"]["steps"], 12)
                self.assertTrue(any("time" in entry for entry in run.history))
                self.assertEqual(run.mean_field.count, run.result["averages"]["steps"])
                values = field_of(run).values
                self.assertEqual({"fluctuation", "pressure_rms", "mean_cp", "mean_speed"} -
                                 set(field_of(run).quantities), set())
                # The last moment lies within what a record of n values can hold: sqrt(n - 1) deviations from
                # its mean.
                self.assertLessEqual(
                    float(
                        np.max(
                            np.abs(values("fluctuation")) -
                            np.sqrt(run.mean_field.count) * values("pressure_rms"))),
                    1e-6 * run.setup.air.pressure)
                np.testing.assert_allclose(values("mean_speed").max() / values("speed").max(), 1, atol=0.3)

    @thorough
    def test_means_over_time_survive_a_checkpoint(self):
        sheet = dict(grid={**SMALL, "level": "coarse"}, flow={"model": "turbulent", "wake": "detached"},
                     run={"steps": 10, "duration": 2.0, "time_step": 0.1},
                     instruments={"formulas": [{"name": "swing", "expression": "about_mean(drag)"}]})
        whole = run_body(**sheet)
        broken = execute(whole.sheet)
        for progress in broken:
            if len(broken._followed) == 15:
                break
        again = execute(whole.sheet, broken.checkpoint().to_bytes())
        for _ in again:
            pass
        self.assertEqual(again.mean_field.count, whole.mean_field.count)
        np.testing.assert_allclose(again.mean, whole.mean, atol=2e-6)
        self.assertIsInstance(again.history[-1]["swing"], float)

    def test_a_formula_that_cannot_be_fails_in_words(self):
        with self.assertRaisesRegex(RunFailed, "not a channel"):
            execute(body_sheet(instruments={"formulas": [{"name": "x", "expression": "nothing * 2"}]}))


class Looking(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.run_ = finished()
        cls.field = field_of(cls.run_)
        cls.drawn = drawn_surface(cls.run_.setup.body.surface.moved(np.eye(3) / cls.field.scale),
                                  1.2 * cls.field.wall_size)

    def test_sampling_finds_the_stream_far_away_and_nothing_in_the_body(self):
        far = np.array([[-0.9, 0.8, 1.2]])
        self.assertAlmostEqual(self.field.sample(far, ("vx", ))[0, 0], 1.0, delta=0.1)
        self.assertTrue(np.isnan(self.field.sample(np.array([[0.5, 0.0, 0.18]]), ("cp", ))[0, 0]))

    def test_the_surface_carries_stagnation_pressure_at_its_nose(self):
        cp = self.field.on_surface(self.drawn.points, self.drawn.normals,
                                   self.field.wall_values["cp"][:, None])[:, 0]
        self.assertAlmostEqual(cp.max(), 1.0, delta=0.25)
        nose = self.drawn.points[np.argmax(cp)]
        self.assertLess(nose[0], self.drawn.points[:, 0].min() + 0.2)

    def test_a_cut_of_the_wall_runs_round_it(self):
        ball = drawn_surface(ellipsoid(2.0, 2.0, 2.0), 0.1)
        ball = replace(ball, points=ball.points - 0.5 * (ball.points.min(axis=0) + ball.points.max(axis=0)))
        for axis, at, radius in (("y", 0.6, 0.8), ("x", 0.0, 1.0), ("z", -0.8, 0.6)):
            cut = wall_cut(ball, axis, at)
            self.assertEqual(cut.line.max(), 0, axis)
            self.assertAlmostEqual(cut.length.sum(), 2 * np.pi * radius, delta=0.03)
            across = np.delete(cut.middle, "xyz".index(axis), axis=1)
            self.assertLess(np.abs(np.linalg.norm(across, axis=1) - radius).max(), 0.01)
            # Each piece begins where the one before ended.
            self.assertLess(np.linalg.norm(np.diff(cut.middle, axis=0), axis=1).max(), 0.2)
            self.assertGreater((cut.normal * cut.middle).sum(axis=1).min(), 0.8)
        cut = wall_cut(ball, "y", 0.0)
        # A pressure that rises with height lifts by what it would weigh: area over chord.
        chord, force = section_force(cut, -cut.middle[:, 2])
        self.assertAlmostEqual(chord, 2.0, delta=0.02)
        np.testing.assert_allclose(force, [0.0, np.pi / 2], atol=0.02)
        self.assertEqual(len(wall_cut(ball, "y", 1.5).middle), 0)
        two = joined([box(1, 1, 1), box(1, 1, 1).moved(np.eye(3), (3, 0, 0))])
        apart = wall_cut(drawn_surface(two, 0.3), "z", 0.1)
        self.assertEqual(set(apart.line), {0, 1})
        # What lies at one place is one point of a curve, on each line for itself.
        one = np.ones(len(apart.line))
        line, x, ones = apart.gathered(0 * one, apart.middle[:, 0], one)
        self.assertEqual((line.tolist(), ones.tolist()), ([0, 1], [1.0, 1.0]))
        np.testing.assert_allclose(np.sort(x), [0.5, 3.5], atol=1e-6)

    def test_pressures_on_the_wall_follow_from_cp_and_the_air(self):
        air, read = self.field.air, self.field.wall_readings()
        np.testing.assert_allclose(read["pressure_rise"], read["cp"] * 0.5 * air.density * air.speed**2,
                                   rtol=1e-9)
        np.testing.assert_allclose(read["pressure"] - read["pressure_rise"], air.pressure, rtol=1e-12)
        head = body_surface_csv(self.field, self.drawn).splitlines()[0]
        self.assertTrue(head.endswith("cp,cf,y_plus,pressure,pressure_rise"), head)

    def test_the_drawn_surface_keeps_parts_and_area(self):
        surface = self.run_.setup.body.surface
        self.assertEqual([name for name, _, _ in self.drawn.groups()], list(surface.parts))
        corners = self.drawn.points[self.drawn.triangles]
        area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]),
                                    axis=1).sum()
        self.assertAlmostEqual(area * self.field.scale**2 / surface.areas.sum(), 1, delta=1e-6)

    def test_planes_lines_and_iso_surfaces(self):
        low, high = self.field.box
        points, triangles, values = cut_plane(self.field, (0.5, 0.0, 0.2), (0, 1, 0), ("speed", ), low, high,
                                              60)
        self.assertGreater(len(triangles), 500)
        self.assertEqual(len(points), len(values))
        self.assertEqual(
            len(cut_plane(self.field, (0.5, 9.0, 0.2), (0, 1, 0), ("speed", ), low, high, 20)[1]), 0)
        lines = streamlines(self.field, rake("grid", (-0.5, 0.0, 0.3), 0.3, 9))
        self.assertEqual(len(lines), 9)
        self.assertGreater(max(line[:, 0].max() for line, _ in lines), 1.0)
        for kind in ("line", "upright", "disc"):
            self.assertEqual(rake(kind, (0, 0, 0), 1.0, 7).shape, (7, 3))
        self.assertEqual(len(oil_lines(self.field, self.drawn, 20, 5)), 20)
        self.assertIsNotNone(iso_surface(self.field, "loss", 0.3, low, high, 40_000))
        self.assertIsNone(iso_surface(self.field, "mach", 5.0, low, high, 20_000))
        self.assertIsNotNone(iso_surface(self.field, "q", 1.0, low, high, 40_000))

    def test_files_can_be_read_by_others(self):
        import io
        import meshio
        import tempfile
        with tempfile.NamedTemporaryFile(suffix=".vtu") as kept:
            kept.write(body_vtu(self.field))
            kept.flush()
            mesh = meshio.read(kept.name)
        self.assertEqual(len(mesh.cells[0].data), (self.field.leaf_cell >= 0).sum())
        self.assertIn("velocity_m_s", mesh.cell_data)
        self.assertIn(b"PolyData", body_surface_vtp(self.field, self.drawn))
        rows = io.StringIO(body_surface_csv(self.field, self.drawn)).readlines()
        self.assertEqual(len(rows), len(self.field.wall_centre) + 1)


if __name__ == "__main__":
    unittest.main()
