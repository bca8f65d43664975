import unittest

import numpy as np

from tests.sheets import sheet
from tests.web.client import finished
from ventaris.core.study.setup import prepare
from ventaris.core.study import comparison as c
from ventaris.core.study.kinds import forces
from ventaris.web import presentation as p
from ventaris.web.drawings import draw
from ventaris.core.study.kinds.section.portrait import built, outline, words as shape_words
from ventaris.core.sheet import read_section


class Numbers(unittest.TestCase):
    def test_true_minus_signs_and_no_negative_zero(self):
        self.assertEqual(p.fixed(-0.12345, 3), "−0.123")
        self.assertEqual(p.fixed(-1e-9, 4), "0.0000")
        self.assertEqual(p.fixed(None), "–")
        self.assertEqual(p.fixed(float("nan")), "–")

    def test_error_bars_use_the_values_digits(self):
        text = str(p.with_error(0.02266, 0.00023, 5))
        self.assertIn("0.02266", text)
        self.assertIn("± 0.00023", text)
        self.assertEqual(str(p.with_error(None, None)), "–")

    def test_an_error_bar_is_never_a_bare_nought(self):
        self.assertIn("± under 0.01", str(p.error_bar(0.003, 2)))
        self.assertIn("± 0.01", str(p.error_bar(0.006, 2)))
        self.assertEqual(str(p.error_bar(None)), "")

    def test_units_stand_apart(self):
        self.assertIn('class="unit">kg/m³', str(p.quantity(1.225, "kg/m^3")))

    def test_durations_in_words(self):
        for seconds, words in ((0.2, "under 1 s"), (3.4, "3 s"), (47, "45 s"), (200, "3 min"),
                               (9000, "2.5 h"), (None, "")):
            self.assertEqual(p.duration(seconds), words)

    def test_differences_are_clear_only_beyond_both_bars(self):
        self.assertTrue(c.difference(1.0, 0.9, 0.01, 0.01).clear)
        self.assertFalse(c.difference(1.0, 0.99, 0.01, 0.01).clear)
        self.assertAlmostEqual(c.difference(0.9, 1.0).share, -10)
        self.assertIsNone(c.difference(None, 1.0))
        self.assertIsNone(c.difference(1.0, 0.0).share)

    def test_a_difference_may_be_surer_than_its_values(self):
        def result(values):
            return {
                "levels": [{"level": name, "coefficients": {"drag": v}}
                           for name, v in zip(("coarse", "medium", "fine"), values)]
            }

        base, other = result((0.40, 0.34, 0.30)), result((0.44, 0.37, 0.3275))
        own = c.paired_error(other, base, "drag")
        self.assertLess(own, 0.01)
        self.assertTrue(c.difference(0.3275, 0.30, 0.1, 0.1, own).clear)
        self.assertFalse(c.difference(0.3275, 0.30, 0.1, 0.1).clear)
        short = {"levels": base["levels"][:2]}
        for one, two in ((short, base), (base, None), (base, result((1, None, 2)))):
            self.assertIsNone(c.paired_error(one, two, "drag"))

    def test_markup_is_escaped(self):
        self.assertNotIn("<script>", str(p.icon("<script>")))


class MatrixQuantities(unittest.TestCase):
    def test_each_is_read_from_a_result(self):
        result = finished().result
        for key in c.offered_quantities("section", [result]):
            value, _ = c.quantity_of(result, key)
            if key != "shock":
                self.assertIsNotNone(value, key)
        self.assertEqual(c.quantity_of(None, "drag"), (None, None))

    def test_no_glide_ratio_where_drag_is_lost_in_its_error(self):
        trends = {"lift": {"error": 0.001}, "drag": {"error": 0.0004}}
        found = lambda drag: forces.glide({"coefficients": {"lift": 0.5, "drag": drag}, "trends": trends})
        self.assertEqual(found(0.0002), (None, None))
        value, error = found(0.01)
        self.assertAlmostEqual(value, 50)
        self.assertAlmostEqual(error, 2.0, delta=0.05)

    def test_forces_carry_the_coefficients_error(self):
        result = finished().result
        trend = {
            **result, "trends": {
                **result["trends"], "drag": {
                    **result["trends"]["drag"], "error": 0.1 * result["coefficients"]["drag"]
                }
            }
        }
        value, error = c.quantity_of(trend, "drag_force")
        self.assertAlmostEqual(error / value, 0.1)


class Outlines(unittest.TestCase):
    def test_words_tell_variants_apart(self):
        shape = read_section(
            "shape", {
                "kind": "four-digit", "thickness": 0.12, "camber": 0.02, "edits": {
                    "flap_deflection": 8, "thickness_scale": 0.75, "camber_scale": 0.5,
                    "trailing_edge_gap": 0.004
                }
            }).model_dump()
        words = shape_words(shape)
        for part in ("12 % thick", "2 % camber", "flap 8°", "× 0.75", "× 0.5", "gap 0.4 %"):
            self.assertIn(part, words)
        self.assertEqual(
            shape_words(read_section("shape", {"kind": "ellipse", "thickness": 1.0}).model_dump()), "circle")

    def test_outline_is_closed_and_keeps_corners(self):
        points, = outline(read_section("shape", {"kind": "double wedge", "thickness": 0.1}).model_dump())
        self.assertAlmostEqual(points[:, 1].max(), 0.05, places=6)
        np.testing.assert_allclose(points[0], points[-1], atol=1e-9)

    def test_a_shape_that_cannot_be_built_has_an_error_and_no_outline(self):
        bad = read_section(
            "shape",
            {"kind": "four-digit", "thickness": 0.3, "edits": {"flap_deflection": 40, "flap_blend": 0.01}
             }).model_dump()
        self.assertIsNone(outline(bad))
        self.assertIn("fold", built(bad)[1])


class Drawings(unittest.TestCase):
    def test_captions_say_what_is_drawn(self):
        setup = prepare(
            sheet(grid={"level": "fine"}, instruments={"probes": [{"name": "a", "x": 1.5, "y": 0.1}]}))
        for section, words in (("shape", "sharp"), ("air", "Mach"), ("domain", "far field at 50 chords"),
                               ("grid", "19 456"), ("instruments", "1 probes"), ("run", "150 steps")):
            svg, caption = draw(section, setup)
            self.assertIn(words, caption)
            self.assertTrue(str(svg).startswith("<svg"))

    def test_supersonic_and_rounded_shapes_are_drawn_too(self):
        setup = prepare(sheet(shape={"kind": "ellipse", "thickness": 1.0}, air={"motion": "mach", "mach": 2}))
        self.assertIn("undisturbed stream", draw("domain", setup)[1])
        self.assertIn("rounded", draw("shape", setup)[1])
