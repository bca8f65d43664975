"""Settings of single cells: who wins, where a change goes, and what falls away."""
import unittest

from ventaris.core.sheet.exceptions import applied, changed, covering, renamed, without

SETUP = {"grid": {"level": "fine", "around": 208}, "flow": {"model": "turbulent"}}


def after(**fields):
    """SETUP with fields of the grid set."""
    return {**SETUP, "grid": {**SETUP["grid"], **fields}}


class Exceptions(unittest.TestCase):
    def test_the_more_special_wins(self):
        kept = {
            "variant 1": {"grid.level": "coarse", "grid.around": 64}, "point 2": {"grid.level": "medium"},
            "cell 1 2": {"grid.around": 100}
        }
        self.assertEqual(applied(SETUP, kept, 1, 2)["grid"], {"level": "medium", "around": 100})
        self.assertEqual(applied(SETUP, kept, 1, 3)["grid"], {"level": "coarse", "around": 64})
        self.assertEqual(applied(SETUP, kept, 2, 3), SETUP)
        self.assertEqual([scope for scope, _ in covering(kept, 1, 2)], ["variant", "point", "cell"])
        self.assertEqual(SETUP["grid"]["level"], "fine")

    def test_a_change_goes_to_whom_it_is_meant_for(self):
        for scope, place in (("variant", "variant 1"), ("point", "point 2"), ("cell", "cell 1 2")):
            setup, kept = changed(SETUP, {}, 1, 2, after(level="coarse"), scope)
            self.assertEqual((setup, kept), (SETUP, {place: {"grid.level": "coarse"}}))
        setup, kept = changed(SETUP, {}, 1, 2, after(level="coarse"), "campaign")
        self.assertEqual((setup["grid"]["level"], kept), ("coarse", {}))

    def test_what_is_seen_is_what_is_changed(self):
        kept = {"variant 1": {"grid.level": "coarse"}}
        setup, kept = changed(SETUP, kept, 1, 2, after(level="medium"), "campaign")
        self.assertEqual((setup, kept), (SETUP, {"variant 1": {"grid.level": "medium"}}))

    def test_an_exception_that_says_what_holds_anyway_falls_away(self):
        kept = {"variant 1": {"grid.level": "coarse"}}
        self.assertEqual(changed(SETUP, kept, 1, 2, after(level="fine"), "variant")[1], {})
        # A cell's may say again what the campaign says, against its variant.
        _, both = changed(SETUP, kept, 1, 2, after(level="fine"), "cell")
        self.assertEqual(both["cell 1 2"], {"grid.level": "fine"})
        self.assertEqual(applied(SETUP, both, 1, 2), SETUP)

    def test_taken_away_and_renamed(self):
        kept = {
            "variant 1": {"grid.level": "coarse", "grid.around": 64}, "cell 1 2": {"grid.level": "medium"},
            "cell 4 2": {"grid.level": "medium"}
        }
        self.assertEqual(without(kept, 1, 2, "grid.level"),
                         {"variant 1": {"grid.around": 64}, "cell 4 2": {"grid.level": "medium"}})
        self.assertEqual(renamed(kept, {1: 0}, {2: 7}),
                         {"variant 0": kept["variant 1"], "cell 0 7": {"grid.level": "medium"}})
        self.assertEqual(renamed({"cell x 2": {}, "star": {}, "variant": {}}, {1: 1}, {2: 2}), {})
