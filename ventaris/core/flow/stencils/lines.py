"""Gradients along the lines of a grid of hexahedra.

The derivative along each of the three lines through a cell comes from its two neighbours there, of second
order on uneven steps, and is turned into a gradient by the same derivative of the position. Along a curved
wall both neighbours stand in the same layer, so a layer's profile makes no gradient along the wall; least
squares over straight distances did, and a row's march then stalled at a tenth of its start.
"""
import numpy as np

# One neighbour counts as no more than so many times as far as the other.
UNEVEN = 4.0


def line_rows(mesh, feet=None):
    """Stencil rows and weights of every cell.

    Parameters
    ----------
    mesh : PassageMesh
        `mesh.lines`, shape (n_own, 3, 2), holds the neighbours behind and ahead on each line, -1 for none.
    feet : tuple (faces, points) or None
        Boundary faces whose foot on the cell takes the place of a neighbour that is missing there.

    Returns
    -------
    start, member : ndarray of int
        `member` is -1 - b for the foot on boundary face b.
    weights : ndarray, shape (m, 3), single precision
    """
    n = mesh.n_own
    neighbour = mesh.lines.copy()
    there = neighbour >= 0
    way = np.where(there[..., None], mesh.centre[neighbour] - mesh.centre[:n, None, None], 0.0)
    if feet is not None:
        _put_feet(mesh, feet, neighbour, there, way)
    length = np.linalg.norm(way, axis=-1)
    behind, ahead = length[..., 0], length[..., 1]
    both = there.all(axis=-1)
    far = np.maximum(behind, ahead) / UNEVEN
    b, a = np.where(both, np.maximum(behind, far), behind), np.where(both, np.maximum(ahead, far), ahead)
    share = np.zeros((n, 3, 2))
    total = np.maximum(a * b * (a + b), 1e-300)
    share[..., 0] = np.where(both, -a * a / total, np.where(there[..., 0], -1.0 / np.maximum(b, 1e-300), 0.0))
    share[..., 1] = np.where(both, b * b / total, np.where(there[..., 1], 1.0 / np.maximum(a, 1e-300), 0.0))
    # Rows: derivative of the position along each line.
    tangent = np.einsum("ild,ildk->ilk", share, way)
    inverse = np.linalg.inv(tangent)
    weights = np.einsum("ikl,ild->ildk", inverse, share).reshape(-1, 3)[there.ravel()]
    counts = np.concatenate([there.reshape(n, -1).sum(axis=1), np.zeros(mesh.n_cells - n, dtype=np.int64)])
    return (np.concatenate([[0], np.cumsum(counts)]), neighbour.reshape(-1)[there.ravel()],
            weights.astype(np.float32))


def _put_feet(mesh, feet, neighbour, there, way):
    faces, points = feet
    cell, slot = mesh.left[faces], mesh.slot[faces]
    line, end = np.divmod(slot, 2)
    neighbour[cell, line, end] = -1 - (faces - mesh.n_interior)
    there[cell, line, end] = True
    way[cell, line, end] = points - mesh.centre[cell]
