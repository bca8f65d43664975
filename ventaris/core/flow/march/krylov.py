"""GMRES with right preconditioning.

References
----------
Saad, Schultz: GMRES: a generalized minimal residual algorithm for solving
nonsymmetric linear systems, SIAM J. Sci. Stat. Comput. 7, 1986.
"""
import numpy as np

# A vector that loses more than this share of its length to the others is made orthogonal to them once more.
CANCELLED = 0.9


def gmres(product, precondition, rhs, tolerance, most, kept=None):
    """Solve A x = rhs, started from zero.

    Parameters
    ----------
    product, precondition : callables on arrays of rhs's shape
        Linear both: the answer is preconditioned once more at the end, which costs less than keeping every
        preconditioned vector.
    rhs : ndarray
        Its precision is that of all vectors.
    tolerance : float
        Wanted reduction of the residual norm.
    most : int
        Largest number of Krylov vectors.
    kept : int or None
        Vectors that may be in memory at once: after so many the solution starts anew from what it has
        reached. None keeps all.

    Returns
    -------
    x : ndarray
    vectors : int
    reached : float
        Residual norm over that of the right-hand side.
    """
    kept = kept or most
    x, used, reached = _cycle(product, precondition, rhs, tolerance, min(kept, most))
    while tolerance < reached < 1.0 and used < most:
        more, further, share = _cycle(product, precondition, rhs - product(x), tolerance / reached,
                                      min(kept, most - used))
        x += more
        used, reached = used + max(further, 1), reached * share
    return x, used, reached


def _cycle(product, precondition, rhs, tolerance, most):
    """One run of the method from zero, all of its vectors in memory."""
    shape, size = rhs.shape, rhs.size
    beta = np.linalg.norm(rhs)
    if beta == 0:
        return np.zeros_like(rhs), 0, 0.0
    basis = np.empty((most + 1, size), dtype=rhs.dtype)
    basis[0] = rhs.ravel() / beta
    hessenberg = np.zeros((most + 1, most))
    rotations = np.zeros((most, 2))
    g = np.zeros(most + 1)
    g[0] = beta
    used = 0
    for j in range(most):
        w = product(precondition(basis[j].reshape(shape))).ravel()
        for _ in range(2):
            h = basis[:j + 1] @ w
            w -= h @ basis[:j + 1]
            hessenberg[:j + 1, j] += h
            height = np.linalg.norm(w)
            if height > (1 - CANCELLED) * np.hypot(height, np.linalg.norm(h)):
                break
        column = hessenberg[:, j]
        for i in range(j):
            c, s = rotations[i]
            column[i], column[i + 1] = c * column[i] + s * column[i + 1], c * column[i + 1] - s * column[i]
        radius = np.hypot(column[j], height)
        used = j + 1
        if not np.isfinite(radius) or radius == 0:
            used = j
            break
        c, s = column[j] / radius, height / radius
        rotations[j] = c, s
        column[j] = radius
        g[j], g[j + 1] = c * g[j], -s * g[j]
        if abs(g[j + 1]) <= tolerance * beta or height == 0:
            break
        np.divide(w, height, out=basis[j + 1])
    if used == 0:
        return np.zeros_like(rhs), 0, 1.0
    y = np.linalg.solve(np.triu(hessenberg[:used, :used]), g[:used])
    return precondition((y.astype(rhs.dtype) @ basis[:used]).reshape(shape)), used, abs(g[used]) / beta
