"""Layers at the wall and the octree outside their hull, joined face to face as one mesh."""
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from ..shapes.surface import Surface
from .cut_cells import Obstacle
from .embedded import SpatialMesh, boundary_of, embed
from .mesh import MeshError, row_sums
from .octree import morton
from .pieces import GRAZED, clip_hull, closed, gathered, islands, link_islands
from .prisms import ALONE, PLANE, WALL, loop_vectors

# Area vectors of a cell, over its largest face, that may remain open.
OPEN = 1e-9
# Least distance of a cell's centre from the wall, over its height.
LEAST_DISTANCE = 0.02
# Share of a cell's height above its own foot below which another wall is nearer.
NEARER = 0.7


@dataclass
class LayeredMesh(SpatialMesh):
    """A SpatialMesh with wall layers.

    Attributes
    ----------
    size : ndarray, shape (n_cells,)
        Of a cell of the layers its height.
    width : ndarray, shape (n_cells,)
        Root of the largest face; of cubes their edge.
    is_layer : ndarray of bool, shape (n_cells,)
    away : ndarray, shape (n_cells, 3)
        The wall's normal at the foot of a cell's column; zero for cubes.
    beside : ndarray of bool, shape (n_leaves,)
        Leaves that the hull cuts or holds.
    hull : Obstacle
        What encloses the layers.
    foot_span : ndarray, shape (n_cells, 2)
        Least and largest y of the wall under a cell's column; zero for cubes.
    lined, column_lines : ndarray of int, shapes (m,) and (m, 3, 2)
        Cells with lines through them: two from column to column and one off the wall; the cells behind and
        ahead on each, -1 for none. Over the last one of a column the cubes that touch it are ahead.
    """

    width: np.ndarray = None
    is_layer: np.ndarray = None
    away: np.ndarray = None
    beside: np.ndarray = None
    hull: object = None
    foot_span: np.ndarray = None
    lined: np.ndarray = None
    column_lines: np.ndarray = None

    def wall_spans(self):
        """See `SpatialMesh.wall_spans`; of layers the extent of the face itself."""
        wall, spans = self.wall_faces(), super().wall_spans()
        own = self.is_layer[self.left[wall]]
        spans[own] = self.foot_span[self.left[wall[own]]]
        return spans

    @cached_property
    def _in_layers(self):
        """The cells of the layers, and a search tree of their centres."""
        cells = np.nonzero(self.is_layer)[0]
        return cells, cKDTree(self.centre[cells])

    def containing(self, points):
        """Cell that holds each point, -1 in the body or outside; within the layers the one whose centre is
        nearest."""
        points = np.asarray(points, dtype=float)
        leaf = self.tree.containing(points)
        cell = np.where(leaf >= 0, self.leaf_cell[np.maximum(leaf, 0)], -1)
        near = np.nonzero((leaf >= 0) & self.beside[np.maximum(leaf, 0)])[0]
        if len(near):
            layers, centres = self._in_layers
            outside = self.obstacle.signed_distance(points[near])[0] > 0
            in_hull = self.hull.signed_distance(points[near])[0] <= 0
            cell[near[~outside]] = -1
            inside = near[outside & in_hull]
            cell[inside] = layers[centres.query(points[inside])[1]]
        return cell


def hull_of(layers, half):
    """The hull as an obstacle for the octree; of half a body with its mirror image, so that inside and
    outside are told at the plane."""
    corners = layers.triangles
    if half:
        corners = np.concatenate([corners, (corners * [1, -1, 1])[:, ::-1]])
    points, index = np.unique(np.round(corners.reshape(-1, 3), 12), axis=0, return_inverse=True)
    triangles = index.reshape(-1, 3)
    a, b, c = triangles.T
    surface = Surface.of(points, triangles[(a != b) & (b != c) & (c != a)])
    return Obstacle(surface, np.zeros(1, dtype=bool), np.zeros(1))


def join(tree, layers, hull, obstacle, half):
    """One mesh of the layers and of the cubes outside their hull.

    Parameters
    ----------
    tree : Octree
    layers : PrismLayers
    hull, obstacle : Obstacle
        The layers' hull and the body itself.
    half : bool
        Whether y = 0 is a symmetry plane.

    Returns
    -------
    LayeredMesh

    Raises
    ------
    MeshError
        If cells cannot be closed.
    """
    outer = embed(tree, hull)
    walled, wanted, area, centre = _walls_of_cells(outer)
    pieces, bare = _clipped(tree, outer, layers, walled, area, centre)
    vector, plane = layers.vector.copy(), np.nonzero(layers.right == PLANE)[0]
    behind = layers.owner[layers.behind]
    tops = loop_vectors(layers.quads[layers.behind])
    outermost = plane[np.isin(layers.left[plane], behind)] if half else plane[:0]
    at_plane = np.isin(behind, layers.left[outermost])
    pieces = link_islands(pieces, wanted, tops, centre, layers.quads[layers.behind].mean(axis=1), bare.area,
                          at_plane)
    if half:
        _settle_at_plane(pieces, wanted, tops, bare.area, layers, outermost, vector)
    pieces.area = np.maximum(pieces.area, 1e-8 * outer.size[walled[pieces.cell]]**2)
    pieces = closed(pieces, wanted, tops, bare.area)
    open_wall = row_sums(pieces.cell, pieces.vector, len(walled)) - wanted
    mesh = _assembled(outer, layers, vector, pieces, walled, bare, open_wall, hull, obstacle)
    _check(mesh)
    return mesh


def _walls_of_cells(outer):
    """Cells of the octree with a wall; the sum of the pieces that each needs, the wall's area and centre.

    By what their other faces leave open: walls too small to be faces count as well.
    """
    first, vector, n = outer.n_interior, outer.normal * outer.area[:, None], outer.n_cells
    wall = outer.wall_faces()
    other = np.setdiff1d(np.arange(outer.n_faces), wall)
    wanted = row_sums(outer.left[other], vector[other], n) - row_sums(outer.right[:first], vector[:first], n)
    size = np.linalg.norm(wanted, axis=1)
    walled = np.zeros(n, dtype=bool)
    walled[outer.left[wall]] = True
    cell = np.nonzero(walled | (size > 1e-14 * outer.size**2))[0]
    area = np.bincount(outer.left[wall], outer.area[wall], minlength=n)
    centre = row_sums(outer.left[wall], outer.area[wall, None] * outer.face_centre[wall], n)
    centre = np.where(area[:, None] > 0, centre / np.maximum(area, 1e-300)[:, None], outer.centre)
    return cell, wanted[cell], np.maximum(area, size)[cell], centre[cell]


@dataclass
class BareWall:
    """Wall without layers in the cut cubes: its area (0: none) and centre."""

    area: np.ndarray
    centre: np.ndarray


def _clipped(tree, outer, layers, walled, wall_area, wall_centre):
    """Pieces of hull in the cut cubes (numbered among them), and the bare wall there."""
    leaf, triangle, vector, centre = clip_hull(tree, outer.leaf_cell, layers.triangles)
    quad, n = layers.of_quad[triangle], len(walled)
    number = np.full(outer.n_cells + 1, -1)
    number[walled] = np.arange(n)
    cell = number[outer.leaf_cell[leaf]]
    is_bare = layers.owner[quad] < 0
    area = np.linalg.norm(vector, axis=1)
    use = (cell >= 0) | ~is_bare
    cell, quad, vector, centre, is_bare, area = (x[use] for x in (cell, quad, vector, centre, is_bare, area))
    lost = cell < 0
    cell[lost] = cKDTree(wall_centre).query(centre[lost])[1]
    naked = np.bincount(cell[is_bare], area[is_bare], minlength=n).astype(float)
    middle = row_sums(cell[is_bare], area[is_bare, None] * centre[is_bare], n)
    middle = middle / np.maximum(naked, 1e-300)[:, None]
    bare = BareWall(naked, middle)
    # Grazed by a bare wall: not enough to hang the closure on.
    bare.area[bare.area < GRAZED * outer.size[walled]**2] = 0.0
    kept = ~is_bare
    pieces = gathered(cell[kept], layers.tops[quad[kept]], vector[kept], centre[kept], outer.size[walled])
    pieces = _none_forgotten(pieces, bare, layers, wall_area, wall_centre, outer.size[walled])
    return pieces, bare


def _none_forgotten(pieces, bare, layers, wall_area, wall_centre, size):
    """A piece for every cut cube and every hull face that the clipping missed."""
    n, quad_centre = len(wall_area), layers.quads[layers.behind].mean(axis=1)
    forgotten = np.setdiff1d(np.arange(n), np.union1d(pieces.cell, np.nonzero(bare.area > 0)[0]))
    if len(forgotten):
        gap, near = cKDTree(quad_centre).query(wall_centre[forgotten])
        walls = layers.quads[layers.owner < 0].mean(axis=1)
        to_bare = cKDTree(walls).query(wall_centre[forgotten])[0] if len(walls) else np.full(len(gap), np.inf)
        naked = (to_bare < gap) & (wall_area[forgotten] > GRAZED * size[forgotten]**2)
        own = forgotten[naked]
        bare.area[own], bare.centre[own] = wall_area[own], wall_centre[own]
        cell, near = forgotten[~naked], near[~naked]
        pieces = pieces.with_more(cell, near, np.zeros((len(cell), 3)), wall_centre[cell], wall_area[cell])
    missed = np.setdiff1d(np.arange(len(quad_centre)), pieces.quad)
    if len(missed):
        vector = loop_vectors(layers.quads[layers.behind[missed]])
        pieces = pieces.with_more(cKDTree(wall_centre).query(quad_centre[missed])[1], missed, vector,
                                  quad_centre[missed], np.linalg.norm(vector, axis=1))
    return pieces


def _settle_at_plane(pieces, wanted, tops, earth, layers, outermost, vector):
    """Let the outermost faces on the symmetry plane take (in y) what the cutter sees differently there."""
    label, earthed = islands(pieces, len(wanted), len(tops), earth)
    gap = np.bincount(label, np.concatenate([wanted[:, 1], -tops[:, 1]]), minlength=len(earthed))
    place = np.full(len(layers.volume), -1)
    place[layers.owner[layers.behind]] = np.arange(len(tops))
    top = place[layers.left[outermost]]
    for part in np.nonzero(~earthed & (np.abs(gap) > 0))[0]:
        mine = label[len(wanted) + top] == part
        face = outermost[mine]
        if len(face):
            share = np.linalg.norm(vector[face], axis=1)
            share *= gap[part] / share.sum()
            np.add.at(tops[:, 1], top[mine], share)
            vector[face, 1] -= share


def _numbering(tree, layers, outer):
    """New numbers of the layers' and the octree's cells along the Z-order, a column's from the wall
    outward."""
    last = layers.cell_centre[layers.count - 1::layers.count]
    lattice = [np.clip(((x - tree.low) / tree.step).astype(np.int64), 0, tree.counts - 1)
               for x in (last, outer.centre)]
    code = np.concatenate([np.repeat(morton(lattice[0]), layers.count), morton(lattice[1])])
    number = np.empty(len(code), dtype=np.int64)
    number[np.argsort(code, kind="stable")] = np.arange(len(code))
    return number[:len(layers.volume)], number[len(layers.volume):]


def _assembled(outer, layers, vector, pieces, walled, bare, open_wall, hull, obstacle):
    """Faces and cells in the order of the new numbers."""
    own, out = _numbering(outer.tree, layers, outer)
    left, right, vectors, centres = _inner_faces(outer, layers, vector, pieces, walled, own, out)
    sides, triangle = _boundary_faces(outer, layers, vector, walled, bare, open_wall, own, out, obstacle)
    boundaries, at = {}, len(left)
    for name, (cell, _, _) in sides.items():
        boundaries[name] = at + np.arange(len(cell))
        at += len(cell)
    cell, face_vector, face_centre = (np.concatenate([side[k] for side in sides.values()]) for k in range(3))
    vectors, centres = np.concatenate([vectors, face_vector]), np.concatenate([centres, face_centre])
    area = np.linalg.norm(vectors, axis=1)

    def both(layer, cube):
        x = np.empty((len(own) + len(out), *np.shape(cube)[1:]), dtype=np.asarray(cube).dtype)
        x[own], x[out] = layer, cube
        return x

    centre = both(layers.cell_centre, outer.centre)
    size = both(layers.volume / np.maximum(layers.widest, 1e-300), outer.size)
    way = np.repeat(layers.normal, layers.count, axis=0)
    distance = obstacle.signed_distance(centre)[0]
    distance[own] = _distances(layers, obstacle, distance[own])
    leaf_cell, beside = _leaves(outer, layers, own, out, obstacle)
    lined, lines = _column_lines(layers, own)
    return LayeredMesh(
        left=np.concatenate([left, cell]), right=np.concatenate([right, np.full(len(cell), -1)]),
        normal=vectors / np.maximum(area, 1e-300)[:, None], area=area, face_centre=centres,
        volume=both(layers.volume, outer.volume), centre=centre, size=size, boundaries=boundaries,
        walls=tuple(n for n in sides if n not in outer.boundaries or n in outer.walls),
        wall_triangle=triangle, distance=np.maximum(distance, LEAST_DISTANCE * size), tree=outer.tree,
        leaf_cell=leaf_cell, obstacle=obstacle, notes=outer.notes,
        width=both(np.sqrt(layers.widest), outer.size), is_layer=both(np.ones(len(own), dtype=bool),
                                                                      np.zeros(len(out), dtype=bool)),
        away=both(way, np.zeros((len(out), 3))), beside=beside, hull=hull,
        foot_span=both(np.repeat(layers.span, layers.count, axis=0), np.zeros((len(out), 2))),
        lined=lined, column_lines=lines)


def _column_lines(layers, own):
    """See `LayeredMesh.lined`: columns of triangles and those beside dropped ones, whose sides touch cubes,
    are left out."""
    n, columns = layers.count, len(layers.beside)
    top = np.arange(columns) * n + n - 1
    bare_side = np.isin(top, layers.owner[layers.behind][columns:])
    through = np.nonzero((layers.beside != ALONE).all(axis=1) & ~bare_side)[0]
    cell = (through[:, None] * n + np.arange(n)).reshape(-1)
    lines = np.full((len(through), n, 3, 2), -1)
    for line, ends in enumerate(((1, 3), (0, 2))):
        column = layers.beside[through][:, ends]
        there = own[np.maximum(column, 0)[:, None, :] * n + np.arange(n)[:, None]]
        lines[:, :, line] = np.where((column >= 0)[:, None], there, -1)
    number = own[cell].reshape(-1, n)
    lines[:, 1:, 2, 0], lines[:, :-1, 2, 1] = number[:, :-1], number[:, 1:]
    return own[cell], lines.reshape(-1, 3, 2)


def _distances(layers, obstacle, found):
    """Wall distance of the layers' cells from that to the surface's triangles.

    These may be coarser than the first cells are high, or stand off a surface grid made by other rules: above
    its own foot a cell's height is surer, unless another wall is nearer.
    """
    off = np.repeat(obstacle.tree.nearest(layers.foot)[0], layers.count)
    return np.where(found + off < NEARER * layers.above, found, layers.above)


def _inner_faces(outer, layers, vector, pieces, walled, own, out):
    """Faces between cells, each once from the lower number to the higher."""
    inner, between = outer.n_interior, np.nonzero(layers.right >= 0)[0]
    left = np.concatenate([out[outer.left[:inner]], own[layers.left[between]],
                           own[layers.owner[layers.behind]][pieces.quad]])
    right = np.concatenate([out[outer.right[:inner]], own[layers.right[between]], out[walled[pieces.cell]]])
    vectors = np.concatenate([(outer.normal * outer.area[:, None])[:inner], vector[between], pieces.vector])
    centres = np.concatenate([outer.face_centre[:inner], layers.centre[between], pieces.centre])
    swap = left > right
    left, right = np.where(swap, right, left), np.where(swap, left, right)
    vectors[swap] *= -1.0
    order = np.lexsort((right, left))
    order = order[np.linalg.norm(vectors[order], axis=1) > 1e-16]
    return left[order], right[order], vectors[order], centres[order]


def _boundary_faces(outer, layers, vector, walled, bare, open_wall, own, out, obstacle):
    """{name: (cell, vector, centre)} of the sides of the box and of the body's surfaces; nearest triangle of
    each wall face."""
    sides = {}
    plane, wall = (np.nonzero(layers.right == what)[0] for what in (PLANE, WALL))
    for name, faces in outer.boundaries.items():
        if name not in outer.walls:
            sides[name] = (out[outer.left[faces]], (outer.normal * outer.area[:, None])[faces],
                           outer.face_centre[faces])
    if len(plane):
        more = own[layers.left[plane]], vector[plane], layers.centre[plane]
        sides["left"] = tuple(np.concatenate(pair) for pair in zip(sides["left"], more))
    wall = wall[np.linalg.norm(vector[wall], axis=1) > 1e-15]
    naked = np.nonzero(bare.area > 0)[0]
    cell = np.concatenate([own[layers.left[wall]], out[walled[naked]]])
    vectors = np.concatenate([vector[wall], open_wall[naked]])
    centres = np.concatenate([layers.centre[wall], bare.centre[naked]])
    triangle = _nearest_facing(obstacle, centres, vectors)
    patch = obstacle.surface.patch[triangle]
    kept = []
    for k, name in enumerate(obstacle.surface.patches):
        mine = np.nonzero(patch == k)[0]
        sides[boundary_of(name)] = cell[mine], vectors[mine], centres[mine]
        kept.append(triangle[mine])
    return sides, np.concatenate(kept)


def _nearest_facing(obstacle, points, vectors):
    """Nearest triangle of each wall face; near an edge the one that looks the same way."""
    way = vectors / np.maximum(np.linalg.norm(vectors, axis=1), 1e-300)[:, None]
    reach = 0.05 * np.sqrt(np.linalg.norm(vectors, axis=1))[:, None]
    # A little off the body, so that of two sides of an edge the own one is nearer.
    return obstacle.tree.nearest(points - reach * way)[1]


def _leaves(outer, layers, own, out, obstacle):
    """Cell of each leaf (in the layers the one whose centre is nearest), and the leaves at the hull."""
    tree = outer.tree
    leaf_cell = np.where(outer.leaf_cell >= 0, out[np.maximum(outer.leaf_cell, 0)], -1)
    beside = tree.meeting(layers.quads.min(axis=(0, 1)), layers.quads.max(axis=(0, 1)))
    dry = np.nonzero(beside & (leaf_cell < 0))[0]
    wet = dry[obstacle.signed_distance(tree.centre[dry])[0] > 0]
    leaf_cell[wet] = own[cKDTree(layers.cell_centre).query(tree.centre[wet])[1]]
    return leaf_cell, beside


def _check(mesh):
    """That every cell is closed and has a volume; raises MeshError."""
    gap = np.linalg.norm(mesh.openness(), axis=1) / mesh.width**2
    if not np.all(mesh.volume > 0) or not gap.max() < OPEN:
        worst = int(np.argmax(np.where(mesh.volume > 0, gap, np.inf)))
        at = ", ".join(f"{x:.4g}" for x in mesh.centre[worst])
        raise MeshError(f"the wall layers do not join the cubes at ({at})")
