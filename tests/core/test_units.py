import unittest

from ventaris.core import units
from ventaris.core.units import UnitError, parse, show


class TypedUnits(unittest.TestCase):
    def test_units_of_the_trade_become_si(self):
        for text, unit, value in (("60 mph", "m/s", 26.8224), ("100 km/h", "m/s", 27.7777778),
                                  ("54 knot", "m/s", 27.78), ("26.5 kPa", "Pa", 26500), ("1 bar", "Pa", 1e5),
                                  ("-50 degC", "K", 223.15), ("59 degF", "K", 288.15), ("15 °C", "K", 288.15),
                                  ("3 ft", "m", 0.9144), ("240 mm", "m", 0.24), ("12 deg", "deg", 12),
                                  ("0.1 rad", "deg", 5.7295780), ("12 %", "", 0.12), ("−3", "deg",
                                                                                      -3), ("1,5", "m", 1.5)):
            with self.subTest(text):
                self.assertAlmostEqual(parse(text, unit), value, places=6)

    def test_a_bare_number_is_meant_in_the_fields_unit(self):
        self.assertEqual(parse("28", "m/s"), 28)
        self.assertEqual(parse(2, "deg"), 2)

    def test_a_unit_of_the_wrong_kind_is_named_with_an_example(self):
        with self.assertRaisesRegex(UnitError, "kg.*not a unit of length.*240 mm"):
            parse("3 kg", "m")
        with self.assertRaisesRegex(UnitError, "degC"):
            parse("10 C", "K")
        with self.assertRaisesRegex(UnitError, "plain number"):
            parse("0.7 kg", "")

    def test_nonsense_and_code_are_refused(self):
        for text in ("", "abc", "nan", "inf", "1e999", "__import__('os')", "1; drop", "2 m**m**m**m" * 9,
                     True):
            with self.subTest(text), self.assertRaises(UnitError):
                parse(text, "m")

    def test_large_numbers_are_written_as_people_write_them(self):
        for value, digits, words in ((1.43e6, 2, "1.4e6"), (9.0e6, 3, "9.00e6"), (98765.0, 2, "99 000"),
                                     (40.0, 2, "40"), (5000.0, 3, "5 000"), (1.2e12, 2, "1.2e12")):
            self.assertEqual(units.large(value, digits), words)

    def test_showing_keeps_useful_digits(self):
        self.assertEqual(show(287.05287, "J/(kg*K)", 5), "287.05 J/(kg·K)")
        self.assertEqual(show(101325.0, "Pa", 6), "101325 Pa")
        self.assertEqual(show(None), "")
