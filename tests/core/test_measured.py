"""Measured data: what columns are, and deviations from curves whose distance is known."""
import unittest

from ventaris.core.study.measured import Series, deviation, roles_of, series_of

TABLE = {
    "name": "tunnel", "columns": {
        "alpha": [0, 2, None], "CL": [0.1, 0.3, 0.5], "CL uncertainty": [0.01, None, 0.02], "CD":
        [100, 120, 140], "note": [1, 2, 3]
    }
}


class Columns(unittest.TestCase):
    def test_roles_are_guessed_from_order_and_names(self):
        self.assertEqual([role for role, *_ in roles_of(TABLE).values()],
                         ["x", "value", "error", "value", "value"])

    def test_what_was_said_holds(self):
        about = {"CD": ["value", 1e-4, "drag"], "note": ["", 1.0, ""]}
        lift, drag = series_of({**TABLE, "about": about})
        self.assertEqual((lift.name, lift.error), ("tunnel: CL", [0.01, None, 0.02]))
        self.assertEqual((drag.channel, drag.error), ("drag", None))
        self.assertAlmostEqual(drag.y[1], 0.012)
        self.assertEqual(series_of({**TABLE, "about": {"alpha": ["", 1.0, ""]}}), [])


class Deviations(unittest.TestCase):
    def one(self, y, error=None, x=(0.0, 1.0, 2.0)):
        return Series("m", list(x), list(y), error, "")

    def test_a_curve_that_lies_beside(self):
        found = deviation(self.one((1.0, 2.0, 3.0), [0.2, 0.05, 0.2]), [([0, 2], [1.1, 3.1])])
        self.assertAlmostEqual(found.rms, 0.1)
        self.assertAlmostEqual(found.mean, 0.1)
        self.assertAlmostEqual(found.within, 2 / 3)
        self.assertEqual(found.points, 3)

    def test_the_nearer_side_counts_and_points_beyond_do_not(self):
        upper, lower = ([0, 1], [-1.0, -0.5]), ([1, 0], [0.2, 0.5])
        found = deviation(self.one((-1.1, 0.2, 9.0)), [upper, lower])
        self.assertEqual(found.points, 2)
        self.assertAlmostEqual(found.largest, 0.1)
        self.assertEqual(found.at, 0.0)
        self.assertIsNone(found.within)
        self.assertIsNone(deviation(self.one((1.0, ), x=(5.0, )), [upper]))
        self.assertIsNone(deviation(self.one((None, ), x=(0.5, )), [upper]))
