"""Octrees and the cells cut from them."""
import unittest

import numpy as np

from ventaris.core.grids.bodies import (
    LADDER, BodyGridPlan, BodyGrids, SolidZone, coarsening, curvature_sizes
)
from ventaris.core.grids.cut_cells import Obstacle
from ventaris.core.grids.embedded import embed, mesh_quality
from ventaris.core.grids.mesh import MeshError
from ventaris.core.grids.octree import OctreeError, build_octree, leaf_faces
from ventaris.core.shapes import bodies
from ventaris.core.shapes.surface import joined
from scipy.spatial.transform import Rotation


def grids(surface, size=0.08, **plan):
    values = {
        "low": (-1.5, -1.5, -1.5), "high": (2.5, 1.5, 1.5), "size": size, "edge_halvings": 1, "curved": 0.0,
        "buffer": 2.0, **plan
    }
    return BodyGrids(surface, BodyGridPlan(**values))


def cube(roll=0.0):
    return bodies.box(1.0, 1.0, 1.0).moved(np.eye(3), (0, 0, 0)).moved(
        Rotation.from_euler("xyz", [roll, 0.6 * roll, 0.3 * roll], degrees=True).as_matrix())


class Tree(unittest.TestCase):
    def test_neighbours_differ_by_one_halving_at_most(self):
        tree = grids(cube(20)).tree("medium")
        faces = leaf_faces(tree)
        inner = faces.right >= 0
        ratio = tree.width[faces.left[inner]] / tree.width[faces.right[inner]]
        self.assertTrue((ratio <= 2).all() and (ratio >= 0.5).all())
        self.assertAlmostEqual(float((tree.size**3).sum()), float(np.prod(tree.counts) * tree.step**3),
                               places=6)

    def test_levels_differ_by_the_ladder_in_the_same_box(self):
        made = grids(cube(), edge_halvings=0)
        fine, medium, coarse = (made.tree(level) for level in ("fine", "medium", "coarse"))
        self.assertAlmostEqual(medium.size.min() / fine.size.min(), LADDER, places=9)
        self.assertAlmostEqual(coarse.size.min() / fine.size.min(), LADDER**2, places=9)
        self.assertEqual(coarsening("coarse"), LADDER**2)
        for other in (medium, coarse):
            span = other.counts * other.step / (fine.counts * fine.step)
            self.assertTrue((span > 0.999).all() and (span < 1.35).all(), span)

    def test_long_triangles_do_not_hide_a_curvature(self):
        # A rounded edge of radius 0.25 along a body of length 8: triangles metres long, centimetres wide.
        standing = bodies.frustum(8.0, 0.5, 0.5)
        across = curvature_sizes(standing.moved(Rotation.from_euler("y", 90, degrees=True).as_matrix()), 10)
        sides = np.isfinite(across) & (across < 0.2)
        self.assertGreater(sides.sum(), 20)
        np.testing.assert_allclose(across[sides], 0.025, rtol=0.01)
        # Along the stream the same curvature asks for half as much.
        along = curvature_sizes(standing, 10)
        self.assertAlmostEqual(np.median(along[sides]) / np.median(across[sides]), 2.0, delta=0.05)

    def test_the_gap_to_the_ground_has_cells_across(self):
        low = (-1.5, -1.5, -0.1)
        made = grids(cube(), low=low, fixed=(False, False, True), edge_halvings=0, across_gap=5.0)
        under = np.array([[0.2, 0.1, -0.03], [0.7, 0.2, -0.01], [0.5, -0.3, -0.05]])
        for level in ("fine", "coarse"):
            size = made.tree(level).size[made.tree(level).containing(under)]
            # Less than a quarter beyond the share asked for, and the grid has only halves to choose from.
            self.assertLess(size.max(), 0.1 / 5 * coarsening(level) / 0.75)
        above = made.tree("fine").containing(np.array([[0.5, 0.1, 1.02]]))
        self.assertAlmostEqual(made.tree("fine").size[above][0], 0.08, places=9)
        # A body that stands on the ground leaves no gap to fill.
        standing = grids(cube(), low=(-1.5, -1.5, 0.0), fixed=(False, False, True), edge_halvings=0,
                         across_gap=5.0)
        self.assertAlmostEqual(standing.tree("fine").size.min(), 0.08, places=9)

    def test_every_point_finds_its_leaf(self):
        tree = grids(cube()).tree("coarse")
        points = np.random.default_rng(1).uniform(-1.4, 1.4, (200, 3))
        leaf = tree.containing(points)
        low = tree.low + tree.corner[leaf] * tree.step
        self.assertTrue(((points >= low) & (points <= low + tree.size[leaf, None])).all())
        self.assertEqual(tree.containing(np.array([[99.0, 0, 0]]))[0], -1)

    def test_cells_are_small_where_a_shock_was_found(self):
        made = grids(cube(), size=0.16, shock_size=0.05)
        front = np.array([[-0.8, y, z] for y in np.linspace(-0.4, 0.4, 9) for z in np.linspace(-0.4, 0.4, 9)])
        plain, adapted = made.mesh("fine"), made.mesh_at_shocks("fine", front)
        at = lambda mesh: np.cbrt(mesh.volume[mesh.containing(front)])
        self.assertLess(at(adapted).max(), 0.051)
        self.assertGreater(at(plain).min(), 0.1)
        self.assertLess(mesh_quality(adapted)["closure"], 1e-10)
        far = adapted.containing(np.array([[2.2, 1.2, 1.2]]))
        self.assertGreater(np.cbrt(adapted.volume[far])[0], 0.2)
        # Coarser levels get coarser cells there, and nothing is asked where none was found.
        self.assertGreater(np.cbrt(made.mesh_at_shocks("medium", front).volume.min()), 0.04)
        self.assertEqual(made.mesh_at_shocks("fine", front[:0]).n_cells, plain.n_cells)

    def test_a_zone_may_be_finer_than_the_body(self):
        zone = SolidZone("box", (-1.2, 0.0, 0.0), 0.4, (0.4, 0.4), (0.4, 0.4), 0.05)
        tree = grids(cube(), size=0.16, edge_halvings=0, zones=(zone, )).tree("fine")
        inside = tree.containing(np.array([[-1.0, 0.01, 0.01], [-1.1, 0.1, -0.1]]))
        self.assertLess(tree.size[inside].max(), 0.051)

    def test_too_many_cells_are_refused_with_a_mend(self):
        with self.assertRaisesRegex(OctreeError, "larger"):
            build_octree((0, 0, 0), 1.0, (4, 4, 4), 8,
                         lambda level, centres, edge: np.ones(len(centres), dtype=bool), most_leaves=10_000)


class Cutting(unittest.TestCase):
    def test_cells_close_and_fill_the_air_round_a_turned_cube(self):
        for roll in (0, 20, 33):
            with self.subTest(roll):
                mesh = grids(cube(roll)).mesh("medium")
                quality = mesh_quality(mesh)
                self.assertLess(quality["closure"], 1e-10)
                box = float(np.prod(mesh.tree.counts) * mesh.tree.step**3)
                self.assertAlmostEqual(box - mesh.volume.sum(), 1.0, delta=3e-3)
                area = sum(mesh.area[mesh.boundaries[name]].sum() for name in mesh.walls)
                # A cell on an edge keeps one wall vector for both of its faces: the area is a little short,
                # the projections are not.
                self.assertTrue(5.6 < area < 6.001, area)
                wall = mesh.wall_faces()
                self.assertLess(np.abs((mesh.normal[wall] * mesh.area[wall, None]).sum(axis=0)).max(), 1e-9)

    def test_a_sheet_becomes_a_thin_plate(self):
        plate = bodies.box(1.0, 1.0, 1.0)
        sheet = plate.only(np.abs(plate.normals[:, 0]) > 0.9).only(np.arange(4) < 2)
        mesh = grids(sheet, edge_halvings=0).mesh("medium")
        self.assertGreater(len(mesh.wall_faces()), 20)
        self.assertLess(mesh_quality(mesh)["closure"], 1e-10)

    def test_voids_are_left_out_and_said(self):
        inner = bodies.box(0.7, 0.7, 0.7).moved(shift=(0.15, 0, 0.15))
        from dataclasses import replace
        hollow = joined([cube(), inner])
        # One part whose inner walls face inwards: a shell with a void.
        shell = replace(
            hollow,
            triangles=np.concatenate([cube().triangles, inner.triangles[:, ::-1] + len(cube().vertices)]),
            part=np.zeros(len(hollow.triangles), dtype=np.int64), parts=("shell", ))
        mesh = grids(shell, size=0.04).mesh("medium")
        self.assertTrue(any("void" in note for note in mesh.notes), mesh.notes)
        box = float(np.prod(mesh.tree.counts) * mesh.tree.step**3)
        self.assertAlmostEqual(box - mesh.volume.sum(), 1.0, delta=3e-3)

    def test_dirty_surfaces_do_not_stop_the_grid(self):
        clean, rng = bodies.ellipsoid(1.0, 0.8, 0.6), np.random.default_rng(3)
        from dataclasses import replace
        triangles = clean.triangles.copy()
        some = rng.choice(len(triangles), 12, replace=False)
        triangles[some] = triangles[some][:, ::-1]
        cases = {
            "flipped": replace(clean, triangles=triangles),
            "missing": clean.only(~np.isin(np.arange(len(triangles)), some)),
            "shaken": replace(clean, vertices=clean.vertices + rng.normal(0, 1e-4, clean.vertices.shape)),
            "overlapping": joined([clean, clean.moved(shift=(0.3, 0.1, 0))])
        }
        for name, surface in cases.items():
            with self.subTest(name):
                mesh = grids(surface, edge_halvings=0).mesh("medium")
                quality = mesh_quality(mesh)
                self.assertLess(quality["closure"], 1e-10)
                self.assertGreaterEqual(quality["least_share"], 0.3)

    def test_a_body_larger_than_its_domain_is_refused(self):
        with self.assertRaises(MeshError):
            tree = build_octree((-0.2, -0.2, -0.2), 0.1, (4, 4, 4), 1,
                                lambda level, centres, edge: np.zeros(len(centres), dtype=bool))
            embed(tree, Obstacle(cube().moved(4 * np.eye(3), (-2, 0, -2)), np.array([False]), np.zeros(1)))


if __name__ == "__main__":
    unittest.main()
