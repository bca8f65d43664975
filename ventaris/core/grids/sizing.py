"""Where wall points stand on outlines, and how large cells may be anywhere.

Sizes follow curvature and the distance to other walls, between a least and a largest size, and
grow no faster than a given rate away from where they are small.
"""
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from .spacing import distribute


@dataclass(frozen=True)
class Zone:
    """A region where cells are at most of a given size.

    Attributes
    ----------
    kind : {"box", "circle", "strip"}
    size : float
    x, y : float
        Middle of a box or circle, start of a strip.
    width, height : float
        Of a box; a circle's diameter is its width; a strip is `width` wide at its start ...
    length, angle : float
        ... and runs for `length` along `angle` (radians), opening slowly.
    """

    kind: str
    size: float
    x: float = 0.0
    y: float = 0.0
    width: float = 1.0
    height: float = 1.0
    length: float = 1.0
    angle: float = 0.0

    def outside(self, points):
        """Distance of points from the zone, 0 within, shape (n,)."""
        d = points - [self.x, self.y]
        if self.kind == "circle":
            return np.maximum(np.linalg.norm(d, axis=1) - 0.5 * self.width, 0)
        if self.kind == "box":
            over = np.maximum(np.abs(d) - 0.5 * np.array([self.width, self.height]), 0)
            return np.linalg.norm(over, axis=1)
        c, s = np.cos(self.angle), np.sin(self.angle)
        along, across = d[:, 0] * c + d[:, 1] * s, np.abs(d[:, 1] * c - d[:, 0] * s)
        half = 0.5 * self.width * (1 + 0.15 * np.clip(along / max(self.width, 1e-9), 0, 20))
        over_along = np.maximum(np.maximum(along - self.length, -along), 0)
        return np.hypot(over_along, np.maximum(across - half, 0))


def wall_arcs(outline, others, plan):
    """Arc lengths of the wall points of an outline; the first is not repeated at the end.

    Parameters
    ----------
    outline : Outline
    others : ndarray, shape (m, 2)
        Points on every other wall.
    plan : HybridGridPlan

    Returns
    -------
    ndarray, shape (n,), n a multiple of 4 between any two corners
    """
    s = np.linspace(0, outline.length, 6001)
    points = outline.at(s)
    wanted = np.full(len(s), plan.wall_size * outline.scale**0.5)
    wanted = np.minimum(wanted, plan.turn_per_cell / np.maximum(outline.curvature(s), 1e-9))
    if len(others):
        gap = cKDTree(others).query(points)[0]
        wanted = np.minimum(wanted, plan.gap_share * gap)
    for corner in outline.corners:
        away = np.abs(s - corner)
        away = np.minimum(away, outline.length - away)
        wanted = np.minimum(wanted, plan.corner_size * outline.scale + plan.wall_growth * away)
    if outline._base:
        across = (s > outline._body) | (s < 0)
        wanted = np.where(across, np.minimum(wanted, outline._base / 6), wanted)
    wanted = np.maximum(wanted, plan.least_size)
    wanted = limit_growth(s, wanted, plan.wall_growth, outline.length)
    breaks = sorted({0.0, *outline.corners, *(t.start for t in outline.stretches)})
    breaks = [b for k, b in enumerate(breaks) if k == 0 or b - breaks[k - 1] > 1e-9 * outline.length]
    arcs = []
    for a, b in zip(breaks, breaks[1:] + [outline.length]):
        inside = np.linspace(a, b, 801)
        count = np.trapezoid(1 / np.interp(inside, s, wanted), inside)
        count = max(4, 4 * int(np.ceil(count / 4 - 0.1)))
        arcs.append(a +
                    distribute(lambda q, a=a: np.interp(q + a, s, wanted), b - a, count, samples=2001)[:-1])
    return np.concatenate(arcs)


def limit_growth(s, size, rate, length):
    """The largest function below `size` whose slope along the closed curve stays below `rate`."""
    period = np.concatenate([size[:-1]] * 3)
    step = rate * np.concatenate([np.diff(s)] * 3)
    total = np.concatenate([[0], np.cumsum(step)])[:-1]
    ahead = np.minimum.accumulate(period - total) + total
    total_back = (step[::-1].cumsum())
    total_back = np.concatenate([[0], total_back])[:-1]
    behind = (np.minimum.accumulate(ahead[::-1] - total_back) + total_back)[::-1]
    n = len(size) - 1
    middle = behind[n:2 * n]
    return np.concatenate([middle, middle[:1]])


class SizeField:
    """Largest edge length allowed at any point of the interior.

    Parameters
    ----------
    fronts : ndarray, shape (n, 2)
    sizes : ndarray, shape (n,)
        Edge lengths at the fronts.
    zones : sequence of Zone
    growth : float
        Growth of the size with the distance.
    largest : float
    scale : float
        Multiplies the zones' sizes on coarser levels.
    """
    def __init__(self, fronts, sizes, zones, growth, largest, scale=1.0):
        self.tree, self.sizes = cKDTree(fronts), sizes
        self.zones, self.growth, self.largest, self.scale = zones, growth, largest, scale

    def __call__(self, points):
        distance, near = self.tree.query(points)
        size = np.minimum(self.sizes[near] + self.growth * distance, self.largest)
        for zone in self.zones:
            size = np.minimum(size, zone.size * self.scale + self.growth * zone.outside(points))
        return size
