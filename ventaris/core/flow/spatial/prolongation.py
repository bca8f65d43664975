"""Carry a solution from one level of an octree grid to the next finer one."""
import numpy as np
from scipy.spatial import cKDTree


def prolong(coarse, fine, state, gradients=None, gamma=1.4):
    """Each fine cell reads the coarse cell that holds its centre, along that cell's gradients.

    Parameters
    ----------
    coarse, fine : SpatialMesh
    state : ndarray, shape (n_coarse, columns)
    gradients : ndarray, shape (n_coarse, 5, 3) or None
    gamma : float

    Returns
    -------
    ndarray, shape (n_fine, columns)
    """
    cells = coarse.containing(fine.centre)
    lost = np.nonzero(cells < 0)[0]
    if len(lost):
        # The body of the coarse level stands a little differently there.
        cells[lost] = cKDTree(coarse.centre).query(fine.centre[lost])[1]
    out = state[cells].copy()
    if gradients is not None:
        offset = fine.centre - coarse.centre[cells]
        offset[lost] = 0.0
        step = np.einsum("kvi,ki->kv", gradients[cells], offset)
        # Pressure and temperature may change by a fifth of what the cell has; the rest by a tenth of the largest.
        most = np.tile(0.1 * np.maximum(np.abs(state[:, :5]).max(axis=0), 1e-12), (len(cells), 1))
        most[:, 0] = np.minimum(most[:, 0], 0.2 * (out[:, 0] + 1 / gamma))
        most[:, 1] = np.minimum(most[:, 1], 0.2 * out[:, 1])
        out[:, :5] += np.clip(step, -most, most)
    return out
