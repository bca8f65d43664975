"""Means of a flow that keeps swinging, and how a blade row's run is judged by them."""
import unittest
from types import SimpleNamespace

import numpy as np

from tests.core.test_blade_rows import QUICK
from ventaris.core.sheet import read_sheet
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.row.judge import judge_row
from ventaris.core.study.means import means_of, with_drift
from ventaris.core.study.progress import LevelResult


def record(values):
    return [{"torque": float(v), "thrust": 2 * float(v), "mass_flow": 5.0, "pressure_ratio": 1.2}
            for v in values]


class Means(unittest.TestCase):
    def test_a_swing_has_its_mean_deviation_and_crossings(self):
        found = means_of(record(3 + 0.1 * np.sin(np.arange(200) * 2 * np.pi / 24.7)))
        self.assertAlmostEqual(found.values["torque"], 3.0, places=2)
        self.assertAlmostEqual(found.deviations["torque"], 0.1 / np.sqrt(2), places=3)
        self.assertLess(found.drift["torque"], 0.01)
        self.assertEqual((found.steps, found.crossings["torque"] in (8, 9)), (100, True))

    def test_a_drift_crosses_its_mean_once(self):
        found = means_of(record(3 + 0.001 * np.arange(200)))
        self.assertEqual(found.crossings["torque"], 1)
        self.assertAlmostEqual(found.drift["torque"], 0.05)

    def test_few_steps_have_no_drift_to_go_by(self):
        self.assertEqual(means_of([]).steps, 0)
        self.assertEqual(means_of(record([1.0])).drift["torque"], float("inf"))

    def test_a_bar_holds_what_the_mean_drifts_by(self):
        averages = {"steps": 70, "of": "steps"}
        wider = with_drift({"error": 0.1, "words": "Monotone."}, 0.02, averages)
        self.assertAlmostEqual(wider["error"], 0.12)
        self.assertIn("± 0.02 of the mean over 70 steps", wider["words"])
        self.assertIsNone(with_drift({"error": None, "words": "One level."}, 0.02, averages)["error"])


class Rows(unittest.TestCase):
    """A row's run is stood in for by its record."""

    def run_with(self, values, residual=1e-3, courant=100.0):
        run = execute(read_sheet(QUICK))
        run.history = [{**entry, "courant": courant} for entry in record(values)]
        march = SimpleNamespace(residual=residual, flow=SimpleNamespace(first_order=False))
        run._level = SimpleNamespace(name="coarse", steps=len(values), march=march, recent=run.history[-31:])
        return run

    def test_a_small_lasting_swing_settles_in_its_means(self):
        steps = np.arange(200)
        swing = lambda size: 3 * (1 + size * np.sin(steps * 2 * np.pi / 17.3))
        self.assertTrue(self.run_with(swing(0.005))._is_settled())
        self.assertFalse(self.run_with(swing(0.05))._is_settled())
        self.assertFalse(self.run_with(swing(0.005), residual=0.1)._is_settled())
        self.assertFalse(self.run_with(swing(0.005), courant=0.01)._is_settled())
        # Too short, on its way, or swinging more and more.
        self.assertFalse(self.run_with(swing(0.005)[:150])._is_settled())
        self.assertFalse(self.run_with(3 + 0.001 * steps)._is_settled())
        self.assertFalse(self.run_with(swing(0.005) * (1 + 1e-4 * steps))._is_settled())

    def test_the_verdict_says_so(self):
        run = self.run_with([3.0])
        level = LevelResult("fine", 1000, 200, 2e-6, True, 1.0, {
            "torque": 3.0, "mass_flow": 5.0, "mass_flow_in": 5.0, "mass_flow_out": 5.0
        }, {"torque": 1e-3}, [], [], {}, None)
        averages = {"of": "steps", "steps": 70, "deviations": {"torque": 0.015}, "errors": {}}
        verdict = judge_row(run.setup, level, False, [], {}, averages)
        self.assertTrue(verdict.settled)
        self.assertIn("means over the last 70 steps, in which the torque moved by ± 0.5 %", verdict.words)
        self.assertTrue(any("does not come to rest" in line for line in verdict.warnings))


if __name__ == "__main__":
    unittest.main()
