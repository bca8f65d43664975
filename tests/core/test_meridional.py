"""The mean over a passage: of fields whose mean is known, and its place beside the planes."""
import unittest

import numpy as np

from tests.core.test_blade_rows import QUICK
from ventaris.core.look.meridional import meridional_mean
from ventaris.core.look.row_planes import row_drawable, row_planes
from ventaris.core.sheet import read_sheet
from ventaris.core.study.setup import prepare

WHEEL = {
    "format": 1, "space": "row", "shape": {
        "setting": "open", "blades": 3, "hub_radius": 0.3, "tip_radius": 1.5, "form": "four-digit",
        "sections": [{"radius": r, "chord": 0.15, "stagger": 80} for r in (0.3, 1.5)]
    }, "air": {"speed": 400, "wind": 9}, "grid": {"level": "coarse"}
}


class Meridional(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.setup = prepare(read_sheet(QUICK))
        cls.mesh = cls.setup.generate("coarse")

    def mean(self, values, setup=None, mesh=None):
        return meridional_mean(setup or self.setup, mesh or self.mesh, values)

    def even(self, mesh):
        out = np.ones((mesh.n_own, 5))
        out[:, 0] = 0.0
        return out

    def test_an_even_flow_stays_even(self):
        points, quads, means, ends = self.mean(self.even(self.mesh))
        np.testing.assert_allclose(means, np.tile([0, 1, 1, 1, 1], (len(quads), 1)), atol=1e-12)
        span = points[:, 1].reshape(len(self.mesh.span), -1)
        np.testing.assert_allclose(span[[0, -1], 0], [self.setup.row.hub[0], self.setup.row.casing[0]],
                                   rtol=1e-9)
        # The blade ends at its tip, below the gap.
        self.assertLess(points[ends[0][-1], 1], self.setup.row.casing[0] - 1e-4)

    def test_what_follows_the_axis_is_found_there(self):
        values = self.even(self.mesh)
        values[:, 0] = 0.1 * self.mesh.centre[:self.mesh.n_own, 0]
        points, quads, means, _ = self.mean(values)
        middle = points[quads].mean(axis=1)
        off = means[:, 0] - 0.1 * middle[:, 0]
        # Cells are not divided: they count as a whole for the stations that they reach.
        self.assertLess(np.sqrt(np.mean(off**2)), 0.004)

    def test_temperature_counts_by_the_mass_that_moves(self):
        """Half of each ring at rest and cold: the mean is that of the half that moves."""
        values = self.even(self.mesh)
        y, z = self.mesh.centre[:self.mesh.n_own, 1:].T
        still = np.arctan2(z, y) > np.median(np.arctan2(z, y))
        values[still, 1], values[still, 2] = 0.9, 0.0
        _, _, means, _ = self.mean(values)
        self.assertGreater(np.median(means[:, 1]), 0.999)

    def test_it_stands_beside_the_planes_and_is_drawn_once(self):
        state = np.zeros((self.mesh.n_own, 6))
        state[:, 1], state[:, 2], state[:, 5] = 1.0, 0.4, 1e-3
        flat, values = row_planes(self.setup, self.mesh, state)
        span, base, pitch = flat.layout["planes"][-1]
        self.assertEqual((span, pitch, len(values)), (-1.0, 0.0, flat.n_cells))
        picture = row_drawable(self.setup, flat, values)
        right = picture.points[:, 0] > base - 1e-9
        height = np.ptp(picture.points[right, 1])
        self.assertAlmostEqual(height, 0.08, delta=1e-6)
        alone = right[picture.triangles].all(axis=1)
        corners = np.sort(picture.triangles[alone], axis=1)
        self.assertEqual(len(np.unique(corners, axis=0)), len(corners))
        self.assertEqual(len(picture.wall), 3 * 3 + 2)

    def test_of_a_wheel_in_the_open_it_shows_the_wheel(self):
        setup = prepare(read_sheet(WHEEL))
        mesh = setup.generate("coarse")
        points, quads, means, _ = self.mean(self.even(mesh), setup, mesh)
        self.assertTrue(np.isfinite(means).all())
        self.assertLess(points[:, 1].max() * setup.scale, 1.4 * 1.5 + 1e-9)
        self.assertGreater(points[:, 1].max() * setup.scale, 1.6)


if __name__ == "__main__":
    unittest.main()
