"""Stencils and weights of the least-squares gradients.

The stencil of a cell is every cell that shares a point with it: with face
neighbours alone the scheme is unstable on skewed quadrilaterals (the eigenvalue
test in tests/core/test_gradients.py keeps watch).  Weights are inverse distances
squared, measured in the cell's own widths, so that thin wall layers do not let
the far neighbours drown the near ones.
"""
import numpy as np
from scipy.sparse import csr_matrix

from ..boundaries.registry import BLOWN, NO_SLIP

# Walls face the same way where the directions away from them lie within 60 degrees.
SAME_WAY = 0.5


def point_neighbours(mesh):
    """Cells that share a point with each cell, or see it through the seam of a turning zone.

    Returns
    -------
    start : ndarray, shape (n_cells + 1,)
    neighbour : ndarray
    """
    n, width = mesh.cell_nodes.shape
    rows = np.repeat(np.arange(n), width)
    incidence = csr_matrix((np.ones(n * width, dtype=np.int32), (rows, mesh.cell_nodes.ravel())),
                           shape=(n, len(mesh.points)))
    graph = (incidence @ incidence.T).tocsr()
    for zone in mesh.zones:
        one, other = zone.across().reshape(2, -1)
        pairs = csr_matrix((np.ones(len(one), dtype=np.int32), (one, other)), shape=(n, n))
        graph = (graph + pairs + pairs.T).tocsr()
    graph.setdiag(0)
    graph.eliminate_zeros()
    graph.sort_indices()
    return graph.indptr.astype(np.int64), graph.indices.astype(np.int64)


def cell_widths(mesh, cells=slice(None)):
    """The two mid-line vectors of each quadrilateral as columns, shape (n_cells, 2, 2)."""
    corner = mesh.points[mesh.cell_nodes[cells]]
    one = 0.5 * (corner[:, 1] + corner[:, 2] - corner[:, 0] - corner[:, 3])
    two = 0.5 * (corner[:, 2] + corner[:, 3] - corner[:, 0] - corner[:, 1])
    return np.stack([one, two], axis=2)


def least_squares_weights(mesh, start, owner_points, layer=None, cells=None):
    """Weights c with grad_i = sum_k c_k (value_k - value_i).

    Parameters
    ----------
    mesh : Mesh
    start : ndarray, shape (n_cells + 1,)
    owner_points : ndarray, shape (m, 2)
        Position of every stencil member, row after row.
    layer : tuple (inside, direction, rise) or None
        Cells of a curved wall layer (bool per cell), the unit vector away from the wall there, and
        for every member how much farther it is from the wall than the cell.  In these cells that
        rise replaces the offset along the direction: two neighbours along a curved wall are equally
        far from it although the straight tangent says otherwise.
    cells : ndarray of int or None
        Whose rows they are; None are all, one after the other.

    Returns
    -------
    ndarray, shape (m, 2)
    """
    n = len(start) - 1
    owner = np.repeat(np.arange(n), np.diff(start))
    inverse = np.linalg.inv(cell_widths(mesh) if cells is None else cell_widths(mesh, cells))
    offset = owner_points - mesh.centre[owner if cells is None else cells[owner]]
    if layer is not None:
        inside, direction, rise = layer
        away = direction[owner]
        straight = (offset * away).sum(axis=1)
        offset = offset + (inside[owner] * (rise - straight))[:, None] * away
    local = np.einsum("kij,kj->ki", inverse[owner], offset)
    weight = 1.0 / np.maximum((local**2).sum(axis=1), 1e-12)
    normal = np.empty((n, 2, 2))
    for a in range(2):
        for b in range(2):
            normal[:, a, b] = np.bincount(owner, weight * local[:, a] * local[:, b], minlength=n)
    coefficient = np.einsum("kij,kj->ki", np.linalg.inv(normal)[owner], local) * weight[:, None]
    return np.einsum("kji,kj->ki", inverse[owner], coefficient)


def gradient_stencils(mesh, wall_faces=None):
    """Stencils for scalars and for velocity.

    Parameters
    ----------
    mesh : Mesh
    wall_faces : ndarray or None
        No-slip faces; the velocity stencil of a cell takes in the feet of those on
        itself and on its neighbours (index -1 - b for boundary face b).

    Returns
    -------
    scalar, velocity : tuples (start, neighbour, weight)
    """
    start, neighbour = point_neighbours(mesh)
    scalar = start, neighbour, least_squares_weights(mesh, start, mesh.centre[neighbour])
    if wall_faces is None or len(wall_faces) == 0:
        return scalar, scalar
    rows, members, points = _with_wall_feet(mesh, start, neighbour, wall_faces)
    return scalar, (rows, members, least_squares_weights(mesh, rows, points))


def _with_wall_feet(mesh, start, neighbour, wall_faces):
    """The cell stencils extended by the feet of the wall faces on a cell and on its neighbours."""
    owner = mesh.left[wall_faces]
    distance = ((mesh.face_centre[wall_faces] - mesh.centre[owner]) * mesh.normal[wall_faces]).sum(axis=1)
    foot = mesh.centre[owner] + distance[:, None] * mesh.normal[wall_faces]
    code = -1 - (wall_faces - mesh.n_interior)
    rows, positions, codes = [owner], [foot], [code]
    touches = np.zeros(mesh.n_cells, dtype=bool)
    touches[owner] = True
    wall_of = np.full(mesh.n_cells, -1)
    wall_of[owner] = np.arange(len(owner))
    source = np.repeat(np.arange(mesh.n_cells), np.diff(start))
    shared = (wall_of[neighbour] >= 0) & touches[source]
    rows.append(source[shared])
    positions.append(foot[wall_of[neighbour[shared]]])
    codes.append(code[wall_of[neighbour[shared]]])
    rows, positions = np.concatenate(rows), np.concatenate(positions)
    all_rows = np.concatenate([source, rows])
    order = np.argsort(all_rows, kind="stable")
    extended = np.zeros(mesh.n_cells + 1, dtype=np.int64)
    np.cumsum(np.bincount(all_rows, minlength=mesh.n_cells), out=extended[1:])
    members = np.concatenate([neighbour, np.concatenate(codes)])[order]
    return extended, members, np.concatenate([mesh.centre[neighbour], positions])[order]


def wall_layer_cells(mesh, distance, direction, at_corner):
    """Thin cells that lie along a wall, where the wall distance serves as a coordinate, shape (n_cells,)."""
    widths = cell_widths(mesh)
    size = np.linalg.norm(widths, axis=1)
    thin = np.argmin(size, axis=1)
    axis = widths[np.arange(mesh.n_cells), :, thin] / size.min(axis=1)[:, None]
    aligned = np.abs((axis * direction).sum(axis=1)) > 0.95
    return (size.max(axis=1) > 4 * size.min(axis=1)) & aligned & (distance < 0.3) & ~at_corner


def face_offsets(mesh, layer=None):
    """Offset of each face's centre from its left and right cell, shape (n_faces, 2, 2).

    Parameters
    ----------
    layer : tuple (inside, direction, distance, face_distance) or None
        As for `least_squares_weights`: in wall-layer cells the difference of wall distances
        replaces the offset along the direction away from the wall.
    """
    out = np.zeros((mesh.n_faces, 2, 2))
    for side, cell in enumerate((mesh.left, np.where(mesh.right >= 0, mesh.right, mesh.left))):
        offset = mesh.face_centre - mesh.centre[cell]
        if layer is not None:
            inside, direction, distance, face_distance = layer
            away = direction[cell]
            change = face_distance - distance[cell] - (offset * away).sum(axis=1)
            offset = offset + (inside[cell] * change)[:, None] * away
        out[:, side] = offset
    return out


def layer_stencil(mesh, wall_faces, distance, direction, inside):
    """Stencils for viscous terms on thin, curved wall layers.

    Parameters
    ----------
    mesh : Mesh
    wall_faces : ndarray
        No-slip faces.
    distance, direction : ndarray
        Wall distance of each cell and the unit vector away from the wall.
    inside : ndarray of bool
        Cells of the wall layer, see `wall_layer_cells`.

    Returns
    -------
    scalar, velocity : tuples (start, neighbour, weight)
    """
    start, neighbour = point_neighbours(mesh)

    def weights(rows, members, points):
        owner = np.repeat(np.arange(mesh.n_cells), np.diff(rows))
        rise = np.where(members >= 0, distance[members], 0.0) - distance[owner]
        return rows, members, least_squares_weights(mesh, rows, points, (inside, direction, rise))

    return weights(start, neighbour,
                   mesh.centre[neighbour]), weights(*_with_wall_feet(mesh, start, neighbour, wall_faces))


def _among_their_like(mesh, direction):
    """Cells all of whose neighbours, those at a point among them, lie off a wall that faces about the same
    way. At a sharp trailing edge they do not: the nearest wall of the cells behind is the edge itself, and
    the distance from it says nothing of how far they are. A steady flow bears that; with a wheel that sets
    off, such cells grew hot and cold without end."""
    start, neighbour = point_neighbours(mesh)
    owner = np.repeat(np.arange(mesh.n_cells), np.diff(start))
    other = (direction[owner] * direction[neighbour]).sum(axis=1) < SAME_WAY
    out = np.ones(mesh.n_cells, dtype=bool)
    out[owner[other]] = False
    return out


class PlaneStencils:
    """Stencils of one mesh and its boundary conditions; what stencils offer to a discretisation.

    Attributes
    ----------
    scalar, velocity : tuples (start, neighbour, weight)
        Of the gradients of scalars and of velocity.
    offset : ndarray, shape (n_faces, 2, 2)
        From a face's cells to its centre; on the thin cells of turbulent wall layers by wall distance.
    distance : ndarray or None
        Wall distance of each cell, for a closure.
    walls : ndarray of int or None
        The faces from which it is measured.
    """
    def __init__(self, mesh, kind, cell_faces, turbulent):
        first = mesh.n_interior
        sticky = first + np.nonzero(kind == NO_SLIP)[0]
        self.distance = self.walls = None
        if turbulent:
            self.walls = walls = first + np.nonzero((kind == NO_SLIP) | (kind == BLOWN))[0]
            self.distance, direction, at_corner = mesh.wall_distance(walls)
            inside = wall_layer_cells(mesh, self.distance, direction, at_corner)
            for zone in mesh.zones:
                # The cells of their rings may be as flat, but slide.
                inside[zone.rings] = False
            if mesh.zones:
                inside &= _among_their_like(mesh, direction)
            self.scalar, self.velocity = layer_stencil(mesh, sticky, self.distance, direction, inside)
            at_faces = mesh.wall_distance(walls, mesh.face_centre)[0]
            self.offset = face_offsets(mesh, (inside, direction, self.distance, at_faces))
        else:
            self.scalar, self.velocity = gradient_stencils(mesh, sticky)
            self.offset = face_offsets(mesh)
        self.blend = np.empty(0, dtype=np.float32)

    def mend(self, state, grad):
        """Correct gradients at walls; in a plane the stencils do it."""
