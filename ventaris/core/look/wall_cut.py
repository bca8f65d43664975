"""The line in which a plane cuts the wall of a body, and what is read along it."""
from dataclasses import dataclass

import numpy as np

# Points nearer than this share of the body's size are one; ends of lines nearer than this belong together.
SAME, NEAR = 1e-7, 0.02
# What a plane across an axis is drawn over.
ALONG = {"x": "y", "y": "x", "z": "x"}


@dataclass(frozen=True)
class WallCut:
    """A line on the wall, piece after piece; the piece of every triangle that the plane cuts.

    Attributes
    ----------
    middle, normal : ndarray, shape (n, 3)
        Of each piece, the normal of its triangle outward.
    length : ndarray, shape (n,)
    line : ndarray of int, shape (n,)
        Number of the closed or open line that it belongs to.
    """

    middle: np.ndarray
    normal: np.ndarray
    length: np.ndarray
    line: np.ndarray

    def gathered(self, place, *values):
        """Means over pieces that follow each other at the same place: (their lines, means of each of the
        values).

        Pieces are as short as the drawn triangles; readings are known for cells, and a curve through every
        piece would have steps.
        """
        new = np.concatenate([[True], (np.diff(place) != 0) | (np.diff(self.line) != 0)])
        group = np.cumsum(new) - 1
        weight = np.bincount(group, self.length)
        return self.line[new], *(np.bincount(group, self.length * v) / weight for v in values)


def wall_cut(drawn, axis, at):
    """Cut a drawn surface by a plane across an axis.

    Parameters
    ----------
    drawn : DrawnSurface
    axis : {"x", "y", "z"}
    at : float
        In the surface's unit.

    Returns
    -------
    WallCut
        Without pieces where the plane misses the body.
    """
    across = "xyz".index(axis)
    size = float(np.ptp(drawn.points, axis=0).max())
    # A plane that runs through corners is moved by a hair.
    height = drawn.points[:, across] - at
    height = np.where(np.abs(height) < SAME * size, SAME * size, height)
    above = height[drawn.triangles] > 0
    cut = np.nonzero(above.any(axis=1) & ~above.all(axis=1))[0]
    nodes = drawn.triangles[cut]
    # The corner that stands alone, and the two others in the triangle's order.
    alone = np.where(above[cut].sum(axis=1) == 1, above[cut].argmax(axis=1), above[cut].argmin(axis=1))
    row = np.arange(len(cut))
    one, two, three = (nodes[row, (alone + k) % 3] for k in range(3))

    def between(a, b):
        share = height[a] / (height[a] - height[b])
        return drawn.points[a] + share[:, None] * (drawn.points[b] - drawn.points[a])

    first, last = between(one, two), between(one, three)
    # Points of two smooth pieces that meet in an edge stand there twice.
    _, same = np.unique(np.round(drawn.points / (SAME * size)), axis=0, return_inverse=True)
    same = same.reshape(-1)
    order, line = _chained(*(np.sort(np.stack([same[one], same[other]], axis=1), axis=1)
                             for other in (two, three)))
    corners = drawn.points[nodes]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length, area = np.linalg.norm(last - first, axis=1), np.linalg.norm(normal, axis=1)
    used = (length[order] > SAME * size) & (area[order] > 0)
    order, line = _mended(0.5 * (first + last), order[used], line[used], NEAR * size)
    return WallCut(0.5 * (first + last)[order], normal[order] / area[order, None], length[order], line)


def _chained(first, last):
    """Order in which pieces follow each other by the edges of triangles that they run between, each shape (n,
    2), and the line each belongs to."""
    keys = [list(map(tuple, ends.tolist())) for ends in (first, last)]
    at = {}
    for end in keys:
        for k, key in enumerate(end):
            at.setdefault(key, []).append(k)
    left, order, line, number = np.ones(len(first), dtype=bool), [], [], 0
    # Open lines begin at an end of theirs.
    loose = [pieces[0] for pieces in at.values() if len(pieces) == 1]
    for start in [*loose, *range(len(first))]:
        if not left[start]:
            continue
        here = start
        tip = keys[0][start] if len(at[keys[1][start]]) == 1 else keys[1][start]
        while here is not None:
            left[here] = False
            order.append(here)
            line.append(number)
            here = next((k for k in at[tip] if left[k]), None)
            if here is not None:
                tip = keys[1][here] if keys[0][here] == tip else keys[0][here]
        number += 1
    return np.array(order, dtype=np.int64), np.array(line, dtype=np.int64)


def _mended(middle, order, line, near):
    """Lines put together whose ends lie side by side: where the drawn triangles on both sides of an edge of
    the body are divided otherwise, no edge leads across."""
    pieces = [order[line == k] for k in np.unique(line)]
    order, out = [], []
    while pieces:
        run, found = pieces.pop(0), True
        while found and pieces:
            gaps = [[np.linalg.norm(middle[run[-1]] - middle[other[end]]) for end in (0, -1)]
                    for other in pieces]
            gap = np.array(gaps).min(axis=1)
            k = int(gap.argmin())
            closes = np.linalg.norm(middle[run[-1]] - middle[run[0]]) <= gap[k] and len(run) > 2
            found = gap[k] < near and not closes
            if found:
                other = pieces.pop(k)
                run = np.concatenate([run, other if gaps[k][0] <= gaps[k][1] else other[::-1]])
        order.append(run)
        out.append(np.full(len(run), len(out)))
    if not order:
        return np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64)
    return np.concatenate(order), np.concatenate(out)


def section_force(cut, cp):
    """Force of the pressure on a cut across y, over dynamic pressure and its chord.

    Parameters
    ----------
    cut : WallCut
    cp : ndarray, shape (n,)

    Returns
    -------
    chord : float
        Extent along x, in the surface's unit.
    force : ndarray, shape (2,)
        Along x and z.
    """
    chord = float(np.ptp(cut.middle[:, 0]))
    # Of a wall that leans across the cut only the pull within its plane counts, per length across.
    flat = cut.normal[:, [0, 2]]
    flat = flat / np.maximum(np.linalg.norm(flat, axis=1), 1e-12)[:, None]
    return chord, -(cp * cut.length) @ flat / max(chord, 1e-300)
