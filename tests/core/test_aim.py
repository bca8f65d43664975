"""Ranking by a campaign's aim, on made-up results whose order and bars are known."""
import unittest

from ventaris.core.study.aim import Aim, AimError, Condition, aim_words, default_aim, standing, standing_words
from ventaris.core.study.comparison import difference, difference_of, quantity_of


def result(drag, lift=0.5, bar=0.0005, area=1.0, levels=None):
    """A body's result; `levels` are factors on the drag from coarse to fine."""
    return {
        "space":
        "body", "shape": {"area": area}, "coefficients": {"drag": drag, "lift": lift}, "trends":
        {"drag": {"error": bar}, "lift":
         {"error": 0.002}}, "forces": {"drag": 600 * area * drag, "lift": 600 * area * lift, "unit": "N"},
        "levels": [{"level": name, "coefficients": {"drag": drag * f, "lift": lift}}
                   for name, f in zip(("coarse", "medium", "fine"), levels or ())]
    }


def stand(aim, results, points=(1, )):
    return standing(aim, "body", sorted({v for v, _ in results}), list(points), results)


NAMES = {1: "base", 2: "slim", 3: "flap"}


class Ranking(unittest.TestCase):
    def test_the_least_leads_and_is_told_by_how_much(self):
        found = stand(Aim("drag"), {(1, 1): result(0.030), (2, 1): result(0.024)})
        self.assertEqual([p.variant for p in found.places], [2, 1])
        self.assertAlmostEqual(found.places[1].behind.value, 0.006)
        self.assertEqual(standing_words(found, NAMES), "slim leads by 20.0 %.")
        most = stand(Aim("drag", "largest"), {(1, 1): result(0.030), (2, 1): result(0.024)})
        self.assertEqual(most.leader.variant, 1)

    def test_a_lead_within_its_bar_is_a_draw(self):
        results = {(1, 1): result(0.0300), (2, 1): result(0.0298), (3, 1): result(0.04)}
        found = stand(Aim("drag"), results)
        self.assertEqual([p.variant for p in found.drawn], [1])
        self.assertIn("A draw of slim and base", standing_words(found, NAMES))
        bare = {key: result(value, bar=None) for key, value in (((1, 1), 0.03), ((2, 1), 0.02))}
        self.assertIn("unknown error", standing_words(stand(Aim("drag"), bare), NAMES))

    def test_the_levels_own_differences_may_resolve_a_lead(self):
        results = {(v, 1): result(d, bar=0.003, levels=(1.4, 1.1, 1.0)) for v, d in ((1, 0.03), (2, 0.028))}
        found = stand(Aim("drag"), results)
        self.assertEqual(found.drawn, [])
        self.assertLess(found.places[1].behind.bar, 0.001)

    def test_means_over_points_are_weighted_and_their_bars_add_up(self):
        results = {(1, 1): result(0.02), (1, 2): result(0.04), (2, 1): result(0.03), (2, 2): result(0.03)}
        aim = Aim("drag", weights={1: 3.0, 2: 1.0})
        found = stand(aim, results, (1, 2))
        self.assertEqual(found.leader.variant, 1)
        self.assertAlmostEqual(found.leader.value, 0.025)
        self.assertAlmostEqual(found.leader.error, 0.0005)
        self.assertEqual(stand(Aim("drag", weights={2: 1.0}), results, (1, 2)).leader.variant, 2)
        # A point that has been deleted no longer counts.
        self.assertEqual(stand(aim, results, (2, )).points, {2: 1.0})

    def test_what_is_missing_or_breaks_a_condition_has_no_place(self):
        results = {(1, 1): result(0.03), (1, 2): result(0.03), (2, 1): result(0.01), (3, 1):
                   result(0.02, lift=0.4), (3, 2): result(0.02, lift=0.2)}
        found = stand(Aim("drag", conditions=(Condition("lift", "at least", 0.45), )), results, (1, 2))
        self.assertEqual([p.variant for p in found.places if p.rank], [1])
        self.assertEqual(found.place(2).missing, [2])
        self.assertEqual([(b.point, round(b.value, 2), b.clear) for b in found.place(3).breaks],
                         [(1, 0.4, True), (2, 0.2, True)])
        one = Condition("lift", "at least", 0.39, 1)
        self.assertEqual(stand(Aim("drag", conditions=(one, )), results, (1, 2)).leader.variant, 3)
        near = Condition("lift", "at least", 0.4015, 1)
        self.assertFalse(stand(Aim("drag", conditions=(near, )), results, (1, 2)).place(3).breaks[0].clear)

    def test_forces_rank_where_areas_differ(self):
        results = {(1, 1): result(0.44, area=0.56), (2, 1): result(0.48, area=0.36)}
        found = stand(Aim("drag"), results)
        self.assertEqual((found.key, found.leader.variant, found.areas), ("drag_area", 2, (0.36, 0.56)))
        self.assertEqual(stand(Aim("lift / drag", "largest"), results).key, "lift / drag")

    def test_nearest_to_references_by_cell(self):
        results = {(1, 1): result(0.030), (1, 2): result(0.040), (2, 1): result(0.026), (2, 2): result(0.044)}
        aim = Aim("drag", "nearest", references={(None, None): (0.03, 0.001), (None, 2): (0.044, None),
                                                 (2, 1): (0.026, 0.0)})
        found = stand(aim, results, (1, 2))
        self.assertEqual(found.leader.variant, 2)
        self.assertAlmostEqual(found.leader.score, 0.0)
        self.assertAlmostEqual(found.place(1).score, 0.002)
        self.assertAlmostEqual(found.place(1).deviation.value, -0.002)

    def test_by_itself_the_point_with_most_runs_counts(self):
        aim = default_aim("body", {(1, 1): result(0.1), (2, 1): result(0.1), (1, 2): result(0.1)})
        self.assertEqual((aim.quantity, aim.sense, aim.weights), ("drag", "smallest", {1: 1.0}))


class Expressions(unittest.TestCase):
    def test_error_bars_are_carried_through(self):
        value, error = quantity_of(result(0.02, 0.5, 0.0002), "lift / drag")
        self.assertAlmostEqual(value, 25.0)
        self.assertAlmostEqual(error, 25 * (0.01**2 + 0.004**2)**0.5, delta=0.005)
        self.assertEqual(quantity_of(result(0.02), "lift / unheard_of"), (None, None))
        self.assertEqual(quantity_of(result(0.0), "lift / drag"), (None, None))
        self.assertEqual(quantity_of(result(0.02, bar=None), "2 * drag"), (0.04, None))

    def test_differences_of_expressions_follow_the_levels(self):
        one, two = result(0.02, levels=(1.4, 1.1, 1.0)), result(0.021, levels=(1.4, 1.1, 1.0))
        self.assertLess(difference_of(one, two, "100 * drag").bar, 0.03)

    def test_a_bar_of_the_pair_stands_where_the_values_have_none(self):
        self.assertEqual(difference(2.0, 1.0, None, None, 0.5).bar, 0.5)
        self.assertIsNone(difference(2.0, 1.0).bar)


class Words(unittest.TestCase):
    def test_an_aim_reads_as_a_sentence(self):
        aim = Aim("drag", conditions=(Condition("lift", "at least", 0.4, 2), ), weights={1: 1.0, 2: 2.0})
        self.assertEqual(
            aim_words(aim, "Drag coefficient CD", {1: "Climb", 2: "Dash", 3: "Glide"}),
            "least drag coefficient CD, weighted mean over Climb (1) and Dash (2); while lift coefficient CL "
            "at least 0.4 at Dash")
        self.assertEqual(aim_words(Aim("x"), "CD", {1: "Climb"}), "least CD")
        self.assertIn("mean over all 2 points", aim_words(Aim("x"), "CD", {1: "a", 2: "b"}))

    def test_what_cannot_be_ranked_by_is_refused_by_name(self):
        names = ["drag", "lift"]
        for aim, words in ((Aim("darg"), "quantity"), (Aim("drag", "best"), "sense"),
                           (Aim("drag", conditions=(Condition("lift +", "at least", 1.0), )), "condition"),
                           (Aim("drag", weights={1: 0.0}), "weight"), (Aim("drag", "nearest"), "reference"),
                           (Aim("drag", references={(None, None): (1.0, -1.0)}), "uncertainty")):
            with self.subTest(words), self.assertRaisesRegex(AimError, words):
                aim.check(names)
        Aim("lift / drag", "largest").check(names)

    def test_it_survives_json(self):
        aim = Aim("drag", "nearest", (Condition("lift", "at most", 1.0, 3), ), {3: 2.0}, {(None, 3):
                                                                                          (0.1, None)})
        self.assertEqual(Aim.from_dict(aim.as_dict()), aim)
