"""What is shown round a body: lines of a value on a plane, gradients, and what is asked for in words."""
import unittest

import numpy as np

from ventaris.core.gas import AirState
from ventaris.core.grids.octree import Octree
from ventaris.core.look.body_field import BodyField
from ventaris.core.look.body_lines import level_lines
from ventaris.core.look.body_scene import CutPlane, Iso, Rake, SceneError
from ventaris.core.shapes.triangle_tree import morton

SIDE = 6


def field(state_of, scale=0.5):
    """A `BodyField` on even cubes of edge 1 whose state is a function of their centres, shape (n, 5)."""
    corner = np.stack(np.meshgrid(*[np.arange(SIDE)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    corner = corner[np.argsort(morton(corner))]
    width = np.ones(len(corner), dtype=np.int64)
    tree = Octree(np.zeros(3), 1.0, np.array([SIDE] * 3), corner, width, morton(corner))
    nothing = np.zeros((1, 3))
    return BodyField("coarse", scale, tree, np.arange(len(corner)), state_of(corner + 0.5), nothing, nothing,
                     {}, nothing, air=AirState(288.0, 1e5, 1.2, 1.8e-5, 600.0))


class Levels(unittest.TestCase):
    def test_lines_pass_where_the_value_is(self):
        x, y = (g.ravel() for g in np.meshgrid(np.linspace(0, 1, 11), np.linspace(0, 1, 11), indexing="ij"))
        points = np.stack([x, y, 0 * x], axis=1)
        index = np.arange(121).reshape(11, 11)
        a, b, c, d = (index[i:i + 10, j:j + 10].ravel() for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)))
        triangles = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
        starts, ends = level_lines(points, triangles, 2 * x + y, (1.23, 9.0))
        for place in (starts, ends):
            np.testing.assert_allclose(2 * place[:, 0] + place[:, 1], 1.23, atol=1e-12)
        # From (0.115, 1) to (0.615, 0).
        self.assertAlmostEqual(np.linalg.norm(ends - starts, axis=1).sum(), np.hypot(0.5, 1.0), places=9)


class Gradients(unittest.TestCase):
    def test_a_density_that_grows_evenly_has_an_even_gradient(self):
        slope = np.array([0.02, -0.01, 0.02])
        made = field(
            lambda at: np.column_stack([at @ slope, np.ones(len(at)), 2 + 0 * at[:, 0], 0 * at[:, :2]]))
        inside = np.array([[3.1, 2.9, 3.2], [2.5, 3.5, 2.6]])
        found = made.sample(inside, ("density_gradient", ))[:, 0]
        air = made.air
        expected = air.gamma * air.density * np.linalg.norm(slope) / made.scale
        np.testing.assert_allclose(found, expected, rtol=1e-9)


class Asked(unittest.TestCase):
    def test_a_planes_own_range_holds(self):
        plane = CutPlane.from_dict({"q": "mach", "low": "0.5", "high": "2"})
        self.assertEqual(plane.span(None, np.zeros((0, 3)), np.zeros(0)), (0.5, 2.0))

    def test_what_cannot_be_shown_is_said(self):
        for kind, wrong, words in ((CutPlane, {"q": "taste"}, "taste"), (CutPlane, {"at": "far"}, "far"),
                                   (CutPlane, {"normal": "w"}, "x, y or z"),
                                   (Rake, {"kind": "cloud"}, "inflow"),
                                   (Rake, {"size": 0}, "more than 0"), (Rake, {"centre": (1, 2)}, "three"),
                                   (Rake, {"by": "taste"}, "taste"), (Iso, {"key": "taste"}, "taste"),
                                   (Iso, {"value": float("nan")}, "accepted")):
            with self.subTest(words), self.assertRaisesRegex(SceneError, words):
                kind.from_dict(wrong)


if __name__ == "__main__":
    unittest.main()
