"""Edits of bodies that copy, cut, unite and mend: volumes and areas against exact ones, names, and what
cannot be."""
import unittest

import numpy as np

from ventaris.core.shapes import bodies
from ventaris.core.shapes.assembly import assemble
from ventaris.core.shapes.body_edits import edited
from ventaris.core.shapes.surface import SurfaceError, inspect, joined
from ventaris.core.sheet import SheetError, read_section
from ventaris.core.sheet.body_edits import Edit

BOX = {"name": "box", "kind": "box", "length": 2, "width": 1, "height": 0.5}
# From half a metre below the box's floor to its middle.
PIN = {"name": "pin", "kind": "frustum", "length": 1.0, "front_diameter": 0.2, "rear_diameter": 0.2, "x": 0.5,
       "pitch": 90, "z": 0.5}
WHEEL = {"name": "wheel", "kind": "frustum", "length": 0.2, "front_diameter": 0.6, "rear_diameter": 0.6,
         "x": 0.5, "y": 0.9, "yaw": -90, "wheel": "yes"}


def body(parts, *edits):
    return assemble(read_section("shape", {"parts": parts, "edits": list(edits)}, "body"))


class WithWhole(unittest.TestCase):
    def assertWhole(self, surface):
        found = inspect(surface)
        self.assertEqual((found.open_edges, found.flipped_edges, found.inside_out_parts), (0, 0, ()))


class Copies(WithWhole):
    def test_a_mirror_image_stands_on_the_other_side_and_rolls_too(self):
        made = body([BOX, WHEEL], {"kind": "mirror", "part": "wheel", "axis": "y"})
        self.assertEqual(made.surface.parts, ("box", "wheel", "wheel mirrored"))
        self.assertIn("wheel mirrored side", made.surface.patches)
        np.testing.assert_allclose(made.wheels["wheel mirrored"], made.wheels["wheel"] * [1, -1, 1],
                                   atol=1e-12)
        self.assertWhole(made.surface)

    def test_a_row_and_a_ring_repeat_a_part_under_numbers(self):
        made = body([BOX, PIN], {"kind": "row", "part": "pin", "count": 3, "step_x": 0.4, "step_y": 0.1})
        self.assertEqual(made.surface.parts, ("box", "pin", "pin 2", "pin 3"))
        low = lambda name: made.surface.only(made.surface.part == made.surface.parts.index(name)).box[0]
        np.testing.assert_allclose(low("pin 3") - low("pin"), [0.8, 0.2, 0], atol=1e-12)
        ring = body([BOX, PIN], {"kind": "ring", "part": "pin", "count": 4, "axis": "x"}).surface
        middles = [ring.only(ring.part == k).box.mean(axis=0) for k in range(1, 5)]
        # From below (z 0) round the x axis by quarters.
        np.testing.assert_allclose(np.linalg.norm([m[1:] for m in middles], axis=1),
                                   np.linalg.norm(middles[0][1:]), atol=1e-3)
        self.assertWhole(ring)

    def test_copies_of_a_part_of_several_pieces_keep_what_these_are_called(self):
        lance = {"name": "lance", "kind": "revolution", "fins": 2}
        made = body([lance], {"kind": "row", "part": "lance", "count": 2, "step_z": 3},
                    {"kind": "cut", "part": "lance 2", "axis": "x", "at": 0.1, "keep": "above"}).surface
        self.assertIn("lance 2 body", made.parts)
        self.assertIn("lance 2 body cut", made.patches)
        self.assertNotIn("lance body cut", made.patches)

    def test_a_part_beside_that_begins_with_the_same_word_does_not_roll(self):
        arch = {**BOX, "name": "wheel arch"}
        made = body([arch, WHEEL], {"kind": "row", "part": "wheel", "count": 2, "step_x": 1},
                    {"kind": "mirror", "part": "wheel arch", "at": 3})
        self.assertEqual(set(made.wheels), {"wheel", "wheel 2"})


class Cuts(WithWhole):
    def test_a_plane_leaves_a_closed_half_with_a_face_of_its_own(self):
        below = body([BOX], {"kind": "cut", "axis": "x", "at": 0.6}).surface
        self.assertAlmostEqual(below.volume[0], 0.3)
        cut = below.patch == below.patches.index("box cut")
        self.assertAlmostEqual(below.areas[cut].sum(), 0.5)
        self.assertNotIn("box rear", below.patches)
        self.assertWhole(below)
        # A plane through the middle of the floor, tilted by 30 degrees.
        tilted = body([BOX], {"kind": "cut", "axis": "x", "at": 1.0, "tilt": 30, "keep": "above"}).surface
        lean = 0.5 * np.tan(np.radians(30))
        self.assertAlmostEqual(tilted.volume[0], 0.5 - 0.5 * lean * 0.5, places=9)

    def test_parts_that_a_plane_misses_stay_or_go_whole(self):
        made = body([BOX, PIN], {"kind": "cut", "axis": "x", "at": 1.2}).surface
        self.assertEqual(made.parts, ("box", "pin"))
        other = body([BOX, PIN], {"kind": "cut", "axis": "x", "at": 1.2, "keep": "above"}).surface
        self.assertEqual(other.parts, ("box", ))

    def test_what_is_cut_out_leaves_its_walls_under_its_names(self):
        pin = body([PIN]).surface.volume[0]
        made = body([BOX, PIN], {"kind": "subtract", "part": "box", "other": "pin"}).surface
        self.assertEqual((made.parts, "pin side" in made.patches), (("box", ), True))
        self.assertAlmostEqual(made.volume[0], 1.0 - 0.5 * pin, places=6)
        self.assertWhole(made)

    def test_united_parts_are_one_closed_surface_without_what_lies_within(self):
        pin = body([PIN]).surface.volume[0]
        made = body([BOX, PIN, {**WHEEL, "y": 3.0}], {"kind": "unite", "part": "box", "other": "pin"}).surface
        self.assertEqual(made.parts, ("box", "wheel"))
        self.assertAlmostEqual(made.volume[0], 1.0 + 0.5 * pin, places=6)
        self.assertWhole(made)
        self.assertEqual(len(body([BOX, PIN, WHEEL], {"kind": "unite"}).surface.parts), 1)

    def test_edits_follow_each_other(self):
        made = body([BOX, PIN], {"kind": "row", "part": "pin", "count": 3, "step_x": 0.5},
                    {"kind": "subtract", "part": "box", "other": "pin 3"}, {"kind": "unite"},
                    {"kind": "stretch", "start": 0.5, "end": 1.0, "share": 20},
                    {"kind": "cut", "axis": "z", "at": 0.25}).surface
        self.assertEqual(made.parts, ("box", ))
        self.assertAlmostEqual(made.size[2], 0.75)
        self.assertWhole(made)


class Mends(WithWhole):
    def setUp(self):
        box = bodies.box(2, 1, 0.5)
        self.open = box.only(box.normals[:, 0] < 0.9)

    def test_a_hole_is_closed_up_to_its_width(self):
        made = edited(self.open, Edit(kind="close", width=0.6))
        self.assertAlmostEqual(made.volume[0], 1.0)
        self.assertIn("closed holes", made.patches)
        self.assertWhole(made)
        with self.assertRaisesRegex(SurfaceError, "the narrowest is 0.5 m wide"):
            edited(self.open, Edit(kind="close", width=0.4))
        with self.assertRaisesRegex(SurfaceError, "nothing is open"):
            edited(made, Edit(kind="close", width=0.4))

    def test_holes_in_a_round_body_are_closed_on_either_way_round(self):
        ball = bodies.ellipsoid(1.0, 1.0, 1.0)
        middle = ball.corners.mean(axis=1) - ball.box.mean(axis=0)
        for axis, sign in ((0, 1), (1, -1), (2, 1)):
            holed = ball.only(sign * middle[:, axis] < 0.46)
            made = edited(holed, Edit(kind="close", width=0.5))
            self.assertWhole(made)
            self.assertLess(abs(made.volume[0] / ball.volume[0] - 1), 0.02)

    def test_small_pieces_go(self):
        bolt = bodies.ellipsoid(0.02, 0.02, 0.02).moved(None, (3, 0, 0))
        both = joined([bodies.box(2, 1, 0.5), bolt])
        self.assertEqual(len(edited(both, Edit(kind="drop", width=0.05)).parts), 1)
        with self.assertRaisesRegex(SurfaceError, "the smallest measures 0.02 m"):
            edited(both, Edit(kind="drop", width=0.01))
        with self.assertRaisesRegex(SurfaceError, "every piece"):
            edited(both, Edit(kind="drop", width=3))

    def test_what_cannot_be_is_explained(self):
        with self.assertRaisesRegex(SurfaceError, "not closed"):
            edited(self.open, Edit(kind="cut", axis="x", at=1.0))
        for parts, edit, words in (
                ([BOX], {"kind": "cut", "axis": "x", "at": 3}, "reaches from 0 to 2 m"),
                ([BOX], {"kind": "cut", "axis": "x", "at": -3}, "leaves nothing"),
                ([BOX], {"kind": "unite"}, "only one part"),
                ([BOX, {**PIN, "x": 5}], {"kind": "subtract", "part": "box", "other": "pin"},
                 "nothing to cut")):
            with self.subTest(words), self.assertRaisesRegex(SurfaceError, words):
                body(parts, edit)
        for edit, words in (({"kind": "cut", "part": "nose"}, "no part “nose”. There are: box"),
                            ({"kind": "row", "count": 2}, "steps are all 0"),
                            ({"kind": "row", "count": 90, "step_x": 1}, "accepted: 2 to 60"),
                            ({"kind": "ring", "angle": 0}, "0° between its pieces"),
                            ({"kind": "subtract", "part": "box"}, "name both"),
                            ({"kind": "unite", "part": "box", "other": "box"}, "named twice"),
                            ({"kind": "close", "width": 0}, "more than 0")):
            with self.subTest(words), self.assertRaisesRegex(SheetError, words):
                body([BOX], edit)
        gone = [{"kind": "subtract", "part": "box", "other": "pin"}, {"kind": "taper", "part": "pin"}]
        with self.assertRaisesRegex(SurfaceError, "has gone by then"):
            body([BOX, PIN], *gone)


if __name__ == "__main__":
    unittest.main()
