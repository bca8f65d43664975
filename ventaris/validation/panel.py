"""An independent panel method for incompressible flow round one section.

Sources on straight panels and one vorticity strength, with the Kutta condition.

References
----------
Hess, Smith: Calculation of potential flow about arbitrary bodies, Prog. Aeronaut. Sci. 8, 1967.
"""
import numpy as np


def solve_section(loop, incidence):
    """Flow round a closed outline.

    Parameters
    ----------
    loop : ndarray, shape (n + 1, 2)
        From the trailing edge over the upper side and back (counter-clockwise), closed.
    incidence : float
        Radians.

    Returns
    -------
    lift : float
        Lift coefficient on unit chord, from the circulation.
    middle : ndarray, shape (n, 2)
    cp : ndarray, shape (n,)
    """
    start, end = loop[::-1][:-1], loop[::-1][1:]
    middle, tangent = 0.5 * (start + end), end - start
    length = np.linalg.norm(tangent, axis=1)
    angle = np.arctan2(tangent[:, 1], tangent[:, 0])
    n = len(length)
    dx, dy = middle[:, None, 0] - start[None, :, 0], middle[:, None, 1] - start[None, :, 1]
    ex, ey = middle[:, None, 0] - end[None, :, 0], middle[:, None, 1] - end[None, :, 1]
    log = 0.5 * np.log((ex**2 + ey**2) / (dx**2 + dy**2))
    turn = np.arctan2(ey * dx - ex * dy, ex * dx + ey * dy)
    np.fill_diagonal(turn, np.pi)
    np.fill_diagonal(log, 0.0)
    delta = angle[:, None] - angle[None, :]
    sine, cosine = np.sin(delta), np.cos(delta)
    matrix, rhs = np.zeros((n + 1, n + 1)), np.zeros(n + 1)
    matrix[:n, :n] = (sine * log + cosine * turn) / (2 * np.pi)
    matrix[:n, n] = (cosine * log - sine * turn).sum(axis=1) / (2 * np.pi)
    rhs[:n] = np.sin(angle - incidence)
    along = (sine * turn - cosine * log) / (2 * np.pi)
    swirl = (sine * log + cosine * turn) / (2 * np.pi)
    matrix[n, :n] = along[0] + along[-1]
    matrix[n, n] = swirl[0].sum() + swirl[-1].sum()
    rhs[n] = -np.cos(angle[0] - incidence) - np.cos(angle[-1] - incidence)
    strength = np.linalg.solve(matrix, rhs)
    speed = np.cos(angle - incidence) + along @ strength[:n] + strength[n] * swirl.sum(axis=1)
    return float(2 * strength[n] * length.sum()), middle, 1 - speed**2


def karman_tsien(cp, mach):
    """Compressibility correction of an incompressible pressure coefficient (Karman, Tsien 1939-41)."""
    beta = np.sqrt(1 - mach**2)
    return cp / (beta + mach**2 / (1 + beta) * cp / 2)
