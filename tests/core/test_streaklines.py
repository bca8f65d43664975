"""Streaklines against flows whose paths are known."""
import unittest

import numpy as np

from ventaris.core.look.drawable import Drawable, DrawnCircle
from ventaris.core.look.streaklines import Moments, streaklines

BOX, PERIOD, COUNT = (0.0, 4.0, -1.5, 1.5), 2.0, 40
SEEDS = np.array([[0.2, 0.0], [0.2, 0.7]])
TIMES = 10.0 + PERIOD * np.arange(COUNT) / COUNT


def raster(box=(-1.0, 6.0, -2.5, 2.5), columns=57, rows=41):
    """(points, triangles) of a rectangle."""
    x, y = np.meshgrid(np.linspace(*box[:2], columns), np.linspace(*box[2:], rows), indexing="ij")
    index = np.arange(columns * rows).reshape(columns, rows)
    a, b, c, d = (index[i:columns - 1 + i, j:rows - 1 + j].ravel()
                  for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)))
    triangles = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    return np.stack([x.ravel(), y.ravel()], axis=1), triangles


def picture(circles=()):
    points, triangles = raster()
    return Drawable(points, triangles, np.zeros((0, 2), dtype=int), [], {}, circles=circles)


class Streaks(unittest.TestCase):
    def test_a_side_wind_that_swings_bends_them_as_it_must(self):
        strength, omega = 0.4, 2 * np.pi / PERIOD
        drawn = picture()
        velocity = [np.tile([1.0, strength * np.cos(omega * t)], (len(drawn.points), 1)) for t in TIMES]
        found = streaklines(Moments(drawn, TIMES, velocity, PERIOD), SEEDS, BOX)
        self.assertEqual([len(lines) for lines in found], [2] * COUNT)
        for k in (0, 7, 29):
            for seed, line in zip(SEEDS, found[k]):
                # Let go at s a particle is carried by the wind from then on.
                away = line[:, 0] - seed[0]
                self.assertGreater(away.max(), 3.5)
                swept = strength / omega * (np.sin(omega * TIMES[k]) - np.sin(omega * (TIMES[k] - away)))
                np.testing.assert_allclose(line[:, 1] - seed[1], swept, atol=2e-3)

    def test_what_does_not_repeat_begins_at_its_first_moment(self):
        drawn = picture()
        velocity = [np.tile([1.0, 0.0], (len(drawn.points), 1)) for _ in TIMES]
        found = streaklines(Moments(drawn, TIMES, velocity), SEEDS, BOX)
        self.assertEqual(found[0], [])
        reach = [line[:, 0].max() - 0.2 for line in found[-1]]
        np.testing.assert_allclose(reach, TIMES[-1] - TIMES[0], atol=1e-9)

    def test_a_circle_that_turns_in_an_even_stream_leaves_them_straight(self):
        drawn = picture()
        centre, radius = np.array([1.5, 0.0]), 0.9
        inside = np.nonzero(np.hypot(*(drawn.points - centre).T) < radius + 0.2)[0]
        # What turns is a raster of its own; outside the circle it lies over the rest.
        own = drawn.points[inside]
        new = np.full(len(drawn.points), -1)
        new[inside] = len(drawn.points) + np.arange(len(inside))
        whole = (new[drawn.triangles] >= 0).all(axis=1)
        drawn.points = np.concatenate([drawn.points, own])
        drawn.triangles = np.concatenate([drawn.triangles, new[drawn.triangles[whole]]])
        turning = len(drawn.points) - len(inside) + np.arange(len(inside))
        drawn.circles = (DrawnCircle(centre, radius, 0.3, turning, []), )
        velocity = [np.tile([1.0, 0.0], (len(drawn.points), 1)) for _ in TIMES]
        found = streaklines(Moments(drawn, TIMES, velocity, PERIOD, angles=lambda t: [np.pi * t]), SEEDS, BOX)
        # None is lost where it enters the circle or leaves it.
        self.assertEqual(len(found[11]), len(SEEDS))
        for line in found[11]:
            np.testing.assert_allclose(line[:, 1], line[0, 1], atol=1e-9)
            self.assertGreater(np.ptp(line[:, 0]), 3.5)

    def test_axes_that_move_carry_the_picture_and_not_the_air(self):
        drawn, pivot = picture(), np.array([0.5, 0.0])

        def place(points, time):
            angle = 0.2 * np.sin(np.pi * time)
            c, s = np.cos(angle), np.sin(angle)
            away = points - pivot
            return pivot + np.stack(
                [c * away[:, 0] + s * away[:, 1], c * away[:, 1] - s * away[:, 0]], axis=1)

        # An even stream by its components along axes that move.
        turns = [place(np.eye(2), t) - place(np.zeros((1, 2)), t) for t in TIMES]
        velocity = [np.tile(turn @ [1.0, 0.0], (len(drawn.points), 1)) for turn in turns]
        found = streaklines(Moments(drawn, TIMES, velocity, PERIOD, place), SEEDS, BOX)
        for k in (3, 17):
            for line in found[k]:
                seen = place(line, TIMES[k])
                np.testing.assert_allclose(seen[:, 1], seen[0, 1], atol=2e-3)


if __name__ == "__main__":
    unittest.main()
