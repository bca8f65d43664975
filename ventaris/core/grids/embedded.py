"""The cells round a body: an octree cut by its surface, as one mesh for the flow solver."""
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from .cut_cells import HALF_DIAGONAL, cut_leaves
from .mesh import FaceMesh, MeshError, row_sums
from .octree import leaf_faces

SIDES = ("inflow", "outflow", "left", "right", "floor", "ceiling")
# A cut cell smaller than this share of its cube joins a neighbour.
SMALL = 0.4


def boundary_of(patch):
    """Name of the boundary that a body's surface becomes: its own, unless a side of the box has that."""
    return f"body: {patch}" if patch in SIDES else patch


@dataclass
class SpatialMesh(FaceMesh):
    """Cells and faces in three dimensions; face-based like the planar Mesh.

    Attributes
    ----------
    left, right : ndarray of int, shape (n_faces,)
        `right` is -1 on the boundary; boundary faces come last.
    normal : ndarray, shape (n_faces, 3)
        Unit normal from left to right, outward on the boundary.
    area : ndarray, shape (n_faces,)
    face_centre : ndarray, shape (n_faces, 3)
    volume, centre : ndarray, shape (n_cells,), (n_cells, 3)
    size : ndarray, shape (n_cells,)
        Edge of the cube that a cell was cut from.
    boundaries : dict of str to ndarray
        Face indices under each name: the sides of the box, and the named surfaces of the body.
    walls : tuple of str
        Names that belong to the body.
    wall_triangle : ndarray of int, shape (n_wall,)
        Nearest triangle of each wall face, in the order of `wall_faces()`.
    distance : ndarray, shape (n_cells,)
        Wall distance.
    tree : Octree
    leaf_cell : ndarray of int, shape (n_leaves,)
        Cell of each leaf, -1 inside the body.
    notes : list of str
    """

    left: np.ndarray
    right: np.ndarray
    normal: np.ndarray
    area: np.ndarray
    face_centre: np.ndarray
    volume: np.ndarray
    centre: np.ndarray
    size: np.ndarray
    boundaries: dict
    walls: tuple
    wall_triangle: np.ndarray
    distance: np.ndarray
    tree: object
    leaf_cell: np.ndarray
    obstacle: object
    notes: list = field(default_factory=list)

    dim, is_revolved = 3, False

    @property
    def width(self):
        """Edge of the cube that a cell was cut from; of a cell of wall layers the root of its largest
        face."""
        return self.size

    @cached_property
    def is_layer(self):
        """Which cells are of wall layers, shape (n_cells,)."""
        return np.zeros(self.n_cells, dtype=bool)

    def wall_spans(self):
        """Least and largest y of each wall face, shape (n_wall, 2); of a cut cube's those of the cube."""
        wall = self.wall_faces()
        width, low = self.width[self.left[wall]], self.tree.low[1]
        first = low + np.floor((self.face_centre[wall, 1] - low) / width) * width
        return np.stack([first, first + width], axis=1)

    def containing(self, points):
        """Cell that holds each point, -1 in the body or outside."""
        leaf = self.tree.containing(points)
        return np.where(leaf >= 0, self.leaf_cell[np.maximum(leaf, 0)], -1)


def embed(tree, obstacle):
    """Cut an octree by a surface and make a mesh of what lies outside.

    Parameters
    ----------
    tree : Octree
    obstacle : Obstacle or None
        None leaves the box empty.

    Returns
    -------
    SpatialMesh

    Raises
    ------
    MeshError
        If no air is left.
    """
    faces = leaf_faces(tree)
    if obstacle is None:
        return _assemble(tree, faces, _uncut(tree, faces), np.ones(tree.n_leaves, dtype=bool),
                         np.arange(tree.n_leaves), None, [])
    cut = cut_leaves(tree, faces, obstacle)
    kept, notes = _outside(tree, faces, cut)
    kept, closed = _closed_hollows(tree, faces, cut, kept, obstacle)
    notes += closed
    cluster = _merge(tree, faces, cut, kept)
    return _assemble(tree, faces, cut, kept, cluster, obstacle, notes)


class _uncut:
    def __init__(self, tree, faces):
        axes = np.eye(3)
        width = faces.width * tree.step
        self.aperture, self.volume = width**2, tree.size**3
        self.face_centre = tree.low + faces.corner * tree.step + 0.5 * width[:, None] * (1 - axes[faces.axis])
        self.centre = self.wall_centre = tree.centre
        self.wall_vector = np.zeros((tree.n_leaves, 3))
        self.distance = np.full(tree.n_leaves, 1e9)


def _outside(tree, faces, cut):
    """Leaves in the air that reaches the box; voids inside the body are dropped."""
    n = tree.n_leaves
    wet = cut.volume > 0
    through = (faces.right >= 0) & (cut.aperture > 0)
    graph = coo_matrix((np.ones(through.sum(), dtype=np.int8), (faces.left[through], faces.right[through])),
                       shape=(n, n))
    label = connected_components(graph, directed=False)[1]
    at_box = (faces.right < 0) & (cut.aperture > 0)
    open_air = np.unique(label[faces.left[at_box]])
    kept = wet & np.isin(label, open_air)
    if not kept.any():
        raise MeshError(
            "The body fills the whole domain: no air is left. Make the domain larger, or check the unit of "
            "the surface."
        )
    lost = float(cut.volume[wet & ~kept].sum())
    notes = []
    if lost > 1e-9 * float(cut.volume[kept].sum()):
        voids = np.unique(label[wet & ~kept & (cut.volume > 0.5 * tree.size**3)])
        if len(voids):
            notes.append(
                f"{len(voids)} {'void' if len(voids) == 1 else 'voids'} inside the body "
                f"{'is' if len(voids) == 1 else 'are'} left out: only the outside is used."
            )
    return kept, notes


def _closed_hollows(tree, faces, cut, kept, obstacle):
    """Leaves in the air but for hollows that only cells wider than their walls connect with it.

    A cell that holds a thin wall and air on both sides of it would let the flow through.  So the air is
    flooded once more from outside, from cell to cell as far as no triangle stands between their centres of
    air; what is not reached and has room for whole cells is a hollow, and solid.
    """
    cube = tree.size**3
    whole = cut.volume > 0.999 * cube
    inner = np.nonzero((faces.right >= 0) & (cut.aperture > 0))[0]
    inner = inner[kept[faces.left[inner]] & kept[faces.right[inner]]]
    near = ~(whole[faces.left[inner]] & whole[faces.right[inner]])
    blocked = np.zeros(len(inner), dtype=bool)
    share, _ = obstacle.tree.crossings(cut.centre[faces.left[inner[near]]],
                                       cut.centre[faces.right[inner[near]]])
    blocked[near] = np.isfinite(share)
    label = _labels(tree, faces, inner[~blocked])
    at_box = (faces.right < 0) & (cut.aperture > 0)
    reached = np.isin(label, np.unique(label[faces.left[at_box]]))
    dry = kept & ~reached
    if not (dry & whole).any():
        return kept, []
    both = inner[dry[faces.left[inner]] & dry[faces.right[inner]]]
    label = _labels(tree, faces, both)
    hollow = dry & np.isin(label, np.unique(label[dry & whole]))
    _wall_off(faces, cut, inner, hollow)
    count = len(np.unique(label[hollow & whole]))
    return kept & ~hollow, [
        f"{count} {'hollow' if count == 1 else 'hollows'} behind walls thinner than a cell "
        f"{'is' if count == 1 else 'are'} kept solid ({int((hollow & whole).sum())} cells)."
    ]


def _labels(tree, faces, through):
    """Number of the connected piece that each leaf belongs to, over the given faces."""
    n = tree.n_leaves
    graph = coo_matrix((np.ones(len(through), dtype=np.int8), (faces.left[through], faces.right[through])),
                       shape=(n, n))
    return connected_components(graph, directed=False)[1]


def _wall_off(faces, cut, inner, hollow):
    """Turn the faces between a hollow and the air outside it into wall."""
    axes = np.eye(3)
    for mine, other, sign in ((faces.left, faces.right, 1.0), (faces.right, faces.left, -1.0)):
        k = inner[~hollow[mine[inner]] & hollow[other[inner]]]
        vector = sign * axes[faces.axis[k]] * cut.aperture[k, None]
        before = np.linalg.norm(cut.wall_vector[mine[k]], axis=1)
        share = (cut.aperture[k] / np.maximum(cut.aperture[k] + before, 1e-300))[:, None]
        cut.wall_centre[mine[k]] = (1 - share) * cut.wall_centre[mine[k]] + share * cut.face_centre[k]
        np.add.at(cut.wall_vector, mine[k], vector)
        cut.aperture[k] = 0.0


def _merge(tree, faces, cut, kept):
    """Cluster of each leaf: small cells join the neighbour with the widest opening and most volume, shape
    (n_leaves,)."""
    cluster = np.arange(tree.n_leaves)
    cube = tree.size**3
    inner = np.nonzero((faces.right >= 0) & (cut.aperture > 0) & kept[faces.left])[0]
    left, right, aperture = faces.left[inner], faces.right[inner], cut.aperture[inner]
    volume = np.where(kept, cut.volume, 0.0)
    small = kept & (volume < SMALL * cube)
    touched = small[left] | small[right]
    left, right, aperture = left[touched], right[touched], aperture[touched]
    for _ in range(12):
        if not join_small(left, right, aperture, cluster, volume, SMALL * cube, kept):
            break
    return flatten(cluster)


@njit(cache=True)
def find_root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(cache=True)
def join_small(left, right, aperture, parent, volume, least, kept):
    """One round: every small cluster, smallest first, joins its best neighbour. Returns how many did."""
    n = len(parent)
    best, score = np.full(n, -1, np.int64), np.zeros(n)
    for f in range(len(left)):
        a, b = find_root(parent, left[f]), find_root(parent, right[f])
        if a == b:
            continue
        if volume[a] < least[a]:
            s = aperture[f] * volume[b]
            if s > score[a]:
                best[a], score[a] = b, s
        if volume[b] < least[b]:
            s = aperture[f] * volume[a]
            if s > score[b]:
                best[b], score[b] = a, s
    chosen = np.nonzero(best >= 0)[0]
    joined = 0
    for k in np.argsort(volume[chosen]):
        a = chosen[k]
        if find_root(parent, a) != a or volume[a] >= least[a]:
            continue
        b = find_root(parent, best[a])
        if a == b:
            continue
        # The larger one keeps its name, so that a cluster's cube is that of its main cell.
        if volume[b] < volume[a]:
            a, b = b, a
        parent[a] = b
        volume[b] += volume[a]
        joined += 1
    return joined


@njit(cache=True)
def flatten(parent):
    out = np.empty(len(parent), np.int64)
    for i in range(len(parent)):
        out[i] = find_root(parent, i)
    return out


def _assemble(tree, faces, cut, kept, cluster, obstacle, notes):
    n = tree.n_leaves
    roots = np.unique(cluster[kept])
    number = np.full(n, -1, dtype=np.int64)
    number[roots] = np.arange(len(roots))
    leaf_cell = np.where(kept, number[cluster], -1)
    cells = len(roots)
    volume = np.bincount(leaf_cell[kept], cut.volume[kept], minlength=cells)
    centre = row_sums(leaf_cell[kept], cut.volume[kept, None] * cut.centre[kept], cells) / volume[:, None]
    a, b = leaf_cell[faces.left], np.where(faces.right >= 0, leaf_cell[np.maximum(faces.right, 0)], -2)
    open_face = (cut.aperture > 0) & (a >= 0)
    inner = np.nonzero(open_face & (b >= 0) & (a != b))[0]
    outer = np.nonzero(open_face & (faces.right < 0))[0]
    axes = np.eye(3)
    swap = a[inner] > b[inner]
    left, right = np.where(swap, b[inner], a[inner]), np.where(swap, a[inner], b[inner])
    normal = axes[faces.axis[inner]] * np.where(swap, -1.0, 1.0)[:, None]
    order = np.lexsort((right, left))
    left, right, normal, inner = left[order], right[order], normal[order], inner[order]
    side = -1 - faces.right[outer]
    boundary_normal = axes[side // 2] * np.where(side % 2 == 0, -1.0, 1.0)[:, None]
    order = np.argsort(side, kind="stable")
    outer, side, boundary_normal = outer[order], side[order], boundary_normal[order]
    size = np.linalg.norm(cut.wall_vector, axis=1)
    walled = np.nonzero(kept & (size > 1e-11 * tree.size**2))[0]
    triangle = np.empty(0, dtype=np.int64)
    patch_of = np.empty(0, dtype=np.int64)
    if len(walled):
        triangle = obstacle.tree.nearest(cut.wall_centre[walled])[1]
        patch_of = obstacle.surface.patch[triangle]
        order = np.argsort(patch_of, kind="stable")
        walled, triangle, patch_of = walled[order], triangle[order], patch_of[order]
    first_box, first_wall = len(inner), len(inner) + len(outer)
    boundaries = {name: first_box + np.nonzero(side == k)[0] for k, name in enumerate(SIDES)}
    names = obstacle.surface.patches if obstacle else ()
    walls = tuple(map(boundary_of, names))
    for k, name in enumerate(walls):
        boundaries[name] = first_wall + np.nonzero(patch_of == k)[0]
    joined = dict(
        left=np.concatenate([left, a[outer], leaf_cell[walled]]),
        right=np.concatenate([right, np.full(len(outer) + len(walled), -1)]),
        normal=np.concatenate([normal, boundary_normal, cut.wall_vector[walled] / size[walled, None]]),
        area=np.concatenate([cut.aperture[inner], cut.aperture[outer], size[walled]]),
        face_centre=np.concatenate([cut.face_centre[inner], cut.face_centre[outer], cut.wall_centre[walled]]))
    distance = np.full(cells, 1e9)
    if obstacle is not None:
        distance = np.maximum(cut.distance[roots], 0.0)
        moved = np.abs(cut.distance[roots]) <= 2.0 * HALF_DIAGONAL * tree.size[roots]
        distance[moved] = obstacle.signed_distance(centre[moved])[0]
        distance = np.maximum(distance, 0.02 * tree.size[roots])
    return SpatialMesh(**joined, volume=volume, centre=centre, size=tree.size[roots], boundaries=boundaries,
                       walls=walls, wall_triangle=triangle, distance=distance, tree=tree, leaf_cell=leaf_cell,
                       obstacle=obstacle, notes=notes)


def mesh_quality(mesh):
    """Numbers of a grid's quality: smallest and least cut cube, closure of the cells."""
    cube = mesh.size[~mesh.is_layer]
    share = mesh.volume[~mesh.is_layer] / cube**3
    return {
        "cells": int(mesh.n_cells), "smallest": float(cube.min()), "largest": float(cube.max()),
        "cut": int((share < 0.999).sum()), "least_share": float(share.min()), "closure": float(
            (np.linalg.norm(mesh.openness(), axis=1) / mesh.width**2).max()),
        "faces_on_body": int(len(mesh.wall_faces()))
    }
