"""How thick a body's walls are and how wide its gaps, seen from points on its surface.

From each point a line is cast along the normal to both sides, up to a reach.  What it meets lies
across a wall where the middle of the way is inside the body, across a gap where it is in the air.
"""
from dataclasses import dataclass

import numpy as np

# Points on the surface; the same every time.
SAMPLES, SEED = 6000, 5
# Surfaces that do not face each other (the sides of a corner) have neither wall nor gap between them.
FACING = 0.7
# Wound round by more than this is inside, whichever way the triangles are turned.
INSIDE = 0.5


@dataclass(frozen=True)
class Clearances:
    """Walls and gaps at points on a surface, metres (infinite where none is within reach).

    Attributes
    ----------
    part : ndarray of int, shape (k,)
    points : ndarray, shape (k, 3)
    wall, gap : ndarray, shape (k,)
    """

    part: np.ndarray
    points: np.ndarray
    wall: np.ndarray
    gap: np.ndarray

    def share_of_part(self, number, size):
        """(share of a part's surface over walls thinner than a size, their median thickness); (0, inf)
        without any."""
        own = self.part == number
        thin = own & (self.wall < size)
        return (float(thin.sum() / max(own.sum(), 1)),
                float(np.median(self.wall[thin]))) if thin.any() else (0.0, np.inf)


def measure_clearances(surface, reach):
    """Walls and gaps up to `reach` metres.

    Parameters
    ----------
    surface : Surface
    reach : float

    Returns
    -------
    Clearances
    """
    rng = np.random.default_rng(SEED)
    area = np.where(np.isfinite(surface.areas), surface.areas, 0.0)
    chosen = np.searchsorted(np.cumsum(area),
                             (np.arange(SAMPLES) + rng.random(SAMPLES)) / SAMPLES * area.sum())
    chosen = np.minimum(chosen, len(area) - 1)
    # Small triangles of slots and edges are few in area: some are looked at whatever their size.
    few = rng.permutation(np.nonzero(area > 0)[0])[:SAMPLES // 2]
    u, v = rng.random((2, SAMPLES))
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    a, b, c = surface.corners[chosen].transpose(1, 0, 2)
    points = np.concatenate(
        [a + u[:, None] * (b - a) + v[:, None] * (c - a), surface.corners[few].mean(axis=1)])
    triangle = np.concatenate([chosen, few])
    normal = surface.normals[triangle]
    off = 1e-6 * float(surface.size.max())
    wall, gap = np.full(len(points), np.inf), np.full(len(points), np.inf)
    for sign in (-1.0, 1.0):
        start = points + sign * off * normal
        share, hit = surface.tree.crossings(start, points + sign * reach * normal)
        met = np.nonzero(np.isfinite(share) & (hit >= 0))[0]
        met = met[np.abs((normal[met] * surface.normals[hit[met]]).sum(axis=1)) > FACING]
        if not len(met):
            continue
        way = off + share[met] * (reach - off)
        middle = points[met] + 0.5 * sign * way[:, None] * normal[met]
        inside = (np.abs(surface.tree.winding(middle)) > INSIDE).any(axis=1)
        wall[met[inside]] = np.minimum(wall[met[inside]], way[inside])
        gap[met[~inside]] = np.minimum(gap[met[~inside]], way[~inside])
    return Clearances(surface.part[triangle], points, wall, gap)
