import unittest

import numpy as np

from ventaris.core.grids.hyperbolic import grow_layers
from ventaris.core.grids.section import SectionGridPlan, surface_points, topology_of
from ventaris.core.grids.spacing import geometric_line
from ventaris.core.shapes.families import double_wedge, ellipse, four_digit
from ventaris.core.shapes.section import Section


def ring(n=96, radius=0.5):
    angle = -np.linspace(0, 2 * np.pi, n, endpoint=False)
    return np.stack([radius * np.cos(angle), radius * np.sin(angle)], axis=1)


class Layers(unittest.TestCase):
    def heights(self, n, layers=30, first=0.01, far=5.0):
        return np.repeat(np.diff(geometric_line(first, layers, far))[:, None], n, axis=1)

    def test_circles_grow_into_circles(self):
        lines = grow_layers(ring(), self.heights(96), closed=True)
        radius = np.linalg.norm(lines, axis=-1)
        np.testing.assert_allclose(radius, np.repeat(radius.mean(axis=1)[:, None], 96, axis=1), rtol=1e-9)
        self.assertTrue(np.all(np.diff(radius.mean(axis=1)) > 0))

    def test_the_first_layer_stands_upright_and_at_its_height(self):
        lines = grow_layers(ring(), self.heights(96), closed=True)
        move = lines[1] - lines[0]
        tangent = np.roll(lines[0], -1, axis=0) - np.roll(lines[0], 1, axis=0)
        cosine = (move * tangent).sum(1) / np.linalg.norm(move, axis=1) / np.linalg.norm(tangent, axis=1)
        np.testing.assert_allclose(cosine, 0, atol=1e-6)
        np.testing.assert_allclose(np.linalg.norm(move, axis=1), 0.01, rtol=0.03)

    def test_a_concave_corner_of_140_degrees_does_not_fold(self):
        x = np.linspace(-1, 1, 81)
        curve = np.stack([x, 0.35 * np.abs(x)], axis=1)
        lines = grow_layers(curve, self.heights(81, 25, 0.01, 1.5), closed=False)
        a, b = lines[:-1, 1:-2], lines[:-1, 2:-1]
        c, d = lines[1:, 2:-1], lines[1:, 1:-2]
        area = 0.5 * ((c - a)[..., 0] * (d - b)[..., 1] - (c - a)[..., 1] * (d - b)[..., 0])
        self.assertGreater(area.min(), 0)

    def test_open_ends_move_straight_up_the_outflow_plane(self):
        x = np.linspace(0, 1, 41)
        lines = grow_layers(np.stack([x, 0 * x], axis=1), self.heights(41, 10, 0.02, 0.5), closed=False)
        np.testing.assert_allclose(lines[:, 0, 0], 0, atol=1e-12)
        np.testing.assert_allclose(lines[:, -1, 0], 1, atol=1e-12)
        np.testing.assert_allclose(lines[-1, :, 1], 0.5, rtol=1e-6)


class SurfacePoints(unittest.TestCase):
    def sizes(self, loop, **plan):
        section = Section(loop)
        s = surface_points(section, SectionGridPlan(**plan))
        return section, s, np.diff(s)

    def test_counts_and_ends(self):
        for loop in (four_digit(0.12), ellipse(0.3), double_wedge(0.1)):
            section, s, step = self.sizes(loop, around=128)
            self.assertEqual(len(s), 129)
            self.assertAlmostEqual(s[-1], section.length)
            self.assertGreater(step.min(), 0)

    def test_cells_are_small_at_nose_and_tail(self):
        section, s, step = self.sizes(four_digit(0.12), around=208)
        nose = step[np.argmin(np.abs(s[:-1] - section.leading_edge))]
        self.assertLess(nose, 0.3 * step.max())
        self.assertLess(step[0], 0.4 * step.max())

    def test_a_nose_size_that_is_asked_for_is_nearly_met(self):
        section, s, step = self.sizes(four_digit(0.12), around=208, nose_size=8e-4)
        nose = step[np.argmin(np.abs(s[:-1] - section.leading_edge))]
        self.assertLess(abs(nose / 8e-4 - 1), 0.6)

    def test_neighbouring_cells_differ_gently(self):
        _, _, step = self.sizes(four_digit(0.12), around=208)
        ratio = step[1:] / step[:-1]
        self.assertLess(max(ratio.max(), (1 / ratio).max()), 1.35)

    def test_corners_fall_on_points_of_every_level(self):
        section, s, _ = self.sizes(double_wedge(0.1), around=128)
        for corner in section.corners:
            k = int(np.argmin(np.abs(s - corner)))
            self.assertAlmostEqual(s[k], corner, places=9)
            self.assertEqual(k % 4, 0)

    def test_topologies(self):
        self.assertEqual(topology_of(Section(ellipse(0.5))), "O")
        self.assertEqual(topology_of(Section(four_digit(0.12, trailing_edge="open"))), "C")
