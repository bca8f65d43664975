"""Carry a solution from one grid level to the next finer one."""
import numpy as np
from scipy.spatial import cKDTree

from ..stencils.plane import gradient_stencils


def parent_cells(coarse, fine):
    """Coarse cell under each fine cell of two nested meshes, shape (n_fine,).

    Uses the generator's layout where both meshes have one, otherwise the nearest centre.
    """
    a, b = coarse.layout, fine.layout
    if a.get("topology") == b.get("topology") == "hybrid":
        # Wall layers are nested; the triangles are not.
        parents, offset = cKDTree(coarse.centre).query(fine.centre)[1], [0, 0]
        for low, high in zip(a["blocks"], b["blocks"]):
            cells = high[0] * high[1]
            parents[offset[1]:offset[1] + cells] = _block_parents(low, high, offset[0])
            offset = [offset[0] + low[0] * low[1], offset[1] + cells]
        return parents
    if a.get("topology") == b.get("topology") == "lattice":
        factor = [n // m for n, m in zip(b["order"].shape, a["order"].shape)]
        i, j = np.nonzero(b["order"] >= 0)
        parents = np.empty(fine.n_cells, dtype=np.int64)
        parents[b["order"][i, j]] = a["order"][i // factor[0], j // factor[1]]
        return parents
    if a.get("topology") != b.get("topology") or "shape" not in a:
        return cKDTree(coarse.centre).query(fine.centre)[1]
    parents = [_block_parents(a["shape"], b["shape"], 0)]
    if a.get("strip"):
        blocks = [tuple(n - 1 for n in layout["strip"]) for layout in (a, b)]
        parents.append(_block_parents(*blocks, a["shape"][0] * a["shape"][1]))
    return np.concatenate(parents)


def _block_parents(coarse_shape, fine_shape, offset):
    i, j = np.indices(fine_shape)
    factor = [f // c for f, c in zip(fine_shape, coarse_shape)]
    return (offset + (i // factor[0]) * coarse_shape[1] + j // factor[1]).ravel()


def prolong(coarse, fine, state, gradients=None, gamma=1.4):
    """A state of one level on the next finer one.

    In a plane by linear interpolation with the coarse cells' own gradients, kept between their neighbours'
    values; in space each fine cell reads the coarse cell that holds its centre, along that cell's
    `gradients`.

    Parameters
    ----------
    coarse, fine : Mesh or SpatialMesh
    state : ndarray, shape (n_coarse, columns)
    gradients : ndarray, shape (n_coarse, 5, 3) or None
    gamma : float

    Returns
    -------
    ndarray, shape (n_fine, columns)
    """
    return _in_plane(coarse, fine, state) if coarse.dim == 2 else _in_space(coarse, fine, state, gradients,
                                                                            gamma)


def _in_plane(coarse, fine, state):
    parent = parent_cells(coarse, fine)
    (start, neighbour, weight), _ = gradient_stencils(coarse)
    owner = np.repeat(np.arange(coarse.n_cells), np.diff(start))
    jump = state[neighbour] - state[owner]
    out = np.empty((fine.n_cells, state.shape[1]))
    offset = fine.centre - coarse.centre[parent]
    for k in range(state.shape[1]):
        gradient = np.stack(
            [np.bincount(owner, weight[:, d] * jump[:, k], minlength=coarse.n_cells) for d in (0, 1)], 1)
        low = state[:, k] + np.minimum(np.minimum.reduceat(jump[:, k], start[:-1]), 0)
        high = state[:, k] + np.maximum(np.maximum.reduceat(jump[:, k], start[:-1]), 0)
        value = state[parent, k] + (gradient[parent] * offset).sum(axis=1)
        out[:, k] = np.clip(value, low[parent], high[parent])
    return out


def _in_space(coarse, fine, state, gradients, gamma):
    cells = coarse.containing(fine.centre)
    lost = np.nonzero(cells < 0)[0]
    if len(lost):
        # The body of the coarse level stands a little differently there.
        cells[lost] = cKDTree(coarse.centre).query(fine.centre[lost])[1]
    out = state[cells].copy()
    if gradients is not None:
        offset = fine.centre - coarse.centre[cells]
        # Within layers the nearest cell is taken as it is: its gradients are far too steep to be followed.
        offset[lost] = offset[coarse.is_layer[cells]] = 0.0
        step = np.einsum("kvi,ki->kv", gradients[cells], offset)
        # Pressure and temperature may change by a fifth of what the cell has; the rest by a tenth of the
        # largest.
        most = np.tile(0.1 * np.maximum(np.abs(state[:, :5]).max(axis=0), 1e-12), (len(cells), 1))
        most[:, 0] = np.minimum(most[:, 0], 0.2 * (out[:, 0] + 1 / gamma))
        most[:, 1] = np.minimum(most[:, 1], 0.2 * out[:, 1])
        out[:, :5] += np.clip(step, -most, most)
    return out
