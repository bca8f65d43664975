"""Pictures in space that the program draws itself: where things lie, what hides what, and how wide lines
are."""
import unittest

import numpy as np

from ventaris.core.look.body_lines import spot
from ventaris.core.look.raster import FIELD_OF_VIEW, Camera, Canvas

WHITE, RED, BLUE = (1.0, 1.0, 1.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)
SQUARE = np.array([[0.0, 0.0, 1.0, 1.0], [-0.5, 0.5, 0.5, -0.5], [-0.5, -0.5, 0.5, 0.5]])
TWO = np.array([[0, 1, 2], [0, 2, 3]])


def camera(direction=(-1.0, 0.0, 0.0), distance=4.0):
    return Camera((0.0, 0.0, 0.0), direction, distance, 300, 200)


def across_x(x, size=1.0):
    """A square across the x axis."""
    y, z = size * SQUARE[1], size * SQUARE[2]
    return np.stack([np.full(4, x), y, z], axis=1)


def of(colour):
    return lambda values: np.broadcast_to(np.array(colour), (len(values), 3))


class Places(unittest.TestCase):
    def test_what_is_looked_at_lies_in_the_middle(self):
        for direction in ((-1, 0, 0), (1, 2, 3), (0, 0, 1)):
            at, depth = camera(direction).seen(np.zeros((1, 3)))
            np.testing.assert_allclose(at[0], [150, 100], atol=1e-9)
            self.assertAlmostEqual(float(depth[0]), 4.0)

    def test_a_length_is_seen_as_the_angle_says(self):
        at, _ = camera().seen(np.array([[0, 0, 0.5], [0, 0, -0.5], [0, 1, 0]]))
        pixels = 200 / (2 * 4.0 * np.tan(np.radians(FIELD_OF_VIEW / 2)))
        self.assertAlmostEqual(at[1, 1] - at[0, 1], pixels, places=6)
        # Seen along +x, the left-hand side is y > 0.
        self.assertLess(at[2, 0], 150)

    def test_a_disc_of_points_lies_across_its_direction(self):
        normal = np.array([1.0, 2.0, 2.0]) / 3
        points = spot((1.0, 0.0, 0.0), normal, 0.8, 500) - [1.0, 0.0, 0.0]
        np.testing.assert_allclose(points @ normal, 0, atol=1e-12)
        radius = np.linalg.norm(points, axis=1)
        self.assertLess(radius.max(), 0.4)
        # Evenly spread: half of them within the radius of half the area.
        self.assertAlmostEqual(np.mean(radius < 0.4 / np.sqrt(2)), 0.5, delta=0.01)


class Drawing(unittest.TestCase):
    def canvas(self, **how):
        return Canvas(camera(**how), WHITE)

    def test_a_square_covers_its_area(self):
        canvas = self.canvas()
        canvas.surface(across_x(0.0), TWO, of(RED))
        side = 200 / (2 * 4.0 * np.tan(np.radians(FIELD_OF_VIEW / 2)))
        covered = (canvas.colour[..., 1] < 0.5).sum()
        self.assertAlmostEqual(covered / side**2, 1, delta=0.02)

    def test_what_is_nearer_hides_what_is_farther_in_either_order(self):
        for order in ((0.0, RED), (-1.0, BLUE)), ((-1.0, BLUE), (0.0, RED)):
            canvas = self.canvas()
            for x, colour in order:
                canvas.surface(across_x(x), TWO, of(colour))
            np.testing.assert_allclose(canvas.colour[100, 150], BLUE)

    def test_what_is_seen_through_is_mixed_and_what_lies_beyond_a_plane_is_left_out(self):
        canvas = self.canvas()
        canvas.surface(across_x(0.0), TWO, of(RED))
        canvas.surface(across_x(-1.0), TWO, of(BLUE), opacity=0.25)
        np.testing.assert_allclose(canvas.colour[100, 150], [0.75, 0, 0.25])
        canvas = self.canvas()
        canvas.surface(across_x(0.0), TWO, of(RED), clip=((0.0, 1.0, 0.0), 0.0))
        np.testing.assert_allclose(canvas.colour[100, 140], WHITE)
        np.testing.assert_allclose(canvas.colour[100, 160], RED)

    def test_values_are_those_of_the_place_in_space(self):
        # A square lying slanted: x carried as the value, read back where a ray meets its plane.
        points = np.array([[-1.0, -1, -1], [-1, 1, -1], [1, 1, 1], [1, -1, 1]])
        canvas, read = self.canvas(), {}

        def keep(values):
            read["values"] = values
            return np.zeros((len(values), 3))

        canvas.surface(points, TWO, keep, points[:, 0])
        row, _ = np.nonzero(canvas.colour[..., 0] < 0.5)
        rise = (100 - (row + 0.5)) * 2 * np.tan(np.radians(FIELD_OF_VIEW / 2)) / 200
        # The ray (-4 + t, ., rise t) meets z = x at t = 4 / (1 - rise).
        np.testing.assert_allclose(read["values"], -4 + 4 / (1 - rise), atol=1e-6)

    def test_lines_are_as_wide_as_asked_and_hidden_behind_surfaces(self):
        for width in (1.0, 3.0):
            canvas = self.canvas()
            a, b = np.array([[0.0, 0.0, -0.5]]), np.array([[0.0, 0.0, 0.5]])
            canvas.lines(a, b, np.array(RED), width)
            length = 200 / (2 * 4.0 * np.tan(np.radians(FIELD_OF_VIEW / 2)))
            covered = (1 - canvas.colour[..., 1]).sum()
            self.assertAlmostEqual(covered / (length * width), 1, delta=0.06)
        canvas = self.canvas()
        canvas.surface(across_x(-1.0), TWO, of(BLUE))
        canvas.lines(a, b, np.array(RED), 3.0)
        np.testing.assert_allclose(canvas.colour[100, 150], BLUE)

    def test_light_is_the_same_on_both_sides_of_a_sheet(self):
        colours = []
        for sign in (1.0, -1.0):
            canvas = self.canvas(direction=(-1, -1, 1))
            canvas.surface(across_x(0.0), TWO, of((0.5, 0.5, 0.5)), normals=np.tile([sign, 0, 0], (4, 1)))
            colours.append(canvas.colour[100, 150])
        np.testing.assert_allclose(*colours)


if __name__ == "__main__":
    unittest.main()
