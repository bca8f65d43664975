"""Layers of prisms and hexahedra that grow from a surface grid, and the closed hull round them.

Every face of the surface grid carries a column of cells.  Where the room is too small for a column it is
dropped and leaves the wall bare; the hull then runs along the sides of its neighbours down to the wall and
over it, so that it stays closed.
"""
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from .mesh import row_sums

# What a face of the layers lies on, where it has no cell on its right.
WALL, TOP, PLANE = -1, -2, -3
# What stands beside a column that has no lines through it.
ALONE = -2
# Faces smaller than this share of the square of the body's size are points and lines.
NOTHING = 1e-15


class SkinError(ValueError):
    """A surface grid that layers cannot grow from; the message says why."""


@dataclass(frozen=True)
class Skin:
    """A surface grid of quadrilaterals and triangles.

    Attributes
    ----------
    points : ndarray, shape (v, 3)
        A point may stand there several times with other directions: at a sharp edge the columns between fan
        out, and have no face on the wall.
    direction : ndarray, shape (v, 3)
        Way out of the wall for each unit of height; longer than 1 where it leaves the wall askew.
    faces : ndarray of int, shape (m, 4)
        Corners, counter-clockwise seen from outside; a triangle repeats its last one.
    on_plane : ndarray of bool, shape (v,)
        Points of the symmetry plane y = 0, in which their direction lies too.
    size : ndarray, shape (v,), or None
        Cubes that shall stand outside the layers over each point; None where all are alike.
    """

    points: np.ndarray
    direction: np.ndarray
    faces: np.ndarray
    on_plane: np.ndarray
    size: np.ndarray = None

    def edges(self):
        """Edges of the faces, each as its first face runs along it: nodes a and b, face, face behind or -1.

        Raises
        ------
        SkinError
            If more than two faces meet in an edge, or it is open off the symmetry plane.
        """
        a, b = self.faces.ravel(), np.roll(self.faces, -1, axis=1).ravel()
        own = np.repeat(np.arange(len(self.faces)), 4)
        real = a != b
        a, b, own = a[real], b[real], own[real]
        key = np.minimum(a, b) * len(self.points) + np.maximum(a, b)
        order = np.argsort(key, kind="stable")
        key, a, b, own = key[order], a[order], b[order], own[order]
        head = np.nonzero(np.concatenate([[True], np.diff(key) != 0]))[0]
        count = np.diff(np.append(head, len(key)))
        if count.max() > 2:
            raise SkinError("more than two faces of the surface grid meet in an edge")
        other = np.where(count == 2, own[np.minimum(head + 1, len(own) - 1)], -1)
        a, b = a[head], b[head]
        if not (self.on_plane[a] & self.on_plane[b])[other < 0].all():
            raise SkinError("the surface grid is open")
        return a, b, own[head], other


@dataclass(frozen=True)
class PrismLayers:
    """Cells of the layers and their hull; a column's cells follow each other from the wall outward.

    Attributes
    ----------
    left, right : ndarray of int, shape (f,)
        Cells on both sides of each face; right is WALL, TOP (the hull) or PLANE where there is none.
    vector, centre : ndarray, shape (f, 3)
        Area vector from left to right, centroid.
    volume, cell_centre, widest, above : ndarray
        Of the cells; `widest` is the area of a cell's largest face, `above` how far its centre stands above
        the foot of its column.
    foot : ndarray, shape (columns, 3)
        Middle of each column's face on the wall.
    normal : ndarray, shape (columns, 3)
        Of the wall there, into the air.
    span : ndarray, shape (columns, 2)
        Least and largest y of the face on the wall.
    count : int
        Cells in a column.
    quads : ndarray, shape (q, 4, 3)
        Corners of the hull's faces.
    owner : ndarray of int, shape (q,)
        Cell behind each of them, -1 where the wall is bare.
    triangles, of_quad : ndarray
        The hull in triangles, shape (t, 3, 3), and the face each is a part of.
    rim : ndarray, shape (r, 4, 3)
        Corners of the faces on the symmetry plane.
    beside : ndarray of int, shape (columns, 4)
        Column across each side of a column of quadrilaterals, -1 for none; ALONE of triangular ones.
    """

    left: np.ndarray
    right: np.ndarray
    vector: np.ndarray
    centre: np.ndarray
    volume: np.ndarray
    cell_centre: np.ndarray
    widest: np.ndarray
    above: np.ndarray
    foot: np.ndarray
    normal: np.ndarray
    span: np.ndarray
    count: int
    quads: np.ndarray
    owner: np.ndarray
    triangles: np.ndarray
    of_quad: np.ndarray
    rim: np.ndarray
    beside: np.ndarray

    @cached_property
    def behind(self):
        """Faces of the hull with a layer behind them."""
        return np.nonzero(self.owner >= 0)[0]

    @cached_property
    def tops(self):
        """Place of each face of the hull among those with a layer behind them, -1 of bare walls."""
        out = np.full(len(self.owner), -1)
        out[self.behind] = np.arange(len(self.behind))
        return out


def loop_vectors(corners):
    """Area vectors of loops of four points, shape (..., 4, 3): what they close does not depend on a
    diagonal."""
    return 0.5 * np.cross(corners[..., 2, :] - corners[..., 0, :], corners[..., 3, :] - corners[..., 1, :])


def loop_centres(corners):
    """Centroids of loops of four points, by the triangles round their mean point."""
    mean = corners.mean(axis=-2, keepdims=True)
    following = np.roll(corners, -1, axis=-2)
    weight = np.linalg.norm(np.cross(corners - mean, following - mean), axis=-1)
    total = weight.sum(axis=-1)[..., None]
    moment = ((corners + following + mean) / 3 * weight[..., None]).sum(axis=-2)
    return np.where(total > 0, moment / np.maximum(total, 1e-300), mean[..., 0, :])


def layer_heights(first, growth, top):
    """Heights of layers that grow from the first one to about the top one."""
    count = max(1, int(round(1 + np.log(max(top / first, 1.0)) / np.log(growth))))
    return _growing(first, top, np.arange(count))


def _growing(first, top, number):
    """Heights of cells 0, 1 … in `number` that grow evenly from a first one to a top one."""
    return first * ((top / first)**(1 / max(len(number) - 1, 1)))**number


def column_levels(heights, top):
    """Levels above the wall of columns whose top cells differ.

    Parameters
    ----------
    heights : ndarray, shape (n,)
        Of a column that grows evenly from its first cell to its top cell.
    top : ndarray, shape (v,)
        Height of each column's top cell; the first cell is the same for all, but for the low ones.

    Returns
    -------
    ndarray, shape (n + 1, v), the wall first
    """
    cells = _growing(np.minimum(heights[0], top), top, np.arange(len(heights))[:, None])
    return np.concatenate([np.zeros((1, len(top))), np.cumsum(cells, axis=0)])


def grow(skin, z, kept):
    """Layers on a surface grid.

    Parameters
    ----------
    skin : Skin
    z : ndarray, shape (n + 1, v)
        Levels of the layers above each point, the wall first.
    kept : ndarray of bool, shape (m,)
        Faces that carry a column.

    Returns
    -------
    PrismLayers

    Raises
    ------
    SkinError
    """
    count = len(z) - 1
    # Points of the layers' boundaries, the wall first, shape (n + 1, v, 3).
    levels = skin.points + z[..., None] * skin.direction
    if not kept.any():
        raise SkinError("there is no room for layers anywhere")
    edges = skin.edges()
    left, right, vector, centre = _faces(skin, levels, edges, kept)
    cells = int(kept.sum()) * count
    volume, cell_centre, widest = _cells(left, right, vector, centre, cells)
    foot = levels[0][skin.faces[kept]]
    above, normal = _above(foot, cell_centre, count)
    quads, owner = _hull(skin, levels, edges, kept)
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    area = np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]),
                          axis=1)
    real = area > NOTHING
    return PrismLayers(left, right, vector, centre, volume, cell_centre, widest, above, loop_centres(foot),
                       normal, np.stack([foot[:, :, 1].min(axis=1), foot[:, :, 1].max(axis=1)], axis=1),
                       count, quads, owner,
                       triangles[real], np.tile(np.arange(len(quads)), 2)[real],
                       _rim(levels, edges, kept), _beside(skin, edges, kept))


def _faces(skin, levels, edges, kept):
    """Left, right, area vector and centroid of the faces of the kept columns."""
    n, count = len(levels) - 1, int(kept.sum())
    corners = levels[:, skin.faces[kept]]
    vector, centre = loop_vectors(corners), loop_centres(corners)
    column = n * np.arange(count)
    left = [column, *(column + k - 1 for k in range(1, n + 1))]
    right = [np.full(count, WALL), *(column + k for k in range(1, n)), np.full(count, TOP)]
    vectors, centres = [-vector[0], *vector[1:]], list(centre)
    number = _first_cells(kept, n)
    a, b, one, two = edges
    here, there = number[one], number[two]
    use = (here >= 0) | (there >= 0)
    a, b, two, here, there = a[use], b[use], two[use], here[use], there[use]
    # Beside a dropped column the side belongs to the hull, seen from the one that stayed.
    swap = here < 0
    for k, sides in enumerate(_sides(levels, a, b)):
        left.append(np.where(swap, there, here) + k)
        right.append(np.where(two < 0, PLANE, np.where(swap | (there < 0), TOP, there + k)))
        vectors.append(loop_vectors(sides) * np.where(swap, -1.0, 1.0)[:, None])
        centres.append(loop_centres(sides))
    return tuple(np.concatenate(x) for x in (left, right, vectors, centres))


def _beside(skin, edges, kept):
    """Column across each side of the kept columns, see `PrismLayers`."""
    a, b, one, two = edges
    size, corners = len(skin.points), skin.faces[kept]
    # Each edge as both of its faces run along it.
    key, across = np.concatenate([a * size + b, b * size + a]), np.concatenate([two, one])
    order = np.argsort(key)
    side = corners * size + np.roll(corners, -1, axis=1)
    at = order[np.minimum(np.searchsorted(key, side, sorter=order), len(order) - 1)]
    out = np.where(key[at] == side, _first_cells(kept, 1)[across[at]], -1)
    out[corners[:, 2] == corners[:, 3]] = ALONE
    return out


def _first_cells(kept, n):
    """First cell of each kept column, -1 of the others and, at the end, of no column at all."""
    number = np.full(len(kept) + 1, -1)
    number[:-1][kept] = n * np.arange(int(kept.sum()))
    return number


def _sides(levels, a, b):
    """Of every layer the corners of the faces over the edges from a to b, each shape (e, 4, 3)."""
    return [
        np.stack([low[a], low[b], high[b], high[a]], axis=1) for low, high in zip(levels[:-1], levels[1:])
    ]


def _rim(levels, edges, kept):
    """Corners of the kept columns' faces on the symmetry plane."""
    a, b, one, two = edges
    own = np.nonzero((two < 0) & kept[one])[0]
    return np.concatenate(_sides(levels, a[own], b[own]))


def _cells(left, right, vector, centre, cells):
    """Volume, centroid and area of the largest face of each cell, by pyramids over its faces."""
    inner = np.nonzero(right >= 0)[0]
    owner = np.concatenate([left, right[inner]])
    face = np.concatenate([np.arange(len(left)), inner])
    sign = np.concatenate([np.ones(len(left)), -np.ones(len(inner))])
    many = np.bincount(owner, minlength=cells)
    middle = row_sums(owner, centre[face], cells) / many[:, None]
    way = centre[face] - middle[owner]
    pyramid = sign * np.einsum("ij,ij->i", way, vector[face]) / 3
    volume = np.bincount(owner, pyramid, minlength=cells)
    moment = row_sums(owner, (0.75 * pyramid)[:, None] * way, cells)
    widest = np.zeros(cells)
    np.maximum.at(widest, owner, np.linalg.norm(vector, axis=1)[face])
    return volume, middle + moment / np.where(np.abs(volume) > 0, volume, 1.0)[:, None], widest


def _above(foot, centre, count):
    """Height of the cells' centres above the foot of their column, shape (m, 4, 3), and the wall's normal
    there: a foot is a face, or of a fan's column a line or point."""
    vector, middle = loop_vectors(foot), loop_centres(foot)
    size = np.linalg.norm(vector, axis=1)
    off = centre.reshape(len(foot), count, 3) - middle[:, None]
    # Of a line the way along it does not count.
    sides = np.roll(foot, -1, axis=1) - foot
    length = np.linalg.norm(sides, axis=2)
    row = np.arange(len(foot))
    longest = length.argmax(axis=1)
    line = sides[row, longest] / np.maximum(length[row, longest], NOTHING)[:, None]
    across = off - np.einsum("mkj,mj->mk", off, line)[..., None] * line[:, None]
    from_line = np.linalg.norm(across, axis=2)
    normal = vector / np.maximum(size, NOTHING)[:, None]
    is_face = size > NOTHING
    above = np.where(is_face[:, None], np.einsum("mkj,mj->mk", off, normal), from_line)
    way = across[:, -1] / np.maximum(from_line[:, -1:], NOTHING)
    return above.ravel(), np.where(is_face[:, None], normal, way)


def _hull(skin, levels, edges, kept):
    """Corners of the hull's faces and the cell behind each: tops, sides beside dropped columns, bare
    walls."""
    n = len(levels) - 1
    number = _first_cells(kept, n)
    quads, owner = [levels[-1][skin.faces[kept]]], [number[:-1][kept] + n - 1]
    a, b, one, two = edges
    for first, last, mine, other in ((a, b, one, two), (b, a, two, one)):
        e = np.nonzero((number[mine] >= 0) & (number[other] < 0) & (other >= 0))[0]
        quads += _sides(levels, first[e], last[e])
        owner += [number[mine[e]] + k for k in range(n)]
    bare = levels[0][skin.faces[~kept]]
    return np.concatenate([*quads, bare]), np.concatenate([*owner, np.full(len(bare), -1)])
