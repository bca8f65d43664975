import math
import unittest

import numpy as np

from tests.marks import slow
from tests.sheets import run
from ventaris.core.formats.results import history_csv
from ventaris.core.sheet.arrangement import Formula
from ventaris.core.study.channels import Channels, FormulaError
from ventaris.core.study.checks import examine
from ventaris.core.study.execute import execute
from ventaris.core.study.naming import channel_called, channel_words
from ventaris.core.study.progress import RunFailed
from ventaris.core.study.statistics import statistics_of, swings
from tests.sheets import sheet


def channels(*pairs):
    return Channels([Formula(name=n, expression=e) for n, e in pairs], ["lift", "drag"])


class Formulas(unittest.TestCase):
    def test_values_in_the_order_of_need(self):
        made = channels(("twice", "2 × glide"), ("glide", "lift / drag"),
                        ("root", "sqrt(abs(−lift)) ^ 2 + min(1, drag)"))
        out = made.compute({"lift": 0.6, "drag": 0.03})
        self.assertAlmostEqual(out["glide"], 20)
        self.assertAlmostEqual(out["twice"], 40)
        self.assertAlmostEqual(out["root"], 0.63)

    def test_labels_in_quotation_marks_are_channels_too(self):
        made = channels(("glide", '"Lift coefficient CL" / “drag coefficient cd”'))
        self.assertAlmostEqual(made.compute({"lift": 0.6, "drag": 0.03})["glide"], 20)
        with self.assertRaisesRegex(FormulaError, "no channel is called “Taste”"):
            channels(("glide", '"Taste" / drag'))
        # Every label leads back to a channel of that label.
        for name in ("lift", "drag", "drag_pressure", "residual", "courant", "cp_behind_the_wing", "flow_fan",
                     "exit_mach", "exit_p_total_mass", "throat_t_area", "mass_flow_intake", "drag_flap",
                     "wheel_power_1", "thrust", "torque", "efficiency", "side"):
            label = channel_words(name)
            if label != name:
                found = channel_called(label)
                self.assertEqual(channel_words(found), label, (name, found))

    def test_bad_formulas_are_explained(self):
        bad = {
            "lift +": "cannot be read", "lifft / drag": "“lifft”, which is not a channel. There are: drag",
            "lift / 0": "divides by zero", "1 / (2 - 2)": "divides by zero",
            "__import__('os')": "not arithmetic", "lift.real": "not arithmetic",
            "(lambda: 1)()": "not arithmetic", "[lift]": "not arithmetic", "open(drag)": "not arithmetic",
            "lift if drag else 1": "not arithmetic", "'a' * 3": "not arithmetic",
            "+".join(["lift"] * 150): "longer", "9 ^ 9 ^ 9 ^ 9": "no value"
        }
        for expression, words in bad.items():
            with self.subTest(expression[:30]), self.assertRaises(FormulaError) as caught:
                channels(("f", expression[:200] if len(expression) <= 200 else "lift" +
                          "+lift" * 120)) if len(expression) <= 200 else channels_long(expression)
            self.assertIn(words, str(caught.exception))

    def test_cycles_and_names(self):
        with self.assertRaisesRegex(FormulaError, "a → b → a is a cycle"):
            channels(("a", "b + 1"), ("b", "a"))
        for name in ("lift", "sin", "two words", "1st", "ä"):
            with self.assertRaises(FormulaError):
                channels((name, "drag"))
        with self.assertRaisesRegex(FormulaError, "two formulas"):
            channels(("a", "lift"), ("a", "drag"))

    def test_a_division_by_zero_in_the_run_has_no_value(self):
        made = channels(("glide", "lift / drag"), ("next", "glide + 1"), ("root", "(0 - lift) ^ 0.5"))
        self.assertEqual(made.compute({"lift": 1.0, "drag": 0.0}),
                         {"glide": None, "next": None, "root": None})

    def test_a_run_records_them_and_a_wrong_one_stops_the_preflight(self):
        done = run(
            instruments={
                "formulas": [{"name": "glide", "expression": "lift / drag", "steady_within": 0.5}],
                "probes": [{"name": "behind", "x": 1.5, "y": 0.1}]
            })
        last = done.history[-1]
        self.assertAlmostEqual(last["glide"], last["lift"] / last["drag"])
        self.assertAlmostEqual(last["cp_behind"], done.result["probes"]["behind"]["cp"], places=6)
        self.assertIn("glide", history_csv(done.history).splitlines()[0])
        wrong = sheet(instruments={"formulas": [{"name": "f", "expression": "thrust"}]})
        _, findings = examine(wrong)
        self.assertEqual((findings[0].grade, findings[0].path), ("stop", "instruments.formulas"))
        with self.assertRaises(RunFailed):
            execute(wrong)


def channels_long(expression):
    class Long:
        name = "f"

    Long.expression = expression
    return Channels([Long], ["lift", "drag"])


class Misread(unittest.TestCase):
    def test_a_formula_whose_name_reads_as_something_else_is_told_of(self):
        def said(name):
            asked = sheet({"level": "coarse"}, instruments={"formulas": [
                {"name": name, "expression": "lift / drag"}]})
            return " ".join(f.message for f in examine(asked)[1])

        self.assertIn("would be shown as “Mass flow through share", said("flow_share"))
        for name in ("glide", "throughflow"):
            self.assertNotIn("would be shown", said(name))


class Statistics(unittest.TestCase):
    def test_a_sine_in_noise_is_measured(self):
        rng = np.random.default_rng(1)
        t = np.arange(1200) * 0.05
        y = 1.3 + 0.02 * np.sin(2 * np.pi * 0.33 * t) + 0.3 * np.sin(
            2 * np.pi * 0.165 * t) + 0.01 * rng.normal(size=len(t))
        s = statistics_of(y, 0.05)
        self.assertAlmostEqual(s.frequency, 0.165, delta=2 * s.frequency_error)
        self.assertLess(s.frequency_error, 0.004)
        self.assertAlmostEqual(s.mean, 1.3, delta=max(4 * s.mean_error, 2e-3))
        self.assertAlmostEqual(s.rms, 0.3 / math.sqrt(2), delta=0.01)
        self.assertAlmostEqual(s.amplitude, 0.3, delta=0.04)

    def test_noise_has_no_tone_and_a_constant_no_swing(self):
        rng = np.random.default_rng(3)
        self.assertIsNone(statistics_of(rng.normal(size=2000), 0.1).frequency)
        flat = statistics_of(np.full(100, 0.4), 0.1)
        self.assertLess(flat.rms, 1e-12)
        self.assertIsNone(flat.frequency)
        self.assertIsNone(statistics_of([1.0, 2.0], 0.1))

    @slow
    def test_the_error_of_the_mean_covers_it(self):
        rng = np.random.default_rng(5)
        inside = 0
        for _ in range(40):
            y = np.convolve(rng.normal(size=3000), np.ones(20) / 20, "valid")
            s = statistics_of(y, 0.1)
            inside += abs(s.mean) < 2.5 * s.mean_error
        self.assertGreater(inside, 34)

    def test_a_swinging_steady_run_is_noticed(self):
        t = np.arange(60)
        self.assertTrue(swings(list(0.5 + 0.05 * np.sin(0.9 * t)))[0])
        self.assertFalse(swings(list(0.5 + 0.05 * np.exp(-t / 8.0)))[0])
        self.assertFalse(swings([0.1] * 10)[0])
