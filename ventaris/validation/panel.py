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
    parts, swirls, lengths = _solve([loop], incidence)
    return float(2 * swirls[0] * lengths[0]), *parts[0]


def solve_elements(loops, incidence):
    """Flow round several closed outlines.

    Parameters
    ----------
    loops : list of ndarray, shape (n_k + 1, 2)
        As for `solve_section`.

    Returns
    -------
    list of (lift, middle, cp)
        The lift of each element on unit chord, from its pressures.
    """
    out = []
    for (middle, cp), loop in zip(_solve(loops, incidence)[0], loops):
        edge = loop[::-1][1:] - loop[::-1][:-1]
        force = (-cp[:, None] * np.stack([-edge[:, 1], edge[:, 0]], axis=1)).sum(0)
        out.append((float(force @ [-np.sin(incidence), np.cos(incidence)]), middle, cp))
    return out


def _solve(loops, incidence):
    """[(middle, cp)], vorticity strength and perimeter of each outline."""
    start = np.concatenate([loop[::-1][:-1] for loop in loops])
    end = np.concatenate([loop[::-1][1:] for loop in loops])
    bounds = np.cumsum([0] + [len(loop) - 1 for loop in loops])
    middle, tangent = 0.5 * (start + end), end - start
    length = np.linalg.norm(tangent, axis=1)
    angle = np.arctan2(tangent[:, 1], tangent[:, 0])
    n, bodies = len(length), len(loops)
    dx, dy = middle[:, None, 0] - start[None, :, 0], middle[:, None, 1] - start[None, :, 1]
    ex, ey = middle[:, None, 0] - end[None, :, 0], middle[:, None, 1] - end[None, :, 1]
    log = 0.5 * np.log((ex**2 + ey**2) / (dx**2 + dy**2))
    turn = np.arctan2(ey * dx - ex * dy, ex * dx + ey * dy)
    np.fill_diagonal(turn, np.pi)
    np.fill_diagonal(log, 0.0)
    delta = angle[:, None] - angle[None, :]
    sine, cosine = np.sin(delta), np.cos(delta)
    along = (sine * turn - cosine * log) / (2 * np.pi)
    swirl = (sine * log + cosine * turn) / (2 * np.pi)
    lift_part = (cosine * log - sine * turn) / (2 * np.pi)
    own = [slice(bounds[k], bounds[k + 1]) for k in range(bodies)]
    by_body = lambda matrix: np.stack([matrix[:, part].sum(axis=1) for part in own], axis=1)
    matrix, rhs = np.zeros((n + bodies, n + bodies)), np.zeros(n + bodies)
    matrix[:n, :n], matrix[:n, n:] = swirl, by_body(lift_part)
    rhs[:n] = np.sin(angle - incidence)
    whole = np.concatenate([along, by_body(swirl)], axis=1)
    for k, part in enumerate(own):
        first, last = part.start, part.stop - 1
        matrix[n + k] = whole[first] + whole[last]
        rhs[n + k] = -np.cos(angle[first] - incidence) - np.cos(angle[last] - incidence)
    strength = np.linalg.solve(matrix, rhs)
    cp = 1 - (np.cos(angle - incidence) + whole @ strength) ** 2
    return [(middle[part], cp[part]) for part in own], strength[n:], [length[part].sum() for part in own]


def karman_tsien(cp, mach):
    """Compressibility correction of an incompressible pressure coefficient (Karman, Tsien 1939-41)."""
    beta = np.sqrt(1 - mach**2)
    return cp / (beta + mach**2 / (1 + beta) * cp / 2)
