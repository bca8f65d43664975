"""Surfaces named by picking and by boxes, parts merged into others."""
import unittest

import numpy as np

from ventaris.core.shapes.assembly import assemble
from ventaris.core.shapes.surface import SurfaceError
from ventaris.core.sheet import SheetError, read_sheet

CAR = {"name": "car", "kind": "box", "length": 2, "width": 1, "height": 1}


def assembled(parts=(CAR, ), **shape):
    return assemble(
        read_sheet({"format": 1, "space": "body", "shape": {"parts": list(parts), **shape}}).shape).surface


def area_of(surface, name):
    return float(surface.areas[surface.patch == surface.patches.index(name)].sum())


class Regions(unittest.TestCase):
    def test_a_picked_face_ends_at_its_edges(self):
        surface = assembled(regions=[{"name": "face", "kind": "piece", "x": 0, "y": 0.1, "z": 0.4}])
        self.assertAlmostEqual(area_of(surface, "face"), 1.0)
        self.assertNotIn("car front", surface.patches)
        # With an angle beyond the edges' the whole part is one piece.
        self.assertAlmostEqual(
            area_of(
                assembled(regions=[{"name": "all", "kind": "piece", "x": 0, "y": 0, "z": 0.5, "angle": 120}]),
                "all"), 10.0)

    def test_a_box_takes_what_lies_in_it_and_a_later_name_takes_from_an_earlier(self):
        ball = {"name": "ball", "kind": "ellipsoid", "length": 1, "width": 1, "height": 1}
        half = {"name": "front half", "kind": "box", "x": -0.25, "length": 0.5, "width": 2, "height": 2}
        surface = assembled([ball], regions=[half])
        self.assertAlmostEqual(area_of(surface, "front half") / surface.areas.sum(), 0.5, delta=0.02)
        top = {**half, "name": "top", "x": 0, "z": 0.25, "length": 2, "height": 0.5}
        both = assembled([ball], regions=[half, top])
        self.assertAlmostEqual(area_of(both, "front half") / both.areas.sum(), 0.25, delta=0.02)

    def test_names_survive_edits(self):
        regions = [{"name": "face", "kind": "piece", "x": 0, "y": 0, "z": 0.5},
                   {"name": "end", "kind": "piece", "x": 2, "y": 0, "z": 0.5}]
        surface = assembled(
            regions=regions, edits=[{"kind": "stretch", "start": 0.5, "end": 1.5, "share": 40},
                                    {"kind": "taper", "start": 1.6, "end": 2.4, "share": 50}])
        self.assertAlmostEqual(area_of(surface, "face"), 1.0)
        self.assertAlmostEqual(area_of(surface, "end"), 0.25)
        self.assertAlmostEqual(float(surface.box[1, 0]), 2.4)

    def test_a_region_that_names_nothing_says_where_the_body_is(self):
        for region, words in (({"name": "far", "kind": "piece", "x": 9}, "off the body"),
                              ({"name": "far", "kind": "box", "x": 9, "length": 1, "width": 1,
                                "height": 1}, "holds no triangle")):
            with self.assertRaisesRegex(SurfaceError, words):
                assembled(regions=[region])
        with self.assertRaisesRegex(SheetError, "has no name"):
            assembled(regions=[{"name": ""}])


class Merged(unittest.TestCase):
    HALVES = [{**CAR, "name": "front", "length": 1},
              {**CAR, "name": "rear", "length": 1, "x": 1, "merge": "front"}]

    def test_merged_parts_are_one_and_keep_their_surfaces(self):
        surface = assembled(self.HALVES)
        self.assertEqual(surface.parts, ("front", ))
        self.assertIn("rear rear", surface.patches)
        self.assertTrue(np.all(surface.part == 0))
        self.assertEqual(
            assembled([self.HALVES[0], {**self.HALVES[1], "merge": ""}]).parts, ("front", "rear"))

    def test_what_cannot_be_merged_is_said(self):
        for change, words in (({"merge": "middle"}, "no other part"), ({"merge": "rear"}, "no other part")):
            with self.assertRaisesRegex(SheetError, words):
                assembled([self.HALVES[0], {**self.HALVES[1], **change}])
        with self.assertRaisesRegex(SheetError, "merged itself"):
            assembled([{**self.HALVES[0], "merge": "rear"}, self.HALVES[1]])
        with self.assertRaisesRegex(SheetError, "left out"):
            assembled([{**self.HALVES[0], "used": "no"}, self.HALVES[1]])
