"""The search: plans, proposals, constraints, and what it refuses."""
import unittest

import numpy as np

from tests.marks import slow
from tests.bodies import CAR, body_sheet
from tests.nozzles import CONE, nozzle_sheet
from ventaris.core.sheet import read_sheet
from ventaris.core.study.search import (
    Constraint, Outcome, Parameter, Plan, SearchError, best, first_plan, is_worthwhile, outcome, propose,
    shape_numbers, with_values
)

BOX = [Parameter("a", "a", "", -1.5, 2.0), Parameter("b", "b", "m", -1.0, 1.5)]


class Plans(unittest.TestCase):
    def test_the_first_runs_fill_the_space(self):
        points = first_plan(Plan(BOX, "f", first=8))
        for k, p in enumerate(BOX):
            self.assertTrue(((points[:, k] >= p.low) & (points[:, k] <= p.high)).all())
            # One in every eighth of each interval.
            self.assertEqual(sorted(((points[:, k] - p.low) / (p.high - p.low) * 8).astype(int)),
                             list(range(8)))

    def test_what_cannot_be_searched_is_said(self):
        good = dict(parameters=BOX, objective="drag", sense="smallest")
        Plan(**good).check(["drag", "lift"])
        for change, words in (({"parameters": []}, "at least one"),
                              ({"parameters": [Parameter("a", "Chord", "m", 1, 1)]},
                               "Chord: the bounds 1 and 1"), ({"objective": "drog"}, "not a channel"),
                              ({"constraints": [Constraint("lift /", "at least", 1)]}, "cannot be read"),
                              ({"first": 30,
                                "most": 20}, "at least as many"), ({"parameters": BOX * 5}, "more than 8")):
            with self.subTest(words), self.assertRaisesRegex(SearchError, words):
                Plan(**{**good, **change}).check(["drag", "lift"])


class Proposals(unittest.TestCase):
    def run_search(self, plan, flow):
        outcomes = [outcome(plan, v, flow(v)) for v in first_plan(plan)]
        while len(outcomes) < plan.most:
            values, expected = propose(plan, outcomes)
            outcomes.append(outcome(plan, values, flow(values)))
        return best(plan, outcomes), outcomes, expected

    @slow
    def test_a_constrained_valley_is_found(self):
        # Least of (1 - a)^2 + 3 (b - a^2)^2 while a + b is at most 0.5: 0.36408 (by sequential quadratic
        # programming).
        plan = Plan(BOX, "f", "smallest", [Constraint("g", "at most", 0.5)], 8, 24)
        found, outcomes, expected = self.run_search(
            plan, lambda v: {"f": (1 - v[0])**2 + 3 * (v[1] - v[0]**2)**2, "g": v[0] + v[1]})
        self.assertLess(found.objective, 0.40)
        self.assertLessEqual(sum(found.values), 0.5)
        self.assertEqual(len({tuple(np.round(o.values, 9)) for o in outcomes}), 24)

    @slow
    def test_runs_that_fail_are_kept_away_from(self):
        plan = Plan(BOX, "f", "largest", [], 8, 16)
        found, outcomes, _ = self.run_search(
            plan, lambda v: None if v[0] > 1 else {"f": -((v[0] - 0.4)**2) - v[1]**2})
        self.assertGreater(found.objective, -0.05)
        self.assertLess(sum(o.objective is None for o in outcomes[8:]), 4)

    def test_nothing_feasible_says_so(self):
        plan = Plan(BOX, "f", "largest", [Constraint("f", "at least", 10.0)], 4, 6)
        found, outcomes, expected = self.run_search(plan, lambda v: {"f": float(v[0])})
        self.assertIsNone(found)
        self.assertEqual(expected, float("inf"))
        self.assertTrue(is_worthwhile(outcomes, expected))
        self.assertFalse(is_worthwhile([Outcome([0], 1.0, []), Outcome([1], 2.0, [])], 1e-5))


class Shapes(unittest.TestCase):
    def test_numbers_of_every_kind_of_shape(self):
        for shape, path in ((read_sheet({"format": 1, "shape": {"elements": [{"name": "flap"}]}}).shape,
                             "elements.0.gap"), (nozzle_sheet().shape, "throat_radius"),
                            (body_sheet([CAR]).shape, "parts.0.length"),
                            (nozzle_sheet(shape={**CONE, "ports": [{"name": "intake", "x": 0.12}]}).shape,
                             "ports.0.width")):
            with self.subTest(path):
                numbers = {p: value for p, _, _, value, _, _ in shape_numbers(shape)}
                self.assertIn(path, numbers)
                parameter = Parameter(path, "", "", 0, 1)
                changed = type(shape).model_validate(
                    with_values(shape.model_dump(), [parameter], [numbers[path] * 1.01]))
                self.assertAlmostEqual({p: value
                                        for p, _, _, value, _, _ in shape_numbers(changed)}[path],
                                       numbers[path] * 1.01)
        self.assertNotIn("points", {p for p, *_ in shape_numbers(nozzle_sheet().shape)})


if __name__ == "__main__":
    unittest.main()
