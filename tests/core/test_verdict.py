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
        self.assertIn("before it settled",
                      judge(setup(), "coarse", 1e-2, STEADY, False, [], [], {}, True).words)
        self.assertIn("which had settled",
                      judge(setup(), "coarse", 1e-9, STEADY, True, [], [], {}, True).words)


    def test_air_that_turns_round_a_sharp_edge_is_no_answer(self):
        v = judge(setup(), "fine", 1e-9, STEADY, True, [], [], {}, tail_speed=1.7)
        self.assertFalse(v.settled)
        self.assertRegex(v.words, "turns round the sharp trailing edge.*1.7 times")
        # Layers that have separated run back at a third to a half of the stream's speed.
        self.assertTrue(judge(setup(), "fine", 1e-9, STEADY, True, [], [], {}, tail_speed=0.5).settled)


class InTime(unittest.TestCase):
    def channel(self, mean, error, frequency, periods):
        return {
            "mean": mean, "mean_error": error, "rms": 0.1, "amplitude": 0.3, "frequency": frequency,
            "frequency_error": 0.001, "periods": periods
        }

    def judged(self, **more):
        unsteady = {
            "step": 0.1, "steps": 1000, "from": 60.0, "to": 100.0, "channels": {
                "lift": self.channel(0.0, 1e-4, 0.165, 6.6), "drag": self.channel(1.33, 1e-3, 0.33, 13)
            }
        } | more
        return judge(setup(), "fine", 1e-4, STEADY, False, [], [], {}, unsteady=unsteady)

    def test_a_tone_is_said_with_its_strouhal_number(self):
        v = self.judged()
        self.assertTrue(v.settled)
        self.assertIn("Strouhal number of 0.1650 ± 0.0010", v.words)

    def test_too_short_too_rough_and_too_coarse_in_time_are_said(self):
        self.assertIn("Too short for statistics", self.judged(channels={}).words)
        rough = self.judged(
            channels={"lift": self.channel(0, 0.1, 0.165, 2), "drag": self.channel(1.3, 0.2, 0.33, 4)})
        self.assertFalse(rough.settled)
        self.assertIn("follow it longer", rough.warnings[0])
        self.assertTrue(any("damped by the time step" in w for w in self.judged(step=0.5).warnings))

    def test_a_record_that_still_holds_the_start_up_is_not_settled(self):
        lift, drag = self.channel(0.0, 1e-4, 0.19, 8), self.channel(1.31, 1e-3, 0.38, 16)
        growing = self.judged(channels={
            "lift": {**lift, "drift": 0.0, "growth": 0.2}, "drag": {**drag, "drift": 0.001, "growth": 0.1}
        })
        self.assertFalse(growing.settled)
        self.assertIn("the swing by 20 %", growing.warnings[0])
        drifting = self.judged(channels={
            "lift": {**lift, "drift": 0.0, "growth": 0.01}, "drag": {**drag, "drift": 0.05, "growth": 0.01}
        })
        self.assertFalse(drifting.settled)
        self.assertIn("mean drag by 0.05", drifting.warnings[0])
        self.assertTrue(
            self.judged(channels={
                "lift": {**lift, "drift": 0.0, "growth": 0.01},
                "drag": {**drag, "drift": 0.001, "growth": 0.02}
            }).settled)

    def test_a_steady_run_that_sheds_is_told_so(self):
        v = judge(setup(), "fine", 1e-2, {"lift": 0.1}, False, [], [], {}, swinging=(True, 0.12))
        self.assertIn("sheds vortices or buffets", v.warnings[0])
        self.assertIn("± 0.12", v.warnings[0])

    def test_settled_by_forces_and_by_momentum(self):
        prepared = setup(flow={"model": "turbulent"})
        self.assertIn("by its forces", judge(prepared, "fine", 4e-3, STEADY, True, [], [], {}).words)
        self.assertIn("agree on the drag within 0.2 %",
                      judge(prepared, "fine", 1e-7, STEADY, True, [], [], {}, momentum_gap=0.002).words)
        self.assertTrue(
            any("more than 1 %" in w
                for w in judge(prepared, "fine", 1e-7, STEADY, True, [], [], {}, momentum_gap=0.02).warnings))
        self.assertIn(
            "no value at the end",
            judge(prepared, "fine", 1e-7, STEADY, True, [], [], {}, undefined=["glide"]).warnings[0])


class Warnings(unittest.TestCase):
    def text(self, prepared, shocks=(), separations=(), trends=None, y_plus=None):
        return " ".join(warnings(prepared, list(shocks), list(separations), trends or {}, y_plus))

    def test_inviscid_flow_always_says_what_it_leaves_out(self):
        self.assertIn("no skin friction", self.text(setup()))

    def test_a_strong_inviscid_shock_would_separate_the_boundary_layer(self):
        prepared = setup(air={"motion": "mach", "mach": 0.8})
        self.assertIn("1.42", self.text(prepared, [{"surface": "upper", "x": 0.6, "mach_ahead": 1.42}]))
        self.assertNotIn("Above about 1.3",
                         self.text(prepared, [{"surface": "upper", "x": 0.6, "mach_ahead": 1.2}]))

    def test_laminar_flow_at_a_high_reynolds_number(self):
        self.assertIn("would turn turbulent", self.text(setup(flow={"model": "laminar"}, air={"speed": 60})))

    def test_early_separation(self):
        early = [{"surface": "upper", "x": 0.3, "kind": "separation"}]
        low = {"motion": "mach", "mach": 0.2, "viscosity_law": "from Reynolds number", "reynolds": 5000}
        self.assertIn("ahead of mid-chord",
                      self.text(setup(flow={"model": "laminar"}, air=low), separations=early))
        self.assertIn("near and beyond stall",
                      self.text(setup(flow={"model": "turbulent"}, air={"speed": 60}), separations=early))

    def test_separation_at_the_foot_of_a_shock_names_the_closure_for_it(self):
        shock = [{"surface": "upper", "x": 0.5, "mach_ahead": 1.38}]
        at = lambda x, surface="upper": [{"surface": surface, "x": x, "kind": "separation"}]
        air = {"motion": "mach", "mach": 0.8}
        usual = setup(flow={"model": "turbulent"}, air=air)
        self.assertIn("too little lift: compute it with the closure", self.text(usual, shock, at(0.49)))
        self.assertNotIn("near and beyond stall", self.text(usual, shock, at(0.49)))
        for elsewhere in (at(0.3), at(0.49, "lower")):
            self.assertNotIn("compute it with the closure", self.text(usual, shock, elsewhere))
        self.assertEqual(
            self.text(setup(flow={"model": "turbulent", "closure": "sst-shock"}, air=air), shock, at(0.49)),
            "")

    def test_coarse_wall_layers_of_turbulent_runs(self):
        prepared = setup(flow={"model": "turbulent"}, air={"speed": 60})
        self.assertIn("y+ 4.0 on average", self.text(prepared, y_plus={"mean": 4.0, "largest": 9.0}))
        self.assertEqual(self.text(prepared, y_plus={"mean": 0.6, "largest": 1.9}), "")

    def test_levels_that_do_not_converge_are_mentioned(self):
        text = self.text(setup(),
                         trends={"lift": grid_trend([1, 1.2, 1.1]), "drag": grid_trend([0.03, 0.02, 0.015])})
        self.assertIn("Lift: The levels do not converge monotonically", text)

    def test_wide_bars_of_lift_and_drag_are_warned_of_and_make_the_verdict_doubtful(self):
        # NACA 0012 at Mach 0.85 by its levels.
        trends = {
            "lift": grid_trend([0.284, 0.338, 0.374]), "drag": grid_trend([0.0480, 0.0470, 0.0468]),
            "moment": grid_trend([0.0, 0.0, 0.0])
        }
        v = judge(setup(), "fine", 1e-8, STEADY, True, [], [], trends)
        self.assertTrue(v.settled and v.doubtful)
        self.assertTrue(any("error bar of the lift is 2" in w for w in v.warnings))
        good = judge(setup(), "fine", 1e-8, STEADY, True, [], [],
                     {"lift": grid_trend([0.36, 0.37, 0.373]), "drag": trends["drag"]})
        self.assertFalse(good.doubtful or any("error bar" in w for w in good.warnings))
        # No lift at all is no wide bar.
        none = judge(setup(), "fine", 1e-8, STEADY, True, [], [],
                     {"lift": grid_trend([1e-4, -2e-4, 1e-4]), "drag": trends["drag"]})
        self.assertFalse(none.doubtful)

    def test_nothing_is_settled_while_the_residual_is_high(self):
        v = judge(setup(flow={"model": "turbulent"}), "fine", 0.03, STEADY, True, [], [], {})
        self.assertFalse(v.settled)
        self.assertIn("stalled at 3e-02", v.words)
