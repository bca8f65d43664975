"""Grow layers of cells off a curve: the hyperbolic grid equations, marched outward.

Orthogonality and a given cell area are linearised about the last layer and solved
implicitly along the curve; second differences damp kinks.

References
----------
Steger, Chaussee: Generation of body-fitted coordinates using hyperbolic partial
differential equations, SIAM J. Sci. Stat. Comput. 1, 1980.
Chan, Steger: Enhancements of a three-dimensional hyperbolic grid generation scheme,
Appl. Math. Comput. 51, 1992.
"""
import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu


def grow_layers(curve, heights, closed, smoothing=0.4, spread=0.0):
    """March layers to the left of a curve.

    Parameters
    ----------
    curve : ndarray, shape (n, 2)
        For a closed curve the first point is not repeated at the end.
    heights : ndarray, shape (n_layers, n)
        Height of each layer at each point.
    closed : bool
    smoothing : float
        Strength of the damping in the outer layers.
    spread : float
        How fast the cell areas lose the memory of the curve's own spacing, a layer.

    Returns
    -------
    ndarray, shape (n_layers + 1, n, 2)
    """
    layers = [np.asarray(curve, dtype=float)]
    count = len(heights)
    for k, height in enumerate(heights):
        share = (k + 1) / count
        layers.append(_next_layer(layers[-1], height, closed, smoothing, share, spread))
    return np.stack(layers)


def _differences(r, closed):
    if closed:
        return 0.5 * (np.roll(r, -1, axis=0) - np.roll(r, 1, axis=0))
    d = np.empty_like(r)
    d[1:-1] = 0.5 * (r[2:] - r[:-2])
    d[0], d[-1] = r[1] - r[0], r[-1] - r[-2]
    return d


def _arc(r, closed):
    """Mean of the two neighbouring edge lengths at each point."""
    if closed:
        edge = np.linalg.norm(np.roll(r, -1, axis=0) - r, axis=1)
        return 0.5 * (edge + np.roll(edge, 1))
    edge = np.linalg.norm(np.diff(r, axis=0), axis=1)
    return 0.5 * (np.concatenate([edge[:1], edge]) + np.concatenate([edge, edge[-1:]]))


def _next_layer(r, height, closed, smoothing, share, spread):
    n = len(r)
    tangent = _differences(r, closed)
    arc = _arc(r, closed)
    length2 = np.maximum((tangent**2).sum(axis=1), (0.3 * arc)**2)
    area = arc * height
    if spread:
        for _ in range(2):
            ahead, behind = _neighbours(area, closed)
            area = (1 - spread) * area + 0.5 * spread * (ahead + behind)
    step = np.stack([-tangent[:, 1], tangent[:, 0]], axis=1) * (area / length2)[:, None]
    # At a sharp convex corner the tangent almost vanishes and the area alone would throw the point far out.
    reach = np.linalg.norm(step, axis=1)
    step *= np.minimum(1.0, 1.5 * height / np.maximum(reach, 1e-300))[:, None]
    # C = B^-1 A, both evaluated on the known layer.
    inverse = np.empty((n, 2, 2))
    inverse[:, 0, 0], inverse[:, 0, 1] = tangent[:, 0], -tangent[:, 1]
    inverse[:, 1, 0], inverse[:, 1, 1] = tangent[:, 1], tangent[:, 0]
    inverse /= length2[:, None, None]
    a = np.empty((n, 2, 2))
    a[:, 0, 0], a[:, 0, 1], a[:, 1, 0], a[:, 1, 1] = step[:, 0], step[:, 1], step[:, 1], -step[:, 0]
    c = inverse @ a
    scale = np.sqrt((step**2).sum(axis=1)) / arc
    ahead, behind = _neighbours(r, closed)
    second = ahead - 2 * r + behind
    # Damping pulls a convex corner back into the layer below, so only concave ones get the extra share.
    concave = (second * step).sum(axis=1) > 0
    corner = _corner_sensor(r, closed) * concave
    damping = smoothing * scale * np.sqrt(share) * (1 + corner) + 0.15 * corner * scale
    limit = 0.25 * height / np.maximum(np.linalg.norm(second, axis=1), 1e-300)
    damping = np.where(concave, damping, np.minimum(damping, limit))
    if not closed:
        second[0] = second[-1] = 0
    rhs = step + damping[:, None] * second
    implicit = 2.5 * damping + 0.05
    eye = np.eye(2)[None]
    diagonal = eye + 2 * implicit[:, None, None] * eye
    upper = 0.5 * c - implicit[:, None, None] * eye
    lower = -0.5 * c - implicit[:, None, None] * eye
    move = _solve_block_tridiagonal(lower, diagonal, upper, rhs, closed, height)
    return r + move


def _neighbours(values, closed):
    if closed:
        return np.roll(values, -1, axis=0), np.roll(values, 1, axis=0)
    return np.concatenate([values[1:], values[-1:]]), np.concatenate([values[:1], values[:-1]])


def _corner_sensor(r, closed):
    """1 where the curve turns sharply, 0 where it is straight."""
    ahead, behind = _neighbours(r, closed)
    one, two = ahead - r, r - behind
    norm = np.linalg.norm(one, axis=1) * np.linalg.norm(two, axis=1)
    cosine = np.where(norm > 0, (one * two).sum(axis=1) / np.where(norm > 0, norm, 1), 1)
    return np.clip((1 - cosine) / 0.3, 0, 1)


def _solve_block_tridiagonal(lower, diagonal, upper, rhs, closed, height):
    n = len(rhs)
    index = np.arange(n)
    blocks = [(index, index, diagonal), (index, (index + 1) % n, upper), (index, (index - 1) % n, lower)]
    if not closed:
        # The ends run along the outflow plane: no move in x, the neighbour's move in y.
        diagonal, upper, lower = diagonal.copy(), upper.copy(), lower.copy()
        for end in (0, n - 1):
            diagonal[end], upper[end], lower[end] = np.eye(2), 0, 0
            rhs[end] = 0
        upper[0, 1, 1] = lower[-1, 1, 1] = -1
        blocks = [(index, index, diagonal), (index[:-1], index[1:], upper[:-1]),
                  (index[1:], index[:-1], lower[1:])]
    rows, columns, values = [], [], []
    for i, j, block in blocks:
        for p in range(2):
            for q in range(2):
                rows.append(2 * i + p)
                columns.append(2 * j + q)
                values.append(block[:, p, q])
    matrix = csc_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
                        shape=(2 * n, 2 * n))
    return splu(matrix).solve(rhs.ravel()).reshape(n, 2)
