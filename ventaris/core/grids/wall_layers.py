"""Wall layers on a body: how high each column may be, and the layers that come of it."""
from dataclasses import dataclass

import numpy as np

from .prisms import SkinError, column_levels, grow, layer_heights

# Height of the top cells over the cubes outside, and the most that heights change along the wall.
TOP, SLOPE = 0.65, 0.3
# Of the way to a wall opposite, both layers and the air between; cubes that the air must hold; the same
# towards a ground, which has no layer of its own.
OPPOSITE, BETWEEN, TO_GROUND = 2.5, 2.0, 0.6
# Distance from the whole body over the height, below which a column runs along another wall.
CLEAR = 0.45
# Share of its height below which a column is dropped.
LEAST_SHARE = 0.5
# Lengths of a direction on walls that turn by 45 and by 90 degrees, and the height of columns over the cubes
# outside there.
BLUNT, SHARP, AT_EDGE = 1.08, 1.41, 0.5
STATIONS, FOLD_ROUNDS, FOLDED = 8, 12, 0.75
# A few columns without room are no reason to go without layers; with more of the wall bare they are not
# worth it.
MOST_BARE = 0.7


@dataclass(frozen=True)
class LayerPlan:
    """How the layers shall be, fine level, in the solver's unit.

    Attributes
    ----------
    first : float or None
        Height of the first cells; None takes a share of the cubes outside, as flow without friction wants.
    growth : float
    keeps_first : bool
        Whether coarser levels have the same first cells (the wall function's place), or larger ones.
    free : float
        That share.
    """

    first: float | None
    growth: float
    keeps_first: bool
    free: float

    def heights(self, size, coarser):
        """Heights of the cells of a column with cubes of a size, so many times larger than the finest
        level's."""
        first = self.free * size if self.first is None else self.first
        if self.first is not None and not self.keeps_first:
            first *= coarser
        return layer_heights(min(first, TOP * size), self.growth, TOP * size)


def lay(plan, obstacle, skin, size, coarser, ground=None):
    """Layers on what an obstacle encloses.

    Parameters
    ----------
    plan : LayerPlan
    obstacle : Obstacle
    skin : Skin
        Its surface grid.
    size : float
        Largest cubes outside.
    coarser : float
        Their size over the finest level's.
    ground : float or None
        Its height z.

    Returns
    -------
    PrismLayers

    Raises
    ------
    SkinError
        If there is no room for layers, or the surface cannot carry any.
    """
    outside = np.full(len(skin.points), size) if skin.size is None else eased(skin, skin.size)
    z = column_levels(plan.heights(size, coarser), TOP * outside)
    if skin.size is not None:
        z *= eased(skin, np.minimum(z[-1], edge_heights(skin, outside))) / z[-1]
    share = room(skin, obstacle, z[-1], outside, ground)
    kept = share[skin.faces].min(axis=1) > LEAST_SHARE
    if kept.mean() < 1 - MOST_BARE:
        raise SkinError(f"on {100 * (1 - kept.mean()):.0f} % of the wall there is no room for layers")
    return unfolded(skin, z, share)


def edge_heights(skin, size):
    """Greatest height of columns at sharp convex edges, infinite elsewhere, shape (v,).

    Columns of a lattice's surface grid halve the angle there, and cells across it would turn a stream that
    leaves the edge; what has rules of its own fans them out.
    """
    length = np.linalg.norm(skin.direction, axis=1)
    corner, face = skin.faces.ravel(), np.repeat(np.arange(len(skin.faces)), 4)
    off = skin.points[skin.faces].mean(axis=1)[face] - skin.points[corner]
    rise = np.bincount(corner, (off * skin.direction[corner]).sum(axis=1), minlength=len(length))
    sharp = np.clip((length - BLUNT) / (SHARP - BLUNT), 0.0, 1.0)
    tall = np.where(sharp > 0, AT_EDGE / np.maximum(sharp, 1e-9), np.inf)
    return np.where((rise < 0) & (length > 0), tall * size, np.inf)


def room(skin, obstacle, total, size, ground):
    """Share of the layers' height that each point has room for, shape (v,); `total` height and `size` of the
    cubes outside at each."""
    length = np.linalg.norm(skin.direction, axis=1)
    most = np.where(length > 0, total, 0.0)
    way = skin.direction / np.maximum(length, 1e-300)[:, None]
    start = skin.points + 0.02 * size[:, None] * way
    reach = OPPOSITE * total * np.maximum(length, 1.0) + BETWEEN * size
    share, triangle = obstacle.tree.crossings(start, start + reach[:, None] * way)
    # A wall stands opposite where it is seen from outside: a point a little within the body sees its own.
    facing = (obstacle.surface.normals[np.maximum(triangle, 0)] * way).sum(axis=1) < 0
    gap = np.where(np.isfinite(share) & facing, share * reach, np.inf)
    most = np.minimum(most, np.minimum(gap / OPPOSITE, 0.5 * (gap - BETWEEN * size)))
    if ground is not None:
        down = np.maximum(-way[:, 2], 0.0)
        gap = np.where(down > 0, (skin.points[:, 2] - ground) / np.maximum(down, 1e-9), np.inf)
        most = np.minimum(most, np.minimum(TO_GROUND * gap, gap - BETWEEN * size))
        beside = skin.points[:, 2] - ground < BETWEEN * size
        most[beside] = 0.0
    for k in range(1, STATIONS + 1):
        t = total * k / STATIONS
        tried = np.nonzero(most >= t)[0]
        near, _ = obstacle.tree.nearest(skin.points[tried] + t[tried, None] * skin.direction[tried],
                                        tolerance=0.05)
        close = tried[near < CLEAR * t[tried]]
        most[close] = t[close] - total[close] / STATIONS
    return eased(skin, np.maximum(most, 0.0)) / total


def eased(skin, most):
    """Heights that change along the wall by no more than a slope."""
    a, b = skin.faces.ravel(), np.roll(skin.faces, -1, axis=1).ravel()
    length = np.linalg.norm(skin.points[a] - skin.points[b], axis=1)
    out = most.copy()
    for _ in range(20):
        before = out.copy()
        np.minimum.at(out, a, before[b] + SLOPE * length)
        np.minimum.at(out, b, before[a] + SLOPE * length)
    return out


def unfolded(skin, z, share):
    """Layers with levels `z` in which no cell is folded: columns that fold are lowered, at last dropped."""
    for number in range(FOLD_ROUNDS):
        kept = share[skin.faces].min(axis=1) > LEAST_SHARE
        layers = grow(skin, z * share, kept)
        bad = np.unique(np.nonzero(~(layers.volume > 0))[0] // layers.count)
        if not len(bad):
            return layers
        points = np.unique(skin.faces[np.nonzero(kept)[0][bad]])
        share = share.copy()
        share[points] *= FOLDED if number < FOLD_ROUNDS - 3 else 0.0
        share = eased(skin, share * z[-1]) / z[-1]
    raise SkinError("cells of the layers fold")
