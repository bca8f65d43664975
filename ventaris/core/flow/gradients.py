"""Stencils and weights of the least-squares gradients.

The stencil of a cell is every cell that shares a point with it: with face
neighbours alone the scheme is unstable on skewed quadrilaterals (the eigenvalue
test in tests/core/test_gradients.py keeps watch).  Weights are inverse distances
squared, measured in the cell's own widths, so that thin wall layers do not let
the far neighbours drown the near ones.
"""
import numpy as np
from scipy.sparse import csr_matrix


def point_neighbours(mesh):
    """Cells that share a point with each cell.

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
    graph.setdiag(0)
    graph.eliminate_zeros()
    graph.sort_indices()
    return graph.indptr.astype(np.int64), graph.indices.astype(np.int64)


def cell_widths(mesh):
    """The two mid-line vectors of each quadrilateral as columns, shape (n_cells, 2, 2)."""
    corner = mesh.points[mesh.cell_nodes]
    one = 0.5 * (corner[:, 1] + corner[:, 2] - corner[:, 0] - corner[:, 3])
    two = 0.5 * (corner[:, 2] + corner[:, 3] - corner[:, 0] - corner[:, 1])
    return np.stack([one, two], axis=2)


def least_squares_weights(mesh, start, owner_points):
    """Weights c with grad_i = sum_k c_k (value_k - value_i).

    Parameters
    ----------
    mesh : Mesh
    start : ndarray, shape (n_cells + 1,)
    owner_points : ndarray, shape (m, 2)
        Position of every stencil member, row after row.

    Returns
    -------
    ndarray, shape (m, 2)
    """
    owner = np.repeat(np.arange(mesh.n_cells), np.diff(start))
    inverse = np.linalg.inv(cell_widths(mesh))
    offset = owner_points - mesh.centre[owner]
    local = np.einsum("kij,kj->ki", inverse[owner], offset)
    weight = 1.0 / np.maximum((local**2).sum(axis=1), 1e-12)
    normal = np.empty((mesh.n_cells, 2, 2))
    for a in range(2):
        for b in range(2):
            normal[:, a, b] = np.bincount(owner, weight * local[:, a] * local[:, b], minlength=mesh.n_cells)
    coefficient = np.einsum("kij,kj->ki", np.linalg.inv(normal)[owner], local) * weight[:, None]
    return np.einsum("kji,kj->ki", inverse[owner], coefficient)


def gradient_stencils(mesh, wall_faces=None):
    """Stencils for scalars and for velocity.

    Parameters
    ----------
    mesh : Mesh
    wall_faces : ndarray or None
        No-slip faces; the velocity stencil of a cell takes in the feet of those on
        itself and on its neighbours (index -1, velocity zero).

    Returns
    -------
    scalar, velocity : tuples (start, neighbour, weight)
    """
    start, neighbour = point_neighbours(mesh)
    scalar = start, neighbour, least_squares_weights(mesh, start, mesh.centre[neighbour])
    if wall_faces is None or len(wall_faces) == 0:
        return scalar, scalar
    owner = mesh.left[wall_faces]
    distance = ((mesh.face_centre[wall_faces] - mesh.centre[owner]) * mesh.normal[wall_faces]).sum(axis=1)
    foot = mesh.centre[owner] + distance[:, None] * mesh.normal[wall_faces]
    rows, positions = [owner], [foot]
    count = np.zeros(mesh.n_cells, dtype=np.int64)
    count[owner] = 1
    wall_of = np.full(mesh.n_cells, -1)
    wall_of[owner] = np.arange(len(owner))
    source = np.repeat(np.arange(mesh.n_cells), np.diff(start))
    shared = (wall_of[neighbour] >= 0) & (count[source] > 0)
    rows.append(source[shared])
    positions.append(foot[wall_of[neighbour[shared]]])
    rows, positions = np.concatenate(rows), np.concatenate(positions)
    all_rows = np.concatenate([source, rows])
    all_points = np.concatenate([mesh.centre[neighbour], positions])
    members = np.concatenate([neighbour, np.full(len(rows), -1)])
    order = np.argsort(all_rows, kind="stable")
    wall_start = np.zeros(mesh.n_cells + 1, dtype=np.int64)
    np.cumsum(np.bincount(all_rows, minlength=mesh.n_cells), out=wall_start[1:])
    weight = least_squares_weights(mesh, wall_start, all_points[order])
    return scalar, (wall_start, members[order], weight)
