"""A closed casing round the flow: a polygon whose sides are walls or openings."""
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from .sizing import limit_growth
from .spacing import distribute

# Cells of a casing far from everything over the largest ones of the walls in it; where it turns by more than
# an angle, what of that remains in a hollow corner.
WIDER, TURNS, HOLLOW = 3.0, np.radians(20), 0.3
OPENINGS = ("inlet", "outlet")


@dataclass(frozen=True)
class Casing:
    """Corners counter-clockwise, and what lies between each and the next.

    Attributes
    ----------
    corners : tuple of (float, float)
        In chords.
    sides : tuple of {"wall", "inlet", "outlet"}
    """

    corners: tuple
    sides: tuple

    @property
    def loop(self):
        """Corner points, shape (n, 2)."""
        return np.array(self.corners)

    @property
    def reach(self):
        """Half of the larger extent."""
        return 0.5 * float(np.ptp(self.loop, axis=0).max())

    def width(self, side):
        """Length of all sides of a kind together."""
        length = np.linalg.norm(np.roll(self.loop, -1, 0) - self.loop, axis=1)
        return float(sum(own for own, what in zip(length, self.sides) if what == side))

    def dense(self, count=2000):
        """Points along all sides, shape (count, 2)."""
        s, way = self._way()
        return self._at(np.linspace(0, way, count, endpoint=False), s)

    def stretches(self):
        """(first corner, last corner, opening before, opening behind) of every run of wall sides, in order;
        corners as numbers, the last may lie beyond the end of the list, openings as sides' names."""
        n, out = len(self.sides), []
        begins = [k for k in range(n) if self.sides[k] == "wall" and self.sides[k - 1] != "wall"]
        for k in begins:
            last = k
            while self.sides[last % n] == "wall":
                last += 1
            out.append((k, last, self.sides[k - 1], self.sides[last % n]))
        return out

    def strips(self, plan, bodies):
        """Walls for the grid: (name, points with the fluid to the right, names of both ends, directions of
        the columns there)."""
        s, _ = self._way()
        wanted = self._sizes(plan, bodies, s)
        loop, n, out = self.loop, len(self.corners), []
        unit = lambda a, b: (loop[b % n] - loop[a % n]) / np.linalg.norm(loop[b % n] - loop[a % n])
        for first, last, before, behind in self.stretches():
            points = [self._side(k % n, s, wanted) for k in range(first, last)]
            points = np.concatenate([*points, loop[[last % n]]])
            ways = unit(last, last + 1), unit(first, first - 1)
            out.append(("casing", points[::-1], (behind, before), ways))
        return out

    def gaps(self, ends, plan):
        """Openings for the grid: (name, points) behind every run of walls, of whose layers `ends` says where
        they begin and end, counter-clockwise."""
        out, size = [], WIDER * plan.wall_size
        for k, (_, _, _, name) in enumerate(self.stretches()):
            start, end = ends[k][1], ends[(k + 1) % len(ends)][0]
            count = 4 * max(3, int(np.ceil(np.linalg.norm(end - start) / size / 4)))
            out.append((name, start + np.linspace(0, 1, count + 1)[:, None] * (end - start)))
        return out

    def _way(self):
        """(arc length at every corner, length of the whole)."""
        length = np.linalg.norm(np.roll(self.loop, -1, 0) - self.loop, axis=1)
        return np.concatenate([[0], np.cumsum(length)[:-1]]), float(length.sum())

    def _at(self, arcs, s):
        loop = np.concatenate([self.loop, self.loop[:1]])
        ends = np.append(s, s[-1] + np.linalg.norm(loop[-1] - loop[-2]))
        return np.stack([np.interp(arcs, ends, loop[:, k]) for k in (0, 1)], axis=1)

    def _sizes(self, plan, bodies, s):
        """(arc lengths, wanted cell length there)."""
        _, way = self._way()
        arcs = np.linspace(0, way, 8001)
        largest = WIDER * plan.wall_size
        wanted = np.minimum(largest, plan.gap_share * cKDTree(bodies).query(self._at(arcs, s))[0])
        edge = np.roll(self.loop, -1, 0) - self.loop
        before = np.roll(edge, 1, 0)
        turn = np.arctan2(before[:, 0] * edge[:, 1] - before[:, 1] * edge[:, 0], (before * edge).sum(axis=1))
        for corner, angle in zip(s, turn):
            if abs(angle) > TURNS:
                away = np.abs(arcs - corner)
                away = np.minimum(away, way - away)
                least = HOLLOW * largest if angle > 0 else 2 * plan.corner_size
                wanted = np.minimum(wanted, least + plan.wall_growth * away)
        return arcs, limit_growth(arcs, np.maximum(wanted, plan.least_size), plan.wall_growth, way)

    def _side(self, k, s, wanted):
        """Points of a side but its last one: a multiple of 4 cells."""
        loop, n = self.loop, len(self.corners)
        a, b = loop[k], loop[(k + 1) % n]
        length = float(np.linalg.norm(b - a))
        size = lambda q: np.interp(q + s[k], *wanted)
        inside = np.linspace(0, length, 401)
        count = max(4, 4 * int(np.ceil(np.trapezoid(1 / size(inside), inside) / 4 - 0.1)))
        arcs = distribute(size, length, count, samples=2001)[:-1]
        return a + (arcs / length)[:, None] * (b - a)
