"""Triangles and lines in perspective, drawn into a picture with a depth for every pixel."""
from dataclasses import dataclass, field

import numpy as np
from numba import njit

# Degrees that the picture is high, as on the pages.
FIELD_OF_VIEW = 28.0
NARROW = 0.9
# Where light comes from, as the camera has it (right, up, towards the eye), and what is seen without it.
LIGHTS = ((0.30, (0.35, 0.55, 0.75)), (0.14, (-0.6, 0.25, 0.3)))
AMBIENT = 0.62
# Lines that lie on a surface are seen: they are this share nearer than they are.
NEARER = 2e-3


@dataclass(frozen=True)
class Camera:
    """Where a picture is taken from; up is z.

    Attributes
    ----------
    target, direction : array, shape (3,)
        What lies in the middle, and from it the way to the eye.
    distance : float
    width, height : int
        Of the picture in pixels.
    """

    target: tuple
    direction: tuple
    distance: float
    width: int
    height: int

    def axes(self):
        """(right, up, towards the eye), unit vectors."""
        away = np.asarray(self.direction, dtype=float) / np.linalg.norm(self.direction)
        right = np.cross([0.0, 0.0, 1.0], away)
        if np.linalg.norm(right) < 1e-9:
            right = np.array([1.0, 0.0, 0.0])
        right /= np.linalg.norm(right)
        return right, np.cross(away, right), away

    def seen(self, points):
        """Pixels (right, down) and depth of points, shapes (n, 2) and (n,); depth counts from the eye."""
        right, up, away = self.axes()
        aspect = self.width / self.height
        eye = np.asarray(self.target) + away * self.distance * max(1.0, NARROW / aspect)
        relative = np.asarray(points, dtype=float) - eye
        depth = -relative @ away
        scale = 0.5 * self.height / np.tan(np.radians(0.5 * FIELD_OF_VIEW)) / np.maximum(depth, 1e-12)
        across, down = 0.5 * self.width + relative @ right * scale, 0.5 * self.height - relative @ up * scale
        return np.stack([across, down], axis=1), depth


@dataclass
class Canvas:
    """A picture that is being drawn.

    Attributes
    ----------
    camera : Camera
    colour : ndarray, shape (height, width, 3)
        From 0 to 1.
    depth : ndarray, shape (height, width)
    """

    camera: Camera
    paper: tuple
    colour: np.ndarray = field(init=False)
    depth: np.ndarray = field(init=False)

    def __post_init__(self):
        shape = self.camera.height, self.camera.width
        self.colour = np.tile(np.asarray(self.paper, dtype=float), (*shape, 1))
        self.depth = np.full(shape, np.inf)

    def surface(self, points, triangles, colour_of, values=None, normals=None, opacity=1.0, clip=None):
        """Draw triangles.

        Parameters
        ----------
        points : ndarray, shape (n, 3)
        triangles : ndarray of int, shape (m, 3)
        colour_of : callable
            From values, shape (k,), to colours, shape (k, 3).
        values : ndarray, shape (n,), or None
        normals : ndarray, shape (n, 3), or None
            None draws the surface unlit.
        opacity : float
            Of a surface that is seen through only its foremost sheet is drawn.
        clip : (ndarray, shape (3,), float) or None
            What lies beyond a plane, where normal · x is larger than the number, is left out.
        """
        at, depth = self.camera.seen(points)
        beyond = np.full(len(points), -1.0) if clip is None else points @ np.asarray(clip[0]) - clip[1]
        values = np.zeros(len(points)) if values is None else np.asarray(values, dtype=float)
        carried = np.stack([values, beyond, *self._lit(normals, len(points))], axis=1)
        near = 5e-3 * self.camera.distance
        front, found = np.full(self.depth.shape, np.inf), np.zeros((*self.depth.shape, 5))
        _paint(at, depth, np.ascontiguousarray(triangles, dtype=np.int64), carried, near, self.depth, front,
               found)
        drawn = np.isfinite(front)
        shade = np.ones(drawn.sum())
        if normals is not None:
            shade = _light(found[drawn, 2:])
        colours = np.asarray(colour_of(found[drawn, 0])) * shade[:, None]
        self.colour[drawn] = (1 - opacity) * self.colour[drawn] + opacity * np.minimum(colours, 1.0)
        if opacity >= 1.0:
            self.depth[drawn] = front[drawn]

    def _lit(self, normals, count):
        """Normals as the camera has them, three columns."""
        if normals is None:
            return np.zeros((3, count))
        return np.array(self.camera.axes()) @ np.transpose(normals)

    def lines(self, starts, ends, colours, width=1.0, opacity=1.0):
        """Draw segments in front of what is there.

        Parameters
        ----------
        starts, ends : ndarray, shape (n, 3)
        colours : ndarray, shape (n, 3) or (3,)
        width : float
            In pixels.
        """
        if not len(starts):
            return
        (a, near_a), (b, near_b) = self.camera.seen(starts), self.camera.seen(ends)
        before = np.minimum(near_a, near_b) > 5e-3 * self.camera.distance
        colours = np.ascontiguousarray(np.broadcast_to(colours, (len(starts), 3))[before], dtype=float)
        covered = np.zeros((*self.depth.shape, 4))
        _stroke(a[before], b[before], near_a[before], near_b[before], colours, 0.5 * width, self.depth,
                covered)
        share = (covered[..., 3] * opacity)[..., None]
        self.colour[:] = (1 - share) * self.colour + share * covered[..., :3]


def _light(normal):
    """How bright surfaces are, by their normals in the camera's axes, shape (n, 3); both sides are lit."""
    normal = normal / np.maximum(np.linalg.norm(normal, axis=1), 1e-12)[:, None]
    normal = np.where(normal[:, 2:] < 0, -normal, normal)
    return AMBIENT + sum(
        share * np.maximum(normal @ (np.array(way) / np.linalg.norm(way)), 0.0) for share, way in LIGHTS)


@njit(cache=True)
def _paint(at, depth, triangles, carried, near, behind, front, found):
    """Set depth and carried values of pixels where triangles are the foremost and nothing drawn before hides
    them; values vary with the place in space, not with that in the picture."""
    height, width = front.shape
    values = np.empty(carried.shape[1])
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        if depth[i] < near or depth[j] < near or depth[k] < near:
            continue
        ax, ay, bx, by, cx, cy = at[i, 0], at[i, 1], at[j, 0], at[j, 1], at[k, 0], at[k, 1]
        twice = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if twice == 0.0:
            continue
        left, right = max(int(np.ceil(min(ax, bx, cx) - 0.5)), 0), min(int(max(ax, bx, cx) - 0.5), width - 1)
        top, bottom = max(int(np.ceil(min(ay, by, cy) - 0.5)), 0), min(int(max(ay, by, cy) - 0.5), height - 1)
        for row in range(top, bottom + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                x = column + 0.5
                u = ((bx - x) * (cy - y) - (cx - x) * (by - y)) / twice
                v = ((cx - x) * (ay - y) - (ax - x) * (cy - y)) / twice
                w = 1.0 - u - v
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                u, v, w = u / depth[i], v / depth[j], w / depth[k]
                here = 1.0 / (u + v + w)
                if here >= front[row, column] or here >= behind[row, column]:
                    continue
                for c in range(len(values)):
                    values[c] = here * (u * carried[i, c] + v * carried[j, c] + w * carried[k, c])
                if values[1] > 0.0:
                    continue
                front[row, column] = here
                found[row, column] = values


@njit(cache=True)
def _stroke(a, b, depth_a, depth_b, colours, half, behind, covered):
    """Cover pixels near segments that are not hidden; the last column is how much of a pixel is covered."""
    height, width = behind.shape
    reach = half + 0.5
    for n in range(len(a)):
        ax, ay, bx, by = a[n, 0], a[n, 1], b[n, 0], b[n, 1]
        west, east = min(ax, bx) - reach, max(ax, bx) + reach
        top, bottom = max(int(min(ay, by) - reach), 0), min(int(max(ay, by) + reach), height - 1)
        dx, dy = bx - ax, by - ay
        length2 = max(dx * dx + dy * dy, 1e-12)
        aside = reach * np.sqrt(length2) / abs(dy) + 1.0 if abs(dy) > 1e-9 else width
        for row in range(top, bottom + 1):
            # Where the line passes this row.
            along = ax + dx * (row + 0.5 - ay) / dy if abs(dy) > 1e-9 else ax
            left = max(int(max(west, along - aside)), 0)
            right = min(int(min(east, along + aside)), width - 1)
            for column in range(left, right + 1):
                px, py = column + 0.5 - ax, row + 0.5 - ay
                share = min(max((px * dx + py * dy) / length2, 0.0), 1.0)
                away = np.hypot(px - share * dx, py - share * dy)
                cover = min(max(reach - away, 0.0), 1.0)
                here = 1.0 / ((1.0 - share) / depth_a[n] + share / depth_b[n])
                if cover <= covered[row, column, 3] or here * (1.0 - NEARER) > behind[row, column]:
                    continue
                covered[row, column, 3] = cover
                for c in range(3):
                    covered[row, column, c] = colours[n, c]
