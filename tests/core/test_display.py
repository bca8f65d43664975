"""Numbers shown and read in other units than the sheet's."""
import unittest

from ventaris.core import units
from ventaris.core.display import CHOICES, WORDS, Display


class Displays(unittest.TestCase):
    def test_every_choice_is_a_unit_of_its_kind(self):
        self.assertEqual(set(CHOICES), set(WORDS))
        for base, choices in CHOICES.items():
            self.assertEqual(choices[0], base)
            for unit in choices:
                # Forwards by conversion, back by reading what is typed.
                there = units.convert(300.0, base, unit)
                self.assertAlmostEqual(units.parse(f"{there!r} {unit}", base), 300.0, places=6, msg=unit)

    def test_exact_values(self):
        for value, base, unit, wanted in ((26.8224, "m/s", "mph", 60), (0.0254, "m", "in", 1),
                                          (6894.757293168361, "Pa", "psi", 1),
                                          (4.4482216152605, "N", "lbf", 1), (288.15, "K", "°C", 15),
                                          (310.928, "K", "°F", 100.0004),
                                          (1 / 3.6, "m/s", "km/h", 1)):
            self.assertAlmostEqual(units.convert(value, base, unit), wanted, places=6, msg=unit)
        with self.assertRaises(units.UnitError):
            units.convert(1.0, "m", "psi")

    def test_a_field_shows_and_reads_the_chosen_unit(self):
        display = Display({"m/s": "mph"})
        self.assertEqual(display.shown("air.speed", "m/s", 26.8224), "60")
        self.assertAlmostEqual(units.parse(display.read("air.speed", "m/s", "60"), "m/s"), 26.8224)
        self.assertAlmostEqual(units.parse(display.read("air.speed", "m/s", "30 m/s"), "m/s"), 30)
        # What stands there as it was shown is not changed by a digit.
        third = 100 / 3
        shown = display.shown("air.speed", "m/s", third)
        self.assertIs(display.read("air.speed", "m/s", shown, [third]), third)
        for text in ("", None, "nonsense"):
            self.assertIn(display.read("air.speed", "m/s", text), (text, "nonsense mph"))

    def test_a_field_keeps_the_unit_in_which_it_was_typed(self):
        display = Display({"m": "mm"}).typed("shape.chord", "m", "2 ft")
        self.assertEqual((display.unit("shape.chord", "m"), display.unit("shape.span", "m")), ("ft", "mm"))
        self.assertEqual(display.shown("shape.chord", "m", 0.6096), "2")
        self.assertEqual(display.typed("shape.chord", "m", "3"), display)
        self.assertEqual(display.typed("shape.chord", "m", "3 psi"), display)
        self.assertEqual(display.typed("shape.chord", "m", "30 mm").fields, {})
        self.assertEqual(Display.from_text(display.text()), display)

    def test_what_is_no_display_is_none(self):
        for text in ("", None, "{", "[]", '{"units": 3}', '{"units": {"m": "psi", "q": "m"}}',
                     '{"fields": []}'):
            self.assertEqual(Display.from_text(text), Display(), text)
        # A unit of another kind at a field is passed over.
        self.assertEqual(Display({}, {"shape.chord": "psi"}).unit("shape.chord", "m"), "m")


if __name__ == "__main__":
    unittest.main()
