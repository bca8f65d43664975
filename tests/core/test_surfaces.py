"""Triangulated surfaces: search tree, files, conditions, builders, edits, frontal area."""
import struct
import unittest

import numpy as np

from ventaris.core.formats.surfaces import (
    pack_surface, placed, read_surface, split_at_edges, unpack_surface, write_surface
)
from ventaris.core.shapes import bodies, wings
from ventaris.core.shapes.assembly import assemble
from ventaris.core.shapes.frontal import frontal_area
from ventaris.core.shapes.surface import SurfaceError, inspect, joined
from ventaris.core.sheet import SheetError, read_section


def body(parts, edits=()):
    return assemble(read_section("shape", {"parts": parts, "edits": list(edits)}, "body"))


BOX = {"name": "box", "kind": "box", "length": 2, "width": 1, "height": 0.5}


class Tree(unittest.TestCase):
    def setUp(self):
        self.surface = bodies.ellipsoid(2.0, 1.0, 1.0)
        self.points = np.random.default_rng(4).uniform(-1.4, 1.4, (300, 3))

    def test_nearest_distance_is_that_of_a_search_over_all_triangles(self):
        distance, triangle = self.surface.tree.nearest(self.points)
        sampled = self.surface.corners.mean(axis=1)
        self.assertTrue(
            (distance
             <= np.linalg.norm(self.points[:, None] - sampled[None], axis=2).min(axis=1) + 1e-9).all())
        self.assertTrue((triangle >= 0).all())

    def test_winding_number_tells_inside_from_outside(self):
        low, high = self.surface.box
        middle = 0.5 * (low + high)
        inside = (((self.points - middle) / np.array([1.0, 0.5, 0.5]))**2).sum(axis=1)
        winding = self.surface.tree.winding(self.points)[:, 0]
        clear = np.abs(inside - 1) > 0.05
        self.assertTrue(((winding > 0.5) == (inside < 1))[clear].all())

    def test_a_crack_does_not_open_the_inside(self):
        keep = np.ones(len(self.surface.triangles), dtype=bool)
        keep[10:13] = False
        cracked = self.surface.only(keep)
        middle = 0.5 * self.surface.box.sum(axis=0)
        self.assertGreater(cracked.tree.winding(middle[None])[0, 0], 0.9)


class Files(unittest.TestCase):
    def test_every_format_brings_the_body_back(self):
        surface = bodies.box(2.0, 1.0, 0.5)
        for kind in ("stl", "obj", "ply", "glb"):
            with self.subTest(kind):
                back = read_surface(write_surface(surface, kind), kind)
                self.assertEqual(len(back.triangles), len(surface.triangles))
                np.testing.assert_allclose(back.size, surface.size, rtol=1e-6)

    def test_parts_of_a_scene_keep_their_names(self):
        wheel = bodies.frustum(0.2, 0.6, 0.6)
        both = joined([bodies.box(2.0, 1.0, 0.5), wheel.moved(shift=(3, 0, 0))])
        back = read_surface(write_surface(both, "glb"), "glb")
        self.assertEqual(len(back.parts), 2)

    def test_an_stl_of_text_with_its_solid_name(self):
        text = (b"solid nose\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
                b"0\nendloop\nendfacet\nendsolid nose\n")
        self.assertEqual(len(read_surface(text, "stl").triangles), 1)

    def test_numbers_that_are_none_are_named(self):
        data = b"\0" * 80 + struct.pack("<I", 1) + struct.pack("<12fH", 0, 0, 1, 0, 0, 0, np.nan, 0, 0, 0, 1,
                                                               0, 0)
        with self.assertRaisesRegex(SurfaceError, "not numbers"):
            read_surface(data, "stl")

    def test_empty_and_damaged_files_say_so(self):
        empty = b"\0" * 80 + struct.pack("<I", 0)
        for data, kind in ((empty, "stl"), (b"", "obj"), (b"glTF nonsense", "glb"), (b"ply\nnonsense", "ply"),
                           (b"x", "step")):
            with self.subTest(kind), self.assertRaises(SurfaceError):
                read_surface(data, kind)

    def test_units_and_axes(self):
        turned = placed(bodies.box(2.0, 1.0, 0.5), "mm", "+y", "+z")
        np.testing.assert_allclose(turned.size, [0.001, 0.002, 0.0005], rtol=1e-9)
        with self.assertRaisesRegex(SurfaceError, "same axis"):
            placed(bodies.box(1, 1, 1), "m", "+z", "-z")

    def test_packing_keeps_everything(self):
        surface = split_at_edges(bodies.box(2.0, 1.0, 0.5))
        self.assertEqual(len(surface.patches), 6)
        back = unpack_surface(pack_surface(surface))
        self.assertEqual(back.patches, surface.patches)
        np.testing.assert_array_equal(back.triangles, surface.triangles)


class Conditions(unittest.TestCase):
    def notes(self, surface):
        return " ".join(inspect(surface).notes)

    def test_a_clean_body_has_nothing_to_say(self):
        for surface in (bodies.box(1, 1, 1), bodies.ellipsoid(1, 1, 1), bodies.frustum(1, 0.5, 0.2, 0.05),
                        wings.straight_wing({"main": np.array([[0, 0], [1, 0], [0.5, 0.1]])}, 2.0)):
            self.assertEqual(self.notes(surface), "")

    def test_each_oddity_is_reported(self):
        box = bodies.box(1, 1, 1)
        keep = np.ones(len(box.triangles), dtype=bool)
        keep[0] = False
        flipped = box.triangles.copy()
        flipped[3] = flipped[3][::-1]
        from dataclasses import replace
        self.assertIn("open", self.notes(box.only(keep)))
        self.assertIn("disagree", self.notes(replace(box, triangles=flipped)))
        self.assertIn("inside out",
                      self.notes(replace(box, triangles=np.ascontiguousarray(box.triangles[:, ::-1]))))
        self.assertIn(
            "twice",
            self.notes(
                replace(box, triangles=np.concatenate([box.triangles, box.triangles[:1]]),
                        part=np.append(box.part, 0), patch=np.append(box.patch, 0))))
        sheet = box.only(np.arange(len(box.triangles)) < 2)
        self.assertIn("no inside", self.notes(sheet))
        self.assertIn("millimetres", self.notes(box.moved(1000 * np.eye(3))))


class Assembling(unittest.TestCase):
    def test_parts_keep_their_names_through_edits(self):
        made = body([
            BOX, {
                "name": "wheel", "kind": "frustum", "length": 0.2, "front_diameter": 0.6,
                "rear_diameter": 0.6, "x": 0.5, "wheel": "yes"
            }
        ], [{"kind": "stretch", "start": 0.2, "end": 0.8, "share": 50}])
        self.assertEqual(made.surface.parts, ("box", "wheel"))
        self.assertIn("wheel", made.wheels)

    def test_a_body_of_revolution_with_fins_is_closed(self):
        surface = bodies.revolution(2.0, 0.3, "ogive", 0.6, 0.2, 0.2, 4, 0.3, 0.2, 0.05, 0.5)
        self.assertEqual(surface.parts, ("body", "fin", "fin 2", "fin 3", "fin 4"))
        found = inspect(surface)
        self.assertEqual((found.open_edges, found.flipped_edges, found.inside_out_parts), (0, 0, ()))
        self.assertTrue((surface.volume > 0).all())

    def test_a_stretch_lengthens_by_its_share_and_keeps_the_rest(self):
        plain, longer = body([BOX]), body([BOX], [{"kind": "stretch", "start": 0.5, "end": 1.5, "share": 10}])
        low = plain.surface.box[0, 0]
        self.assertAlmostEqual(longer.length, plain.length + 0.1, places=9)
        self.assertAlmostEqual(longer.surface.box[0, 0], low)
        self.assertAlmostEqual(longer.surface.volume.sum(), plain.surface.volume.sum() * 2.1 / 2, places=9)

    def test_a_taper_narrows_the_tail(self):
        tapered = body([BOX], [{"kind": "taper", "start": 1.0, "end": 2.0, "share": 40}])
        rear = tapered.surface.vertices[tapered.surface.vertices[:, 0] > tapered.surface.box[1, 0] - 1e-9]
        self.assertAlmostEqual(np.ptp(rear[:, 1]), 0.6)

    def test_edits_that_cannot_be_are_explained(self):
        for edit, words in (({"kind": "taper", "start": 1.0, "end": 2.0, "share": 100}, "inside out"),
                            ({"kind": "stretch", "start": 5, "end": 6, "share": 10}, "nothing lies between")):
            with self.subTest(words), self.assertRaisesRegex(SurfaceError, words):
                body([BOX], [edit])
        with self.assertRaisesRegex(SheetError, "behind the first"):
            body([BOX], [{"kind": "stretch", "start": 1, "end": 0.5, "share": 10}])
        with self.assertRaisesRegex(SheetError, "two parts"):
            body([BOX, BOX])

    def test_frontal_area_of_a_turned_box(self):
        turned = body([{**BOX, "yaw": 30}])
        exact = 0.5 * (2 * np.sin(np.radians(30)) + np.cos(np.radians(30)))
        self.assertAlmostEqual(frontal_area(turned.surface.corners).area / exact, 1, delta=1e-3)
        self.assertAlmostEqual(turned.shadow.area / exact, 1, delta=1e-3)


if __name__ == "__main__":
    unittest.main()
