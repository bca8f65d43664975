"""A surface grid of quadrilaterals on any surface, from a lattice of cubes that the surface cuts.

Every cube that is cut gets a point where the tangent planes at its cut edges meet best, so that edges and
corners of the surface are kept; every cut edge becomes a face between the points of the four cubes round it.
A cube that two pieces of the surface pass gets a point for each.  Points on smooth surface are then spread
evenly and put back on it.

References
----------
Ju, Losasso, Schaefer, Warren: Dual contouring of Hermite data, ACM Trans. Graphics 21 (2002); Schaefer, Ju,
Warren: Manifold dual contouring, IEEE Trans. Vis. Comput. Graphics 13 (2007).
"""
import functools

import numpy as np

from .cut_cells import cut_edges, off_surface
from .mesh import row_sums
from .octree import CORNERS, morton
from .prisms import Skin, SkinError, loop_vectors

# Edges of a cube: the two corners, and the axis it runs along.
EDGES = np.array([(a, b) for a in range(8) for b in range(8)
                  if a < b and np.abs(CORNERS[a] - CORNERS[b]).sum() == 1])
EDGE_AXIS = np.argmax(CORNERS[EDGES[:, 1]] - CORNERS[EDGES[:, 0]], axis=1)
# Singular values below this share of the largest are of a bend too weak to be an edge.
SMOOTH = 0.25
ROUNDS, MOST_CUBES = 40, 400_000
# A direction that leaves a face by less than this (cosine) is no way out.
LEAST_WAY = 0.25


def lattice_skin(obstacle, size, half):
    """The surface grid of what an obstacle encloses.

    Parameters
    ----------
    obstacle : Obstacle
    size : float
        Edge of the cubes.
    half : bool
        Only y >= 0, with points on y = 0.

    Returns
    -------
    Skin

    Raises
    ------
    SkinError
    """
    low, cubes = _cut_cubes(obstacle, size, half)
    cubes, corner, value, points = _corner_values(obstacle, low, cubes, size)
    crossing, at, normal = cut_edges(obstacle, corner[:, EDGES], value, points)
    vertex_of, cube_of, count = _vertices(value, corner, crossing)
    place, rank = _place(cube_of, vertex_of, crossing, at, normal, low + cubes * size, size, count)
    quads = _quads(cubes, corner, value, crossing, vertex_of)
    on_plane = np.zeros(count, dtype=bool)
    if half:
        on_plane = cubes[cube_of, 1] == 0
        place[on_plane, 1] = 0.0
        quads = quads[(cubes[cube_of[quads], 1] >= 0).all(axis=1) & ~on_plane[quads].all(axis=1)]
    used, quads = np.unique(quads, return_inverse=True)
    quads, place, rank, on_plane = quads.reshape(-1, 4), place[used], rank[used], on_plane[used]
    place = _smoothed(obstacle, place, quads, rank, on_plane)
    return Skin(place, _directions(place, quads, on_plane), quads, on_plane)


def _cut_cubes(obstacle, size, half):
    """Corner of the lattice and the cubes near the surface, found by halving larger ones."""
    box = obstacle.surface.box
    span = box[1] - box[0] + 4 * size
    depth = max(0, int(np.ceil(np.log2(float(span.max()) / size))))
    low = box[0] - 2 * size + 0.0371 * size
    if half:
        # The plane y = 0 runs through the middle of a layer of cubes.
        low[1] = (np.floor(low[1] / size) - 0.5) * size
    cells = np.zeros((1, 3), dtype=np.int64)
    for level in range(depth + 1):
        edge = size * 2**(depth - level)
        middle = low + (cells + 0.5) * edge
        reach = 0.87 * edge + 0.05 * size
        near, _ = obstacle.tree.nearest(middle, within=1.01 * reach, tolerance=0.02)
        cells = cells[near < reach]
        if len(cells) > MOST_CUBES:
            raise SkinError(f"more than {MOST_CUBES:,} faces on the surface")
        if level < depth:
            cells = (2 * cells[:, None] + CORNERS).reshape(-1, 3)
    if half:
        first = int(round((-low[1] / size) - 0.5))
        cells = cells[cells[:, 1] >= first - 1] - [0, first, 0]
        low[1] += first * size
    return low, cells


def _corner_values(obstacle, low, cubes, size):
    """Corners of the cubes as numbers into a list of points, and the signed distance at each; cubes that are
    not cut are left out."""
    nodes = cubes[:, None] + CORNERS
    base = nodes.reshape(-1, 3).min(axis=0)
    code = morton(nodes.reshape(-1, 3) - base)
    _, first, index = np.unique(code, return_index=True, return_inverse=True)
    points = low + nodes.reshape(-1, 3)[first] * size
    value = off_surface(obstacle, points, size)
    corner = index.reshape(-1, 8)
    cut = (value[corner] > 0).any(axis=1) & (value[corner] <= 0).any(axis=1)
    return cubes[cut], corner[cut], value, points


@functools.cache
def _sheets():
    """For each of the 256 signs of a cube's corners the piece of surface that each edge belongs to, shape
    (256, 12); -1 where an edge is not cut."""
    faces = [[c for c in range(8) if CORNERS[c, a] == s] for a in range(3) for s in (0, 1)]
    edge_of = {frozenset(e): k for k, e in enumerate(EDGES.tolist())}
    out = np.full((256, 12), -1, dtype=np.int64)
    for case in range(256):
        solid = [(case >> c) & 1 for c in range(8)]
        cut = [k for k, (a, b) in enumerate(EDGES) if solid[a] != solid[b]]
        parent = {k: k for k in cut}

        def root(k):
            while parent[k] != k:
                k = parent[k]
            return k

        for face in faces:
            on_face = [k for k in cut if set(EDGES[k]) <= set(face)]
            groups = [on_face] if len(on_face) == 2 else [
                # Two solid corners across a face are two pieces of body.
                [edge_of[frozenset((c, d))] for d in face if frozenset((c, d)) in edge_of] for c in face
                if solid[c]
            ] if on_face else []
            for group in groups:
                for k in group[1:]:
                    parent[root(k)] = root(group[0])
        roots = sorted({root(k) for k in cut})
        for k in cut:
            out[case, k] = roots.index(root(k))
    return out


def _vertices(value, corner, crossing):
    """Number of the point that each cut edge of each cube belongs to, the cube of each point, how many."""
    case = ((value[corner] <= 0) << np.arange(8)).sum(axis=1)
    sheet = _sheets()[case]
    many = sheet.max(axis=1) + 1
    first = np.concatenate([[0], np.cumsum(many)])
    vertex_of = np.where(sheet >= 0, first[:-1, None] + sheet, -1)
    return vertex_of, np.repeat(np.arange(len(corner)), many), int(first[-1])


def _place(cube_of, vertex_of, crossing, at, normal, low, size, count):
    """Where the tangent planes of each point's crossings meet best, and in how many ways they are bent."""
    cut = vertex_of >= 0
    own, number = vertex_of[cut], crossing[cut]
    many = np.bincount(own, minlength=count)
    mean = row_sums(own, at[number], count) / many[:, None]
    n, off = normal[number], ((at[number] - mean[own]) * normal[number]).sum(axis=1)
    matrix, right = np.empty((count, 3, 3)), np.empty((count, 3))
    for a in range(3):
        right[:, a] = np.bincount(own, n[:, a] * off, minlength=count)
        for b in range(3):
            matrix[:, a, b] = np.bincount(own, n[:, a] * n[:, b], minlength=count)
    values, ways = np.linalg.eigh(matrix)
    used = values > SMOOTH**2 * values[:, -1:]
    step = (np.einsum("kji,kj->ki", ways, right) * np.where(used, 1.0 / np.where(used, values, 1.0), 0.0))
    place = mean + np.einsum("kij,kj->ki", ways, step)
    within = np.clip(place, low[cube_of], low[cube_of] + size)
    return within, used.sum(axis=1)


def _quads(cubes, corner, value, crossing, vertex_of):
    """Faces round the cut edges, counter-clockwise seen from the air."""
    cube, edge = np.nonzero(crossing >= 0)
    number, axis = crossing[cube, edge], EDGE_AXIS[edge]
    # Place of the edge in its cube, seen along its axis: which of the four round the edge the cube is.
    one, two = (axis + 1) % 3, (axis + 2) % 3
    base = CORNERS[EDGES[edge, 0]]
    row = np.arange(len(edge))
    turn = np.array([[2, 3], [1, 0]])[base[row, one], base[row, two]]
    quads = np.full((int(number.max()) + 1, 4), -1, dtype=np.int64)
    quads[number, turn] = vertex_of[cube, edge]
    out_along = np.zeros(len(quads), dtype=bool)
    out_along[number] = value[corner[cube, EDGES[edge, 1]]] > 0
    whole = (quads >= 0).all(axis=1)
    quads = quads[whole]
    return np.where(out_along[whole, None], quads[:, ::-1], quads)


def _smoothed(obstacle, place, quads, rank, on_plane):
    """Points of smooth surface moved half the way to the mean of their neighbours and put back on the
    surface."""
    a, b = quads.ravel(), np.roll(quads, -1, axis=1).ravel()
    free = rank == 1
    # An edge's points lie on it already; where a bend was only taken for one they come back to the surface.
    moved = _on_surface(obstacle, place)
    moved[on_plane, 1] = 0.0
    for _ in range(ROUNDS):
        total, many = np.zeros_like(moved), np.zeros(len(moved))
        for one, two in ((a, b), (b, a)):
            np.add.at(total, one, moved[two])
            np.add.at(many, one, 1)
        target = moved + 0.5 * (total / many[:, None] - moved)
        target[on_plane, 1] = 0.0
        moved[free] = _on_surface(obstacle, target[free])
        moved[on_plane, 1] = 0.0
    return moved


def _on_surface(obstacle, points):
    """Nearest points of the surface."""
    triangle = obstacle.tree.nearest(points)[1]
    return nearest_on_triangles(obstacle.surface.corners[triangle], points)


def nearest_on_triangles(corners, points):
    """Nearest point of each triangle to a point, shape (n, 3)."""
    a, b, c = corners.transpose(1, 0, 2)
    normal = np.cross(b - a, c - a)
    square = np.maximum((normal**2).sum(axis=1), 1e-300)
    foot = points - ((points - a) * normal).sum(axis=1)[:, None] / square[:, None] * normal
    inside = np.ones(len(points), dtype=bool)
    best, gap = foot.copy(), np.full(len(points), np.inf)
    for p, q in ((a, b), (b, c), (c, a)):
        along = q - p
        inside &= (np.cross(along, foot - p) * normal).sum(axis=1) >= 0
        share = ((points - p) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-300)
        at = p + np.clip(share, 0, 1)[:, None] * along
        near = ((points - at)**2).sum(axis=1)
        better = near < gap
        best[better], gap[better] = at[better], near[better]
    return np.where(inside[:, None], foot, best)


def _directions(place, quads, on_plane):
    """Ways out of the wall: between the normals of the faces round each point, lengthened so that layers
    keep their height over each of them."""
    vector = loop_vectors(place[quads])
    normal = vector / np.maximum(np.linalg.norm(vector, axis=1), 1e-300)[:, None]
    corner, face = quads.ravel(), np.repeat(np.arange(len(quads)), 4)

    def unit(x):
        x[on_plane, 1] = 0.0
        return x / np.maximum(np.linalg.norm(x, axis=1), 1e-300)[:, None]

    way = unit(row_sums(corner, vector[face], len(place)))
    # Towards the way that leaves all of its faces alike: the normals most askew pull the most.
    for _ in range(16):
        askew = np.exp(3.0 * (1 - (way[corner] * normal[face]).sum(axis=1)))
        pulled = unit(row_sums(corner, askew[:, None] * normal[face], len(place)))
        way = unit(way + 0.4 * pulled)
    cosine = (way[corner] * normal[face]).sum(axis=1)
    least = np.full(len(place), 1.0)
    np.minimum.at(least, corner, cosine)
    mean = np.bincount(corner, cosine, minlength=len(place)) / np.bincount(corner, minlength=len(place))
    way[least < LEAST_WAY] = 0.0
    return way / np.clip(mean, 0.5, 1.0)[:, None]
