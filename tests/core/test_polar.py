import unittest

import numpy as np

from ventaris.core.study.kinds.section.polar import series, summarise_polar


class Series(unittest.TestCase):
    def test_both_ends_are_in(self):
        self.assertEqual(series(-2, 4, 2), [-2, 0, 2, 4])
        self.assertEqual(series(0, 0.3, 0.1), [0, 0.1, 0.2, 0.3])

    def test_bad_series_say_why(self):
        for arguments, words in (((0, 1, 0), "more than 0"), ((3, 1, 1), "swap"),
                                 ((0, 1, 5), "one point only"), ((0, 1000, 0.1), "at most 60")):
            with self.assertRaisesRegex(ValueError, words):
                series(*arguments)


class Summary(unittest.TestCase):
    def test_a_straight_polar_is_read_exactly(self):
        a = np.arange(-4, 6, 2.0)
        s = summarise_polar(a, 0.11 * (a + 2), 0.008 + 0.01 * (0.11 * (a + 2))**2)
        self.assertAlmostEqual(s.lift_slope, 0.11)
        self.assertAlmostEqual(s.zero_lift_incidence, -2)
        self.assertIsNone(s.largest_lift)
        self.assertAlmostEqual(s.least_drag, 0.008)
        self.assertAlmostEqual(s.best_glide, 0.66 / (0.008 + 0.01 * 0.66**2))

    def test_stall_is_found_where_it_was_passed(self):
        a = np.array([16.0, 8, 12, 14, 18])
        s = summarise_polar(a, 1.5 - 0.01 * (a - 14.6)**2, np.full(5, 0.02))
        self.assertAlmostEqual(s.largest_lift, 1.5)
        self.assertAlmostEqual(s.at_incidence, 14.6)
        self.assertIsNone(s.lift_slope)

    def test_inviscid_drag_below_zero_gives_no_glide_ratio(self):
        s = summarise_polar([0, 2], [0.0, 0.2], [-1e-5, -1e-5])
        self.assertIsNone(s.best_glide)
