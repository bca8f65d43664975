"""The boundary-layer planner of bodies."""
import unittest

from ventaris.core.sheet.spaces import read_sheet
from ventaris.core.study.kinds.body.planner import plan_body
from ventaris.core.study.kinds.body.ready import prepare_body

WING = {"name": "wing", "kind": "wing", "span": 6, "chord": 1.0, "tip_share": 0.5}
CAR = {"name": "car", "kind": "box", "length": 4, "width": 1.6, "height": 1.4}


def setup_of(part, stations=(), **grid):
    return prepare_body(read_sheet({
        "space": "body", "shape": {"parts": [part], "stations": list(stations)},
        "air": {"motion": "speed", "speed": 40}, "grid": {"budget": 60000, **grid}}))


class BodyPlanner(unittest.TestCase):
    def test_a_plate_as_long_as_the_body(self):
        setup = setup_of(CAR)
        plan = plan_body(setup, 40, (0.25, 1.0))
        (words, stations), = plan.lines
        self.assertEqual((words, [s.x for s in stations]), ("along the body", [1.0, 4.0]))
        end = stations[-1]
        reynolds = 40 * 4 / (setup.air.viscosity / setup.air.density)
        self.assertAlmostEqual(end.reynolds / reynolds, 1.0, delta=1e-6)
        # Schlichting: 0.37 x Re^-1/5; White's friction; the middle of the first cell at y+ 40.
        self.assertAlmostEqual(end.thickness, 0.37 * 4 * reynolds**-0.2, delta=1e-6)
        shear_speed = 40 * (0.5 * end.friction)**0.5
        y_plus = 0.5 * end.first_height * shear_speed * setup.air.density / setup.air.viscosity
        self.assertAlmostEqual(y_plus, 40, delta=1e-6)
        self.assertAlmostEqual(plan.first_height / stations[0].first_height, 1.0, delta=1e-2)

    def test_a_wing_in_the_middle_at_its_breaks_and_at_the_tip(self):
        lines = plan_body(setup_of(WING)).lines
        self.assertEqual([words for words, _ in lines],
                         ["in the middle, chord 1 m", "at the tip, chord 0.5 m"])
        broken = [{"y": 0, "chord": 1}, {"y": 2, "chord": 0.8}, {"y": 3, "x": 0.4, "chord": 0.3}]
        lines = plan_body(setup_of(WING, broken)).lines
        self.assertEqual([words for words, _ in lines], [
            "in the middle, chord 1 m", "at 2 m, chord 0.8 m", "at the tip, chord 0.3 m"])

    def test_what_it_fills_reaches_the_wanted_y_plus(self):
        plan = plan_body(setup_of(WING), 60)
        setup = setup_of(WING, first_height=plan.first_height)
        self.assertAlmostEqual(setup.plan.layers.first * setup.scale, plan.first_height, delta=1e-9)

    def test_bad_wishes_are_told(self):
        setup = setup_of(CAR)
        for y_plus, stations, words in ((0, (1.0, ), "y[+] = 0: accepted are 0.05 to 500"),
                                        (40, (), "no station"), (40, (0.0, ), "station 0: accepted are")):
            with self.assertRaisesRegex(ValueError, words):
                plan_body(setup, y_plus, stations)
