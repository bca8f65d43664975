"""Where layers and cubes meet: the hull's faces clipped by the cubes, and mended until every cell closes."""
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from numba import njit
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu
from scipy.spatial import cKDTree

from .mesh import row_sums
from .octree import spread

# Pieces smaller than this share of a cube's face are left to their neighbours.
LEAST_PIECE = 2e-3
# Strength of a link that joins pieces of hull which no clipped piece joins.
WEAK = 0.05
LINKS, NEAREST_LINKS = 8, 12
ROUNDS, REFINEMENTS = 8, 3
# Bare wall that only grazes a cell, over its cube's face.
GRAZED = 1e-4


@dataclass
class Pieces:
    """Faces between cubes and hull.

    Attributes
    ----------
    cell, quad : ndarray of int, shape (p,)
        Cut cube (among those with a wall) and face of the hull (among those with a layer behind).
    vector, centre : ndarray, shape (p, 3)
        Area vector from the layer into the cube's air.
    area : ndarray, shape (p,)
    """

    cell: np.ndarray
    quad: np.ndarray
    vector: np.ndarray
    centre: np.ndarray
    area: np.ndarray

    def chosen(self, which):
        return Pieces(self.cell[which], self.quad[which], self.vector[which], self.centre[which],
                      self.area[which])

    def with_more(self, cell, quad, vector, centre, area):
        return Pieces(*(np.concatenate(pair) for pair in (
            (self.cell, cell), (self.quad, quad), (self.vector, vector), (self.centre, centre),
            (self.area, area))))


def clip_hull(tree, leaf_cell, triangles):
    """Every triangle of the hull clipped by the leaves it passes: (leaf, triangle, vector, centre) of each
    piece."""
    if not len(triangles):
        return np.empty(0, int), np.empty(0, int), np.empty((0, 3)), np.empty((0, 3))
    near = tree.meeting(triangles.min(axis=(0, 1)), triangles.max(axis=(0, 1))) & (leaf_cell >= 0)
    block = int(tree.width[near].max()) if near.any() else 1
    room = 20 * len(triangles) + 1000
    while True:
        leaf, triangle = np.empty(room, np.int64), np.empty(room, np.int64)
        vector, centre = np.empty((room, 3)), np.empty((room, 3))
        count = clip_all(triangles, tree.low, tree.step, tree.corner, tree.width, tree.code, block, leaf,
                         triangle, vector, centre)
        if count <= room:
            return leaf[:count], triangle[:count], vector[:count], centre[:count]
        room = count


@njit(cache=True)
def clip_all(triangles, origin, step, corner, width, code, block, out_leaf, out_triangle, out_vector,
             out_centre):
    """See `clip_hull`; leaves of one block of lattice steps follow each other in the Z-order. Returns how
    many pieces there are, even where there is no room for them."""
    count, n = 0, len(width)
    polygon, other = np.empty((12, 3)), np.empty((12, 3))
    low, high = np.empty(3), np.empty(3)
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    for t in range(len(triangles)):
        for a in range(3):
            low[a] = min(triangles[t, 0, a], triangles[t, 1, a], triangles[t, 2, a])
            high[a] = max(triangles[t, 0, a], triangles[t, 1, a], triangles[t, 2, a])
            first[a] = max(int(np.floor((low[a] - origin[a]) / step / block)), 0)
            last[a] = int(np.floor((high[a] - origin[a]) / step / block))
        for x in range(first[0], last[0] + 1):
            for y in range(first[1], last[1] + 1):
                for z in range(first[2], last[2] + 1):
                    begin = spread(x * block) | (spread(y * block) << 1) | (spread(z * block) << 2)
                    i = max(np.searchsorted(code, begin + 1) - 1, 0)
                    end = begin + block**3
                    while i < n and code[i] < end:
                        m = clip_one(triangles[t], origin, step, corner[i], width[i], low, high, polygon,
                                     other)
                        if m >= 3:
                            if count < len(out_leaf):
                                out_leaf[count], out_triangle[count] = i, t
                                measure(polygon, m, out_vector[count], out_centre[count])
                            count += 1
                        i += 1
    return count


@njit(cache=True)
def clip_one(triangle, origin, step, corner, width, low, high, polygon, other):
    """Corners of the part of a triangle that lies in a cube, left in `polygon`: how many, 0 for none."""
    for a in range(3):
        start = origin[a] + corner[a] * step
        if start > high[a] or start + width * step < low[a]:
            return 0
    n = 3
    for v in range(3):
        for a in range(3):
            polygon[v, a] = triangle[v, a]
    for a in range(3):
        for side in range(2):
            level = origin[a] + (corner[a] + (width if side else 0)) * step
            sign = -1.0 if side else 1.0
            m = 0
            for v in range(n):
                w = v + 1 if v + 1 < n else 0
                here, there = sign * (polygon[v, a] - level), sign * (polygon[w, a] - level)
                if here >= 0.0:
                    for b in range(3):
                        other[m, b] = polygon[v, b]
                    m += 1
                if (here >= 0.0) != (there >= 0.0):
                    share = here / (here - there)
                    for b in range(3):
                        other[m, b] = polygon[v, b] + share * (polygon[w, b] - polygon[v, b])
                    m += 1
            n = m
            if n < 3:
                return 0
            for v in range(n):
                for b in range(3):
                    polygon[v, b] = other[v, b]
    return n


@njit(cache=True)
def measure(polygon, n, vector, centre):
    """Area vector and centroid of a plane polygon."""
    vector[:] = 0.0
    centre[:] = 0.0
    total = 0.0
    for v in range(1, n - 1):
        ax, ay, az = (polygon[v, 0] - polygon[0, 0], polygon[v, 1] - polygon[0, 1],
                      polygon[v, 2] - polygon[0, 2])
        bx, by, bz = (polygon[v + 1, 0] - polygon[0, 0], polygon[v + 1, 1] - polygon[0, 1],
                      polygon[v + 1, 2] - polygon[0, 2])
        x, y, z = 0.5 * (ay * bz - az * by), 0.5 * (az * bx - ax * bz), 0.5 * (ax * by - ay * bx)
        area = np.sqrt(x * x + y * y + z * z)
        vector[0] += x
        vector[1] += y
        vector[2] += z
        total += area
        for b in range(3):
            centre[b] += area * (polygon[0, b] + polygon[v, b] + polygon[v + 1, b]) / 3.0
    for b in range(3):
        centre[b] = centre[b] / total if total > 0.0 else polygon[0, b]


def gathered(cell, quad, vector, centre, size):
    """Pieces of the same cube and hull face as one; tiny ones are dropped but for the largest of each."""
    area = np.linalg.norm(vector, axis=1)
    key = cell * (int(quad.max()) + 1) + quad
    unique, index = np.unique(key, return_inverse=True)
    total = np.maximum(np.bincount(index, area), 1e-300)
    found = Pieces(unique // (int(quad.max()) + 1), unique % (int(quad.max()) + 1),
                   row_sums(index, vector, len(unique)),
                   row_sums(index, area[:, None] * centre, len(unique)) / total[:, None], total)
    tiny = found.area < LEAST_PIECE * size[found.cell]**2
    for who in (found.cell, found.quad):
        order = np.lexsort((-found.area, who))
        tiny[order[np.concatenate([[True], np.diff(who[order]) != 0])]] = False
    return found.chosen(~tiny)


def link_islands(pieces, wanted, tops, cell_centre, quad_centre, earth, at_plane):
    """Weak links where the graph of pieces falls apart although the sums of a part do not agree: edges of
    cubes that run along those of the hull."""
    n_cells, n_quads = len(wanted), len(tops)
    size = np.maximum(np.bincount(pieces.cell, pieces.area, minlength=n_cells), earth)
    nearest = cKDTree(quad_centre).query(cell_centre, k=min(NEAREST_LINKS, n_quads))[1].reshape(n_cells, -1)
    for _ in range(ROUNDS):
        label, earthed = islands(pieces, n_cells, n_quads, earth)
        gap, touching = row_sums(label, np.concatenate([wanted, -tops]), len(earthed)), np.zeros_like(earthed)
        touching[label[n_cells:][at_plane]] = True
        gap[touching, 1] = 0.0
        links = []
        for island in np.nonzero((np.abs(gap).max(axis=1) > 1e-12) & ~earthed)[0]:
            mine = np.nonzero(label[:n_cells] == island)[0]
            row, column = np.nonzero(label[n_cells + nearest[mine]] != island)
            if len(row):
                row, first = np.unique(row, return_index=True)
                pair = np.stack([mine[row], nearest[mine[row], column[first]]], axis=1)
                away = np.linalg.norm(cell_centre[pair[:, 0]] - quad_centre[pair[:, 1]], axis=1)
                links.append(pair[np.argsort(away)[:max(LINKS, len(away) // 10)]])
        if not links:
            break
        cell, quad = np.unique(np.concatenate(links), axis=0).T
        pieces = pieces.with_more(cell, quad, np.zeros((len(cell), 3)),
                                  0.5 * (cell_centre[cell] + quad_centre[quad]), WEAK * size[cell])
    return pieces


def islands(pieces, n_cells, n_quads, earth):
    """Connected parts of the graph of cubes and hull faces: the part of each node, and which parts hang on a
    bare wall."""
    n = n_cells + n_quads
    graph = sp.coo_matrix((np.ones(len(pieces.cell)), (pieces.cell, n_cells + pieces.quad)), shape=(n, n))
    count, label = connected_components(graph, directed=False)
    earthed = np.zeros(count, dtype=bool)
    earthed[label[:n_cells][earth > 0]] = True
    return label, earthed


def closed(pieces, wanted, tops, earth):
    """Pieces changed as little as closes every cell: Σ over a cube's pieces = wanted, over a face's = top.

    The least sum of |change|²/area is a Laplace equation on the graph of pieces.  A cube's bare wall
    (`earth`, its area) takes what is left there.
    """
    n_cells, n_quads = len(wanted), len(tops)
    left = wanted - row_sums(pieces.cell, pieces.vector, n_cells)
    right = tops - row_sums(pieces.quad, pieces.vector, n_quads)
    left[earth > 0] = 0.0
    n, i, j = n_cells + n_quads, pieces.cell, n_cells + pieces.quad
    links = sp.coo_matrix((-np.tile(pieces.area, 2), (np.concatenate([i, j]), np.concatenate([j, i]))),
                          shape=(n, n)).tocsr()
    diagonal = -np.asarray(links.sum(axis=1)).ravel()
    diagonal[:n_cells] += earth
    matrix = links + sp.diags(diagonal)
    label, earthed = islands(pieces, n_cells, n_quads, earth)
    pin = np.unique(label, return_index=True)[1][~earthed]
    held = np.zeros(n)
    held[pin] = np.maximum(diagonal[pin], 1e-300)
    solve = splu((matrix + sp.diags(held)).tocsc()).solve
    given = np.concatenate([left, -right])
    found = solve(given)
    for _ in range(REFINEMENTS):
        found += solve(given - matrix @ found)
    change = pieces.area[:, None] * (found[i] - found[j])
    return Pieces(pieces.cell, pieces.quad, pieces.vector + change, pieces.centre, pieces.area)
