"""Wall layers for any set of curves: straight columns of cells that fill thin cells off a wall.

Every wall point sends out a column; a convex corner sends out a fan of them.  Columns are as high
as the gap to the next wall allows, and their last cell is about as long as it is wide, so that the
triangles that follow can be regular.
"""
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from .spacing import geometric_line

FAN_STEP = np.radians(24)
SHARP = np.radians(35)
# A column may use this share of the room to the next wall.
ROOM = 0.36
# The line behind a sharp trailing edge: growth of its cells, and the share of the free way it may take.
WAKE_GROWTH, WAKE_ROOM = 0.12, 0.4


@dataclass
class Columns:
    """Columns of wall-layer cells off one curve.

    Attributes
    ----------
    nodes : ndarray, shape (n_columns, n_layers + 1, 2)
    wall_node : ndarray of int, shape (n_columns,)
        Index of the wall point each column starts from; columns of a fan share it.
    closed : bool
    names : list of str
        Surface name of the wall edge between a column and the next (fan edges: "").
    """

    nodes: np.ndarray
    wall_node: np.ndarray
    closed: bool
    names: list

    @property
    def front(self):
        return self.nodes[:, -1]

    def thinned(self, stride):
        """Every `stride`-th column and layer."""
        keep = np.arange(0, len(self.nodes), stride)
        if not self.closed and keep[-1] != len(self.nodes) - 1:
            raise ValueError("an open chain needs a multiple of the stride")
        return Columns(self.nodes[keep][:, ::stride], self.wall_node[keep], self.closed,
                       [self.names[k] for k in keep if k < len(self.names)])


@dataclass
class WallPath:
    """A wall as the columns walk along it; a sharp trailing edge carries a line into the wake, walked on both
    sides.

    Attributes
    ----------
    nodes : ndarray, shape (n_nodes, 2)
    node : ndarray of int, shape (n,)
        Node at each stop of the walk; the fluid lies to the right.
    names : list of str
        Surface name of the edge after each stop, "" on the wake line.
    closed : bool
    wake : ndarray, shape (n,)
        Share of the wake line's length at each stop, 0 on the wall.
    """

    nodes: np.ndarray
    node: np.ndarray
    names: list
    closed: bool
    wake: np.ndarray

    @property
    def points(self):
        return self.nodes[self.node]

    @property
    def segments(self):
        """Edges of the wall and of the wake line, shape (m, 2, 2)."""
        points = self.points
        pairs = np.stack([points, np.roll(points, -1, 0)], 1)
        return pairs if self.closed else pairs[:-1]


def plain_path(points, names, closed):
    return WallPath(points, np.arange(len(points)), list(names), closed, np.zeros(len(points)))


def path_with_wake(points, names, room, others=None):
    """The path of a closed wall whose first point is a sharp trailing edge, with its wake line.

    Without it the layers of both sides end in a fan of needles a thousandth of the wall cells
    wide, and the flow there does not converge.

    Parameters
    ----------
    room : callable
        Free length from a point along a direction.
    others : cKDTree or None
        Points on the other walls; the line ends where it comes nearer to them than it started.
    """
    n = len(points)
    away = [(points[0] - points[k]) / np.linalg.norm(points[0] - points[k]) for k in (1, -1)]
    direction = (away[0] + away[1]) / np.linalg.norm(away[0] + away[1])
    first = 0.5 * (np.linalg.norm(points[1] - points[0]) + np.linalg.norm(points[-1] - points[0]))
    length = min(60 * first, WAKE_ROOM * room(points[0], direction))
    if others is not None:
        s = np.linspace(0, length, 200)[1:]
        gap = others.query(points[0] + s[:, None] * direction)[0]
        near = np.nonzero(gap < 0.8 * others.query(points[0])[0])[0]
        length = max(s[near[0]], 6 * first) if len(near) else length
    count = 4 * max(1, int(np.ceil(np.log1p(WAKE_GROWTH * length / first) / np.log1p(WAKE_GROWTH) / 4)))
    along = geometric_line(min(first, length / count), count, length)[1:]
    nodes = np.concatenate([points, points[0] + along[:, None] * direction])
    node = np.concatenate([np.arange(n), [0], n + np.arange(count), n + np.arange(count - 1)[::-1]])
    share = np.concatenate([np.zeros(n + 1), along / length, (along / length)[-2::-1]])
    return WallPath(nodes, node, list(names) + [""] * (len(node) - n), True, share)


def plant_columns(path, ends=None):
    """Directions of the columns off a wall.

    Parameters
    ----------
    path : WallPath
    ends : tuple of two unit vectors or None
        Directions of the first and last column of an open wall.

    Returns
    -------
    stop, direction, edge_names
        The stop of the path each column stands on.
    """
    points, names, closed = path.points, path.names, path.closed
    edge = np.roll(points, -1, 0) - points
    after = np.stack([edge[:, 1], -edge[:, 0]], 1) / np.maximum(np.linalg.norm(edge, axis=1), 1e-300)[:, None]
    before = np.roll(after, 1, 0)
    if not closed:
        before[0], after[-1] = ends
    turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(1))
    turn = np.where((path.wake == 1), np.pi, turn)
    mean = before + after
    mean /= np.maximum(np.linalg.norm(mean, axis=1), 1e-12)[:, None]
    sharp = turn > SHARP
    smooth = mean.copy()
    # Only hollow stretches need smoothing: there straight columns would meet.
    hollow = (turn < -1e-3) & ~sharp
    for _ in range(6):
        wide = np.roll(smooth, 1, 0) + 2 * smooth + np.roll(smooth, -1, 0)
        smooth = np.where(hollow[:, None], wide / np.maximum(np.linalg.norm(wide, axis=1), 1e-12)[:, None],
                          smooth)
    stop, direction, edge_names = [], [], []
    for i in range(len(points)):
        own = names[i] if i < len(names) else ""
        fan = 4 * int(np.ceil(turn[i] / FAN_STEP / 4)) if sharp[i] else 0
        start = np.arctan2(before[i, 1], before[i, 0])
        for k in range(fan + 1):
            angle = start + turn[i] * k / max(fan, 1)
            stop.append(i)
            direction.append((np.cos(angle), np.sin(angle)) if fan else tuple(smooth[i]))
            edge_names.append("" if k < fan else own)
    direction = np.array(direction)
    if not closed:
        direction[0], direction[-1] = ends
        edge_names = edge_names[:-1]
    return np.array(stop), direction, edge_names


def room_along(starts, directions, segments, reach, own):
    """Distance from each start along its direction to the first wall segment, at most `reach`.

    Parameters
    ----------
    segments : ndarray, shape (m, 2, 2)
    own : ndarray of int, shape (n,)
        Wall point of each column; segments that touch it are left out (`segments` of the same curve
        come first and segment k runs from point k).
    """
    middle = segments.mean(axis=1)
    half = 0.5 * np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1).max()
    tree = cKDTree(middle)
    out = np.full(len(starts), float(reach))
    for i, near in enumerate(tree.query_ball_point(starts + 0.5 * reach * directions, 0.5 * reach + half)):
        near = np.asarray(near, dtype=int)
        if own is not None:
            near = near[(segments[near, 0] != starts[i]).any(1) & (segments[near, 1] != starts[i]).any(1)]
        if not len(near):
            continue
        a, e = segments[near, 0] - starts[i], segments[near, 1] - segments[near, 0]
        d = directions[i]
        cross = d[0] * e[:, 1] - d[1] * e[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            along = (a[:, 0] * e[:, 1] - a[:, 1] * e[:, 0]) / cross
            on = (a[:, 0] * d[1] - a[:, 1] * d[0]) / cross
        hit = (along > 1e-12) & (on > -0.02) & (on < 1.02)
        if hit.any():
            out[i] = min(out[i], along[hit].min())
    return out


def column_heights(path, stop, direction, room, first, layers, most_growth, top_share=0.75):
    """Height of every layer of every column, shape (n_columns, layers + 1), starting at 0.

    Along a wake line the first cell opens to half of the mean one.
    """
    args = path, stop, direction, room
    heights = _heights(*args, np.full(len(stop), float(first)), layers, most_growth, top_share)
    if path.wake.any():
        most = 0.5 * heights[0, -1] / layers
        share = path.wake[stop]
        heights = _heights(*args,
                           first * (max(most, first) / first)**share, layers, most_growth, top_share,
                           heights[0, -1] * (1 + share))
    return heights


def _heights(path, stop, direction, room, first, layers, most_growth, top_share, most=np.inf):
    points, closed, wall_node = path.points, path.closed, stop
    edge = np.linalg.norm(np.roll(points, -1, 0) - points, axis=1)
    spacing = 0.5 * (edge + np.roll(edge, 1))
    if not closed:
        spacing[0], spacing[-1] = edge[0], edge[-2]
    # Cells longer than a tenth of a chord lie far along a ground or tunnel wall; needles there only cost.
    first = np.maximum(first, 3e-4 * np.maximum(spacing[wall_node] - 0.1, 0))
    wanted_top = top_share * spacing[wall_node]
    ratio = np.clip((np.maximum(wanted_top, 1.02 * first) / first)**(1 / max(layers - 1, 1)), 1.0,
                    most_growth)
    total = _sum(first, ratio, layers)
    total = np.minimum(total, np.where(path.wake[stop] > 0, most, np.inf))
    total = np.minimum(total, ROOM * room)
    total = np.minimum(total, 0.45 * _meeting(points, wall_node, direction, closed))
    total = _smooth_heights(total, points[wall_node], closed)
    start = np.minimum(first, total / layers)
    ratio = _ratio(start, total, layers)
    steps = start[:, None] * ratio[:, None]**np.arange(layers)[None]
    heights = np.concatenate([np.zeros((len(total), 1)), np.cumsum(steps, axis=1)], axis=1)
    return heights * (total / heights[:, -1])[:, None]


def _sum(first, ratio, layers):
    r = np.where(np.abs(ratio - 1) < 1e-9, 1 + 1e-9, ratio)
    return first * (r**layers - 1) / (r - 1)


def _ratio(first, total, layers):
    low, high = np.full(len(total), 0.7), np.full(len(total), 2.0)
    for _ in range(60):
        middle = 0.5 * (low + high)
        over = _sum(first, middle, layers) > total
        low, high = np.where(over, low, middle), np.where(over, middle, high)
    return 0.5 * (low + high)


def _meeting(points, wall_node, direction, closed):
    """Height at which a column meets its neighbour."""
    n = len(wall_node)
    out = np.full(n, np.inf)
    base = points[wall_node]
    for shift in (1, -1):
        gap = np.roll(base, -shift, 0) - base
        other = np.roll(direction, -shift, 0)
        cross = direction[:, 0] * other[:, 1] - direction[:, 1] * other[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            height = (gap[:, 0] * other[:, 1] - gap[:, 1] * other[:, 0]) / cross
        good = np.isfinite(height) & (height > 0) & (np.linalg.norm(gap, axis=1) > 0)
        if not closed:
            good[-1 if shift == 1 else 0] = False
        out = np.where(good, np.minimum(out, height), out)
    return out


def _smooth_heights(total, base, closed):
    """Let heights change by at most a third of the distance along the wall, and round the rest."""
    step = np.linalg.norm(np.roll(base, -1, 0) - base, axis=1)
    for _ in range(3):
        for direction in (1, -1):
            order = range(len(total)) if direction == 1 else range(len(total) - 1, -1, -1)
            for i in order:
                j = (i - direction) % len(total)
                if not closed and abs(i - j) != 1:
                    continue
                distance = step[j] if direction == 1 else step[i]
                total[i] = min(total[i],
                               total[j] + 0.35 * distance + (0.02 * total[j] if distance == 0 else 0))
    for _ in range(4):
        around = 0.5 * (np.roll(total, 1) + np.roll(total, -1))
        if not closed:
            around[0], around[-1] = total[0], total[-1]
        total = np.minimum(total, 0.5 * (total + around))
    return total
