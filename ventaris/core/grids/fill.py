"""Fill the room between fronts with triangles.

Points are seeded from a quadtree that follows the size field and relaxed as a net of springs
over a Delaunay triangulation.

References
----------
Persson, Strang: A simple mesh generator in MATLAB, SIAM Review 46(2), 2004.
"""
import numpy as np
from scipy.spatial import Delaunay, cKDTree

from ..shapes.outline import crossed_oddly
from .mesh import MeshError

RELAXATIONS = 24
# Beyond so many points at once nobody waits for the count, let alone the grid.
MOST_SEEDS = 600_000
STRETCH = 1.15
# Triangles flatter than this, by their area over the square of their longest side, are none.
FLAT = 1e-8


def seed_points(size, low, high):
    """Centres of the leaves of a quadtree whose leaves are about as large as the size field asks; raises
    `MeshError` where they would be far too many."""
    width = float(np.max(high - low))
    centres, out = np.array([0.5 * (low + high)]), []
    for _ in range(40):
        if not len(centres):
            break
        if len(centres) > MOST_SEEDS:
            raise MeshError(
                f"grid.zones: at cells of {width:.2g} chords there are {len(centres)} and more of them, too "
                "many for a run. Give zones with larger cells or of smaller extent, or a larger growth of "
                "the cells."
            )
        split = width > 1.25 * size(centres)
        keep = centres[~split]
        # A little shear keeps rows of leaves from lining up.
        out.append(keep + 0.13 * width *
                   np.stack([np.sin(7.1 * keep[:, 1] / width),
                             np.sin(5.3 * keep[:, 0] / width)], 1))
        quarter = 0.25 * width
        offsets = quarter * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        centres = (centres[split][:, None] + offsets[None]).reshape(-1, 2)
        width *= 0.5
    return np.concatenate(out)


class Region:
    """The room between loops of fixed points.

    Parameters
    ----------
    outer : ndarray, shape (n, 2)
        Closed loop, the region inside.
    inner : list of ndarray
        Closed loops, the region outside.
    """
    def __init__(self, outer, inner):
        self.loops = [outer, *inner]
        self.points = np.concatenate(self.loops)
        start = np.cumsum([0] + [len(loop) for loop in self.loops])
        self.edges = np.concatenate([
            np.stack([np.arange(a, b), np.roll(np.arange(a, b), -1)], 1)
            for a, b in zip(start[:-1], start[1:])
        ])
        lengths = np.linalg.norm(self.points[self.edges[:, 1]] - self.points[self.edges[:, 0]], axis=1)
        self.sizes = np.zeros(len(self.points))
        count = np.zeros(len(self.points))
        for side in (0, 1):
            np.add.at(self.sizes, self.edges[:, side], lengths)
            np.add.at(count, self.edges[:, side], 1)
        self.sizes /= count
        self.tree = cKDTree(self.points)

    def holds(self, points):
        """Which points lie in the region, shape (n,); exact, by crossings of a horizontal ray."""
        return crossed_oddly(self.points[self.edges[:, 0]], self.points[self.edges[:, 1]], points)


def fill(region, size):
    """Triangulate a region.

    Parameters
    ----------
    region : Region
    size : callable
        Wanted edge length at points.

    Returns
    -------
    points : ndarray, shape (n, 2)
        The region's own first.
    triangles : ndarray of int, shape (m, 3), counter-clockwise

    Raises
    ------
    MeshError
        If an edge of the fronts cannot be kept.
    """
    fixed = len(region.points)
    seeds = seed_points(size, region.points.min(0), region.points.max(0))
    seeds = seeds[region.holds(seeds)]
    seeds = clear_of_fronts(region, seeds, 0.75)
    points = np.concatenate([region.points, seeds])
    triangles = None
    for step in range(RELAXATIONS):
        if step in (0, 2, 5, 9, 14, 19):
            triangles = _inside_triangles(region, points)
            bars = _bars(triangles)
            # The points move by little until the next triangulation: sizes are asked for once.
            wanted = size(0.5 * (points[bars[:, 0]] + points[bars[:, 1]]))
        points[fixed:] += 0.9 * _push(points, bars, wanted)[fixed:]
        if step in (4, 13, 18):
            moved = points[fixed:]
            moved = moved[region.holds(moved)]
            points = np.concatenate([region.points, clear_of_fronts(region, moved, 0.6)])
            triangles = _inside_triangles(region, points)
            bars = _bars(triangles)
            wanted = size(0.5 * (points[bars[:, 0]] + points[bars[:, 1]]))
    for _ in range(8):
        moved = points[fixed:]
        moved = clear_of_fronts(region, moved[region.holds(moved)], 0.5)
        points = np.concatenate([region.points, moved])
        triangles = _inside_triangles(region, points)
        missing = _missing_edges(region, triangles, len(points))
        if not len(missing):
            return points, triangles
        points = _drop_near(points, fixed, region.edges[missing])
    where = region.points[region.edges[missing[0]]].mean(0)
    raise MeshError(
        f"The triangles cannot keep the front of the wall layers near x = {where[0]:.4g}, y = "
        f"{where[1]:.4g}: two walls are closer "
        "there than their layers and cells allow. Make the gap wider, or give smaller cells on the walls "
        "(grid.gap_share)."
    )


def clear_of_fronts(region, points, share):
    """The points that keep a share of the front's edge length away from it."""
    distance, near = region.tree.query(points)
    return points[distance > share * region.sizes[near]]


def _inside_triangles(region, points):
    triangles = Delaunay(points).simplices
    corner = points[triangles]
    centre = corner.mean(axis=1)
    area = 0.5 * ((corner[:, 1, 0] - corner[:, 0, 0]) * (corner[:, 2, 1] - corner[:, 0, 1]) -
                  (corner[:, 2, 0] - corner[:, 0, 0]) * (corner[:, 1, 1] - corner[:, 0, 1]))
    triangles = np.where((area > 0)[:, None], triangles, triangles[:, [0, 2, 1]])
    longest = np.linalg.norm(corner - np.roll(corner, 1, axis=1), axis=2).max(axis=1)
    # Points along a slanted straight line are not quite in line: what lies between them is no cell.
    return triangles[region.holds(centre) & (np.abs(area) > FLAT * longest**2)]


def _bars(triangles):
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    count = int(triangles.max()) + 1
    key = np.unique(ends.min(axis=1) * count + ends.max(axis=1))
    return np.stack([key // count, key % count], axis=1)


def _push(points, bars, wanted):
    """Movement of each point by its compressed bars, at most a fraction of the local size."""
    line = points[bars[:, 0]] - points[bars[:, 1]]
    length = np.maximum(np.linalg.norm(line, axis=1), 1e-300)
    force = np.maximum(STRETCH * wanted - length, 0)[:, None] * line / length[:, None]
    move = np.zeros_like(points)
    for d in range(2):
        move[:, d] = np.bincount(bars[:, 0], force[:, d], len(points)) - np.bincount(
            bars[:, 1], force[:, d], len(points))
    move *= 0.2
    local = np.full(len(points), np.inf)
    np.minimum.at(local, bars[:, 0], length)
    np.minimum.at(local, bars[:, 1], length)
    reach = np.linalg.norm(move, axis=1)
    return move * np.minimum(1, 0.35 * local / np.maximum(reach, 1e-300))[:, None]


def _missing_edges(region, triangles, count):
    bars = _bars(triangles)
    have = bars[:, 0] * count + bars[:, 1]
    edges = np.sort(region.edges, axis=1)
    return np.nonzero(~np.isin(edges[:, 0] * count + edges[:, 1], have))[0]


def _drop_near(points, fixed, edges):
    """Without the free points that stand within the circle over an edge that went missing."""
    middle = points[edges].mean(axis=1)
    radius = 0.5 * np.linalg.norm(points[edges[:, 1]] - points[edges[:, 0]], axis=1)
    distance, near = cKDTree(middle).query(points[fixed:])
    return np.concatenate([points[:fixed], points[fixed:][distance > 1.25 * radius[near]]])
