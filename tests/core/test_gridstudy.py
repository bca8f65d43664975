import unittest

from tests.sheets import sheet
from ventaris.core.study.gridstudy import fit, read_factors, scaled


class Fits(unittest.TestCase):
    def test_a_second_order_series_finds_its_limit(self):
        cells = [1000, 4000, 16000, 64000]
        values = [0.5 + 3.0 * (1 / c) for c in cells]
        found = fit(cells, values)
        self.assertAlmostEqual(found.extrapolated, 0.5, places=6)
        self.assertAlmostEqual(found.order, 2.0, delta=0.03)
        self.assertGreaterEqual(found.error, abs(values[-1] - 0.5))

    def test_first_order_is_seen_and_its_bar_is_wider(self):
        cells = [1000, 2000, 4000, 8000]
        found = fit(cells, [0.5 + 3.0 * c**-0.5 for c in cells])
        self.assertAlmostEqual(found.order, 1.0, delta=0.03)
        self.assertAlmostEqual(found.extrapolated, 0.5, places=4)

    def test_scatter_and_two_values_are_not_trusted(self):
        wild = fit([1000, 4000, 16000], [0.50, 0.56, 0.51])
        self.assertFalse(wild.observed)
        self.assertGreater(wild.error, 0.03)
        two = fit([1000, 4000], [0.52, 0.505])
        self.assertEqual((two.observed, two.order), (False, 2.0))
        self.assertAlmostEqual(two.extrapolated, 0.5)


class Factors(unittest.TestCase):
    def test_reading(self):
        self.assertEqual(read_factors("1.4, 0.7; 1 1"), [0.7, 1.0, 1.4])
        for text, words in (("", "at least two"), ("1", "at least two"), ("0.1 1", "0.3 to 4"),
                            ("1 fine", "not a number"), ("1 1.1 1.2 1.3 1.4 1.5 1.6 1.7 1.8", "at most 8")):
            with self.assertRaisesRegex(ValueError, words):
                read_factors(text)

    def test_scaling_touches_the_grid_only(self):
        base = sheet({
            "level": "fine", "around": 160, "layers": 48, "wake": 32, "first_height": 1e-3,
            "zones": [{"size": 0.04}]
        })
        finer = scaled(base, 2.0)
        self.assertEqual((finer.grid.around, finer.grid.layers, finer.grid.wake), (320, 96, 64))
        self.assertEqual((finer.grid.first_height, finer.grid.zones[0].size), (5e-4, 0.02))
        self.assertEqual((finer.air, finer.shape), (base.air, base.shape))
        self.assertEqual(scaled(sheet({"level": "fine"}), 0.5).grid.layers, 32)
