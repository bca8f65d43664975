import unittest

import numpy as np

from tests.marks import slow
from tests.sheets import QUICK, run, sheet
from ventaris.core.instruments.taps import read_taps
from ventaris.core.study.checks import examine
from ventaris.core.study.execute import execute
from ventaris.core.study.progress import Checkpoint, RunFailed
from ventaris.core.study.checks import estimate
from ventaris.core.study.setup import prepare
from ventaris.core.study.supersonic import surface_theory
from ventaris.core.study.trend import grid_trend


class Trend(unittest.TestCase):
    def test_second_order_values_are_extrapolated_exactly(self):
        t = grid_trend([1 + 0.16, 1 + 0.04, 1 + 0.01])
        self.assertAlmostEqual(t.order, 2.0)
        self.assertAlmostEqual(t.extrapolated, 1.0)
        self.assertGreaterEqual(t.error, 0.01)

    def test_first_order_values(self):
        t = grid_trend([1.4, 1.2, 1.1])
        self.assertAlmostEqual(t.order, 1.0)
        self.assertAlmostEqual(t.extrapolated, 1.0)
        self.assertAlmostEqual(t.error, 0.125)

    def test_levels_that_misbehave_get_a_wide_bar_and_plain_words(self):
        t = grid_trend([1.0, 1.2, 1.1])
        self.assertEqual(t.behaviour, "oscillating")
        self.assertAlmostEqual(t.error, 0.2)
        self.assertIn("monotonically", t.words)
        self.assertEqual(grid_trend([1.0, 1.1, 1.3]).behaviour, "diverging")

    def test_an_accidentally_small_last_step_does_not_make_a_small_bar(self):
        self.assertGreater(grid_trend([1.0, 1.1, 1.1001]).error, 0.005)

    def test_fewer_levels(self):
        self.assertIsNone(grid_trend([1.0]).error)
        self.assertAlmostEqual(grid_trend([1.0, 1.3]).error, 0.3)
        self.assertEqual(grid_trend([0.0, 0.0, 0.0]).extrapolated, 0.0)


class Setup(unittest.TestCase):
    def test_reynolds_number_is_met_exactly(self):
        s = prepare(
            sheet(
                air={
                    "motion": "mach", "mach": 0.2, "viscosity_law": "from Reynolds number", "reynolds": 12345
                }, shape={"kind": "four-digit", "chord": 0.3}))
        self.assertAlmostEqual(s.reynolds / 12345, 1, places=12)

    def test_ambient_states_agree(self):
        base = prepare(sheet(air={"altitude": 3000, "speed": 60})).air
        other = prepare(
            sheet(
                air={
                    "state": "density and temperature", "density": base.density,
                    "temperature": base.temperature, "speed": 60
                })).air
        self.assertAlmostEqual(other.pressure / base.pressure, 1, places=10)
        self.assertAlmostEqual(base.mach, 60 / base.speed_of_sound)

    def test_preflight_finds_what_is_odd(self):
        cases = (({"flow": {"model": "laminar"}, "air": {"speed": 60}}, "flow.model"),
                 ({"domain": {"far_field": 6}}, "domain.far_field"), ({"air": {"motion": "mach",
                                                                               "mach": 4}}, "air.mach"),
                 ({"air": {"motion": "mach",
                           "mach": 0.005}}, "air.speed"), ({"air": {"incidence": 20}}, "air.incidence"),
                 ({"shape": {"kind": "ellipse", "thickness": 1.0}},
                  "shape"), ({"instruments": {"probes": [{"name": "a"}, {"name": "a"}]}},
                             "instruments.probes"), ({"grid": {"around": 1600, "layers": 400,
                                                               "wake": 400}}, "grid.around"))
        for sections, path in cases:
            with self.subTest(path):
                _, findings = examine(sheet(**sections))
                self.assertIn(path, [f.path for f in findings])

    def test_a_shape_that_cannot_be_built_is_a_finding(self):
        setup, findings = examine(
            sheet(shape={
                "kind": "four-digit", "thickness": 0.3, "edits": {"flap_deflection": 40, "flap_blend": 0.01}
            }))
        self.assertIsNone(setup)
        self.assertEqual(findings[0].grade, "stop")

    def test_estimate_grows_with_the_cells(self):
        small, large = (estimate(prepare(sheet(grid={"level": level}))) for level in ("coarse", "fine"))
        self.assertEqual(large.cells, 16 * small.cells)
        self.assertGreater(large.seconds, small.seconds)


class Execution(unittest.TestCase):
    def test_a_run_climbs_and_reports_every_level(self):
        execution = run(
            QUICK, instruments={
                "probes": [{"name": "above", "x": 0.5, "y": 0.5}, {"name": "inside", "x": 0.5, "y": 0}]
            })
        r = execution.result
        self.assertTrue(r["verdict"]["settled"], r["verdict"])
        self.assertEqual([level["level"] for level in r["levels"]], ["coarse", "medium"])
        self.assertEqual(r["trends"]["lift"]["values"],
                         [level["coefficients"]["lift"] for level in r["levels"]])
        self.assertGreater(r["probes"]["above"]["u"], 1.0)
        self.assertIsNone(r["probes"]["inside"])
        scale = r["air"]["dynamic_pressure"] * r["shape"]["chord"]
        self.assertAlmostEqual(r["forces"]["lift"], r["coefficients"]["lift"] * scale)

    @slow
    def test_a_resumed_run_ends_at_the_same_numbers(self):
        whole = run(QUICK)
        for stop in (3, 15, len(whole.history) - 1):
            first = execute(sheet(QUICK))
            for number, _ in enumerate(first, start=1):
                if number == stop:
                    saved = first.checkpoint().to_bytes()
                    break
            second = execute(sheet(QUICK), saved)
            for _ in second:
                pass
            with self.subTest(stop):
                self.assertEqual([h["step"] for h in second.history], list(range(1, len(second.history) + 1)))
                for name in ("lift", "drag", "moment"):
                    self.assertAlmostEqual(second.result["coefficients"][name],
                                           whole.result["coefficients"][name], places=6)

    def test_running_a_finished_run_further_keeps_its_answer(self):
        first = run(QUICK, run={"steps": 6})
        self.assertFalse(first.result["verdict"]["settled"])
        second = execute(sheet(QUICK, run={"steps": 6}), first.checkpoint(), extra_steps=100)
        for _ in second:
            pass
        self.assertTrue(second.result["verdict"]["settled"])

    def test_same_sheet_same_result(self):
        one, other = run(), run()
        self.assertEqual(one.result["coefficients"], other.result["coefficients"])

    def test_a_foreign_checkpoint_is_refused(self):
        saved = run().checkpoint().to_bytes()
        for broken in (saved[:50], saved[:-200], b"", b"rubbish" * 40):
            with self.assertRaisesRegex(RunFailed, "damaged"):
                Checkpoint.from_bytes(broken)

    def test_stopping_by_hand_gives_the_numbers_of_the_moment(self):
        execution = execute(sheet(QUICK))
        for number, _ in enumerate(execution):
            if number == 12:
                break
        r = execution.conclude(stopped=True)
        self.assertIn("Stopped by hand", r["verdict"]["words"])
        self.assertTrue(np.isfinite(r["coefficients"]["drag"]))

    def test_supersonic_and_laminar_runs_settle(self):
        wedge = run(air={"motion": "mach", "mach": 2.0, "incidence": 2},
                    shape={"kind": "double wedge", "thickness": 0.1})
        self.assertTrue(wedge.result["verdict"]["settled"])
        self.assert_taps_follow_theory(wedge)
        laminar = run(
            air={"motion": "mach", "mach": 0.3, "viscosity_law": "from Reynolds number", "reynolds": 1000},
            flow={"model": "laminar"})
        self.assertTrue(laminar.result["verdict"]["settled"])
        self.assertGreater(laminar.result["coefficients"]["drag_friction"], 0.02)

    def assert_taps_follow_theory(self, run):
        """Shock-expansion theory is exact on a double wedge; a few cells beside its corners are left out."""
        _, flow, state = run.field()
        taps, theory = read_taps(flow, state), surface_theory(run.setup)
        self.assertEqual(set(theory), {"upper", "lower"})
        for side, (_, x, cp) in theory.items():
            k = taps.side(side)
            order = np.argsort(taps.x[k])
            for station in (0.3, 0.45, 0.7, 0.9):
                self.assertAlmostEqual(np.interp(station, taps.x[k][order], taps.cp[k][order]),
                                       np.interp(station, x, cp), delta=0.004)

    def test_theory_is_silent_where_it_does_not_hold(self):
        fast = {"motion": "mach", "mach": 2.0}
        for given in ({
                "air": {"motion": "mach", "mach": 0.9}, "shape": {"kind": "double wedge", "thickness": 0.1}
        }, {"air": fast
            }, {"air": {"motion": "mach", "mach": 1.2}, "shape": {"kind": "double wedge", "thickness": 0.2}}):
            self.assertEqual(surface_theory(prepare(sheet(**given))), {})
        dart = surface_theory(
            prepare(sheet(air=fast, shape={"kind": "revolution", "thickness": 0.15},
                          domain={"kind": "round"})))
        self.assertEqual(list(dart), ["upper"])
        name, x, cp = dart["upper"]
        self.assertEqual(name, "tangent cones")
        self.assertTrue((np.diff(x) >= 0).all() and x[-1] < 0.9 and (cp > 0).all())

    def test_a_blunt_base_runs(self):
        r = run(shape={"kind": "four-digit", "trailing_edge": "open"}).result
        self.assertTrue(np.isfinite(r["coefficients"]["drag"]))
        self.assertAlmostEqual(r["shape"]["trailing_edge_gap"], 0.00252, delta=1e-4)
