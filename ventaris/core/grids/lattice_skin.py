"""A surface grid of quadrilaterals and triangles on any surface, from the leaves of an octree that it cuts.

Every leaf that is cut gets a point where the tangent planes at its cut edges meet best, so that edges and
corners of the surface are kept; every cut edge of the smallest leaves round it becomes a face between the
points of these: a triangle where two of the four places round an edge are one larger leaf.  A leaf that
several pieces of the surface pass gets a point for each.  Points on smooth surface are then spread evenly and
put back on it.

References
----------
Ju, Losasso, Schaefer, Warren: Dual contouring of Hermite data, ACM Trans. Graphics 21 (2002); Schaefer, Ju,
Warren: Manifold dual contouring, IEEE Trans. Vis. Comput. Graphics 13 (2007).
"""
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from scipy.sparse.csgraph import connected_components

from .cut_cells import HALF_DIAGONAL, cut_edges, off_surface
from .mesh import row_sums
from .octree import CORNERS
from .prisms import Skin, SkinError, loop_vectors

# Edges of a cube: the two corners, and the axis it runs along.
EDGES = np.array([(a, b) for a in range(8) for b in range(8)
                  if (CORNERS[b] >= CORNERS[a]).all() and np.abs(CORNERS[a] - CORNERS[b]).sum() == 1])
EDGE_AXIS = np.argmax(CORNERS[EDGES[:, 1]] - CORNERS[EDGES[:, 0]], axis=1)
# The four places round an edge, counter-clockwise seen from its upper end.
AROUND = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)])
# Singular values below this share of the largest are of a bend too weak to be an edge.
SMOOTH = 0.25
ROUNDS, MOST_LEAVES = 40, 400_000
# A direction that leaves a face by less than this (cosine) is no way out.
LEAST_WAY = 0.25


@dataclass
class _CutEdges:
    """The shortest edges of leaves that the surface cuts.

    Attributes
    ----------
    start : ndarray of int, shape (e, 3)
        Lower end in steps.
    axis, width : ndarray of int, shape (e,)
    leaf : ndarray of int, shape (e, 4)
        In the places round the edge; -1 beyond the symmetry plane.
    rising : ndarray of bool, shape (e,)
        Whether the upper end lies in the air.
    point, normal : ndarray, shape (e, 3)
        Where it is cut, and the surface's normal there.
    """

    start: np.ndarray
    axis: np.ndarray
    width: np.ndarray
    leaf: np.ndarray
    rising: np.ndarray
    point: np.ndarray
    normal: np.ndarray


def lattice_skin(obstacle, tree, half):
    """The surface grid of what an obstacle encloses.

    Parameters
    ----------
    obstacle : Obstacle
    tree : Octree
        Round all of it (but for half a body, whose plane is the tree's lower side in y); its leaves are as
        large as the faces shall be.
    half : bool
        Only y >= 0, with points on y = 0.

    Returns
    -------
    Skin

    Raises
    ------
    SkinError
    """
    edges = _edges(obstacle, tree, half)
    vertex, leaf = _vertices(tree, edges)
    place, rank = _place(tree, edges, vertex, leaf)
    faces, twin = _faces(edges, vertex, len(leaf), half)
    on_plane = np.arange(len(leaf) + len(twin)) >= len(leaf)
    place = np.concatenate([place, place[twin] * [1.0, 0.0, 1.0]])
    rank, size = (np.concatenate([x, x[twin]]) for x in (rank, tree.size[leaf]))
    place = _smoothed(obstacle, place, faces, rank, on_plane)
    return Skin(place, _directions(place, faces, on_plane), faces, on_plane, size)


def count_faces(obstacle, tree):
    """About how many faces the surface grid on a tree would have: the leaves that the surface cuts."""
    near = _near(obstacle, tree)
    node, value, _ = _corner_values(obstacle, tree, near)
    solid = value[node] <= 0
    return int((solid.any(axis=1) & ~solid.all(axis=1)).sum())


def _near(obstacle, tree):
    """Leaves that the surface may cut."""
    found, centre = [], tree.centre
    for width in np.unique(tree.width):
        own = np.nonzero(tree.width == width)[0]
        reach = 1.04 * HALF_DIAGONAL * width * tree.step
        found.append(own[obstacle.tree.nearest(centre[own], within=1.001 * reach, tolerance=0.02)[0] < reach])
    near = np.sort(np.concatenate(found))
    if len(near) > 2 * MOST_LEAVES:
        raise SkinError(f"more than {MOST_LEAVES:,} faces on the surface")
    return near


def _corner_values(obstacle, tree, leaves):
    """Corners of leaves as numbers into a list of lattice points, shape (n, 8), the signed distance at each
    of these and where they are."""
    lattice = (tree.corner[leaves][:, None] + CORNERS * tree.width[leaves][:, None, None]).reshape(-1, 3)
    _, first, node = np.unique(_key(tree, lattice), return_index=True, return_inverse=True)
    points = tree.low + lattice[first] * tree.step
    return node.reshape(-1, 8), off_surface(obstacle, points, tree.step), points


def _key(tree, lattice):
    span = tree.counts + 1
    return (lattice[..., 0] * span[1] + lattice[..., 1]) * span[2] + lattice[..., 2]


def _edges(obstacle, tree, half):
    """The shortest edges that are cut."""
    near = _near(obstacle, tree)
    node, value, points = _corner_values(obstacle, tree, near)
    ends = node[:, EDGES]
    leaf, edge = np.nonzero((value[ends[..., 0]] > 0) != (value[ends[..., 1]] > 0))
    if not len(leaf):
        raise SkinError("the cells are larger than the body")
    ends, width, axis = ends[leaf, edge], tree.width[near[leaf]], EDGE_AXIS[edge]
    start = tree.corner[near[leaf]] + CORNERS[EDGES[edge, 0]] * width[:, None]
    key = (_key(tree, start) * 3 + axis) * 64 + np.log2(width).astype(np.int64)
    first = np.unique(key, return_index=True)[1]
    ends, width, axis, start = ends[first], width[first], axis[first], start[first]
    round_it = _leaves_round(tree, start, axis, width)
    # An edge along which smaller leaves lie is cut where theirs are.
    widths = np.where(round_it >= 0, tree.width[round_it], np.iinfo(np.int64).max)
    shortest = (widths >= width[:, None, None]).all(axis=(1, 2))
    ends, width, axis, start = ends[shortest], width[shortest], axis[shortest], start[shortest]
    own = round_it[shortest, :, 0]
    beyond = (start[:, 1] == 0) & (axis != 1) & half
    if (own[~beyond] < 0).any():
        raise SkinError("the body reaches out of the domain")
    number, at, normal = cut_edges(obstacle, ends[:, None], value, points)
    number = number[:, 0]
    return _CutEdges(start, axis, width, own, value[ends[:, 1]] > 0, at[number], normal[number])


def _leaves_round(tree, start, axis, width):
    """Leaves in the four places round edges, at a quarter and at three of their length, shape (e, 4, 2)."""
    row = np.arange(len(start))[:, None, None]
    at = np.repeat(np.repeat(start[:, None, None].astype(float), 4, axis=1), 2, axis=2)
    at[row, np.arange(4)[:, None], np.arange(2), axis[:, None, None]] += (
        width[:, None, None] * np.array([0.25, 0.75]))
    for k in (0, 1):
        other = (axis + 1 + k) % 3
        at[row, np.arange(4)[:, None], np.arange(2), other[:, None, None]] += 0.25 * AROUND[:, k, None]
    return tree.containing(tree.low + at.reshape(-1, 3) * tree.step).reshape(len(start), 4, 2)


def _vertices(tree, edges):
    """The point that each place round each edge belongs to, shape (e, 4), -1 beyond the plane; the leaf of
    each point.

    Within a leaf the cut edges that a piece of surface joins share a point: it passes from edge to edge over
    the leaf's faces.
    """
    e = len(edges.axis)
    number = np.arange(4 * e).reshape(e, 4)
    widths = np.where(edges.leaf >= 0, tree.width[edges.leaf], np.iinfo(np.int64).max)
    links, rows = [], []
    for k in range(4):
        here, there = edges.leaf[:, k], edges.leaf[:, (k + 1) % 4]
        same = np.nonzero(here == there)[0]
        links.append(np.stack([number[same, k], number[same, (k + 1) % 4]], axis=1))
        own = np.nonzero(here != there)[0]
        here, there = here[own], there[own]
        smaller = np.where(widths[own, k] <= widths[own, (k + 1) % 4], here, there)
        # The face stands across the axis in which the two places differ.
        across = (edges.axis[own] + 1 + (k % 2)) % 3
        corner = tree.corner[smaller].copy()
        corner[np.arange(len(own)), across] = edges.start[own, across]
        low, high = number[own, k], number[own, (k + 1) % 4]
        swap = here > there
        rows.append(np.stack([_key(tree, corner) * 3 + across, own, np.where(swap, high, low),
                              np.where(swap, low, high)], axis=1))
    rows = np.concatenate(rows)
    rows = rows[np.argsort(rows[:, 0], kind="stable")]
    head = np.nonzero(np.concatenate([[True], np.diff(rows[:, 0]) != 0]))[0]
    count = np.diff(np.append(head, len(rows)))
    if (count % 2).any():
        raise SkinError("the surface grid is open")
    pairs = np.stack([head[count == 2], head[count == 2] + 1], axis=1)
    more = [_solid_pairs(edges, rows[h:h + n]) + h for h, n in zip(head[count > 2], count[count > 2])]
    pairs = np.concatenate([pairs, *more])
    links += [rows[pairs][:, :, 2], rows[pairs][:, :, 3]]
    links = np.concatenate(links)
    held = edges.leaf.ravel() >= 0
    links = links[held[links].all(axis=1)]
    graph = sp.coo_matrix((np.ones(len(links)), (links[:, 0], links[:, 1])), shape=(4 * e, 4 * e))
    label = connected_components(graph, directed=False)[1]
    used, label[held] = np.unique(label[held], return_inverse=True)
    label[~held] = -1
    leaf = np.empty(len(used), dtype=np.int64)
    leaf[label[held]] = edges.leaf.ravel()[held]
    return label.reshape(e, 4), leaf


def _solid_pairs(edges, rows):
    """Of a face with four cut edges or more those that bound the same solid stretch of its rim: two pieces
    of body that meet there are kept apart."""
    across = rows[0, 0] % 3
    plane = [a for a in range(3) if a != across]
    own = rows[:, 1]
    upper = edges.start[own].astype(float)
    upper[np.arange(len(own)), edges.axis[own]] += edges.width[own]
    lower, upper = edges.start[own][:, plane].astype(float), upper[:, plane]
    middle = 0.5 * (lower + upper)
    centre = 0.5 * (np.minimum(lower, upper).min(axis=0) + np.maximum(lower, upper).max(axis=0))
    angle = lambda p: np.arctan2(p[:, 1] - centre[1], p[:, 0] - centre[0])
    order = np.argsort(angle(middle))
    turn = np.sin(angle(upper) - angle(lower)) > 0
    # Whether the end that comes later round the rim is solid.
    solid = np.where(turn, ~edges.rising[own], edges.rising[own])
    following = np.roll(order, -1)
    chosen = solid[order]
    return np.stack([order[chosen], following[chosen]], axis=1)


def _place(tree, edges, vertex, leaf):
    """Where the tangent planes of each point's crossings meet best, and in how many ways they are bent."""
    edge, place = np.nonzero(vertex >= 0)
    own, edge = np.unique(np.stack([vertex[edge, place], edge], axis=1), axis=0).T
    count = len(leaf)
    many = np.bincount(own, minlength=count)
    mean = row_sums(own, edges.point[edge], count) / many[:, None]
    n, off = edges.normal[edge], ((edges.point[edge] - mean[own]) * edges.normal[edge]).sum(axis=1)
    matrix, right = np.empty((count, 3, 3)), np.empty((count, 3))
    for a in range(3):
        right[:, a] = np.bincount(own, n[:, a] * off, minlength=count)
        for b in range(3):
            matrix[:, a, b] = np.bincount(own, n[:, a] * n[:, b], minlength=count)
    values, ways = np.linalg.eigh(matrix)
    used = values > SMOOTH**2 * values[:, -1:]
    step = (np.einsum("kji,kj->ki", ways, right) * np.where(used, 1.0 / np.where(used, values, 1.0), 0.0))
    low = tree.low + tree.corner[leaf] * tree.step
    return np.clip(mean + np.einsum("kij,kj->ki", ways, step), low,
                   low + tree.size[leaf][:, None]), used.sum(axis=1)


def _faces(edges, vertex, count, half):
    """Faces round the cut edges, counter-clockwise seen from the air, and the points whose twins stand on
    the symmetry plane: the twins follow the other points."""
    faces = vertex.copy()
    twins = np.empty(0, dtype=np.int64)
    if half:
        edge, place = np.nonzero(vertex < 0)
        # The place across the plane: where the first way across the edge is y, 0 and 1, 2 and 3 lie so.
        first = (edges.axis[edge] + 1) % 3 == 1
        across = np.where(first, np.array([1, 0, 3, 2])[place], np.array([3, 2, 1, 0])[place])
        twins, number = np.unique(vertex[edge, across], return_inverse=True)
        faces[edge, place] = count + number
    faces = np.where(edges.rising[:, None], faces, faces[:, ::-1])
    # A triangle repeats its last corner.
    for k in range(3):
        mine = faces[:, k] == faces[:, (k + 1) % 4]
        faces[mine] = np.roll(faces[mine], 2 - k, axis=1)
    mine = faces[:, 3] == faces[:, 0]
    faces[mine] = np.roll(faces[mine], -1, axis=1)
    return faces, twins


def _smoothed(obstacle, place, faces, rank, on_plane):
    """Points of smooth surface moved half the way to the mean of their neighbours and put back on the
    surface."""
    a, b = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    real = a != b
    ones = np.ones(2 * int(real.sum()))
    links = sp.coo_matrix((ones, (np.concatenate([a[real], b[real]]), np.concatenate([b[real], a[real]]))),
                          shape=(len(place), len(place))).tocsr()
    many = np.maximum(np.asarray(links.sum(axis=1)), 1.0)
    free = rank == 1
    # An edge's points lie on it already; where a bend was only taken for one they come back to the surface.
    moved = _on_surface(obstacle, place)
    moved[on_plane, 1] = 0.0
    for _ in range(ROUNDS):
        target = moved + 0.5 * (links @ moved / many - moved)
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


def _directions(place, faces, on_plane):
    """Ways out of the wall: between the normals of the faces round each point, lengthened so that layers
    keep their height over each of them."""
    vector = loop_vectors(place[faces])
    normal = vector / np.maximum(np.linalg.norm(vector, axis=1), 1e-300)[:, None]
    corner, face = faces.ravel(), np.repeat(np.arange(len(faces)), 4)
    # The last corner of a triangle counts once.
    once = (faces != np.roll(faces, 1, axis=1)).ravel()
    corner, face = corner[once], face[once]

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
