import unittest

from tests.sheets import sheet
from ventaris.core.study.setup import prepare
from ventaris.core.study.trend import grid_trend
from ventaris.core.study.verdict import judge, warnings


def setup(**sections):
    return prepare(sheet(**sections))


STEADY = {"lift": 1e-5, "drag": 2e-5, "moment": 1e-6}


class Words(unittest.TestCase):
    def test_settled(self):
        v = judge(setup(), "fine", 3e-9, STEADY, True, [], [], {})
        self.assertTrue(v.settled)
        self.assertIn("Settled on the fine grid: residual 3e-09", v.words)
        self.assertIn("2e-05", v.words)

    def test_not_settled_says_what_to_do(self):
        v = judge(setup(), "medium", 1e-3, {"lift": 0.02}, False, [], [], {})
        self.assertFalse(v.settled)
        self.assertIn("Run it further", v.words)

    def test_stopped_by_hand_before_and_after_settling(self):
        self.assertIn("before it settled", judge(setup(), "coarse", 1e-2, STEADY, False, [], [], {}, True).words)
        self.assertIn("which had settled", judge(setup(), "coarse", 1e-9, STEADY, True, [], [], {}, True).words)


class Warnings(unittest.TestCase):
    def text(self, prepared, shocks=(), separations=(), trends=None, y_plus=None):
        return " ".join(warnings(prepared, list(shocks), list(separations), trends or {}, y_plus))

    def test_inviscid_flow_always_says_what_it_leaves_out(self):
        self.assertIn("no skin friction", self.text(setup()))

    def test_a_strong_inviscid_shock_would_separate_the_boundary_layer(self):
        prepared = setup(air={"motion": "mach", "mach": 0.8})
        self.assertIn("1.42", self.text(prepared, [{"surface": "upper", "x": 0.6, "mach_ahead": 1.42}]))
        self.assertNotIn("Above about 1.3", self.text(prepared, [{"surface": "upper", "x": 0.6, "mach_ahead": 1.2}]))

    def test_laminar_flow_at_a_high_reynolds_number(self):
        self.assertIn("would turn turbulent", self.text(setup(flow={"model": "laminar"}, air={"speed": 60})))

    def test_early_separation(self):
        early = [{"surface": "upper", "x": 0.3, "kind": "separation"}]
        low = {"motion": "mach", "mach": 0.2, "viscosity_law": "from Reynolds number", "reynolds": 5000}
        self.assertIn("ahead of mid-chord", self.text(setup(flow={"model": "laminar"}, air=low), separations=early))
        self.assertIn("near and beyond stall", self.text(setup(flow={"model": "turbulent"}, air={"speed": 60}), separations=early))

    def test_coarse_wall_layers_of_turbulent_runs(self):
        prepared = setup(flow={"model": "turbulent"}, air={"speed": 60})
        self.assertIn("y+ 4.0 on average", self.text(prepared, y_plus={"mean": 4.0, "largest": 9.0}))
        self.assertEqual(self.text(prepared, y_plus={"mean": 0.6, "largest": 1.9}), "")

    def test_levels_that_do_not_converge_are_mentioned(self):
        text = self.text(setup(), trends={"lift": grid_trend([1, 1.2, 1.1]), "drag": grid_trend([0.03, 0.02, 0.015])})
        self.assertIn("Lift: The levels do not converge monotonically", text)
        self.assertIn("error bar of the drag is", text)
