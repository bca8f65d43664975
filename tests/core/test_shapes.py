import unittest

import numpy as np

from ventaris.core.shapes.build import build
from ventaris.core.shapes.coordinates import ShapeError, order_loop, read_coordinates
from ventaris.core.shapes.families import double_wedge, ellipse, four_digit
from ventaris.core.shapes.section import Section, normalise, section_from_points
from ventaris.core.sheet import read_section


def text_of(loop, title="", separator=" "):
    return (title + "\n" if title else "") + "\n".join(f"{x:.6f}{separator}{y:.6f}" for x, y in loop)


class Families(unittest.TestCase):
    def test_four_digit_measures(self):
        m = Section(four_digit(0.12)).measure()
        self.assertAlmostEqual(m.thickness, 0.12, delta=3e-5)
        self.assertAlmostEqual(m.thickness_at, 0.30, delta=0.01)
        # Report 460: the nose radius is 1.1019 t^2.
        self.assertAlmostEqual(m.leading_edge_radius / (1.1019 * 0.12**2), 1, delta=0.02)
        self.assertAlmostEqual(m.area, 0.0817, delta=2e-4)

    def test_camber_stands_where_it_was_asked_for(self):
        m = Section(four_digit(0.12, 0.04, 0.4)).measure()
        self.assertAlmostEqual(m.camber, 0.04, delta=4e-4)
        self.assertAlmostEqual(m.camber_at, 0.4, delta=0.02)

    def test_trailing_edges_are_told_apart(self):
        self.assertEqual(Section(four_digit(0.12)).trailing_edge, "sharp")
        self.assertEqual(Section(four_digit(0.12, trailing_edge="open")).trailing_edge, "blunt")
        self.assertEqual(Section(ellipse(0.3)).trailing_edge, "round")
        self.assertEqual(Section(double_wedge(0.1)).trailing_edge, "sharp")

    def test_circle_and_wedge_areas_are_exact(self):
        self.assertAlmostEqual(Section(ellipse(1.0)).measure().area, np.pi / 4, places=6)
        self.assertAlmostEqual(Section(double_wedge(0.1)).measure().area, 0.05, places=6)

    def test_wedge_corners_are_found(self):
        self.assertEqual(len(Section(double_wedge(0.1)).corners), 3)


class Coordinates(unittest.TestCase):
    def setUp(self):
        self.loop = four_digit(0.12, 0.02, 0.4)

    def thickness(self, text):
        loop, _ = read_coordinates(text)
        return section_from_points(loop)[0].measure().thickness

    def test_any_direction_title_and_separator(self):
        expected = Section(self.loop).measure().thickness
        for text in (text_of(self.loop), text_of(self.loop[::-1],
                                                 "My section"), text_of(self.loop, separator=", "),
                     text_of(self.loop, "x;y", ";"), text_of(np.roll(self.loop[:-1], 100, axis=0))):
            self.assertAlmostEqual(self.thickness(text), expected, delta=2e-4)

    def test_two_blocks_from_nose_to_tail(self):
        half = len(self.loop) // 2
        upper, lower = self.loop[half::-1], self.loop[half:]
        text = f"Title\n {len(upper)}. {len(lower)}.\n\n{text_of(upper)}\n\n{text_of(lower)}"
        self.assertAlmostEqual(self.thickness(text), Section(self.loop).measure().thickness, delta=2e-4)

    def test_units_and_turn_are_taken_out(self):
        turn = np.radians(3)
        moved = 240 * self.loop @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn),
                                                                           np.cos(turn)]]) + [5, -7]
        section, chord, turned = section_from_points(moved)
        self.assertAlmostEqual(chord, 240, delta=0.05)
        # The longest line of a cambered section lies a tenth of a degree off the family's own axis.
        self.assertAlmostEqual(turned, -3, delta=0.12)
        self.assertAlmostEqual(section.measure().thickness,
                               Section(self.loop).measure().thickness, delta=2e-4)

    def test_coordinates_that_lie_level_are_not_turned(self):
        section, chord, turned = section_from_points(self.loop)
        self.assertEqual(turned, 0)
        self.assertAlmostEqual(chord, 1, delta=1e-3)
        self.assertAlmostEqual(section.measure().camber, 0.02, delta=2e-4)

    def test_blunt_tail_with_or_without_its_closing_side(self):
        loop = four_digit(0.12, trailing_edge="open")
        base = np.linspace(loop[-1], loop[0], 5)[1:]
        for points in (loop, np.concatenate([loop, base])):
            section, _, _ = section_from_points(points)
            self.assertEqual(section.trailing_edge, "blunt")
            self.assertAlmostEqual(section.gap, 0.00252, delta=1e-4)

    def test_each_bad_outline_is_explained(self):
        loop = self.loop
        crossing = loop.copy()
        crossing[100], crossing[160] = loop[160].copy(), loop[100].copy()
        cases = {
            "crosses itself": text_of(crossing), "is open": text_of(loop[:len(loop) // 2]),
            "twice": text_of(np.concatenate([loop[:-1], loop[:-1]])), "Only 3": "0 0\n1 0\n0.5 0.1",
            "More than 20000": text_of(np.random.default_rng(0).random((20_001, 2))),
            "not a finite number": text_of(loop[:50]) + "\nnan 0.1\n", "No numbers": "hello\nworld",
            "two are needed": "1\n2\n3", "encloses no area|crosses itself": text_of(
                np.stack([np.concatenate([np.linspace(1, 0, 20),
                                          np.linspace(0.02, 0.98, 20)]),
                          np.zeros(40)],
                         axis=1)), "not two numbers": text_of(loop[:30]) + "\nend of file here"
        }
        for words, text in cases.items():
            with self.subTest(words), self.assertRaisesRegex(ShapeError, words):
                read_coordinates(text)
        with self.assertRaisesRegex(ShapeError, "binary"):
            read_coordinates(b"\x00\x01\x02\x03" * 100)

    def test_points_in_a_wrong_order_are_refused(self):
        rng = np.random.default_rng(1)
        with self.assertRaises(ShapeError):
            order_loop(rng.permutation(self.loop[:-1]))


class Edits(unittest.TestCase):
    def section(self, **edits):
        return build(
            read_section("shape",
                         {"kind": "four-digit", "thickness": 0.12, "camber": 0.02, "edits": edits})).section

    def test_scales(self):
        plain, thin = self.section().measure(), self.section(thickness_scale=0.5).measure()
        self.assertAlmostEqual(thin.thickness / plain.thickness, 0.5, delta=0.005)
        self.assertAlmostEqual(thin.camber / plain.camber, 1, delta=0.01)
        flipped = self.section(camber_scale=-1).measure()
        self.assertAlmostEqual(flipped.camber / plain.camber, -1, delta=0.01)
        self.assertAlmostEqual(flipped.thickness / plain.thickness, 1, delta=0.01)

    def test_trailing_edge_gap_opens_and_closes(self):
        opened = self.section(trailing_edge_gap=0.01)
        self.assertAlmostEqual(opened.gap, 0.01, delta=1e-5)
        shape = {"kind": "four-digit", "trailing_edge": "open", "edits": {"trailing_edge_gap": 0}}
        self.assertEqual(build(read_section("shape", shape)).section.trailing_edge, "sharp")

    def test_flap_turns_the_tail_and_leaves_the_nose(self):
        plain, flapped = self.section(), self.section(flap_deflection=10, flap_hinge=0.75)
        tail = flapped.loop[0] - [0.75, 0]
        self.assertAlmostEqual(np.degrees(np.arctan2(-tail[1], tail[0])), 10, delta=1.0)
        front = plain.loop[:, 0] < 0.7
        np.testing.assert_allclose(flapped.loop[front], plain.loop[front], atol=1e-9)
        # Bending keeps lengths along the chord line: the area hardly changes.
        self.assertAlmostEqual(flapped.measure().area / plain.measure().area, 1, delta=0.01)

    def test_the_joint_is_smooth(self):
        flapped = self.section(flap_deflection=10)
        self.assertEqual(flapped.corners, [])

    def test_a_joint_that_would_fold_is_refused_with_a_mend(self):
        with self.assertRaisesRegex(ShapeError, "flap_blend.*at least"):
            build(
                read_section("shape", {
                    "kind": "four-digit", "thickness": 0.3,
                    "edits": {"flap_deflection": 40, "flap_blend": 0.01}
                }))

    def test_normalise_puts_nose_and_tail_in_place(self):
        loop, chord, _ = normalise(np.asarray(four_digit(0.12)) * 3 + [1, 2])
        self.assertAlmostEqual(chord, 3, places=6)
        np.testing.assert_allclose(0.5 * (loop[0] + loop[-1]), [1, 0], atol=1e-12)
