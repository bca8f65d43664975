import unittest

import numpy as np

from ventaris.core.flow.stencils.plane import gradient_stencils, point_neighbours
from ventaris.core.grids.mesh import MeshError, mesh_from_cells
from ventaris.core.grids.quality import measure_quality
from ventaris.core.grids.section import SectionGridPlan, generate_levels
from ventaris.core.grids.spacing import distribute, geometric_line, geometric_ratio
from ventaris.core.shapes.edits import deflect_rear
from ventaris.core.shapes.families import double_wedge, ellipse, four_digit
from ventaris.core.shapes.section import Section

PLAN = SectionGridPlan(around=128, layers=40, wake=32)
SECTIONS = {
    "sharp": four_digit(0.12), "cambered": four_digit(0.15, 0.05,
                                                      0.4), "blunt": four_digit(0.12, trailing_edge="open"),
    "thick base": four_digit(0.24, 0.0, 0.4, "open"), "circle": ellipse(1.0), "ellipse": ellipse(0.15),
    "wedge": double_wedge(0.08), "flap": deflect_rear(four_digit(0.12), 0.75, np.radians(20))
}


class Spacing(unittest.TestCase):
    def test_geometric_line_fills_its_length(self):
        line = geometric_line(0.002, 64, 50)
        self.assertAlmostEqual(line[-1], 50)
        self.assertAlmostEqual(line[1], 0.002, places=9)
        self.assertAlmostEqual(geometric_ratio(1.0, 10, 10), 1.0, places=6)

    def test_distribution_follows_the_size(self):
        line = distribute(lambda s: 0.01 + 0.1 * s, 1.0, 40)
        step = np.diff(line)
        self.assertLess(step[0] * 5, step[-1])
        self.assertAlmostEqual(line[-1], 1.0)


class SectionGrids(unittest.TestCase):
    def test_every_family_gets_sound_nested_levels(self):
        for name, loop in SECTIONS.items():
            with self.subTest(name):
                meshes = generate_levels(Section(loop), PLAN)
                sizes = [meshes[level].n_cells for level in ("coarse", "medium", "fine")]
                self.assertEqual(sizes[1], 4 * sizes[0])
                self.assertEqual(sizes[2], 4 * sizes[1])
                quality = measure_quality(meshes["fine"])
                self.assertGreater(quality.least_volume, 0)
                self.assertLess(quality.mean_skewness, 0.08)
                self.assertLess(quality.worst_non_orthogonality, 80)

    def test_levels_share_their_points(self):
        meshes = generate_levels(Section(SECTIONS["cambered"]), PLAN)
        fine = {tuple(p) for p in meshes["fine"].points.round(12)}
        self.assertTrue(all(tuple(p) in fine for p in meshes["coarse"].points.round(12)))

    def test_cells_are_closed_and_fill_the_domain(self):
        mesh = generate_levels(Section(SECTIONS["blunt"]), PLAN, ("coarse", ))["coarse"]
        start, faces, sign = mesh.cell_faces()
        vectors = (mesh.normal * mesh.area[:, None])[faces] * sign[:, None]
        total = np.add.reduceat(vectors, start[:-1], axis=0)
        np.testing.assert_allclose(total, 0, atol=1e-12)
        boundary = mesh.right < 0
        outer = 0.5 * ((mesh.face_centre * mesh.normal).sum(1) * mesh.area)[boundary].sum()
        self.assertAlmostEqual(mesh.volume.sum() / outer, 1, places=10)

    def test_walls_carry_the_names_of_the_surfaces(self):
        mesh = generate_levels(Section(SECTIONS["blunt"]), PLAN, ("coarse", ))["coarse"]
        self.assertEqual(set(mesh.walls), {"upper", "lower", "base"})
        self.assertGreater(mesh.face_centre[mesh.boundaries["upper"], 1].mean(), 0)

    def test_first_layer_has_the_height_asked_for(self):
        mesh = generate_levels(Section(ellipse(1.0)), SectionGridPlan(around=160, layers=48,
                                                                      first_height=1e-3), ("fine", ))["fine"]
        wall = mesh.wall_faces()
        height = 2 * ((mesh.face_centre[wall] - mesh.centre[mesh.left[wall]]) * mesh.normal[wall]).sum(1)
        np.testing.assert_allclose(height, 1e-3, rtol=0.03)

    def test_folded_cells_are_refused_with_their_place(self):
        points = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])
        edges = {"far field": np.array([[0, 1], [1, 2], [2, 3], [3, 0]])}
        with self.assertRaisesRegex(MeshError, "folded"):
            mesh_from_cells(points, np.array([[0, 3, 2, 1]]), edges, [])

    def test_unnamed_boundary_edges_are_refused(self):
        points = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])
        with self.assertRaisesRegex(MeshError, "names"):
            mesh_from_cells(points, np.array([[0, 1, 2, 3]]), {"far field": np.array([[0, 1], [1, 2]])}, [])


class Gradients(unittest.TestCase):
    def skewed(self, n=12, shear=1.5, aspect=8.0):
        x, y = np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0), indexing="ij")
        rng = np.random.default_rng(5)
        x[1:-1, 1:-1] += 0.2 * rng.uniform(-1, 1, (n - 1, n - 1))
        points = np.stack([(x + shear * y).ravel(), y.ravel() / aspect], axis=1)
        k = np.arange((n + 1)**2).reshape(n + 1, n + 1)
        cells = np.stack([k[:-1, :-1], k[1:, :-1], k[1:, 1:], k[:-1, 1:]], axis=-1).reshape(-1, 4)
        edges = np.concatenate([np.stack([a[:-1], a[1:]], axis=1) for a in (k[0], k[-1], k[:, 0], k[:, -1])])
        return mesh_from_cells(points, cells, {"far field": edges}, [])

    def test_linear_fields_are_exact_on_any_mesh(self):
        for mesh in (self.skewed(), generate_levels(Section(SECTIONS["sharp"]), PLAN,
                                                    ("medium", ))["medium"]):
            (start, neighbour, weight), _ = gradient_stencils(mesh)
            values = 3 * mesh.centre[:, 0] - 2 * mesh.centre[:, 1]
            owner = np.repeat(np.arange(mesh.n_cells), np.diff(start))
            jump = (values[neighbour] - values[owner])[:, None] * weight
            gradient = np.stack([np.bincount(owner, jump[:, d]) for d in (0, 1)], axis=1)
            np.testing.assert_allclose(gradient, np.tile([3, -2], (mesh.n_cells, 1)), atol=1e-7)

    def test_advection_with_these_stencils_is_stable_on_skewed_cells(self):
        # With face neighbours alone the eigenvalues reach +1.6 and more; with point neighbours all must
        # decay.
        mesh = self.skewed()
        (start, neighbour, weight), _ = gradient_stencils(mesh)
        n = mesh.n_cells
        gradient = np.zeros((n, 2, n))
        for i in range(n):
            for k in range(start[i], start[i + 1]):
                gradient[i, :, neighbour[k]] += weight[k]
                gradient[i, :, i] -= weight[k]
        operator = np.zeros((n, n))
        speed = np.array([1.0, 0.3])
        for f in range(mesh.n_faces):
            flow = mesh.area[f] * mesh.normal[f] @ speed
            i, j = mesh.left[f], mesh.right[f]
            up = i if flow > 0 else j
            if up < 0:
                continue
            row = np.zeros(n)
            row[up] = 1
            row += (mesh.face_centre[f] - mesh.centre[up]) @ gradient[up]
            operator[i] -= flow * row / mesh.volume[i]
            if j >= 0:
                operator[j] += flow * row / mesh.volume[j]
        self.assertLess(np.linalg.eigvals(operator).real.max(), 0)

    def test_point_neighbours_of_an_inner_quadrilateral_are_eight(self):
        start, _ = point_neighbours(self.skewed())
        self.assertEqual(np.diff(start).max(), 8)
